"""A description's XML to a profile, by the table in `spec`.

What real files get wrong is taken and told: wrong case, stray namespaces, missing or doubled names,
values that are not values, unknown attributes and elements (which are kept). Only what leaves no
usable chart is a fault.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Any

from defusedxml.ElementTree import tostring
from msgspec.structs import fields as struct_fields
from msgspec.structs import replace

from isthmus.errors import FileFault
from isthmus.profiles import records as r
from isthmus.profiles.gdtf import spec as s
from isthmus.profiles.gdtf.grafting import later_version
from isthmus.profiles.gdtf.values import past_the_channel

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

MAX_DEPTH = 32
MAX_OFFSET = 4096
MAX_NOTICES = 500
MAX_CHANNELS = 8192  # as many as a chart lays out
_VERSIONS = ("1.0", "1.1", "1.2")
SINCE_1_1 = {
    ("ChannelFunction", "Default"),
    ("Relation", "Follower"),
}  # 1.0 has a channel's Default, and Slave


@dataclass(frozen=True)
class Notice:
    """A deviation from the standard that was read anyway: where in the file, and what."""

    place: str
    text: str

    def __str__(self) -> str:
        return f"{self.place}: {self.text}"


@cache
def _defaults(spec: s.Spec) -> dict[str, Any]:
    """A value for each required field of the record, for elements that leave it out."""
    return {
        attr.field: "" if attr.codec is s.TEXT else 0
        for attr in spec.attrs
        if attr.field in _required(spec.record)
    }


@cache
def _required(record: type[r.Part]) -> frozenset[str]:
    return frozenset(field.name for field in struct_fields(record) if field.required)


@cache
def _kid_map(spec: s.Spec) -> dict[str, list[s.Kid]]:
    """Kids by the first element on their way."""
    made: dict[str, list[s.Kid]] = {}
    for kid in spec.kids:
        made.setdefault((kid.inside.split("/")[0] if kid.inside else kid.spec.tag), []).append(kid)
    return made


def _tags(spec: s.Spec) -> set[str]:
    return {spec.tag, *(part for kid in spec.kids for part in kid.inside.split("/") if part)}.union(
        *(_tags(kid.spec) for kid in spec.kids)
    )


_RIGHT_TAGS = {
    tag.lower(): tag
    for tag in (
        *_tags(s.PROFILE),
        *_tags(s.MODE),
        *s.GEOMETRY_KEPT,
        *s.GEOMETRY_OTHER,
        *s.PHYSICAL_KEPT,
        *s.PROTOCOLS_KEPT,
        *s.PROPERTIES,
        *s.PROFILE_ORDER,
        *s.PROFILE.kept_kids,
        *s.MODE.kept_kids,
        *s.SLOT.kept_kids,
        "FixtureType",
        "GDTF",
        "Properties",
        "FTMacro",
    )
}
ALL_TAGS = frozenset(_RIGHT_TAGS.values())


def _one_above_another(logical: Iterable[r.LogicalChannel]) -> tuple[r.LogicalChannel, ...]:
    """Logical channels of one DMX channel share its values: one that begins above another (a strobe
    over a dimmer) ends it there. Those that begin together are in force together.
    """
    parts = tuple(logical)
    firsts = [min((f.dmx_from for f in part.functions), default=0) for part in parts]

    def ended(at: int, function: r.ChannelFunction) -> r.ChannelFunction:
        above = [
            first
            for other, first in enumerate(firsts)
            if other != at and function.dmx_from < first <= function.dmx_to
            if any(_beside(function, f) for f in parts[other].functions)
        ]
        return replace(function, dmx_to=min(above) - 1) if above else function

    return tuple(
        replace(part, functions=tuple(ended(at, f) for f in part.functions))
        for at, part in enumerate(parts)
    )


def _beside(a: r.ChannelFunction, b: r.ChannelFunction) -> bool:
    """Whether two functions are in force together, so that one ends where the other begins."""
    mine = a.mode_master, a.mode_from, a.mode_to
    return mine == (b.mode_master, b.mode_from, b.mode_to)


class Reader:
    """Walks one description; `where` names the file in every fault."""

    def __init__(self, where: str, everywhere: bool = False) -> None:
        """`everywhere`: a deviation is told at every place, not once for each kind."""
        self.where, self.everywhere = where, everywhere
        self.notices: list[Notice] = []
        self.size = 1
        self.old = False  # a file of 1.0, which is held to what 1.0 asks for
        self._path: list[Element] = []
        self._told: set[str] = set()

    # ------------------------------------------------------------ telling

    def place(self) -> str:
        shown = [
            f"{e.tag} “{e.get('Name')}”" if e.get("Name") else e.tag
            for e in self._path
            if e.tag not in ("GDTF", "FixtureType")
        ]
        return " / ".join(shown[-4:]) or "FixtureType"

    def tell(self, text: str, once: str = "") -> None:
        if once and not self.everywhere:
            if once in self._told:
                return
            self._told.add(once)
        if len(self.notices) < MAX_NOTICES:
            self.notices.append(Notice(self.place(), text))

    def fault(self, element: Element, what: str) -> FileFault:
        name = element.get("Name")
        return FileFault(
            f"{element.tag}{f' “{name}”' if name else ''}: {what}",
            where=self.where,
            do="Ask its maker, or correct the file.",
        )

    # ------------------------------------------------------------ plain elements

    def tidy(self, root: Element) -> None:
        """Take namespaces off and bring the spelling of elements to that of the standard."""
        tags = {element.tag for element in root.iter()}
        if tags <= ALL_TAGS and not any(
            "}" in name for name in {name for element in root.iter() for name in element.attrib}
        ):
            return
        for element in root.iter():
            tag = element.tag
            if not isinstance(tag, str):
                continue
            if "}" in tag:
                tag = element.tag = tag.rpartition("}")[2]
                self.tell("Elements carry a namespace, which GDTF does not have.", once="namespace")
            right = _RIGHT_TAGS.get(tag.lower())
            if right and right != tag:
                self.tell(f"Element “{tag}” is spelt “{right}” in the standard.", once=f"tag {tag}")
                element.tag = right
            for name in [name for name in element.attrib if "}" in name]:
                value = element.attrib.pop(name)
                bare = name.rpartition("}")[2]
                if "XMLSchema" not in name:
                    element.attrib.setdefault(bare, value)
                    self.tell(f"Attribute “{bare}” carries a namespace.", once=f"namespace {bare}")

    def attributes(self, element: Element, spec: s.Spec) -> dict[str, Any]:
        """The fields that stand in attributes; unknown ones under `more`."""
        values: dict[str, Any] = {}
        more: list[tuple[str, str]] = []
        known = spec.by_xml
        for name, text in element.attrib.items():
            attr = known.get(name)
            if attr is None:
                attr, name = self._misspelt(element, spec, name)
            if attr is None:
                more.append((name, text))
            elif attr.codec is s.TEXT:
                values[attr.field] = text
            elif text.strip() and text != "None":
                self._value(attr, text, values)
        if not spec.needed <= values.keys():
            self._tell_missing(spec, values)
        if more:
            values["more"] = tuple(more)
        return values

    def _misspelt(self, element: Element, spec: s.Spec, name: str) -> tuple[s.Attr | None, str]:
        """The attribute that is meant by a name in other letters, and the name to keep it under."""
        right = spec.by_lower.get(name.lower())
        if right is None:
            if name not in spec.kept:
                self.tell(
                    f"Attribute “{name}” is not in the standard; it is kept.",
                    once=f"{spec.tag} {name}",
                )
            return None, name
        if right == name or right in element.attrib:
            return None, right
        self.tell(
            f"Attribute “{name}” is spelt “{right}” in the standard.", once=f"{spec.tag} {name}"
        )
        return spec.by_xml.get(right), right

    def _value(self, attr: s.Attr, text: str, values: dict[str, Any]) -> None:
        try:
            values[attr.field] = attr.codec.read(text, self.size)
            if attr.codec is s.DMX and past_the_channel(text, self.size):
                self.tell(
                    f"{attr.xml} “{text[:30]}” is past what its bytes hold; the highest is taken."
                )
        except (ValueError, OverflowError):
            self.tell(
                f"{attr.xml} “{text[:40]}” is not {attr.codec.says}; it is taken as not given."
            )

    def _tell_missing(self, spec: s.Spec, values: dict[str, Any]) -> None:
        for attr in spec.attrs:
            newer = self.old and (spec.tag, attr.xml) in SINCE_1_1
            if attr.need and attr.field not in values and not newer:
                self.tell(
                    f"{attr.xml} is missing.",
                    once=f"missing {spec.tag} {attr.xml}" if attr.xml != "Name" else "",
                )

    def read(self, element: Element, spec: s.Spec) -> Any:
        """One element with its attributes and children by the table."""
        self._path.append(element)
        values = {**_defaults(spec), **self.attributes(element, spec)}
        if len(element):
            self.children(element, spec, values)
        self._path.pop()
        return spec.record(**values)

    def children(self, element: Element, spec: s.Spec, values: dict[str, Any]) -> None:
        kids = _kid_map(spec)
        gathered: dict[str, list[Any]] = {}
        other: list[str] = []
        for child in element:
            if child.tag in kids:
                for kid in kids[child.tag]:
                    self.gather(
                        child, kid, gathered, kid.inside.split("/")[1:] if kid.inside else None
                    )
            elif (
                isinstance(child.tag, str)
                and child.tag not in spec.kept_kids
                and not (spec is s.PROFILE and child.tag in s.PROFILE_ORDER)
            ):
                self.tell(
                    f"Element “{child.tag}” is not in the standard here; it is kept.",
                    once=f"{spec.tag}/{child.tag}",
                )
                other.append(raw(child))
            elif child.tag in spec.kept_kids and spec is not s.PROFILE and spec is not s.MODE:
                other.append(raw(child))
        for kid in spec.kids:
            found = gathered.get(kid.field)
            if found:
                values[kid.field] = found[0] if kid.one else tuple(found)
        if other:
            values["other"] = tuple(other)

    def gather(
        self, element: Element, kid: s.Kid, gathered: dict[str, list[Any]], way: list[str] | None
    ) -> None:
        """Follow the collecting elements of `kid` from `element` down, and read what is there."""
        if way is None:
            gathered.setdefault(kid.field, []).append(self.part(element, kid.spec))
            return
        holders = [element]
        for step in way:
            holders = [child for holder in holders for child in holder if child.tag == step]
        self._path.append(element)
        for holder in holders:
            for child in holder:
                if child.tag == kid.spec.tag:
                    gathered.setdefault(kid.field, []).append(self.part(child, kid.spec))
        self._path.pop()

    def part(self, element: Element, spec: s.Spec) -> Any:
        if spec is s.CHANNEL:
            return self.channel(element)
        return self.read(element, spec)

    # ------------------------------------------------------------ the whole

    def profile(self, root: Element) -> r.Profile:
        self.tidy(root)
        self.old = root.get("DataVersion") == "1.0"
        for relation in root.iter("Relation"):  # what 1.0 called it
            if relation.get("Slave") and not relation.get("Follower"):
                relation.set("Follower", relation.attrib.pop("Slave"))
                if root.get("DataVersion") != "1.0":
                    self.tell(
                        "Attribute “Slave” of a Relation is “Follower” since 1.1.", once="slave"
                    )
        kind = root.find("FixtureType")
        if root.tag != "GDTF" or kind is None:
            raise FileFault(
                "its description is not GDTF.",
                where=self.where,
                do="Choose a file ending in .gdtf.",
            )
        version = root.get("DataVersion", "")
        if version not in _VERSIONS:
            self.tell(
                f"DataVersion “{version[:20]}” is none of {', '.join(_VERSIONS)}; it is read "
                "as 1.2."
            )
        made: r.Profile = self.read(kind, s.PROFILE)
        self._path = [kind]
        geometries = self.geometries(kind.find("Geometries"), 0)
        modes = tuple(self.mode(mode, geometries) for mode in kind.iterfind("DMXModes/DMXMode"))
        if not modes:
            raise self.fault(kind, "it has no DMX mode.")
        return replace(
            made,
            version=version
            if version in _VERSIONS or later_version(version, "1.2") == version
            else "1.2",
            name=made.name.strip() or "Unnamed",
            geometries=geometries,
            modes=self.told_apart(modes, "modes"),
            physical=self.physical(kind.find("PhysicalDescriptions/Properties")),
            physical_other=self.kept(kind.find("PhysicalDescriptions"), s.PHYSICAL_KEPT),
            protocols_other=self.kept(kind.find("Protocols"), s.PROTOCOLS_KEPT),
            other=(
                *made.other,
                *(raw(child) for child in kind if child.tag == "FTPresets" and len(child)),
            ),
        )

    def told_apart(self, parts: tuple[Any, ...], what: str) -> tuple[Any, ...]:
        """The same parts with names given to the nameless and numbers to the doubled, so that each
        can be found.
        """
        doubled = [
            name for name, count in Counter(part.name for part in parts).items() if count > 1
        ]
        if not doubled and all(part.name for part in parts):
            return parts
        taken = {part.name for part in parts}
        seen: set[str] = set()
        made = []
        for index, part in enumerate(parts, 1):
            name = part.name
            if not name or name in seen:
                base = name or f"{what[:-1].capitalize()} {index}"
                first = 2 if part.name else 1
                name = next(
                    text
                    for n in range(first, len(parts) + 3)
                    if (text := base if n == 1 else f"{base} ({n})") not in (taken | seen)
                )
                self.tell(
                    f"Two {what} are called “{part.name}”; one is read as “{name}”."
                    if part.name
                    else f"One of the {what} has no name; it is read as “{name}”."
                )
            seen.add(name)
            made.append(part if name == part.name else replace(part, name=name))
        return tuple(made)

    def kept(self, parent: Element | None, tags: frozenset[str]) -> tuple[str, ...]:
        return (
            tuple(
                raw(child) for child in parent if child.tag in tags and (len(child) or child.attrib)
            )
            if parent is not None
            else ()
        )

    def physical(self, element: Element | None) -> r.Physical | None:
        if element is None or not len(element):
            return None
        values: dict[str, Any] = {}
        other = []
        for child in element:
            if child.tag not in s.PROPERTIES:
                other.append(raw(child))
                continue
            for field, name in s.PROPERTIES[child.tag]:
                try:
                    values[field] = s.NUMBER.read(child.get(name, ""), 1)
                except ValueError:
                    self.tell(f"{child.tag} {name} “{child.get(name, '')[:30]}” is not a number.")
        return r.Physical(**values, other=tuple(other))

    # ------------------------------------------------------------ geometry

    def geometries(self, parent: Element | None, depth: int) -> tuple[r.Geometry, ...]:
        if parent is None:
            return ()
        if depth > MAX_DEPTH:
            raise self.fault(parent, f"its geometry is nested deeper than {MAX_DEPTH}.")
        made = []
        self._path.append(parent)
        for element in parent:
            if element.tag not in s.GEOMETRY_KEPT:
                if element.tag not in s.GEOMETRY_OTHER:
                    self.tell(
                        f"“{element.tag}” is not a kind of geometry; it is left out.",
                        once=f"geometry {element.tag}",
                    )
                continue
            made.append(self.geometry(element, depth))
        self._path.pop()
        return tuple(made)

    def geometry(self, element: Element, depth: int) -> r.Geometry:
        self._path.append(element)
        base = _GEOMETRY_SPECS[element.tag]
        values = self.attributes(element, base)
        more = dict(values.pop("more", ()))
        reference = element.tag == "GeometryReference"
        kept = {child.tag for child in element} & (s.GEOMETRY_OTHER - {"Break"})
        made = r.Geometry(
            name=values.get("name", ""),
            kind="Reference" if reference else element.tag,
            matrix=values.get("matrix", r.IDENTITY),
            model=values.get("model", ""),
            beam=self.beam(element) if element.tag == "Beam" else None,
            refers_to=more.pop("Geometry", "") if reference else "",
            breaks=self.breaks(element) if reference else (),
            children=self.geometries(element, depth + 1),
            more=tuple(
                (name, text)
                for name, text in more.items()
                if element.tag != "Beam" or name not in s.BEAM.by_xml
            ),
            other=tuple(raw(child) for child in element if child.tag in kept),
        )
        self._path.pop()
        return made

    def beam(self, element: Element) -> r.Beam:
        own = {name: text for name, text in element.attrib.items() if name in s.BEAM.by_xml}
        values: dict[str, Any] = {}
        for name, text in own.items():
            attr = s.BEAM.by_xml[name]
            try:
                values[attr.field] = attr.codec.read(text, 1)
            except ValueError:
                self.tell(
                    f"{name} “{text[:40]}” is not {attr.codec.says}; it is taken as not given."
                )
        values.setdefault("field_angle", values.get("beam_angle", 25.0))
        return r.Beam(**values)

    def breaks(self, element: Element) -> tuple[r.Break, ...]:
        made = []
        self.size = 2  # an offset may be larger than a byte
        for child in element.iterfind("Break"):
            one: r.Break = self.read(child, s.BREAK)
            made.append(replace(one, block=max(1, one.block), offset=max(1, one.offset)))
        self.size = 1
        return tuple(made)

    # ------------------------------------------------------------ modes

    def mode(self, element: Element, geometries: tuple[r.Geometry, ...]) -> r.Mode:
        if sum(1 for _ in element.iterfind("DMXChannels/DMXChannel")) > MAX_CHANNELS:
            raise self.fault(element, f"it has more than {MAX_CHANNELS} channels.")
        made: r.Mode = self.read(element, s.MODE)
        self._path.append(element)
        if not any(top.name == made.geometry for top in geometries):
            if not geometries:
                raise self.fault(element, f"its geometry “{made.geometry}” does not exist.")
            self.tell(
                f"Its geometry “{made.geometry}” does not exist; “{geometries[0].name}” is taken."
            )
            made = replace(made, geometry=geometries[0].name)
        made = replace(
            made, macros=tuple(raw(macro) for macro in element.iterfind("FTMacros/FTMacro"))
        )
        self._path.pop()
        return made

    def channel(self, element: Element) -> r.DmxChannel:
        text = element.get("Offset") or element.get("offset") or ""
        try:
            offsets = (
                () if text.strip() in ("", "None") else tuple(int(part) for part in text.split(","))
            )
        except ValueError:
            raise self.fault(element, f"Offset “{text[:30]}” is not a list of channels.") from None
        if len(offsets) > 4 or any(not 1 <= offset <= MAX_OFFSET for offset in offsets):
            raise self.fault(
                element, f"Offset “{text[:30]}” is not 1 to 4 channels from 1 to {MAX_OFFSET}."
            )
        block = element.get("DMXBreak", "1")
        if block != "Overwrite" and not block.strip().isdigit():
            self._path.append(element)
            self.tell(
                f"DMXBreak “{block[:20]}” is neither a number nor Overwrite; it is read as 1."
            )
            self._path.pop()
            block = "1"
        self.size = max(1, len(offsets))
        made: r.DmxChannel = self.read(element, s.CHANNEL)
        fallback = made.default
        logical = _one_above_another(
            self.functions_in_order(part, child, fallback)
            for part, child in zip(made.logical, element.iterfind("LogicalChannel"), strict=True)
        )
        self.size = 1
        initial = made.initial.split(".")[-1]
        return replace(
            made,
            offsets=offsets,
            block=0 if block == "Overwrite" else min(int(block), 512) or 1,
            initial=initial,
            default=None,
            logical=logical,
            more=tuple(pair for pair in made.more if pair[0] not in s.CHANNEL.kept),
        )

    def functions_in_order(
        self, part: r.LogicalChannel, element: Element, fallback: int | None
    ) -> r.LogicalChannel:
        """Functions by where they begin, each with its end; sets likewise. A default may stand on
        the channel (1.0).
        """
        given = [
            child.get("Default") is not None for child in element if child.tag == "ChannelFunction"
        ]
        pairs = sorted(zip(part.functions, given, strict=True), key=lambda pair: pair[0].dmx_from)
        if [function.dmx_from for function, _ in pairs] != [
            function.dmx_from for function in part.functions
        ]:
            self._path.append(element)
            self.tell("Its functions are not in the order of their DMX values.")
            self._path.pop()
        ends = 256**self.size
        made = []
        for index, (function, has_default) in enumerate(pairs):
            # what stands under one mode master divides the range among itself
            starts = (later.dmx_from for later, _ in pairs[index + 1 :] if _beside(function, later))
            end = next((start for start in starts if start > function.dmx_from), ends) - 1
            attribute = function.attribute or part.attribute
            made.append(
                replace(
                    function,
                    name=function.name or f"{attribute} {index + 1}",
                    attribute=attribute,
                    dmx_to=end,
                    default=function.default if has_default or fallback is None else fallback,
                    sets=tuple(sorted(function.sets, key=lambda item: item.dmx_from)),
                )
            )
        return replace(part, functions=tuple(made))


def raw(element: Element) -> str:
    """An element as XML, for carrying along, without the white space that only lays it out."""
    for part in element.iter():
        part.text = part.text if part.text and part.text.strip() else None
        part.tail = part.tail if part.tail and part.tail.strip() and part is not element else None
    return tostring(element, encoding="unicode")


# a beam's own figures are read apart (`Reader.beam`), so they are known here and not carried along
# twice
_GEOMETRY_SPECS = {
    tag: s.Spec(tag, r.Geometry, s.GEOMETRY_ATTRS, kept=s.names(kept))
    for tag, kept in s.GEOMETRY_KEPT.items()
}
_GEOMETRY_SPECS["Beam"] = s.Spec(
    "Beam", r.Geometry, s.GEOMETRY_ATTRS, kept=frozenset(s.BEAM.by_xml)
)
