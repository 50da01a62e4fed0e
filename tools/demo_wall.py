"""Write the picture wall of the demo: its profile, its grids as the rig suggests them, and the
stand-in rig of it. Run: `python tools/demo_wall.py`.
"""

from __future__ import annotations

import json

import msgspec
from msgspec.structs import replace

from isthmus.demo import lantern_tide
from isthmus.demo.wall import CELLS, HERE, NODE, PITCH, panel, wall_units, with_units
from isthmus.pixels.grids import propose, put_grid
from isthmus.profiles.gdtf import write_gdtf
from isthmus.profiles.make.bodies import Body
from isthmus.profiles.make.channels import Channel
from isthmus.profiles.make.compose import ModePlan, compose
from isthmus.profiles.records import Beam
from isthmus.profiles.store import file_name

TURNED = 704  # hangs upside down


def write_panel() -> None:
    """A panel of 24 cells with a dimmer for all."""
    wide, high = (PITCH * count for count in CELLS)
    light = Beam(
        beam_angle=90, field_angle=110, flux=60, color_temperature=6500, radius=0.04, kind="Wash",
        lamp="LED", power=9
    )
    colours = tuple(Channel(f"ColorAdd_{letter}") for letter in "RGB")
    made = compose(
        "Halyard Optics",
        "Plaice 24",
        Body("cells", (wide, high, 0.09), light, CELLS[0]),
        [ModePlan("Cells", (Channel("Dimmer"),), CELLS[0] * CELLS[1], colours)],
        description="Panel of six by four cells",
    )
    (HERE / "profiles" / file_name(made)).write_bytes(write_gdtf(made))


def write_grids() -> None:
    show = with_units(lantern_tide())
    wall = [unit.id for unit in wall_units()]
    show, _ = put_grid(show, replace(propose(show, wall).grid, id="wall", name="Wall"))
    port = [u.id for u in show.units if u.purpose == "Water edge" and u.hangs_on.endswith("port")]
    line = replace(propose(show, port).grid, id="waterline", name="Waterline, port")
    show, _ = put_grid(show, line)
    made = msgspec.json.encode(show.grids)
    (HERE / "grids.json").write_bytes(made + b"\n")


def write_rig() -> None:
    stored = panel()
    units = [
        {
            "serial": f"{(unit.number * 2654435761) & 0xFFFFFF:06X}",
            "label": str(unit.number),
            "profile": stored.file,
            "mode": unit.mode,
            "node": NODE.name,
            "port": NODE.ports.index(unit.patch[0].universe),
            "address": unit.patch[0].address,
            "position": [round(v, 3) for v in unit.position or ()],
            "rotation": [round(v, 6) for v in unit.rotation],
            **({"faults": ["cells turned round"]} if unit.number == TURNED else {}),
        }
        for unit in wall_units()
    ]
    node = {"name": NODE.name, "ip": NODE.ip, "ports": list(NODE.ports)}
    text = {"name": "Wall as hung", "nodes": [node], "units": units}
    (HERE / "rig.json").write_text(json.dumps(text, indent=1) + "\n")


if __name__ == "__main__":
    write_panel()
    write_grids()
    write_rig()
