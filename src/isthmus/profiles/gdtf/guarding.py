"""A zip with a text of XML that says what is in it, as GDTF and MVR are. Nothing is trusted.

Sizes are bounded, entities are refused, paths that leave the archive are refused.
"""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING
from xml.etree import ElementTree

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import ParseError, fromstring

from isthmus.errors import FileFault
from isthmus.plural import many
from isthmus.show.container import MAX_MEMBER, ZIP_ERRORS, read_member, safe_name

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

MAX_RATIO = 400  # a text that shrinks further than this is a bomb
CLEAN = "It was not read; ask its maker for a clean file."


@dataclass(frozen=True)
class Kind:
    """A kind of archive: its text, what it is called, how its name ends, and how much of it is
    read.
    """

    text: str
    what: str
    short: str
    ending: str
    most: int  # bytes of the text
    tags: int
    members: int


def opened(data: bytes, where: str, kind: Kind) -> tuple[bytes, list[str], list[str]]:
    """`guarded`, of a file's bytes. Raises FileFault."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            return guarded(archive, where, kind)
    except (*ZIP_ERRORS, ValueError, OSError) as error:
        raise FileFault(
            f"this is not a whole {kind.short} file; it is cut short, damaged or another kind of "
            "file.",
            where=where,
            do="Fetch it again from where it came.",
        ) from error


@contextmanager
def readable(where: str, kind: Kind) -> Iterator[None]:
    """What goes wrong while a description is read, as a FileFault."""
    try:
        yield
    except DefusedXmlException as error:
        raise FileFault(
            f"its description declares entities, which {kind.what} never needs.",
            where=where,
            do=CLEAN,
        ) from error
    except (ParseError, UnicodeDecodeError, LookupError, RecursionError, ValueError) as error:
        raise FileFault(
            f"its description cannot be read: {error}.",
            where=where,
            do="Fetch it again from where it came.",
        ) from error


def guarded(archive: zipfile.ZipFile, where: str, kind: Kind) -> tuple[bytes, list[str], list[str]]:
    """The text, the names of all other members, and what deviates. Raises FileFault."""
    names = archive.namelist()
    if len(names) > kind.members:
        raise FileFault(
            f"it holds {many(len(names), 'file')}.",
            where=where,
            do=f"At most {kind.members} are read.",
        )
    bad = next((name for name in names if not safe_name(name)), None)
    if bad:
        raise FileFault(
            f"it holds a path that leads outside itself (“{bad[:60]}”).", where=where, do=CLEAN
        )
    told = _doubled(names)
    found = next((name for name in names if name == kind.text), None) or next(
        (n for n in names if n.lower() == kind.text.lower()), None
    )
    if found is None:
        raise FileFault(
            f"it has no {kind.text}, so it is not {kind.what}.",
            where=where,
            do=f"Choose a file ending in {kind.ending}.",
        )
    if found != kind.text:
        told.append(f"“{found}” is spelt “{kind.text}” in the standard.")
    info = archive.getinfo(found)
    unpacked = sum(member.file_size for member in archive.infolist())
    if unpacked > 16 * MAX_MEMBER or info.file_size > MAX_RATIO * max(info.compress_size, 64):
        raise FileFault("it would unpack to far more than it holds.", where=where, do=CLEAN)
    text = read_member(archive, info, kind.most, where)
    tags = text.count(b"<")
    if tags > kind.tags:  # told before a tree of them fills the memory
        raise FileFault(
            f"its description has {tags} tags; at most {kind.tags} are read.",
            where=where,
            do="Ask its maker for a smaller file.",
        )
    return text, [name for name in names if name != found], told


def _doubled(names: list[str]) -> list[str]:
    if len(set(names)) == len(names):
        return []
    doubled = sorted({name for name in names if names.count(name) > 1})
    return [f"It holds “{name[:60]}” twice; the last one is read." for name in doubled]


_PLAIN = re.compile(
    rb"""(\xef\xbb\xbf)?\s*(<\?xml\s+version=["'][\d.]+["']\s*(encoding=["'](?i:utf-8|us-ascii)["']\s*)?(standalone=["']\w+["']\s*)?\?>|<[A-Za-z])"""
)


def parse(text: bytes) -> Element:
    """The guarded parser is written in Python and slow. Text that is surely UTF-8 and declares no
    document type can hold no entity of its own, so the plain one, in C, is as safe there and three
    times as fast.
    """
    if _PLAIN.match(text) and b"<!DOCTYPE" not in text and b"<!ENTITY" not in text:
        return ElementTree.fromstring(text)
    return fromstring(text, forbid_dtd=True)
