"""The XML of an MVR file to a scene, by the table in `spec`.

What real files get wrong is taken and told: wrong case, stray namespaces, values that are not
values, missing or doubled UUIDs. What is unknown is kept.
"""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from defusedxml.ElementTree import tostring

from isthmus.errors import FileFault
from isthmus.mvr import records as r
from isthmus.mvr import spec as s
from isthmus.profiles.gdtf.reading import Notice

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

MAX_DEPTH = 64
MAX_NOTICES = 500
_SPACE = uuid.UUID("0b7a7c52-3f0d-4a55-8a1e-5f6b1d2c9a10")  # of UUIDs made for things without one
UNIVERSE = 512


class Reader:
    """Walks one description; `where` names the file in every fault."""

    def __init__(self, where: str) -> None:
        self.where = where
        self.notices: list[Notice] = []
        self._told: set[str] = set()
        self._uuids: set[str] = set()
        self._made = 0

    def tell(self, place: str, text: str, once: str = "") -> None:
        """`once`: deviations of this kind are told at the first place only."""
        if once in self._told:
            return
        if once:
            self._told.add(once)
        if len(self.notices) < MAX_NOTICES:
            self.notices.append(Notice(place, text))

    # ------------------------------------------------------------ the scene

    def scene(self, root: Element) -> r.Scene:
        """Raises FileFault for what is not a scene."""
        root.tag = _bare(root.tag)
        if root.tag.lower() != "generalscenedescription":
            raise FileFault(
                f"its description is a “{root.tag[:40]}”, not a GeneralSceneDescription.",
                where=self.where,
                do="Choose a file ending in .mvr.",
            )
        for child in root:
            if _bare(child.tag).lower() != "userdata":
                self._tidy(child)
            else:
                child.tag = "UserData"
        found = root.find("Scene")
        if found is None:
            raise FileFault("it has no Scene.", where=self.where, do="Export it again.")
        self._other_children("Scene", found, ("AUXData", "Layers"))
        values = self._aux(found.find("AUXData"))
        layers = found.find("Layers")
        if layers is None or not len(layers):
            self.tell("Scene", "It has no layers, so there is nothing in it.")
        things = [] if layers is None else list(self._things(layers, ("Layer",), "Layers", 0))
        data = root.find("UserData")
        return r.Scene(
            minor=self._minor(root),
            provider=root.get("provider", ""),
            provider_version=root.get("providerVersion", ""),
            more=tuple(
                (name, text)
                for name, text in root.attrib.items()
                if name not in ("verMajor", "verMinor", "provider", "providerVersion")
                and "}" not in name
            ),
            other=tuple(_xml(c) for c in root if c.tag not in ("Scene", "UserData")),
            user=tuple(_xml(child) for child in data) if data is not None else (),
            layers=tuple(things),
            **values,
        )

    def _minor(self, root: Element) -> int:
        major, minor = root.get("verMajor", ""), root.get("verMinor", "")
        place = "GeneralSceneDescription"
        if not (major.isdecimal() and minor.isdecimal()):
            self.tell(place, "It does not say which version it is; it is read as 1.6.")
            return 6
        if major != "1" or int(minor) not in s.VERSIONS:
            self.tell(
                place,
                f"It is version {major[:9]}.{minor[:9]}; what is known of it (to 1.6) is read.",
            )
        return int(minor) if major == "1" and int(minor) < 100 else 6

    def _tidy(self, root: Element) -> None:
        """Take namespaces off and bring the spelling of elements to that of the standard."""
        for element in root.iter():
            tag = element.tag
            if not isinstance(tag, str):
                continue
            bare = _bare(tag)
            if bare != tag:
                self.tell(bare, "Elements carry a namespace, which MVR does not have.", "namespace")
            right = s.RIGHT_TAGS.get(bare.lower(), bare)
            if right != bare:
                self.tell(right, f"“{bare}” is spelt “{right}” in the standard.", f"tag {bare}")
            element.tag = right

    def _aux(self, aux: Element | None) -> dict[str, Any]:
        positions: list[r.Named] = []
        symbols: list[r.Symbol] = []
        other: list[str] = []
        for child in aux if aux is not None else ():
            place = f"{child.tag} “{_attr(child, 'name')}”"
            if child.tag == "Position":
                positions.append(r.Named(uuid=self._uuid(child, place), name=_attr(child, "name")))
            elif child.tag == "Symdef":
                pieces = child.find("ChildList")
                symbols.append(
                    r.Symbol(
                        uuid=self._uuid(child, place),
                        name=_attr(child, "name"),
                        pieces=tuple(self._pieces(child if pieces is None else pieces, place)),
                    )
                )
            else:
                if child.tag not in s.AUX:
                    self.tell(
                        place, f"“{child.tag}” is not in the standard; it is kept.", child.tag
                    )
                other.append(_xml(child))
        return {"positions": tuple(positions), "symbols": tuple(symbols), "aux_other": tuple(other)}

    # ------------------------------------------------------------ things

    def _things(
        self, parent: Element, kinds: tuple[str, ...], place: str, depth: int
    ) -> Iterator[r.Thing]:
        if depth > MAX_DEPTH:
            raise FileFault(
                f"things stand in each other more than {MAX_DEPTH} deep.",
                where=self.where,
                do="Export it with fewer groups inside each other.",
            )
        for child in parent:
            if not isinstance(child.tag, str):
                continue  # a comment
            if child.tag in kinds:
                yield self._thing(child, depth)
            else:
                self.tell(place, f"“{child.tag[:40]}” has no place there; it is left out.")

    def things(self, parent: Element) -> Iterator[r.Thing]:
        """What stands in a ChildList."""
        return self._things(parent, _INSIDE, parent.tag, 0)

    def _thing(self, element: Element, depth: int) -> r.Thing:
        name = _attr(element, "name")
        place = f"{element.tag} “{name[:60]}”"
        values: dict[str, Any] = {
            "kind": element.tag,
            "uuid": self._uuid(element, place),
            "name": name,
            "multipatch": _attr(element, "multipatch"),
        }
        known = {"uuid", "name", "multipatch"}
        more = [
            (k, v) for k, v in element.attrib.items() if k.lower() not in known and "}" not in k
        ]
        for attribute, _ in more:
            self.tell(
                place,
                f"Attribute “{attribute[:40]}” is not in the standard; it is kept.",
                attribute,
            )
        other: list[str] = []
        for child in element:
            if not isinstance(child.tag, str):
                continue
            text = s.BY_TAG.get(child.tag)
            if child.tag == "ChildList":
                things = self._things(child, _INSIDE, place, depth + 1)
                values["children"] = (*values.get("children", ()), *things)
            elif child.tag == "Addresses":
                values["addresses"] = tuple(self._addresses(child, place, other))
            elif child.tag == "Geometries":
                values["pieces"] = tuple(self._pieces(child, place))
            elif text is not None and not len(child):
                self._value(text, child, values, place)
            else:
                if child.tag not in s.ORDER[element.tag]:
                    words = f"“{child.tag[:40]}” is not in the standard; it is kept."
                    self.tell(place, words, f"{element.tag} {child.tag}")
                other.append(_xml(child))
        return r.Thing(more=tuple(more), other=tuple(other), **values)

    def _value(self, text: s.Text, child: Element, values: dict[str, Any], place: str) -> None:
        said = (child.text or "").strip()
        if not said:
            return
        try:
            values[text.field] = text.codec.read(said, 1)
        except (ValueError, OverflowError):
            self.tell(
                place,
                f"{text.tag} “{said[:60]}” is not {text.codec.says}; it is taken as not given.",
            )

    def _addresses(self, parent: Element, place: str, other: list[str]) -> Iterator[r.Address]:
        networks = [child for child in parent if child.tag != "Address"]
        if networks:
            other.append("<Addresses>" + "".join(map(_xml, networks)) + "</Addresses>")
        for child in parent:
            if child.tag != "Address":
                continue
            said = (child.text or "").strip()
            try:
                absolute = read_absolute(said)
            except ValueError:
                self.tell(place, f"“{said[:40]}” is not an address; it is left out.")
                continue
            block = child.get("break", "0").strip()
            if not block.isdecimal() or int(block) > 254:
                self.tell(place, f"“{block[:40]}” is not the number of a block; it is taken as 0.")
                block = "0"
            if absolute:
                yield r.Address(block=int(block), absolute=absolute)

    def _pieces(self, parent: Element, place: str) -> Iterator[r.Piece]:
        for child in parent:
            if child.tag not in ("Geometry3D", "Symbol"):
                if isinstance(child.tag, str):
                    self.tell(place, f"“{child.tag[:40]}” has no place there; it is left out.")
                continue
            values: dict[str, Any] = {}
            matrix = child.find("Matrix")
            if matrix is not None:
                self._value(s.BY_TAG["Matrix"], matrix, values, place)
            symbol = child.tag == "Symbol"
            yield r.Piece(
                kind=child.tag,
                uuid=_attr(child, "uuid") if symbol else "",
                file=_attr(child, "fileName"),
                symbol=_attr(child, "symdef"),
                **values,
            )

    # ------------------------------------------------------------ what they go by

    def _uuid(self, element: Element, place: str) -> str:
        """What the thing goes by; one made for it where there is none, or another has it."""
        said = _attr(element, "uuid").strip()
        try:
            key = uuid.UUID(said).hex
        except ValueError:
            key = ""
        if key and key not in self._uuids:
            self._uuids.add(key)
            return said
        if key:
            self.tell(place, "Its UUID is that of another; it gets one of its own.")
        else:
            self.tell(
                place,
                f"“{said[:40]}” is not a UUID; it gets one."
                if said
                else "It has no UUID; it gets one.",
            )
        self._made += 1
        made = str(uuid.uuid5(_SPACE, f"{self._made} {place} {said}")).upper()
        self._uuids.add(uuid.UUID(made).hex)
        return made

    def _other_children(self, place: str, parent: Element, known: tuple[str, ...]) -> None:
        for child in parent:
            if isinstance(child.tag, str) and child.tag not in known:
                self.tell(place, f"“{child.tag[:40]}” has no place there; it is left out.")


_INSIDE = tuple(kind for kind in s.ORDER if kind != "Layer")


def read_absolute(text: str) -> int:
    """`45`, or universe and address as `1.45`; 0 for none. Raises ValueError."""
    universe, point, address = text.partition(".")
    if not point:
        found = int(text or "0")
    else:
        if not (int(universe) >= 1 and 1 <= int(address) <= UNIVERSE):
            raise ValueError(text)
        found = (int(universe) - 1) * UNIVERSE + int(address)
    if found < 0 or found > UNIVERSE * 63999:
        raise ValueError(text)
    return found


def _bare(tag: Any) -> str:
    return tag.rpartition("}")[2] if isinstance(tag, str) else ""


def _attr(element: Element, name: str) -> str:
    """An attribute, however its name is spelt."""
    found = element.get(name)
    if found is not None:
        return found
    low = name.lower()
    return next((v for k, v in element.attrib.items() if _bare(k).lower() == low), "")


def _xml(element: Element) -> str:
    tail, element.tail = element.tail, None
    made = tostring(element, encoding="unicode")
    element.tail = tail
    return made
