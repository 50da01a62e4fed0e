"""The picture wall of Lantern Tide: ten panels of 6 by 4 cells on the boathouse front, and the
battens along the waterline, as grids.
"""

from __future__ import annotations

from functools import cache
from pathlib import Path

import msgspec
from msgspec.structs import replace

from isthmus.profiles.store import load_stored
from isthmus.show.records import (
    LayerSet,
    LookLine,
    Node,
    Output,
    Patched,
    PictureLayer,
    PixelGrid,
    Show,
    StoredProfile,
    Unit,
    Wish,
)

HERE = Path(__file__).parent / "wall_rig"
ACROSS, DOWN = 5, 2
CELLS = (6, 4)
PITCH = 0.12  # metres
FIRST = 701
UNIVERSES = (11, 12)  # seven panels have room in one
OUT = 4.72  # upstage: before the boathouse front
FACING = (0.7071067811865476, -0.7071067811865476, 0.0, 0.0)  # its light goes to the audience
NODE = Node(
    id="boathouse",
    name="Boathouse",
    ip="127.0.0.4",
    place="boathouse front, behind the wall",
    ports=UNIVERSES,
)


@cache
def panel() -> StoredProfile:
    """A panel of 24 cells with a dimmer for all."""
    return load_stored(HERE / "profiles" / "Halyard Optics@Plaice 24.gdtf")[0]


def wall_units() -> list[Unit]:
    """The panels, row by row from the upper left as one sees them."""
    width = 1 + 3 * CELLS[0] * CELLS[1]
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
                profile=panel().key,
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
    return units


def with_units(show: Show) -> Show:
    """The show with the panels, and a node that feeds them."""
    outputs = tuple(
        Output(id=f"wall-{universe}", universe=universe, host=NODE.ip, port_address=universe)
        for universe in UNIVERSES
    )
    return replace(
        show,
        units=(*show.units, *wall_units()),
        profiles=(*show.profiles, panel()),
        nodes=(*show.nodes, NODE),
        outputs=(*show.outputs, *outputs),
    )


def with_wall(show: Show) -> Show:
    """The show with the wall, both grids, and what is shown on it in the evening."""
    grids = msgspec.json.decode((HERE / "grids.json").read_bytes(), type=tuple[PixelGrid, ...])
    return replace(with_units(show), grids=grids, layer_sets=(water_and_words(grids[0].id),))


def lit_at_dusk(show: Show) -> Show:
    """The evening with the wall in its look Dusk."""
    line = LookLine(units=tuple(u.id for u in wall_units()), wish=Wish(intensity=1.0))
    looks = tuple(
        replace(one, lines=(*one.lines, line), pictures=(show.layer_sets[0].id,))
        if one.name == "Dusk"
        else one
        for one in show.looks
    )
    return replace(show, looks=looks)


def water_and_words(grid: str) -> LayerSet:
    """What the wall shows in the evening: moving water, a glow from below, the name of the show."""
    water = PictureLayer(
        id="water", source="noise", name="Water", colour="#2fd0e0", behind="#06283f",
        settings={"size": 0.25, "hard": 0.6}, speed=0.5,
    )  # fmt: skip
    glow = PictureLayer(
        id="glow", source="fire", name="Glow", blend="add", level=0.5, y=0.75, height=0.5,
        settings={"size": 0.3, "flames": 0.7},
    )  # fmt: skip
    words = PictureLayer(
        id="words", source="text", name="Name", text="LANTERN TIDE", colour="#ffe9c0",
        settings={"run": 1, "scale": 1.15},
    )  # fmt: skip
    return LayerSet(
        id="water-and-words", number=1, name="Water", grid=grid, layers=(water, glow, words)
    )
