"""Self-saving: a copy of unsaved work beside the person's own files, never in place of them."""

from __future__ import annotations

import time
from dataclasses import dataclass
from pathlib import Path

import msgspec

from isthmus.errors import IsthmusError
from isthmus.show.container import SUFFIX, open_show, save_show, write_atomically
from isthmus.show.records import Show

Levels = tuple[tuple[str, int, str, float], ...]


@dataclass(frozen=True)
class Found:
    """Work of an earlier run that was never saved."""

    file: Path
    show: Show
    original: Path | None
    when: float
    levels: Levels = ()  # live levels a roll call had put aside


class Recovery:
    """One file for this run in a folder; taken away when the work is saved or given up."""

    def __init__(self, folder: Path, tag: str) -> None:
        self.folder, self.tag = folder, tag

    @property
    def file(self) -> Path:
        return self.folder / f"{self.tag}{SUFFIX}"

    def keep(self, show: Show, original: Path | None, levels: Levels = ()) -> None:
        """`levels` are (unit, cell, attribute, level) to be given back. Raises FileFault."""
        self.folder.mkdir(parents=True, exist_ok=True)
        save_show(show, self.file)
        write_atomically(
            self.file.with_suffix(".json"),
            msgspec.json.encode({"original": str(original) if original else "", "when": time.time(), "levels": levels}),
        )

    def drop(self) -> None:
        self.file.unlink(missing_ok=True)
        self.file.with_suffix(".json").unlink(missing_ok=True)

    def left_behind(self, alive: set[str]) -> list[Found]:
        """Copies of runs that are not alive any more, newest first; what does not read is left where it is."""
        found = []
        for file in self.folder.glob(f"*{SUFFIX}"):
            if file.stem in alive or file.stem == self.tag:
                continue
            try:
                about = msgspec.json.decode(file.with_suffix(".json").read_bytes())
                original = Path(about["original"]) if about["original"] else None
                levels = msgspec.convert(about.get("levels", ()), Levels)
                found.append(Found(file, open_show(file), original, float(about["when"]), levels))
            except (OSError, IsthmusError, msgspec.MsgspecError, KeyError, TypeError, ValueError):
                continue
        return sorted(found, key=lambda f: -f.when)
