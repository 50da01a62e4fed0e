"""Own pictures and films: brought into a show, fitted to what grids need, and looked into when
shown.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import signal
import subprocess
import sys
import tempfile
import threading
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from platformdirs import user_cache_path

from isthmus.errors import FileFault, os_reason
from isthmus.pixels.sources import Kept, Source
from isthmus.plural import many
from isthmus.show.records import Media, Show, StoredFile, new_id

Progress = Callable[[float, str], None]
SLOW = 30.0  # seconds without a sign of progress
LARGEST = 4 << 30  # bytes of a file
FINE = 2  # pixels for each place of a grid, each way
LEAST, MOST = 32, 640  # pixels of the longer side
CACHE = 1 << 30  # bytes of frames kept beside shows


def longest_for(width: int, height: int) -> int:
    """Pixels of the longer side that a grid of so many places needs."""
    return max(LEAST, min(MOST, FINE * max(width, height)))


@dataclass(frozen=True)
class Brought:
    """A picture fitted: what the show keeps of it, and what a person is told."""

    media: Media
    file: StoredFile
    words: str


def bring(path: Path, longest: int, progress: Progress = lambda share, words: None) -> Brought:
    """Raises FileFault for what cannot be read, Cancelled as `progress` does."""
    where = path.name
    try:
        return _brought(path, longest, progress)
    except OSError as error:  # a disk that is full, a drive that is gone
        raise FileFault(os_reason(error), where=where) from error


def _brought(path: Path, longest: int, progress: Progress) -> Brought:
    where = path.name
    if not path.is_file():
        raise FileFault("this is not a file." if path.exists() else "it is not there.", where=where)
    if path.stat().st_size > LARGEST:
        raise FileFault("it is larger than 4 GB.", where=where, do="Export it smaller.")
    digest = _digest(path)
    with tempfile.TemporaryDirectory(prefix="isthmus-") as folder:
        target, packed = Path(folder, "frames.npy"), Path(folder, "packed")
        found = _run(
            ["fit", str(path), str(target), "--longest", str(longest), "--packed", str(packed)],
            where,
            progress,
        )
        data = packed.read_bytes()
        size = tuple(found["size"])
        end = "png" if found["frames"] == 1 else "mkv"
        name = f"{digest[:16]}-{size[0]}x{size[1]}.{end}"
        _keep(target, name)
    media = Media(
        id=new_id(),
        name=path.stem[:40],
        file=name,
        source=digest,
        path=str(path),
        whole=tuple(found["whole"]),
        size=size,  # type: ignore[arg-type]
        frames=found["frames"],
        rate=found["rate"],
    )
    return Brought(media, StoredFile(name=name, data=data), _told(media, len(data), found))


def _told(media: Media, size: int, found: dict) -> str:
    what = "A picture" if media.frames == 1 else f"{media.frames / media.rate:.1f} s"
    told = f"{what} of {media.whole[0]} × {media.whole[1]}, kept as {media.size[0]} × "
    told += f"{media.size[1]} in {max(1, round(size / 1000)):,} kB.".replace(",", "\u202f")
    if found.get("damaged"):
        told += f" It is damaged: only {many(media.frames, 'frame')} could be read."
    if found.get("cut"):
        told += " Only its beginning was taken: that is as much as a show keeps."
    return told


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _run(arguments: list[str], where: str, progress: Progress) -> dict:
    """One piece of work in a process of its own. Raises FileFault, or what `progress` raises."""
    process = subprocess.Popen(
        [sys.executable, "-m", "isthmus.pixels.fitting", *arguments],
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
        start_new_session=True,
    )
    found: dict = {}
    slow = threading.Event()

    def stop() -> None:
        slow.set()
        with contextlib.suppress(OSError):
            os.killpg(process.pid, signal.SIGKILL)

    timer = threading.Timer(SLOW, stop)
    timer.start()
    try:
        assert process.stdout is not None
        for line in process.stdout:
            timer.cancel()
            timer = threading.Timer(SLOW, stop)
            timer.start()
            with contextlib.suppress(json.JSONDecodeError):  # cut off in the middle
                found |= json.loads(line)
            progress(float(found.get("share", 0.0)), f"Reading {where}…")
    except BaseException:  # cancelled, or nobody listens any more
        stop()
        raise
    finally:
        timer.cancel()
        process.wait()
        if process.stdout:
            process.stdout.close()
    if found.get("fault"):
        raise FileFault(found["fault"], where=where)
    if not found.get("written"):
        why = "it takes too long to read." if slow.is_set() else "reading it failed."
        raise FileFault(why, where=where, do="Convert it to MP4, GIF or PNG.")
    return found


def too_small(media: Media, longest: int) -> bool:
    """Whether a grid needs more of a picture than is kept, and there is more of it."""
    return max(media.size) < min(longest, max(media.whole))


def fit_again(
    media: Media, longest: int, progress: Progress = lambda share, words: None
) -> Brought:
    """The same picture, fitted to a grid that needs more. Raises FileFault when its file is gone or
    another by now.
    """
    path = Path(media.path)
    try:
        same = path.is_file() and _digest(path) == media.source
    except OSError as error:
        raise FileFault(os_reason(error), where=path.name) from error
    if not same:
        raise FileFault(
            f"the file that {media.name} came from is gone, or another by now.",
            where=str(path),
            do="Bring it in again.",
        )
    return bring(path, longest, progress)


# ------------------------------------------------------------ in the show


def put_media(show: Show, brought: Brought, instead: str = "") -> tuple[Show, str]:
    """A picture kept in the show, or in the place of another one (`instead`, its id). Files that
    nothing names any more go.
    """
    same = next((m for m in show.media if not instead and m.file == brought.media.file), None)
    if same is not None:
        return show, same.id
    made = replace(brought.media, id=instead or brought.media.id)
    others = tuple(m for m in show.media if m.id != made.id)
    files = (*(f for f in show.files if f.name != made.file), brought.file)
    return _tidy(replace(show, media=(*others, made), files=files), show), made.id


def remove_media(show: Show, media_id: str) -> Show:
    """Layers that had it show nothing then."""
    return _tidy(replace(show, media=tuple(m for m in show.media if m.id != media_id)), show)


def _tidy(show: Show, before: Show) -> Show:
    """Without the files of pictures that are gone."""
    gone = {m.file for m in before.media} - {m.file for m in show.media}
    return replace(show, files=tuple(f for f in show.files if f.name not in gone)) if gone else show


# ------------------------------------------------------------ looked into


def cache() -> Path:
    """Where frames lie, to be looked into; a folder for this run where there is no home."""
    folder = user_cache_path("isthmus") / "pictures"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        if os.access(folder, os.W_OK):
            return folder
    except OSError:
        pass
    folder = Path(tempfile.gettempdir(), f"isthmus-{os.getuid()}-pictures")
    folder.mkdir(mode=0o700, exist_ok=True)
    return folder


def _keep(frames: Path, name: str) -> Path:
    """Frames put into the cache, whole or not at all; the oldest make room."""
    folder = cache()
    target = folder / f"{name}.npy"
    with tempfile.NamedTemporaryFile(dir=folder, suffix=".part", delete=False) as file:
        file.write(frames.read_bytes())
    Path(file.name).replace(target)
    kept = sorted(folder.glob("*.npy"), key=lambda one: one.stat().st_mtime, reverse=True)
    total = 0
    for one in kept:
        total += one.stat().st_size
        if total > CACHE and one != target:
            one.unlink(missing_ok=True)
    return target


def unpacked(media: Media) -> bool:
    """Whether its frames lie ready: then they are had at once."""
    return (cache() / f"{Path(media.file).name}.npy").exists()


def frames_of(show: Show, media: Media) -> Source | None:
    """The frames of a picture of the show as a source; None where they cannot be had."""
    if Path(media.file).name != media.file:
        return None
    target = cache() / f"{media.file}.npy"
    if not target.exists():
        kept = next((f for f in show.files if f.name == media.file), None)
        if kept is None or not kept.data:
            return None
        try:
            target = _unpack(kept, media)
        except (FileFault, OSError):
            return None
    try:
        frames, high, wide, _ = np.load(target, mmap_mode="r").shape
    except (OSError, ValueError):
        return None
    return Kept(str(target), (wide, high), frames, max(0.1, media.rate))


def _unpack(kept: StoredFile, media: Media) -> Path:
    with tempfile.TemporaryDirectory(prefix="isthmus-") as folder:
        packed, frames = Path(folder, "packed"), Path(folder, "frames.npy")
        packed.write_bytes(kept.data)
        _run(["unpack", str(packed), str(frames)], media.name, lambda share, words: None)
        return _keep(frames, media.file)
