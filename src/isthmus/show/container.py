"""The `.isthmus` file: a zip with `show.json`, the profiles' own files, the parts its versions are
made of, and nothing outside itself.

Written to a temporary file beside the target, flushed, and renamed over it, so that a full disk or
a crash leaves the old file whole. A profile or picture that is missing or damaged is told and left
out, and the rest opens; of a file that is cut short, what stands before the cut. Members this
version does not know survive: inside `show.json` they ride along in `Record.extra`; a newer format
number is refused.
"""

from __future__ import annotations

import io
import json
import lzma
import struct
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import msgspec

from isthmus.errors import FileFault
from isthmus.show.carried import blobs_of, packs_of, unpacked
from isthmus.show.checked import MAX_JSON, not_too_deep, within_bounds
from isthmus.show.files import read_file, write_atomically
from isthmus.show.parts import whole
from isthmus.show.plain import just_as_saved, show_of, text_of
from isthmus.show.records import FORMAT, Show
from isthmus.show.versions import before_migration

SUFFIX = ".isthmus"
MAX_MEMBER = 64 * 1024 * 1024
MAX_TOTAL = 1024 * 1024 * 1024
TIGHT = 200  # what shrinks further is hardly a picture, and may be
MAX_TIGHT = 96 * 1024 * 1024  # so much in all
ZIP_ERRORS = (
    zipfile.BadZipFile,
    zipfile.LargeZipFile,
    zlib.error,
    lzma.LZMAError,
    EOFError,
    NotImplementedError,
    RuntimeError,
)
_OTHER = "Try an earlier version or a copy."
_FIXED_DATE = (1980, 1, 1, 0, 0, 0)  # the same show gives the same bytes


# ---------------------------------------------------------------- bytes


def encode_show(show: Show) -> bytes:
    """The whole container as bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as archive:
        archive.writestr(zipfile.ZipInfo("show.json", _FIXED_DATE), text_of(show))
        there: set[str] = set()
        for name, data in (*blobs_of(show), *packs_of(show)):
            # one that was missing when the show was opened stays missing, and goes on being told
            if data and name not in there:
                there.add(name)
                archive.writestr(zipfile.ZipInfo(name, _FIXED_DATE), data)
    return out.getvalue()


def read_member(archive: zipfile.ZipFile, info: zipfile.ZipInfo, limit: int, where: str) -> bytes:
    """Read one member of a zip, never more than `limit` bytes whatever its header claims. Raises
    FileFault.
    """
    if info.flag_bits & 1:
        raise FileFault(
            f"“{info.filename}” inside is locked with a password.",
            where=where,
            do="Save it without one.",
        )
    with archive.open(info) as stream:
        data = stream.read(limit + 1)
    if len(data) > limit:
        raise FileFault(
            f"“{info.filename}” inside is larger than {limit // 2**20} MB.",
            where=where,
            do="Such a file is not opened.",
        )
    return data


def safe_name(name: str) -> bool:
    """True when a member name stays inside its archive and is a plain relative path."""
    path = name.replace("\\", "/")
    return (
        bool(path)
        and not path.startswith("/")
        and ":" not in path
        and "\0" not in path
        and ".." not in path.split("/")
    )


@dataclass
class Damage:
    """What of a file could not be read, in sentences; the rest of it was."""

    words: list[str] = field(default_factory=list)


Older = dict[str, Any] | None
Members = Callable[[str], bytes | None]  # a member's bytes; None when it is not there or damaged


def decode_show(data: bytes, where: str, damage: Damage | None = None) -> Show:
    """Read a container. A profile or picture that is missing or damaged is left empty and told in
    `damage`.

    Raises FileFault for anything that is not a show of a format we know, or whose show.json is not
    whole.
    """
    damage = damage if damage is not None else Damage()
    try:
        members = _members(data, where, damage)
        text = members("show.json")
        if text is None:
            if damage.words:
                raise FileFault(
                    "it is cut short: not even its first part is whole.", where=where, do=_OTHER
                )
            raise FileFault(
                "this is a zip, but not an Isthmus show.",
                where=where,
                do="Choose a file ending in .isthmus.",
            )
        bare, older = _show_of(text, where, damage)
        show = _with_data(bare, members, damage)
        return before_migration(show, older) if older else show
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        raise FileFault(
            f"its show.json cannot be read: {error}.", where=where, do=_OTHER
        ) from error
    except (*ZIP_ERRORS, ValueError, OSError) as error:
        raise FileFault(
            "this is not an Isthmus show; it is damaged, or another kind of file.",
            where=where,
            do=_OTHER,
        ) from error


def _show_of(text: bytes, where: str, damage: Damage) -> tuple[Show, Older]:
    """The records in show.json, and what it holds where its format is an older one. Raises
    FileFault, and what msgspec raises.
    """
    within_bounds(text, where)
    show = just_as_saved(text)
    if show is not None:
        return show, None
    raw = _parsed(text)
    if not isinstance(raw, dict) or not isinstance(raw.get("format"), int):
        raise FileFault(
            "its show.json has no format number.",
            where=where,
            do="Choose a file ending in .isthmus.",
        )
    if raw["format"] > FORMAT:
        raise FileFault(
            f"it was saved by a newer Isthmus (format {raw['format']}, this one reads up to "
            f"{FORMAT}).",
            where=where,
            do="Update Isthmus to open it; nothing in the file was changed.",
        )
    not_too_deep(raw, where)
    older = _parsed(text) if raw["format"] < FORMAT else None
    return show_of(raw, damage.words), older


def _parsed(text: bytes) -> Any:
    """Raises what msgspec raises. Figures beyond all bounds and those that are none (1e999, NaN)
    do not keep the rest from being read.
    """
    try:
        return msgspec.json.decode(text)
    except msgspec.DecodeError as error:
        try:
            return json.loads(text)
        except ValueError:
            raise error from None


def _members(data: bytes, where: str, damage: Damage) -> Members:
    """What is in a container, by its list of members; without one, by what stands before
    the cut.
    """
    names: set[str] = set()
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
        names = set(archive.namelist())
    except ZIP_ERRORS:
        if not data.startswith(_LOCAL):
            raise
    # the directory may be that of a profile before the cut
    if data.startswith(_LOCAL) and "show.json" not in names:
        found = _before_the_cut(data)
        if "show.json" in found or not names:
            damage.words.append("The file is cut short: its end is missing.")
        return found.get
    bad = next((name for name in names if not safe_name(name)), None)
    if bad:
        raise FileFault(
            f"it holds a path that leads outside itself (“{bad[:60]}”).",
            where=where,
            do="It was not opened.",
        )
    return _Reading(archive, names, where)


class _Reading:
    """Reads the members of an archive, all together no more than a show may hold."""

    def __init__(self, archive: zipfile.ZipFile, names: set[str], where: str) -> None:
        self.archive, self.names, self.where = archive, names, where
        self.total = self.tight = 0
        self._read: dict[str, bytes] = {}  # one that is named several times is there once

    def __call__(self, name: str) -> bytes | None:
        if name not in self.names:
            return None
        if name in self._read:
            return self._read[name]
        most = MAX_MEMBER if name.startswith(("profiles/", "files/")) else MAX_JSON
        info = self.archive.getinfo(name)
        self.tight += info.file_size if info.file_size > TIGHT * info.compress_size else 0
        if self.tight > MAX_TIGHT:
            raise FileFault(
                "what is in it unpacks to far more than it should.",
                where=self.where,
                do="Such a file is not opened.",
            )
        try:
            found = read_member(self.archive, info, most, self.where)
        except (*ZIP_ERRORS, OSError):
            if name == "show.json":
                raise
            return None
        self.total += len(found)
        if self.total > MAX_TOTAL:
            raise FileFault(
                "its profiles and pictures are larger than 1 GB together.",
                where=self.where,
                do="Such a file is not opened.",
            )
        if name != "show.json":
            self._read[name] = found
        return found


_LOCAL = b"PK\x03\x04"
_LOCAL_HEADER = struct.Struct("<4sHHHHHIIIHH")  # APPNOTE.TXT 6.3.10, 4.3.7


def _before_the_cut(data: bytes) -> dict[str, bytes]:
    """Members of a zip without its directory, read from the front as long as they are whole."""
    found: dict[str, bytes] = {}
    at = total = 0
    while data[at : at + 4] == _LOCAL and at + _LOCAL_HEADER.size <= len(data):
        _, _, flags, method, _, _, check, packed, size, name_size, more = _LOCAL_HEADER.unpack_from(
            data, at
        )
        start = at + _LOCAL_HEADER.size + name_size + more
        name = data[at + _LOCAL_HEADER.size : at + _LOCAL_HEADER.size + name_size].decode(
            "utf-8", "replace"
        )
        body = data[start : start + packed]
        if (
            flags & 9
            or method not in (0, 8)
            or len(body) < packed
            or size > MAX_MEMBER
            or total + size > MAX_TOTAL
        ):
            break
        try:
            content = body if method == 0 else zlib.decompressobj(-15).decompress(body, size + 1)
        except zlib.error:
            break
        if zlib.crc32(content) == check and safe_name(name):
            found[name] = content
            total += size
        at = start + packed
    return found


def _with_data(show: Show, members: Members, damage: Damage) -> Show:
    """The show with the bytes of its profiles, pictures and meshes, as far as they are there."""

    def data(member: str, what: str) -> bytes:
        found = members(member)
        if not found:
            damage.words.append(f"{what} is missing or damaged.")
        return found or b""

    show = msgspec.structs.replace(
        show,
        profiles=tuple(
            msgspec.structs.replace(p, data=data(f"profiles/{p.file}", f"The profile “{p.key}”"))
            for p in show.profiles
        ),
        files=tuple(
            msgspec.structs.replace(f, data=data(f"files/{f.name}", f"The file “{f.name}”"))
            for f in show.files
        ),
    )
    if not show.versions:
        return show
    show = msgspec.structs.replace(show, kept=unpacked(members, dict(blobs_of(show))))
    for version in show.versions:
        if not whole(version.root, show.kept):
            damage.words.append(f"Version {version.number} is missing or damaged.")
    return show


# ---------------------------------------------------------------- files


def save_show(show: Show, path: Path) -> None:
    """Save atomically. Raises FileFault; the previous file is then untouched."""
    write_atomically(path, encode_show(show))


def open_show(path: Path) -> Show:
    """Open a show file, with what of it is whole. Raises FileFault."""
    return open_damaged(path)[0]


def open_damaged(path: Path) -> tuple[Show, Damage]:
    """Open a show file, and say what of it could not be read. Raises FileFault."""
    damage = Damage()
    return decode_show(read_file(path, MAX_TOTAL), path.name, damage), damage


def schema() -> dict[str, Any]:
    """The JSON Schema of show.json: unknown members are allowed everywhere, profile bytes are
    members of the zip.
    """

    def clean(node: Any) -> Any:
        if isinstance(node, list):
            return [clean(item) for item in node]
        if not isinstance(node, dict):
            return node
        node = {key: clean(value) for key, value in node.items()}
        properties = node.get("properties")
        if isinstance(properties, dict):
            properties.pop("extra", None)
            properties.pop("data", None)  # bytes are members of the zip
            properties.pop("kept", None)
        return node

    made = clean(msgspec.json.schema(Show))
    show = made["$defs"]["Show"]
    show["required"] = sorted({*show.get("required", []), "format"})
    return made
