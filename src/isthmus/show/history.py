"""Undo and redo as a list of snapshots. Unchanged parts of two snapshots are the same objects.

At least 100 steps are kept, and beyond those as many as fit in 200 MB.
"""

from __future__ import annotations

from dataclasses import dataclass

from isthmus.show.records import Show

DEPTH = 100
ROOM = 200 * 1024 * 1024
STEP = 512  # bytes of a step that changes next to nothing


@dataclass(frozen=True)
class Step:
    name: str
    show: Show
    weight: int = STEP  # bytes it keeps that no other step has


class History:
    """Where the show stands among its edits, and how far that is from the version last saved."""

    def __init__(self, show: Show) -> None:
        self._steps = [Step("", show)]
        self._at = 0
        self._saved: int | None = 0
        self._weight = 0
        self.gone = 0  # steps that were given up for room

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
    def steps(self) -> int:
        """How many edits can be undone from here."""
        return self._at

    @property
    def unsaved(self) -> int:
        """How many edits lie between here and the saved version; 0 when nothing is unsaved."""
        return self._at + 1 if self._saved is None else abs(self._at - self._saved)

    def commit(self, name: str, show: Show, weight: int = 0) -> bool:
        """Take a new version that holds `weight` bytes of its own. Returns False, and keeps no
        step, when nothing changed.
        """
        if show is self.show or show == self.show:
            return False
        if self._saved is not None and self._saved > self._at:
            self._saved = None  # the saved version was on the branch that is now given up
        self._weight -= sum(step.weight for step in self._steps[self._at + 1 :])
        del self._steps[self._at + 1 :]
        self._steps.append(Step(name, show, weight + STEP))
        self._weight += weight + STEP
        self._at += 1
        over = 0
        while len(self._steps) - over > DEPTH + 1 and self._weight > ROOM:
            over += 1
            self._weight -= self._steps[
                over
            ].weight  # what the one now oldest holds is held by those after it too
        if over:
            del self._steps[:over]
            self.gone += over
            self._at -= over
            if self._saved is not None:
                self._saved = self._saved - over if self._saved >= over else None
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
