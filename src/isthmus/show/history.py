"""Undo and redo as a list of snapshots. Unchanged parts of two snapshots are the same objects."""

from __future__ import annotations

from dataclasses import dataclass

from isthmus.show.records import Show

DEPTH = 500


@dataclass(frozen=True)
class Step:
    name: str
    show: Show


class History:
    """Where the show stands among its edits, and how far that is from the version last saved."""

    def __init__(self, show: Show) -> None:
        self._steps = [Step("", show)]
        self._at = 0
        self._saved: int | None = 0

    @property
    def show(self) -> Show:
        return self._steps[self._at].show

    @property
    def undo_name(self) -> str | None:
        return self._steps[self._at].name if self._at else None

    @property
    def redo_name(self) -> str | None:
        return self._steps[self._at + 1].name if self._at + 1 < len(self._steps) else None

    @property
    def unsaved(self) -> int:
        """How many edits lie between here and the saved version; 0 when nothing is unsaved."""
        return self._at + 1 if self._saved is None else abs(self._at - self._saved)

    def commit(self, name: str, show: Show) -> bool:
        """Take a new version. Returns False, and keeps no step, when nothing changed."""
        if show is self.show or show == self.show:
            return False
        if self._saved is not None and self._saved > self._at:
            self._saved = None  # the saved version was on the branch that is now given up
        del self._steps[self._at + 1 :]
        self._steps.append(Step(name, show))
        self._at += 1
        if len(self._steps) > DEPTH:
            self._steps.pop(0)
            self._at -= 1
            if self._saved is not None:
                self._saved = self._saved - 1 if self._saved else None
        return True

    def undo(self) -> str:
        name = self._steps[self._at].name
        self._at = max(0, self._at - 1)
        return name

    def redo(self) -> str:
        self._at = min(len(self._steps) - 1, self._at + 1)
        return self._steps[self._at].name

    def mark_saved(self) -> None:
        self._saved = self._at

    def mark_unsaved(self) -> None:
        """Nothing of this is on disk yet (a recovered show)."""
        self._saved = None
