"""How the stage is drawn now: one setting for all its views, by sliders or chosen by name."""

from __future__ import annotations

import msgspec
from PySide6.QtCore import QObject, Signal

from isthmus.app.kit.settings import Settings
from isthmus.stage.drawing import EVEN, LEVELS, Drawing, levelled


class StageDrawing(QObject):
    """`now` is what is drawn; it is kept with the settings of this computer."""

    changed = Signal()

    def __init__(self, kept: Settings) -> None:
        super().__init__()
        self._kept = kept
        known = {d.name: d for d in self.all()}
        self.now: Drawing = kept.drawn or known.get(kept.drawing, EVEN)
        self.room_set = self.now.room != EVEN.room  # until then a working light is on

    def all(self) -> list[Drawing]:
        """The shipped levels, then one's own settings."""
        return [*LEVELS, *self._kept.drawings]

    def change(self, **values: object) -> None:
        """Change some of what is set; its name stays until it is kept under another."""
        self.room_set = self.room_set or "room" in values
        self._take(msgspec.structs.replace(self.now, **values))

    def use(self, one: Drawing) -> None:
        """Take a setting: a shipped level leaves haze and light as they are."""
        if one in LEVELS:
            one = levelled(one, self.now)
        else:
            self.room_set = one.room != EVEN.room
        self._take(one)

    def _take(self, one: Drawing) -> None:
        self.now = self._kept.drawn = one
        self._kept.drawing = one.name
        self.changed.emit()
