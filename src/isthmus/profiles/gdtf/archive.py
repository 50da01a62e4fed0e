"""The GDTF file itself: a zip with `description.xml`, pictures and bodies.

Nothing inside is trusted: sizes are bounded, entities are refused, paths that leave the archive are
refused.
"""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING
from xml.etree import ElementTree

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import ParseError, fromstring

from isthmus.errors import FileFault
from isthmus.plural import many
from isthmus.profiles import records as r
from isthmus.profiles.gdtf.reading import Notice, Reader
from isthmus.profiles.gdtf.writing import description_tree, write_description
from isthmus.show.container import MAX_MEMBER, ZIP_ERRORS, read_member, safe_name

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

MAX_XML = 32 * 1024 * 1024
MAX_TAGS = 200_000
MAX_MEMBERS = 4096
MAX_RATIO = 400  # a description that shrinks further than this is a bomb, not a text
DESCRIPTION = "description.xml"
_FIXED_DATE = (1980, 1, 1, 0, 0, 0)  # the same profile gives the same bytes
_CLEAN = "It was not read; ask its maker for a clean file."
BODY_FOLDERS = {
    "models/gltf/": ".glb",
    "models/gltf_high/": ".glb",
    "models/gltf_low/": ".glb",
    "models/3ds/": ".3ds",
    "models/3ds_high/": ".3ds",
    "models/3ds_low/": ".3ds",
}


@dataclass(frozen=True)
class Gdtf:
    """A file read: the profile, what deviates from the standard, and which members lie beside the
    description.
    """

    profile: r.Profile
    notices: tuple[Notice, ...]
    members: tuple[str, ...] = ()

    def body_file(self, model: r.Model) -> str:
        """The member that holds a model's mesh; empty when there is none."""
        return body_file(model, frozenset(self.members))


def body_file(model: r.Model, members: frozenset[str]) -> str:
    """Where in an archive the mesh of a model lies; glTF is preferred to 3ds."""
    if not model.file:
        return ""
    return next(
        (
            name
            for folder, ending in BODY_FOLDERS.items()
            if (name := f"{folder}{model.file}{ending}") in members
        ),
        "",
    )


def _guarded(archive: zipfile.ZipFile, where: str) -> tuple[bytes, list[str], list[Notice]]:
    """The description's text and the names of all members, bounded and checked. Raises
    FileFault.
    """
    names = archive.namelist()
    if len(names) > MAX_MEMBERS:
        raise FileFault(
            f"it holds {many(len(names), 'file')}.",
            where=where,
            do=f"At most {MAX_MEMBERS} are read.",
        )
    bad = next((name for name in names if not safe_name(name)), None)
    if bad:
        raise FileFault(
            f"it holds a path that leads outside itself (“{bad[:60]}”).", where=where, do=_CLEAN
        )
    notices = _members_told(names)
    found = next((name for name in names if name == DESCRIPTION), None) or next(
        (n for n in names if n.lower() == DESCRIPTION), None
    )
    if found is None:
        raise FileFault(
            "it has no description.xml, so it is not a GDTF profile.",
            where=where,
            do="Choose a file ending in .gdtf.",
        )
    if found != DESCRIPTION:
        notices.append(Notice("Archive", f"“{found}” is spelt “{DESCRIPTION}” in the standard."))
    info = archive.getinfo(found)
    unpacked = sum(member.file_size for member in archive.infolist())
    if unpacked > 16 * MAX_MEMBER or info.file_size > MAX_RATIO * max(info.compress_size, 64):
        raise FileFault("it would unpack to far more than it holds.", where=where, do=_CLEAN)
    text = read_member(archive, info, MAX_XML, where)
    tags = text.count(b"<")
    if tags > MAX_TAGS:  # told before a tree of them fills the memory
        raise FileFault(
            f"its description has {tags} tags; at most {MAX_TAGS} are read.",
            where=where,
            do="Ask its maker for a smaller file.",
        )
    return text, [name for name in names if name != found], notices


def open_description(archive: zipfile.ZipFile, where: str) -> tuple[Element, list[str]]:
    """The description's tree and the other members, guarded as for reading, for those who look only
    for a few things.
    """
    text, members, _ = _guarded(archive, where)
    return _parse(text), members


def read_archive(data: bytes, where: str, everywhere: bool = False) -> Gdtf:
    """Read a GDTF file; `everywhere` tells a deviation at each place. Raises FileFault with the
    place that leaves nothing to use.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            text, members, notices = _guarded(archive, where)
    except (*ZIP_ERRORS, ValueError, OSError) as error:
        raise FileFault(
            "this is not a whole GDTF file; it is cut short, damaged or another kind of file.",
            where=where,
            do="Fetch it again from where it came.",
        ) from error
    read = read_description(text, where, everywhere)
    return Gdtf(read.profile, (*notices, *read.notices), tuple(members))


def _members_told(names: list[str]) -> list[Notice]:
    doubled = (
        sorted({name for name in names if names.count(name) > 1})
        if len(set(names)) != len(names)
        else []
    )
    return [
        Notice("Archive", f"It holds “{name[:60]}” twice; the last one is read.")
        for name in doubled
    ]


def read_description(text: bytes, where: str, everywhere: bool = False) -> Gdtf:
    """Read the XML of a description. Raises FileFault."""
    reader = Reader(where, everywhere)
    if text[:2] in (b"\xff\xfe", b"\xfe\xff"):
        reader.tell("It is written in UTF-16; the standard asks for UTF-8.")
    try:
        root = _parse(text)
        return Gdtf(reader.profile(root), tuple(reader.notices))
    except DefusedXmlException as error:
        raise FileFault(
            "its description declares entities, which a profile never needs.",
            where=where,
            do=_CLEAN,
        ) from error
    except (ParseError, UnicodeDecodeError, LookupError, RecursionError, ValueError) as error:
        raise FileFault(
            f"its description cannot be read: {error}.",
            where=where,
            do="Fetch it again from where it came.",
        ) from error


_PLAIN = re.compile(
    rb"""(\xef\xbb\xbf)?\s*(<\?xml\s+version=["'][\d.]+["']\s*(encoding=["'](?i:utf-8|us-ascii)["']\s*)?(standalone=["']\w+["']\s*)?\?>|<[A-Za-z])"""
)


def _parse(text: bytes) -> Element:
    """The guarded parser is written in Python and slow. Text that is surely UTF-8 and declares no
    document type can hold no entity of its own, so the plain one, in C, is as safe there and three
    times as fast.
    """
    if _PLAIN.match(text) and b"<!DOCTYPE" not in text and b"<!ENTITY" not in text:
        return ElementTree.fromstring(text)
    return fromstring(text, forbid_dtd=True)


def read_gdtf(data: bytes, where: str) -> r.Profile:
    """Read a GDTF file for its profile alone. Raises FileFault."""
    return read_archive(data, where).profile


def read_members(data: bytes, where: str) -> dict[str, bytes]:
    """Every member, the description too, for writing a profile again without loss. Raises
    FileFault.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            return {
                info.filename: read_member(archive, info, MAX_MEMBER, where)
                for info in archive.infolist()
                if not info.is_dir() and safe_name(info.filename)
            }
    except (*ZIP_ERRORS, ValueError, OSError) as error:
        raise FileFault(
            "its pictures and bodies cannot be read; the file is damaged.",
            where=where,
            do="Fetch it again from where it came.",
        ) from error


def _kept_of(text: bytes) -> tuple[Element | None, Element | None]:
    """A description as it came, in the standard's spelling, and what our records hold of it;
    nothing of one that cannot be read.
    """
    try:
        root = _parse(text)
        Reader("").tidy(root)
        profile = Reader("").profile(_parse(text))
    except (
        FileFault,
        DefusedXmlException,
        ParseError,
        UnicodeDecodeError,
        LookupError,
        RecursionError,
        ValueError,
    ):
        return None, None
    return root, description_tree(profile)


def write_gdtf(profile: r.Profile, members: Mapping[str, bytes] | None = None) -> bytes:
    """A whole GDTF file: the description in version 1.2, and the given members beside it.

    Where a description is among the members it is the one the profile came from; what of it we have
    no word for is kept.
    """
    others = {name: data for name, data in (members or {}).items() if name.lower() != DESCRIPTION}
    came = next(
        (data for name, data in (members or {}).items() if name.lower() == DESCRIPTION), None
    )
    original, known = _kept_of(came) if came else (None, None)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(
            zipfile.ZipInfo(DESCRIPTION, _FIXED_DATE),
            write_description(profile, original, known),
            zipfile.ZIP_DEFLATED,
        )
        for name, data in sorted(others.items()):
            archive.writestr(zipfile.ZipInfo(name, _FIXED_DATE), data, zipfile.ZIP_DEFLATED)
    return out.getvalue()
