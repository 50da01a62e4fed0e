"""Where profiles come from: shipped, generic, own, any number of folders or drives, and the
exchange.

The list lies in the user's configuration folder, so that the window and the command line see the
same one.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import msgspec
from platformdirs import user_config_path, user_data_path

from isthmus.errors import FileFault
from isthmus.show.decoding import decoded
from isthmus.show.files import read_file, write_atomically

SHIPPED, GENERIC, OWN, EXCHANGE, FOLDER = "shipped", "generic", "own", "exchange", "folder"
FIXED = {SHIPPED: "Shipped", GENERIC: "Generic", OWN: "Own", EXCHANGE: "Exchange"}
MARKS = {SHIPPED: "S", GENERIC: "G", OWN: "O", EXCHANGE: "X", FOLDER: "F"}
MAX_FILES = 500_000
MAX_DEPTH = 12


class Source(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """`id` is the kind for the fixed ones; a folder has its path in it."""

    id: str
    kind: str
    name: str
    path: str = ""
    on: bool = True


@dataclass(frozen=True)
class FileSeen:
    path: str
    size: int
    changed: int  # nanoseconds


def data_folder() -> Path:
    """The user's data folder; `ISTHMUS_DATA` puts it elsewhere."""
    return (
        Path(os.environ["ISTHMUS_DATA"])
        if os.environ.get("ISTHMUS_DATA")
        else user_data_path("isthmus", appauthor=False)
    )


def config_folder() -> Path:
    return (
        Path(os.environ["ISTHMUS_CONFIG"])
        if os.environ.get("ISTHMUS_CONFIG")
        else user_config_path("isthmus", appauthor=False)
    )


def shipped_folders() -> list[Path]:
    """Where the profiles that come with the program lie."""
    here = Path(__file__).parent
    return [here / "shipped", here.parent / "demo" / "profiles"]


def own_folder() -> Path:
    return data_folder() / "profiles"


def downloads_folder() -> Path:
    return data_folder() / "exchange"


def folder_source(path: Path) -> Source:
    full = str(path.expanduser().absolute())
    return Source(id=f"folder:{full}", kind=FOLDER, name=Path(full).name or full, path=full)


def fixed_sources() -> list[Source]:
    return [Source(id=kind, kind=kind, name=name) for kind, name in FIXED.items()]


def _file() -> Path:
    return config_folder() / "profile-sources.json"


def read_sources(told: Callable[[str], object] = lambda words: None) -> list[Source]:
    """The sources as the user set them, the fixed ones always among them. A damaged list counts as
    none; it is kept under another name, so that the next one written does not take its place, and
    told.
    """
    kept: list[Source] = []
    try:
        kept = decoded(read_file(_file(), 1 << 20), kind=list[Source])
    except FileFault:
        pass
    except msgspec.MsgspecError:
        aside = _file().with_name("profile-sources damaged.json")
        with suppress(OSError):
            _file().replace(aside)
            told(
                "The list of profile sources was damaged, so your folders are not in it. Add them "
                f"again; what is left of it is in {aside}."
            )
    by_id = {source.id: source for source in kept}
    return [by_id.pop(source.id, source) for source in fixed_sources()] + [
        s for s in by_id.values() if s.kind == FOLDER and s.path
    ]


def write_sources(sources: list[Source]) -> None:
    """Keep the list. Raises FileFault."""
    try:
        _file().parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileFault(
            "its folder could not be made.",
            where=str(_file().parent),
            do="Make room or rights there.",
        ) from error
    write_atomically(_file(), msgspec.json.encode(sources))


def roots_of(source: Source) -> list[Path]:
    """The folders a source reads from; none for the generic one, which is made by the program."""
    if source.kind == SHIPPED:
        return shipped_folders()
    if source.kind == OWN:
        return [own_folder()]
    if source.kind == EXCHANGE:
        return [downloads_folder()]
    return [Path(source.path)] if source.kind == FOLDER else []


def is_away(source: Source) -> bool:
    """True for a folder or drive that is not there now."""
    return source.kind == FOLDER and not Path(source.path).is_dir()


def files_of(source: Source) -> Iterator[FileSeen]:
    """Every GDTF file below a source's folders, links to folders not followed."""
    count = 0
    for root in roots_of(source):
        stack = [(str(root), 0)]
        while stack:
            folder, depth = stack.pop()
            try:
                entries = list(os.scandir(folder))
            except OSError:
                continue
            for entry in entries:
                try:
                    if entry.is_dir(follow_symlinks=False):
                        if depth < MAX_DEPTH and not entry.name.startswith("."):
                            stack.append((entry.path, depth + 1))
                    elif (
                        entry.name.lower().endswith(".gdtf")
                        and entry.is_file()
                        and _sayable(entry.path)
                    ):
                        found = entry.stat()
                        count += 1
                        yield FileSeen(entry.path, found.st_size, found.st_mtime_ns)
                except OSError:
                    continue
                if count >= MAX_FILES:
                    return


def _sayable(path: str) -> bool:
    """False for a name that is not a text in any encoding we know; it cannot be listed, so it is
    passed over.
    """
    return all(not 0xD800 <= ord(c) <= 0xDFFF for c in path)


def fingerprint(source: Source, told: Callable[[], object] | None = None) -> int:
    """Another number when a file below a source came, went or changed. `told` is called for each
    file and may raise.
    """
    found = []
    for file in files_of(source):
        found.append(file)
        if told is not None:
            told()
    return hash(tuple(sorted((file.path, file.size, file.changed) for file in found)))
