"""What a look of a hunt shows, address by address."""

from __future__ import annotations

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, theme
from isthmus.check.hunt import Hunt
from isthmus.check.hunt_asked import HuntLook
from isthmus.check.hunt_flashes import STEADY
from isthmus.show.records import SLOTS

LEFT, TOP, ROW, BAR = 44, 18, 34, 20  # pixels
ROWS = 8  # universes
LEGIBLE = (20, 46)  # pixels a part needs for how often it flashes, or that it is steady
NEAR, AROUND = 64, 8  # addresses: so few that are left are looked at closely, with so many around


class Field(Painted, QWidget):
    """All addresses in question, a row for each universe: what is lit now, and where the unit still
    could be. With few places left only those around them.
    """

    def __init__(self) -> None:
        super().__init__()
        self.hunt: Hunt | None = None
        self.look: HuntLook | None = None
        self.seen = 1, SLOTS  # addresses
        self.setMinimumHeight(64)

    def take(self, hunt: Hunt | None, look: HuntLook | None) -> None:
        self.hunt, self.look = hunt, look
        self.seen = self._seen(hunt) if hunt and look else (1, SLOTS)
        self.setFixedHeight(40 + ROW * min(ROWS, len(hunt.universes) if hunt else 1))
        self.update()

    @staticmethod
    def _seen(hunt: Hunt) -> tuple[int, int]:
        left = [p.address for p, alive in zip(hunt.places, hunt.alive, strict=True) if alive]
        left = [address for address in left if address] or [1, SLOTS]
        if max(left) - min(left) > NEAR:
            return 1, SLOTS
        return max(1, min(left) - AROUND), min(SLOTS, max(left) + 2 * AROUND)

    def _x(self, address: float) -> float:
        """Where an address begins."""
        first, last = self.seen
        share = (address - first) / (last - first + 1)
        return LEFT + (self.width() - LEFT - 2) * min(1.0, max(0.0, share))

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        if self.hunt is None:
            return
        for row, universe in enumerate(self.hunt.universes[:ROWS]):
            y = float(TOP + ROW * row)
            paint.text(p, 0, y, str(universe), font("table", 500, mono=True), "text2", height=BAR)
            p.fillRect(QRectF(LEFT, y, self.width() - LEFT - 2, BAR), theme.color("deep"))
            self._lit(p, row, y)
            for place, alive in zip(self.hunt.places, self.hunt.alive, strict=True):
                if alive and place.universe == universe:
                    x = self._x(place.address)
                    wide = max(2.0, self._x(place.address + 1) - x)
                    p.fillRect(QRectF(x, y + 15, wide, 4), theme.color("teal"))
            self._patched(p, self.hunt, universe, y)
        self._scale(p)

    def _lit(self, p: QPainter, row: int, y: float) -> None:
        """The parts that are lit, and how often each flashes."""
        for first, last, count in self.look.runs(row) if self.look else ():
            x, end = self._x(first + 1), self._x(last + 1)
            if end <= x:
                continue
            p.fillRect(QRectF(x, y, end - x, BAR), theme.color("select_row"))
            for edge, slot in ((x, first + 1), (end, last + 1)):
                if self.seen[0] < slot <= self.seen[1]:
                    p.fillRect(QRectF(edge - 1, y - 3, 2, BAR + 6), theme.color("coral"))
            assert self.look
            if self.look.flashes and end - x > LEGIBLE[count == STEADY]:
                name = "steady" if count == STEADY else f"{count}×"
                paint.text(p, x + 5, y, name, font("caption"), "text", height=14)

    def _patched(self, p: QPainter, hunt: Hunt, universe: int, y: float) -> None:
        """Where the patch has it."""
        for patched in hunt.unit.patch:
            if patched.universe == universe and self.seen[0] <= patched.address <= self.seen[1]:
                x = self._x(patched.address)
                p.fillRect(QRectF(x, y + BAR, 2, 5), theme.color("text2"))
                words = f"patched {patched.address:03d}"
                paint.text(p, x + 5, y + BAR - 1, words, font("caption"), "text2", height=14)

    def _scale(self, p: QPainter) -> None:
        first, last = self.seen
        for quarter in range(5):
            address = first + round((last - first) * quarter / 4)
            x = min(self._x(address), self.width() - 26)
            paint.text(p, x, 0, str(address), font("caption", mono=True), "text3", height=16)
