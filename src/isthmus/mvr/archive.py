"""The MVR file itself: a zip with `GeneralSceneDescription.xml`, GDTF files, meshes, pictures."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

from isthmus.errors import FileFault
from isthmus.mvr import records as r
from isthmus.mvr.reading import Reader
from isthmus.mvr.writing import write_scene
from isthmus.profiles.gdtf.guarding import Kind, opened, parse, readable
from isthmus.profiles.gdtf.reading import Notice
from isthmus.show.container import MAX_MEMBER, ZIP_ERRORS, read_member

DESCRIPTION = "GeneralSceneDescription.xml"
KIND = Kind(DESCRIPTION, "an MVR file", "MVR", ".mvr", 128 * 1024 * 1024, 1_500_000, 20_000)
SUFFIX = ".mvr"
_FIXED_DATE = (1980, 1, 1, 0, 0, 0)  # the same scene gives the same bytes


@dataclass(frozen=True)
class Mvr:
    """A file read: the scene, what deviates from the standard, and what lies beside it."""

    scene: r.Scene
    notices: tuple[Notice, ...]
    names: tuple[str, ...] = ()
    data: bytes = field(default=b"", repr=False)

    @cached_property
    def _zip(self) -> zipfile.ZipFile:
        return zipfile.ZipFile(io.BytesIO(self.data))

    @cached_property
    def _by_lower(self) -> dict[str, str]:
        known = {name.lower(): name for name in self.names}
        flat = {name.rpartition("/")[2].lower(): name for name in self.names}
        return flat | known

    def named(self, name: str, ending: str = "") -> str:
        """The member of this name, with or without its ending, however it is spelt; "" for none."""
        low = name.strip().lower().replace("\\", "/")
        for one in (low, low + ending, low.rpartition("/")[2], low.rpartition("/")[2] + ending):
            if one and one in self._by_lower:
                return self._by_lower[one]
        return ""

    def member(self, name: str) -> bytes | None:
        """Its bytes; None where it cannot be read, or is larger than is read."""
        try:
            return read_member(self._zip, self._zip.getinfo(name), MAX_MEMBER, name)
        except (*ZIP_ERRORS, FileFault, KeyError, ValueError, OSError):
            return None


def read_mvr(data: bytes, where: str) -> Mvr:
    """Read an MVR file. Raises FileFault with the reason where there is nothing to use."""
    text, names, told = opened(data, where, KIND)
    reader = Reader(where)
    for words in told:
        reader.tell("Archive", words)
    with readable(where, KIND):
        scene = reader.scene(parse(text))
    return Mvr(scene, tuple(reader.notices), tuple(names), data)


def write_mvr(scene: r.Scene, members: Mapping[str, bytes]) -> bytes:
    """A whole MVR file. GDTF files and pictures are packed already, and stored as they are."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as archive:
        archive.writestr(
            zipfile.ZipInfo(DESCRIPTION, _FIXED_DATE), write_scene(scene), zipfile.ZIP_DEFLATED
        )
        for name, data in members.items():
            packed = name.lower().endswith((".gdtf", ".png", ".jpg", ".jpeg"))
            how = zipfile.ZIP_STORED if packed else zipfile.ZIP_DEFLATED
            archive.writestr(zipfile.ZipInfo(name, _FIXED_DATE), data, how)
    return out.getvalue()
