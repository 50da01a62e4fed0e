"""Which element of MVR holds what, as a table that reader, writer and checker share.

A `Text` pairs a child element that holds a value with a field. `ORDER` says which children an
element has, in the order of the standard: those that are not in the table are carried along.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from isthmus.mvr.records import Rows
from isthmus.profiles.gdtf.values import TEXT, WHOLE, XYY, Codec, number_text

VERSIONS = (4, 5, 6)
_SAID = {"true": True, "1": True, "false": False, "0": False}


def _flag(text: str, _size: int = 1) -> bool:
    found = _SAID.get(text.strip().lower())
    if found is None:
        raise ValueError(text)
    return found


_BRACES = str.maketrans("{},", "   ")


def _rows(text: str, _size: int = 1) -> Rows:
    """`{u}{v}{w}{o}` of three each; four rows of four, as GDTF writes them, are taken too."""
    values = list(map(float, text.translate(_BRACES).split()))
    if len(values) == 16:
        values = [value for at, value in enumerate(values) if at % 4 < 3]
    if len(values) != 12 or not all(map(math.isfinite, values)):
        raise ValueError(text)
    u, v, w, o = ((values[at], values[at + 1], values[at + 2]) for at in range(0, 12, 3))
    return (u, v, w, o)


def _write_rows(rows: Rows, _size: int = 1) -> str:
    return "".join(
        "{" + ",".join(number_text(round(x, 6) + 0.0) for x in row) + "}" for row in rows
    )


FLAG = Codec("true or false", _flag, lambda value, _: "true" if value else "false")
ROWS = Codec("a matrix of 4 × 3 numbers", _rows, _write_rows)


@dataclass(frozen=True)
class Text:
    field: str
    tag: str
    codec: Codec = TEXT
    since: int = 4  # of version 1.x


TEXTS = (
    Text("matrix", "Matrix", ROWS),
    Text("gdtf", "GDTFSpec"),
    Text("mode", "GDTFMode"),
    Text("focus", "Focus"),
    Text("invert_pan", "DMXInvertPan", FLAG, 5),
    Text("invert_tilt", "DMXInvertTilt", FLAG, 5),
    Text("position", "Position"),
    Text("function", "Function", since=5),
    Text("fixture_id", "FixtureID"),
    Text("fixture_number", "FixtureIDNumeric", WHOLE, 6),
    Text("unit_number", "UnitNumber", WHOLE),
    Text("color", "Color", XYY),
)
BY_TAG = {text.tag: text for text in TEXTS}
NEWER = {  # elements that are carried along, and since which version 1.x they are there
    "Alignments": 5,
    "CustomCommands": 5,
    "Overwrites": 5,
    "Connections": 5,
    "Protocols": 5,
    "ChildPosition": 5,
    "Mappings": 5,
}
_IDS = "FixtureID FixtureIDNumeric UnitNumber"
_CUSTOM = "CustomIdType CustomId"
_WIRED = "Addresses Alignments CustomCommands Overwrites Connections"
_MADE = f"GDTFSpec GDTFMode CastShadow {_WIRED}"
_ENDS = f"ChildList {_IDS} {_CUSTOM}"
_HUNG = "Matrix Classing Position Geometries Function"
_ORDER = {
    "Layer": "Matrix ChildList",
    "GroupObject": "Matrix Classing ChildList",
    "FocusPoint": "Matrix Classing Geometries",
    "Fixture": "Matrix Classing GDTFSpec GDTFMode Focus CastShadow DMXInvertPan DMXInvertTilt "
    f"Position Function {_IDS} ChildPosition Addresses Protocols Alignments CustomCommands "
    f"Overwrites Connections Color {_CUSTOM} Mappings Gobo ChildList",
    "SceneObject": f"Matrix Classing Geometries {_MADE} {_IDS} {_CUSTOM} ChildList",
    "Truss": f"{_HUNG} {_MADE} ChildPosition {_ENDS}",
    "Support": f"{_HUNG} ChainLength {_MADE} {_ENDS}",
    "VideoScreen": f"Matrix Classing Geometries Sources Function {_MADE} {_ENDS}",
    "Projector": f"Matrix Classing Geometries Projections {_MADE} {_ENDS}",
}
ORDER = {kind: tuple(words.split()) for kind, words in _ORDER.items()}
AUX = ("Class", "Symdef", "Position", "MappingDefinition")
RIGHT_TAGS = {
    tag.lower(): tag
    for tag in (
        *ORDER,
        *(tag for tags in ORDER.values() for tag in tags),
        *AUX,
        "GeneralSceneDescription",
        "UserData",
        "Scene",
        "AUXData",
        "Layers",
        "Geometry3D",
        "Symbol",
        "Address",
        "Network",
    )
}
