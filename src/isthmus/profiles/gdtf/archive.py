"""The GDTF file itself: a zip with `description.xml`, pictures and bodies.

Nothing inside is trusted: sizes are bounded, entities are refused, paths that leave the archive are
refused.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import ParseError

from isthmus.errors import FileFault
from isthmus.profiles import records as r
from isthmus.profiles.gdtf.guarding import Kind, guarded, opened, parse, readable
from isthmus.profiles.gdtf.reading import Notice, Reader
from isthmus.profiles.gdtf.writing import description_tree, write_description
from isthmus.show.container import MAX_MEMBER, ZIP_ERRORS, read_member, safe_name

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

DESCRIPTION = "description.xml"
KIND = Kind(DESCRIPTION, "a GDTF profile", "GDTF", ".gdtf", 32 * 1024 * 1024, 200_000, 4096)
_FIXED_DATE = (1980, 1, 1, 0, 0, 0)  # the same profile gives the same bytes
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


def open_description(archive: zipfile.ZipFile, where: str) -> tuple[Element, list[str]]:
    """The description's tree and the other members, guarded as for reading, for those who look only
    for a few things.
    """
    text, members, _ = guarded(archive, where, KIND)
    return parse(text), members


def read_archive(data: bytes, where: str, everywhere: bool = False) -> Gdtf:
    """Read a GDTF file; `everywhere` tells a deviation at each place. Raises FileFault with the
    place that leaves nothing to use.
    """
    text, members, told = opened(data, where, KIND)
    read = read_description(text, where, everywhere)
    notices = (*(Notice("Archive", words) for words in told), *read.notices)
    return Gdtf(read.profile, notices, tuple(members))


def read_description(text: bytes, where: str, everywhere: bool = False) -> Gdtf:
    """Read the XML of a description. Raises FileFault."""
    reader = Reader(where, everywhere)
    if text[:2] in (b"\xff\xfe", b"\xfe\xff"):
        reader.tell("It is written in UTF-16; the standard asks for UTF-8.")
    with readable(where, KIND):
        root = parse(text)
        return Gdtf(reader.profile(root), tuple(reader.notices))


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
        root = parse(text)
        Reader("").tidy(root)
        profile = Reader("").profile(parse(text))
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
