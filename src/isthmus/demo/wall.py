"""The picture wall of Lantern Tide: ten panels of 6 by 4 cells on the boathouse front, and the
battens along the waterline, as grids.
"""

from __future__ import annotations

from functools import cache

from msgspec.structs import replace

from isthmus.pixels.grids import propose, put_grid
from isthmus.profiles.gdtf import write_gdtf
from isthmus.profiles.make.bodies import Body
from isthmus.profiles.make.channels import Channel
from isthmus.profiles.make.compose import ModePlan, compose
from isthmus.profiles.records import Beam
from isthmus.profiles.store import stored_of
from isthmus.show.records import Output, Patched, Show, StoredProfile, Unit

ACROSS, DOWN = 5, 2
CELLS = (6, 4)
PITCH = 0.12  # metres
FIRST = 701
UNIVERSES = (11, 12)  # seven panels have room in one
OUT = 4.72  # upstage: before the boathouse front
FACING = (0.7071067811865476, -0.7071067811865476, 0.0, 0.0)  # its light goes to the audience


@cache
def panel() -> StoredProfile:
    """A panel of 24 cells with a dimmer for all."""
    wide, high = (PITCH * count for count in CELLS)
    light = Beam(
        beam_angle=90, field_angle=110, flux=60, color_temperature=6500, radius=0.04, kind="Wash"
    )
    colours = tuple(Channel(f"ColorAdd_{letter}") for letter in "RGB")
    made = compose(
        "Halyard Optics",
        "Plaice 24",
        Body("cells", (wide, high, 0.09), light, CELLS[0]),
        [ModePlan("Cells", (Channel("Dimmer"),), CELLS[0] * CELLS[1], colours)],
        description="Panel of six by four cells",
    )
    return stored_of(made, write_gdtf(made))


def with_wall(show: Show) -> Show:
    """The show with the wall, the outputs it needs, and both grids."""
    stored, width = panel(), 1 + 3 * CELLS[0] * CELLS[1]
    each = 512 // width
    units = []
    for at in range(ACROSS * DOWN):
        column, row = at % ACROSS, at // ACROSS
        units.append(
            Unit(
                id=f"w{at}",
                number=FIRST + at,
                name=f"Wall {at + 1}",
                purpose="Wall",
                profile=stored.key,
                mode="Cells",
                patch=(Patched(universe=UNIVERSES[at // each], address=1 + at % each * width),),
                hangs_on="Boathouse front",
                position=(
                    (column - (ACROSS - 1) / 2) * PITCH * CELLS[0],
                    OUT,
                    3.2 - row * PITCH * CELLS[1],
                ),
                rotation=FACING,
            )
        )
    outputs = tuple(
        Output(id=f"wall-{universe}", universe=universe, host="127.0.0.3", port_address=universe)
        for universe in UNIVERSES
    )
    made = replace(
        show,
        units=(*show.units, *units),
        profiles=(*show.profiles, stored),
        outputs=(*show.outputs, *outputs),
    )
    made, _ = put_grid(made, replace(propose(made, [u.id for u in units]).grid, name="Wall"))
    edge = [u.id for u in made.units if u.purpose == "Water edge" and u.patch]
    port = [u for u in edge if made.unit(u).hangs_on.endswith("port")]  # type: ignore[union-attr]
    return put_grid(made, replace(propose(made, port).grid, name="Waterline, port"))[0]
