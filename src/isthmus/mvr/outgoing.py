"""A show as a scene: what a program that shows the rig, or another programmer, is given."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from xml.etree import ElementTree as ET

import numpy as np
from msgspec.structs import replace

from isthmus import __version__
from isthmus.gels.resolve import colour_of
from isthmus.mvr import records as r
from isthmus.mvr.archive import write_mvr
from isthmus.mvr.ours import PREFIX, PROVIDER, Noted, layer_uuid, noted_as, uuid_named, uuid_of
from isthmus.mvr.reading import Reader
from isthmus.mvr.space import rows_at
from isthmus.mvr.writing import elements, texts
from isthmus.profiles.colour import chromaticity
from isthmus.profiles.make.glb import glb
from isthmus.render.meshes import structure_mesh
from isthmus.show.records import SLOTS, Beside, Show, Structure, Unit
from isthmus.stage.bodies import set_piece
from isthmus.stage.runs import along_of
from isthmus.stage.transforms import turn_of

LAYERS = ("position", "type", "structure")
BARE = "Rig"  # the layer of what belongs to none
LUMINANCE = np.array([0.2126, 0.7152, 0.0722])  # of linear sRGB (IEC 61966-2-1)
_KINDS = dict.fromkeys(
    ("truss", "circle", "corner", "pipe", "rail", "mast", "boom", "tower"), "Truss"
) | {"screen": "VideoScreen"}


def scene_of(
    show: Show, layers: str = "position", minor: int = 6
) -> tuple[r.Scene, dict[str, bytes]]:
    """The scene, and the members of the archive beside it. `layers`: by position, type or
    structure; `minor`: as version 1.4, 1.5 or 1.6.
    """
    return _Going(show, layers, minor).gone()


def write_show(show: Show, layers: str = "position", minor: int = 6) -> bytes:
    """A whole MVR file."""
    return write_mvr(*scene_of(show, layers, minor))


@dataclass
class _Going:
    show: Show
    layers: str
    minor: int
    members: dict[str, bytes] = field(default_factory=dict)
    notes: dict[str, Noted] = field(default_factory=dict)
    taken: set[str] = field(default_factory=set)

    def gone(self) -> tuple[r.Scene, dict[str, bytes]]:
        show = self.show
        beside = {(one.where, one.of): one for one in show.beside}
        self.beside = beside
        self.files = {one.name: one.data for one in show.files}
        self.positions = {unit.hangs_on for unit in show.units if unit.hangs_on}
        self.specs = self._profiles()
        structures = {one.id: one for one in show.structures}
        order = _order(show, structures)
        layers: dict[str, list[r.Thing]] = {}
        for structure in show.structures:
            layers.setdefault(self._layer_of(structure), []).append(self._structure(structure))
        for unit in show.units:
            at = structures.get(unit.structure)
            name = {
                "position": unit.hangs_on,
                "type": unit.profile,
                "structure": at.name if at else "",
            }[self.layers]
            layers.setdefault(name or BARE, []).append(self._unit(unit, order.get(unit.id)))
        kept = {one.of: _kept(one) for one in show.beside if one.where == "layer"}
        names = dict.fromkeys((*layers, *kept))
        aux = beside.get(("aux", ""), Beside())
        for name in aux.files:
            if data := self.files.get(name):
                self.members.setdefault(name.removeprefix(PREFIX), data)
        positions = dict.fromkeys(unit.hangs_on for unit in show.units if unit.hangs_on)
        scene = r.Scene(
            minor=self.minor,
            provider=PROVIDER,
            provider_version=__version__,
            user=noted_as(self.notes),
            positions=tuple(
                r.Named(uuid=uuid_named(f"position {name}"), name=name) for name in positions
            ),
            aux_other=aux.xml,
            layers=tuple(
                r.Thing(
                    kind="Layer",
                    uuid=layer_uuid(name or BARE),
                    name=name or BARE,
                    children=(*layers.get(name, ()), *kept.get(name, ())),
                )
                for name in names
            ),
        )
        return scene, self.members

    def _profiles(self) -> dict[str, str]:
        """Each profile's own file inside the archive, by key: flat, and no two of one name."""
        found: dict[str, str] = {}
        used = {unit.profile for unit in self.show.units}
        for stored in self.show.profiles:
            if stored.key not in used or not stored.data:
                continue
            stem, at = stored.file.rpartition("/")[2].removesuffix(".gdtf"), 1
            name = f"{stem}.gdtf"
            while name.lower() in (member.lower() for member in self.members):
                at += 1
                name = f"{stem} {at}.gdtf"
            self.members[name] = stored.data
            found[stored.key] = name
        return found

    def _uuid(self, thing: Unit | Structure) -> str:
        """Its UUID; a copy that carries that of another goes by its id."""
        found = uuid_of(thing)
        if found.lower() in self.taken:
            found = uuid_of(replace(thing, uuid=""))
        self.taken.add(found.lower())
        return found

    def _layer_of(self, structure: Structure) -> str:
        """A structure lies in the layer of its name, where units have that position."""
        if self.layers == "structure":
            return structure.name or BARE
        if self.layers == "position" and structure.name in self.positions:
            return structure.name or BARE
        return BARE

    def _unit(self, unit: Unit, order: int | None) -> r.Thing:
        uuid = self._uuid(unit)
        other = self._other(uuid)
        self.notes[uuid] = Noted(gel=unit.gel, note=unit.note)
        kept = {one.tag: one.text or "" for one in other}
        said = kept.get("FixtureID", "")
        color = None if "Color" in kept or not unit.gel else self._colour(unit.gel)
        return r.Thing(
            kind="Fixture",
            uuid=uuid,
            name=unit.name,
            matrix=rows_at(unit.position, unit.rotation) if unit.position is not None else None,
            gdtf=self.specs.get(unit.profile, unit.profile),
            mode=unit.mode,
            focus=kept.get("Focus", ""),
            invert_pan=unit.handling.invert_pan or None,
            invert_tilt=unit.handling.invert_tilt or None,
            position=uuid_named(f"position {unit.hangs_on}") if unit.hangs_on else "",
            function=unit.purpose,
            fixture_id=unit.fixture_id
            or (said if said.endswith(str(unit.number)) else "")
            or str(unit.number),
            fixture_number=unit.number,
            unit_number=None if "UnitNumber" in kept else order,
            color=color,
            addresses=tuple(
                r.Address(block=p.block - 1, absolute=(p.universe - 1) * SLOTS + p.address)
                for p in unit.patch
            ),
            other=texts(one for one in other if one.tag not in ("FixtureID", "Focus")),
        )

    def _colour(self, gel: str) -> tuple[float, float, float] | None:
        """CIE x, y and luminance in per cent of the open lamp's."""
        found = colour_of(self.show.gels, gel)
        spot = None if found is None else chromaticity(found)
        if found is None or spot is None:
            return None
        return round(spot[0], 4), round(spot[1], 4), round(100 * float(found @ LUMINANCE), 2)

    def _other(self, uuid: str) -> list[ET.Element]:
        found = self.beside.get(("thing", uuid))
        return elements(found.xml) if found else []

    def _structure(self, structure: Structure) -> r.Thing:
        uuid = self._uuid(structure)
        own = None
        if structure.kind == "mesh":
            data = self.files.get(structure.mesh)
            own = set_piece(data, structure.mesh) if data else None
        else:
            bare = replace(
                structure,
                id="",
                uuid="",
                name="",
                mesh="",
                position=(0.0, 0.0, 0.0),
                rotation=(1.0, 0.0, 0.0, 0.0),
            )
            self.notes[uuid] = Noted(structure=bare)
        rows = structure_mesh(structure, own)[:, :3].astype(np.float64)
        local = (rows - np.array(structure.position)) @ turn_of(structure.rotation)
        data = glb(local.reshape(-1, 3, 3).astype(np.float32))
        name = f"{structure.kind}-{hashlib.sha256(data).hexdigest()[:12]}.glb"
        self.members.setdefault(name, data)
        return r.Thing(
            kind=_KINDS.get(structure.kind, "SceneObject"),
            uuid=uuid,
            name=structure.name,
            matrix=rows_at(structure.position, structure.rotation),
            pieces=(r.Piece(file=name),),
            other=texts(self._other(uuid)),
        )


def _order(show: Show, structures: dict[str, Structure]) -> dict[str, int]:
    """Which unit of its position each is, from the left end of what it hangs on."""
    found: dict[str, int] = {}
    by_position: dict[str, list[Unit]] = {}
    for unit in show.units:
        if unit.hangs_on:
            by_position.setdefault(unit.hangs_on, []).append(unit)

    def along(unit: Unit) -> tuple[bool, float, int]:
        at = structures.get(unit.structure)
        if at is None or unit.position is None:
            return True, 0.0, unit.number
        return False, along_of(at, unit.position), unit.number

    for units in by_position.values():
        found |= {unit.id: at for at, unit in enumerate(sorted(units, key=along), 1)}
    return found


def _kept(beside: Beside) -> list[r.Thing]:
    """Things that were kept as they came, as things again."""
    holder = ET.Element("ChildList")
    holder.extend(elements(beside.xml))
    return list(Reader("").things(holder))
