"""A scene as a show: fixtures become units, what has a mesh structures, layers and groups groups.

Whatever there is no member for is kept beside, for the next file that is written.
"""

from __future__ import annotations

import hashlib
import math
import re
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from dataclasses import replace as dataclass_replace
from pathlib import Path
from typing import Any
from xml.etree import ElementTree as ET

import numpy as np
from msgspec.structs import replace

from isthmus.mvr import records as r
from isthmus.mvr.archive import Mvr, read_mvr
from isthmus.mvr.ours import PREFIX, Noted, layer_uuid, noted_in, uuid_of
from isthmus.mvr.pieces import Meshes, Tell
from isthmus.mvr.space import Placed, placed, rows_of, transform
from isthmus.mvr.types import Types
from isthmus.mvr.writing import thing_element, write_scene
from isthmus.patch.models import Library
from isthmus.profiles.gdtf.reading import Notice
from isthmus.profiles.make.glb import glb
from isthmus.show.container import MAX_TOTAL
from isthmus.show.files import read_file
from isthmus.show.records import (
    SLOTS,
    Beside,
    Group,
    Handling,
    Patched,
    Show,
    StoredFile,
    Structure,
    Unit,
    new_id,
)
from isthmus.stage.meshes_in import HEAVY, simplified
from isthmus.stage.transforms import Array, turn_of

MOST_NUMBER = 999_999
NEAR, TURNED = 5e-5, 1e-9  # metres; one less the cosine of half an angle: 0.005 degrees
MOST_TRIANGLES = 8 * HEAVY


@dataclass(frozen=True)
class Came:
    """The show, and what to know about the file it came from."""

    show: Show
    notices: tuple[Notice, ...]


@dataclass(frozen=True)
class _Found:
    thing: r.Thing
    world: Array
    layer: str
    groups: tuple[str, ...]  # UUIDs of the layer and groups around it


def open_mvr(path: Path, library: Library | None = None, known: Show | None = None) -> Came:
    """Read a file as a show. `library` is asked for profiles. With a show that is `known`, the file
    is what others made of that: things that go by the same UUID are those, and what a file says
    nothing about is as it is there. Raises FileFault.
    """
    return as_show(read_mvr(read_file(path, MAX_TOTAL), path.name), path.stem, library, known)


def as_show(
    mvr: Mvr, name: str = "", library: Library | None = None, known: Show | None = None
) -> Came:
    """The same of a file that is read."""
    return _Coming(mvr, name, library, known or Show()).came()


class _Coming:
    def __init__(self, mvr: Mvr, name: str, library: Library | None, known: Show) -> None:
        self.mvr, self.name = mvr, name
        self.notices = list(mvr.notices)
        self._told: set[str] = set()
        self.found: list[_Found] = []
        self.titles: dict[str, tuple[str, str]] = {}  # of layers and groups: what around, name
        for layer in mvr.scene.layers:
            self._walk(layer, np.eye(4), layer.name, ())
        fixtures = [one.thing for one in self.found if one.thing.kind == "Fixture"]
        self.meshes = Meshes(mvr, self.tell)
        self.types = Types(mvr, fixtures, library, self.tell)
        self.noted = noted_in(mvr.scene)
        self.known = known
        self.units = {uuid_of(unit).lower(): unit for unit in known.units}
        self.structures = {uuid_of(one).lower(): one for one in known.structures}
        self.positions = {one.uuid.lower(): one.name for one in mvr.scene.positions}
        self.beside: dict[tuple[str, str], Beside] = {}
        self.files: dict[str, StoredFile] = {}

    def tell(self, place: str, text: str, once: str = "") -> None:
        if once and once in self._told:
            return
        self._told.add(once)
        self.notices.append(Notice(place, text))

    def _walk(self, thing: r.Thing, at: Array, layer: str, groups: tuple[str, ...]) -> None:
        world = at @ transform(thing.matrix)
        if thing.kind in ("Layer", "GroupObject"):
            self.titles[thing.uuid] = (groups[-1] if groups else "", thing.name)
            groups = (*groups, thing.uuid)
        if thing.kind != "Layer":
            self.found.append(_Found(thing, world, layer, groups))
        for child in thing.children:
            self._walk(child, world, layer, groups)

    # ------------------------------------------------------------ the whole

    def came(self) -> Came:
        places = placed([one.world for one in self.found])
        units: list[Unit] = []
        structures: list[Structure] = []
        grouped: dict[str, list[str]] = defaultdict(list)
        numbers = _Numbers([f.thing for f in self.found if f.thing.kind == "Fixture"], self.tell)
        for one, at in zip(self.found, places, strict=True):
            if one.thing.kind == "Fixture":
                unit = self._unit(one, at, numbers(one.thing))
                units.append(unit)
                for group in one.groups:
                    grouped[group].append(unit.id)
            elif one.thing.kind != "GroupObject":
                structure = self._structure(one, at)
                if structure is not None:
                    structures.append(structure)
                else:
                    self._kept(one)
        self._aux()
        known = self.known
        units = _on_structures(units, structures, {unit.id for unit in known.units})
        show = replace(
            known,
            name=known.name if known.units else self.name or known.name,
            units=_in_order(units, known.units),
            profiles=_joined(known.profiles, self.types.profiles.values(), "key"),
            structures=_in_order(structures, known.structures),
            groups=(*known.groups, *self._groups(grouped, units)),
            files=_joined(known.files, self.files.values(), "name"),
            beside=tuple(
                ({(one.where, one.of): one for one in known.beside} | self.beside).values()
            ),
        )
        return Came(show, tuple(self.notices))

    def _groups(self, grouped: dict[str, list[str]], units: list[Unit]) -> Iterator[Group]:
        """Layers and groups with a name of their own: not that of a position all of them have."""
        names = {group.name for group in self.known.groups}
        positions = {unit.id: unit.hangs_on for unit in units}
        for uuid, held in grouped.items():
            name = self.titles[uuid][1].strip()
            if uuid == layer_uuid(name):  # one we made ourselves
                continue
            if name and name not in names and {positions[unit] for unit in held} != {name}:
                names.add(name)
                yield Group(id=new_id(), name=name, units=tuple(held))

    # ------------------------------------------------------------ units

    def _unit(self, one: _Found, at: Placed, number: int) -> Unit:
        thing = one.thing
        place = f"Fixture “{thing.name[:60]}”"
        if at.scaled:
            how = "mirrored" if at.mirrored else "scaled or skewed"
            self.tell(place, f"Its matrix is {how}; a unit keeps its own measures.", f"scale {how}")
        mine = self.units.get(thing.uuid.lower())
        if mine is not None and thing.gdtf == mine.profile:  # one that is not there with us either
            key, mode = mine.profile, thing.mode
        else:
            key, mode = self.types.of(thing)
        base = mine or Unit(id=new_id(), number=number, uuid=thing.uuid)
        noted = self.noted.get(thing.uuid.lower(), Noted(gel=base.gel, note=base.note))
        other = list(thing.other)
        if thing.color is not None and not noted.gel:
            other.append(_element("Color", thing.color))
        if thing.focus:
            other.append(_element("Focus", thing.focus))
        self._beside("thing", thing.uuid, other)
        made = replace(
            base,
            number=number,
            fixture_id=_called(thing, number, base),
            name=thing.name or base.name,
            profile=key,
            mode=mode,
            patch=_patch(thing, base),
            hangs_on=self._position(thing) or base.hangs_on,
            purpose=thing.function or base.purpose,
            gel=noted.gel,
            note=noted.note,
            handling=self._handling(thing, base.handling),
        )
        return made if thing.matrix is None else _at(made, at)

    def _handling(self, thing: r.Thing, known: Handling) -> Handling:
        pan = self._flag(thing.invert_pan, known.invert_pan)
        tilt = self._flag(thing.invert_tilt, known.invert_tilt)
        if (pan, tilt) == (known.invert_pan, known.invert_tilt):
            return known
        return replace(known, invert_pan=pan, invert_tilt=tilt)

    def _flag(self, said: bool | None, known: bool) -> bool:
        """What 1.4 has no element for stays; later, what is not said is off."""
        return known if said is None and self.mvr.scene.minor < 5 else bool(said)

    def _position(self, thing: r.Thing) -> str:
        if not thing.position:
            return ""
        name = self.positions.get(thing.position.lower())
        if name is None:
            self.tell(
                f"{thing.kind} “{thing.name[:60]}”",
                f"Position “{thing.position[:60]}” is not in the file; it is taken as a name.",
                f"position {thing.position}",
            )
        return thing.position if name is None else name

    # ------------------------------------------------------------ structures

    def _structure(self, one: _Found, at: Placed) -> Structure | None:
        thing = one.thing
        if thing.kind == "FocusPoint":
            return None
        mine = self.structures.get(thing.uuid.lower())
        base = mine or Structure(id=new_id(), uuid=thing.uuid, kind="mesh")
        base = _at(replace(base, name=thing.name or base.name), at)
        noted = self.noted.get(thing.uuid.lower(), Noted()).structure
        if noted is None and mine is not None and mine.kind != "mesh":
            noted = mine  # no other program says which kind it is
        if noted is not None and not at.scaled:
            made: Structure | None = replace(
                noted,
                id=base.id,
                uuid=base.uuid,
                name=base.name,
                position=base.position,
                rotation=base.rotation,
            )
            for piece in thing.pieces:  # made of what it is, at the next writing
                self.meshes.used.add(self.mvr.named(piece.file))
        else:
            made = self._meshed(thing, at, base)
        if made is not None:
            self._beside("thing", thing.uuid, (*thing.other, *self._unused(thing)))
        return made

    def _meshed(self, thing: r.Thing, at: Placed, base: Structure) -> Structure | None:
        """A piece of one's own, standing on the middle of its base."""
        found = self.meshes.of(thing)
        if found is None:
            return None
        corners = simplified(found, MOST_TRIANGLES).reshape(-1, 3).astype(np.float64)
        corners = corners @ at.stretch.T
        if at.mirrored:  # the other way round, so that faces look outwards
            corners = corners.reshape(-1, 3, 3)[:, ::-1].reshape(-1, 3)
        low, high = corners.min(axis=0), corners.max(axis=0)
        foot = np.array([*(low + high)[:2] / 2, low[2]])
        position = np.array(at.position) + turn_of(at.rotation) @ foot
        x, y, z = map(float, np.maximum(high - low, 1e-3))
        px, py, pz = map(float, position)
        if base.mesh and np.abs(np.subtract(base.size, (x, y, z))).max() < 20 * NEAR:
            placed_at = dataclass_replace(at, position=(px, py, pz))
            return _at(base, placed_at)  # ours, where it is now
        data = glb((corners - foot).reshape(-1, 3, 3).astype(np.float32))
        name = f"{PREFIX}{hashlib.sha256(data).hexdigest()[:16]}.glb"
        self.files.setdefault(name, StoredFile(name=name, data=data))
        return replace(base, mesh=name, size=(x, y, z), position=(px, py, pz))

    def _unused(self, thing: r.Thing) -> Iterator[str]:
        """What is said of a structure that only fixtures have members for."""
        for tag, value in (
            ("GDTFSpec", thing.gdtf),
            ("GDTFMode", thing.mode),
            ("Function", thing.function),
            ("FixtureID", thing.fixture_id),
            ("FixtureIDNumeric", thing.fixture_number),
            ("UnitNumber", thing.unit_number),
        ):
            if value not in ("", None):
                yield _element(tag, value)

    # ------------------------------------------------------------ beside

    def _beside(self, where: str, of: str, xml: Iterable[str], files: tuple[str, ...] = ()) -> None:
        texts = tuple(xml)
        if not texts and not files:
            return
        had = self.beside.get((where, of), Beside(where=where, of=of))
        self.beside[where, of] = replace(had, xml=(*had.xml, *texts), files=(*had.files, *files))

    def _kept(self, one: _Found) -> None:
        """A thing that becomes nothing here, where it stands in the world."""
        alone = replace(one.thing, matrix=rows_of(one.world), children=())
        self._beside("layer", one.layer, [ET.tostring(thing_element(alone), encoding="unicode")])

    def _aux(self) -> None:
        """What is of the whole scene, and members of the archive that nothing was made of."""
        scene = self.mvr.scene
        xml = list(scene.aux_other)
        kept = [one for (where, _), one in self.beside.items() if where == "layer"]
        meshes = set(self.meshes.used)
        if any("<Geometry3D" in text or "<Symbol" in text for one in kept for text in one.xml):
            xml += _aux_elements(r.Scene(symbols=scene.symbols))
            meshes = set()
        left = [
            name
            for name in self.mvr.names
            if not name.endswith("/") and name not in self.types.used and name not in meshes
        ]
        for name in left:
            data = self.mvr.member(name)
            if data:
                self.files[PREFIX + name] = StoredFile(name=PREFIX + name, data=data)
        files = tuple(PREFIX + name for name in left if PREFIX + name in self.files)
        self._beside("aux", "", xml, files)


def _at(thing: Any, at: Placed) -> Any:
    """There; just where it was where the difference is only that of written figures."""
    if thing.position is not None:
        near = max(abs(a - b) for a, b in zip(thing.position, at.position, strict=True))
        both = sum(a * b for a, b in zip(thing.rotation, at.rotation, strict=True))
        if near < NEAR and abs(both) > (1 - TURNED) * math.hypot(*thing.rotation):
            return thing
    return replace(thing, position=at.position, rotation=at.rotation)


def _patch(thing: r.Thing, base: Unit) -> tuple[Patched, ...]:
    made = tuple(
        Patched(
            universe=(a.absolute - 1) // SLOTS + 1,
            address=(a.absolute - 1) % SLOTS + 1,
            block=a.block + 1,
        )
        for a in thing.addresses
    )
    return base.patch if tuple(replace(p, room=0) for p in base.patch) == made else made


def _on_structures(units: list[Unit], structures: list[Structure], known: set[str]) -> list[Unit]:
    """New units that hang on a position hang on the structure of that name, where there is one."""
    ids = {one.id for one in structures}
    named: dict[str, str] = {}
    for one in structures:
        named[one.name] = "" if one.name in named else one.id
    return [
        unit
        if unit.structure in ids or unit.position is None or unit.id in known
        else replace(unit, structure=named.get(unit.hangs_on, ""))
        for unit in units
    ]


def _in_order(came: list[Any], known: Sequence[Any]) -> tuple[Any, ...]:
    """In the order of those that are known; what is new behind them, as it came."""
    order = {one.id: at for at, one in enumerate(known)}
    return tuple(sorted(came, key=lambda one: order.get(one.id, len(order))))


def _joined(known: Iterable[Any], came: Iterable[Any], name: str) -> tuple[Any, ...]:
    """What came among what is known, by what it is known by."""
    found = {getattr(one, name): one for one in known}
    for one in came:
        found.setdefault(getattr(one, name), one)
    return tuple(found.values())


class _Numbers:
    """Numbers of units: as the file has them, or free ones."""

    def __init__(self, fixtures: list[r.Thing], tell: Tell) -> None:
        self.tell = tell
        self.taken: set[int] = set()
        said = [number for one in fixtures if (number := _number(one))]
        self.next = max(said, default=0)

    def __call__(self, thing: r.Thing) -> int:
        number = _number(thing)
        if not number or number in self.taken:
            why = f"Its number {number} is that of another" if number else "It has no number"
            self.next = number = min(self.next + 1, MOST_NUMBER)
            place = f"Fixture “{thing.name[:60]}”"
            self.tell(place, f"{why}; it gets {number}.", "")
        self.taken.add(number)
        return number


def _called(thing: r.Thing, number: int, base: Unit) -> str:
    """Its Fixture ID, where that says more than its number."""
    if not thing.fixture_id:
        return base.fixture_id
    return "" if thing.fixture_id == str(number) else thing.fixture_id[:200]


def _number(thing: r.Thing) -> int:
    """What it is called up by: its number, else the digits its id ends with; 0 for none."""
    said = thing.fixture_number or 0
    if not said and (digits := re.search(r"(\d{1,6})\s*$", thing.fixture_id)):
        said = int(digits[1])
    return said if 0 < said <= MOST_NUMBER else 0


def _element(tag: str, value: object) -> str:
    made = ET.Element(tag)
    made.text = ",".join(map(str, value)) if isinstance(value, tuple) else str(value)
    return ET.tostring(made, encoding="unicode")


def _aux_elements(scene: r.Scene) -> list[str]:
    found = ET.fromstring(write_scene(scene)).find("Scene/AUXData")
    return [ET.tostring(child, encoding="unicode") for child in found] if found is not None else []
