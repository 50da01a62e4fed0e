"""What our own files say beside the standard, in UserData, so that they come back as they were."""

from __future__ import annotations

import uuid
from xml.etree import ElementTree as ET

import msgspec
from defusedxml import DefusedXmlException

from isthmus.layout.place import LIMIT
from isthmus.mvr import records as r
from isthmus.profiles.gdtf.guarding import parse
from isthmus.show.decoding import decoded
from isthmus.show.records import Structure, Unit
from isthmus.stage.runs import KINDS

PROVIDER = "Isthmus"
PREFIX = "mvr/"  # of kept files that came with an MVR file
_SPACE = uuid.UUID("d0f4f9a2-7c31-4f6d-9f57-2b8e4c1a6b03")


class Noted(msgspec.Struct, frozen=True, omit_defaults=True):
    """Of one thing: what MVR has no element for."""

    gel: str = ""
    note: str = ""
    structure: Structure | None = None


def uuid_of(thing: Unit | Structure) -> str:
    """What others know it by: given, or made of its id, the same at each export."""
    return thing.uuid or uuid_named(f"thing {thing.id}")


def uuid_named(name: str) -> str:
    """The same UUID for the same name."""
    return str(uuid.uuid5(_SPACE, name)).upper()


def layer_uuid(name: str) -> str:
    """Of a layer that we make."""
    return uuid_named(f"layer {name}")


def noted_as(notes: dict[str, Noted]) -> tuple[str, ...]:
    """By UUID, as an element of UserData."""
    held = {key: noted for key, noted in notes.items() if noted != Noted()}
    data = ET.Element("Data", provider=PROVIDER, ver="1")
    data.text = msgspec.json.encode(held).decode()
    return (ET.tostring(data, encoding="unicode"),) if held else ()


def noted_in(scene: r.Scene) -> dict[str, Noted]:
    """By UUID in small letters; nothing of what is not as we write it."""
    for text in scene.user:
        try:
            data = parse(text.encode())
            if data.get("provider") == PROVIDER:
                found = decoded(data.text or "{}", kind=dict[str, Noted])
                return {key.lower(): noted for key, noted in found.items() if _sound(noted)}
        except (ET.ParseError, DefusedXmlException, msgspec.MsgspecError, ValueError):
            continue
    return {}


def _sound(noted: Noted) -> bool:
    """Whether a structure is one: another program may have written anything there."""
    one = noted.structure
    return one is None or (
        one.kind in KINDS
        and one.kind != "mesh"
        and all(0 < side <= LIMIT for side in one.size)
        and 0 < one.arc <= 360
        and one.chords in (2, 3, 4)
        and 0 <= one.steps <= 40
        and all(0 <= mark <= LIMIT for mark in one.marks[:1000])
    )
