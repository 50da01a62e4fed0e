"""The shows that can be held against each other: what is now, its versions, and other files."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget

from isthmus.app.model.looking import called
from isthmus.app.model.workbench import Workbench
from isthmus.plural import begun
from isthmus.show import Show, open_show
from isthmus.show.container import SUFFIX
from isthmus.show.versions import shown, version_named

NOW = "now"
FILES = f"Isthmus shows (*{SUFFIX})"
MVR = ".mvr"
RIGS = f"Shows and MVR files (*{SUFFIX} *{MVR})"


def ask_show(over: QWidget, title: str, folder: str = "", kinds: str = FILES) -> Path | None:
    """A show file that is there; None when the question is put away."""
    name, _ = QFileDialog.getOpenFileName(
        over.window(), title, folder, kinds, options=QFileDialog.Option.DontUseNativeDialog
    )
    return Path(name) if name else None


class Sides:
    """Each goes by a key: `now`, the number of a version, the path of a file, or `path@number` of a
    version in one.
    """

    def __init__(self, bench: Workbench) -> None:
        self.bench = bench
        self.asked = ""  # the key of what another page wishes to be compared
        self._files: dict[str, Show] = {}
        self._versions: dict[str, Show] = {}  # by root
        bench.adopted.connect(self._versions.clear)

    def open(self, path: Path) -> str:
        """Another show, read and never written; its key. An MVR file is what others made of ours.
        Raises FileFault.
        """
        key = str(path.resolve())
        if path.suffix.lower() == MVR:
            self._files[key] = self._read_mvr(path)
        else:
            self._files[key] = open_show(path)
        return key

    def _read_mvr(self, path: Path) -> Show:
        from isthmus.library.at_hand import at_hand  # these are not needed at the start
        from isthmus.mvr import open_mvr

        now = self.bench.history.show
        came = open_mvr(path, at_hand(now), now)
        for notice in came.notices[:1]:
            more = f" (and {len(came.notices) - 1} more)" if len(came.notices) > 1 else ""
            self.bench.told.emit("warning", f"{path.name}: {notice}{more}")
        return came.show

    @property
    def names(self) -> list[tuple[str, str]]:
        """Keys with what they are called, the newest first."""
        versions = self.bench.history.show.versions
        made = [(NOW, "Now")]
        made += [(str(v.number), begun(called(v))) for v in reversed(versions)]
        return made + self.files

    @property
    def files(self) -> list[tuple[str, str]]:
        """Other shows that were opened, each with its versions."""
        found = []
        for key, show in self._files.items():
            name = f"{Path(key).name} in {Path(key).parent}"
            found.append((key, name))
            found += [
                (f"{key}@{v.number}", f"{begun(called(v))}, of {name}")
                for v in reversed(show.versions)
            ]
        return found

    def name(self, key: str) -> str:
        return next((name for one, name in self.names if one == key), key)

    def show(self, key: str) -> Show:
        """Raises IsthmusError for what is damaged, or not there any more."""
        now = self.bench.history.show
        if key == NOW:
            return now
        if key in self._files:
            return self._files[key]
        file, _, number = key.rpartition("@")
        holder = self._files[file] if file else now
        version = version_named(holder, int(number))
        if version.root not in self._versions:
            self._versions[version.root] = shown(holder, version)
        return self._versions[version.root]
