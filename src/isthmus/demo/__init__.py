"""Lantern Tide, the demo show: a dance evening on a floating barge stage in the made-up port of
Sandre Haven.

The patch is read from the shipped hang list, as a person would; a few snags are then left in on
purpose.
"""

from __future__ import annotations

from functools import cache
from pathlib import Path

from msgspec.structs import replace

from isthmus.hanglist import read_hang_list
from isthmus.layout.place import hang_by_name
from isthmus.patch.edits import set_address, set_mode, set_text
from isthmus.patch.models import Library
from isthmus.patch.paper import take_paper
from isthmus.profiles.store import load_stored
from isthmus.show.records import Gel, Node, Output, Show, StoredProfile, Structure

HERE = Path(__file__).parent
HANG_LIST = HERE / "lantern-tide-hang-list.csv"
EXTRA_LIST = HERE / "quayside-extras.csv"
SCENARIO = HERE / "lantern-tide-rig.json"
WALL = HERE / "wall_rig" / "rig.json"  # of the picture wall

GELS = (
    Gel(book="Marl", code="Marl 34", name="Lamp oil", rgb=(0.86, 0.42, 0.10)),
    Gel(book="Marl", code="Marl 43", name="Reed straw", rgb=(0.90, 0.62, 0.24)),
    Gel(book="Dusk", code="Dusk 12", name="Late harbour", rgb=(0.16, 0.24, 0.62)),
    Gel(book="Dusk", code="Dusk 3", name="First star", rgb=(0.52, 0.62, 0.86)),
    Gel(book="Kelp", code="Kelp 7", name="Shallow", rgb=(0.22, 0.56, 0.34)),
)

STRUCTURES = (
    Structure(id="hull", kind="hull", name="Barge", position=(0, 0, -0.6), size=(18, 9, 1.2)),
    Structure(
        id="foredeck", kind="deck", name="Foredeck", position=(0, -3.6, 0.1), size=(8, 1.4, 0.2)
    ),
    Structure(
        id="mast-p", kind="mast", name="Port mast", position=(-6.5, 1.5, 0), size=(0.22, 0.22, 8.2)
    ),
    Structure(
        id="mast-s",
        kind="mast",
        name="Starboard mast",
        position=(6.5, 1.5, 0),
        size=(0.22, 0.22, 8.2),
    ),
    Structure(
        id="yard-p-up",
        kind="pipe",
        name="Port mast, upper",
        position=(-6.5, 1.3, 7.2),
        size=(4.4, 0.06, 0.06),
    ),
    Structure(
        id="yard-s-up",
        kind="pipe",
        name="Starboard mast, upper",
        position=(6.5, 1.3, 7.2),
        size=(4.4, 0.06, 0.06),
    ),
    Structure(
        id="yard-p-low",
        kind="pipe",
        name="Port mast, lower",
        position=(-6.5, 1.3, 4.6),
        size=(3.0, 0.06, 0.06),
    ),
    Structure(
        id="yard-s-low",
        kind="pipe",
        name="Starboard mast, lower",
        position=(6.5, 1.3, 4.6),
        size=(3.0, 0.06, 0.06),
    ),
    Structure(
        id="bridge", kind="truss", name="Mast bridge", position=(0, 1.5, 6.3), size=(12.6, 0.3, 0.3)
    ),
    Structure(
        id="bow", kind="rail", name="Bow rail", position=(0, -4.3, 0.95), size=(15, 0.06, 0.06)
    ),
    Structure(
        id="front", kind="wall", name="Boathouse front", position=(0, 4.9, 2.6), size=(15, 0.2, 5.2)
    ),
    Structure(
        id="eave", kind="pipe", name="Boathouse eave", position=(0, 4.5, 5.3), size=(14, 0.06, 0.06)
    ),
    Structure(
        id="foot", kind="rail", name="Boathouse foot", position=(0, 4.4, 0.08), size=(12, 0.1, 0.1)
    ),
    Structure(
        id="water-p",
        kind="rail",
        name="Waterline, port",
        position=(-8.7, -0.5, 0.12),
        size=(7, 0.1, 0.1),
        rotation=(0.70710678, 0, 0, 0.70710678),
    ),
    Structure(
        id="water-s",
        kind="rail",
        name="Waterline, starboard",
        position=(8.7, -0.5, 0.12),
        size=(7, 0.1, 0.1),
        rotation=(0.70710678, 0, 0, 0.70710678),
    ),
    Structure(
        id="boom", kind="boom", name="Boathouse boom", position=(8.1, 3.4, 0), size=(0.06, 0.06, 5)
    ),
)

NODES = (
    Node(
        id="ferry-a", name="Ferry A", ip="127.0.0.2", place="port mast, at the foot", ports=(0, 1)
    ),
    Node(
        id="ferry-b",
        name="Ferry B",
        ip="127.0.0.3",
        place="boathouse, behind the door",
        ports=(16, 17),
    ),
)


# Kilograms and watts as read off the units' plates; those of one type are yet to be weighed.
PLATES = {
    "Dunnet Works Skerry 400": (31.5, 750.0),
    "Halyard Optics Lapwing 19": (13.2, 420.0),
    "Dunnet Works Cormorant 3": (17.8, 380.0),
    "Halyard Optics Dunlin Strip 6": (6.4, 160.0),
    "Brackwater Groyne 24": (8.9, None),
    "Brackwater Turnstone 7": (4.1, 90.0),
    "Brackwater Plover 1k": (5.6, 1000.0),
    "Brackwater Whelk 2": (3.2, 2000.0),
}


@cache
def shipped_profiles() -> tuple[StoredProfile, ...]:
    """The profiles of the demo show, in order of their names."""
    return tuple(load_stored(path)[0] for path in sorted((HERE / "profiles").glob("*.gdtf")))


def as_hung() -> Show:
    """The show as the paper has it and as it hangs: nothing wrong yet, three universes routed."""
    shelf = Library.of(shipped_profiles())
    paper = replace(read_hang_list(HANG_LIST, shelf).paper, title="Hang list", revision="C")
    show = take_paper(
        Show(
            name="Lantern Tide",
            venue="floating barge stage, Sandre Haven",
            structures=STRUCTURES,
            nodes=NODES,
            gels=GELS,
        ),
        paper,
        shelf,
    )
    # ids follow the numbers, so that the demo is the same show every time
    show = replace(show, units=tuple(replace(unit, id=f"u{unit.number}") for unit in show.units))
    ways = [(1, NODES[0], 0), (2, NODES[0], 1), (3, NODES[1], 0)]
    outputs = tuple(
        Output(id=f"o{universe}", universe=universe, host=node.ip, port_address=node.ports[port])
        for universe, node, port in ways
    )
    profiles = []
    for one in show.profiles:
        weight, power = PLATES.get(one.key, (None, None))
        profiles.append(replace(one, weight=weight, power=power))
    show = replace(show, outputs=outputs, profiles=tuple(profiles))
    return hang_by_name(show, [unit.id for unit in show.units])


def lantern_tide() -> Show:
    """The demo show with its snags: an overlap, a mode, an address and a gel that differ from the
    paper, gaps.
    """
    show = as_hung()
    show = set_address(show, ["u314"], (3, 203))  # the paper has 3.205: typed a line too high
    show = set_mode(show, ["u208"], "Wide")
    show = set_text(show, ["u404"], "gel", "Marl 43")
    show = set_address(show, ["u502"], None)
    lost = {"u424", "u502"}
    return replace(
        show,
        units=tuple(
            replace(u, position=None, structure="") if u.id in lost else u for u in show.units
        ),
    )


def whole_demo() -> Show:
    """With its picture wall, looks and cues: half of the core, read only where it is wanted."""
    from isthmus.demo.evening import with_evening
    from isthmus.demo.wall import lit_at_dusk, with_wall

    return lit_at_dusk(with_evening(with_wall(lantern_tide())))
