"""Address in use: who, what each way out would move, before and after. One key
chooses.
"""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.widgets import button, label, plain_tip
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.patch.views.strip import Strips
from isthmus.patch.addresses import Move, Placing, Way, moves_between
from isthmus.show import write_address
from isthmus.show.records import Patched

KEYS = {"room": "1", "swap": "2", "take": "3", "allow": "4"}


def where(move: Move) -> str:
    """`203: 2.101 → 2.140`."""

    def place(patch: tuple[Patched, ...]) -> str:
        return ", ".join(write_address(p.universe, p.address) for p in patch) or "no address"

    return f"{move.number}: {place(move.before)} → {place(move.after)}"


class WaysDialog(Frame):
    def __init__(self, bench: Workbench, placing: Placing, name: str, parent: QWidget) -> None:
        super().__init__(parent, "Address in use", "Apply", self._take, 760)
        self.setObjectName("ways out")
        self.bench, self.placing, self.name = bench, placing, name
        blocked = placing.in_the_way
        names = ", ".join(f"{u.number} {u.name}" for u in blocked[:4]) + (
            f" and {len(blocked) - 4} more" if len(blocked) > 4 else ""
        )
        self.body.addWidget(label(f"In the way: {names}.", size="body", weight=500, wrap=True))
        row = QHBoxLayout()
        column = QVBoxLayout()
        column.setSpacing(4)
        self.buttons_of = {}
        for way in placing.ways:
            made = button(
                f"{KEYS[way.key]}   {way.label}",
                run=lambda w=way: self._choose(w),
                height=30,
                name=f"way {way.key}",
            )
            made.setCheckable(True)
            made.setAutoDefault(False)
            made.setStyleSheet("text-align: left;")
            made.setEnabled(way.show is not None)
            made.setToolTip(plain_tip(f"Not possible: {way.why_not}." if way.why_not else ""))
            self.buttons_of[way.key] = made
            column.addWidget(made)
            if way.why_not:
                column.addWidget(label(f"Not here: {way.why_not}.", "quiet", "caption", wrap=True))
        row.addLayout(column)
        self.body.addLayout(row)
        self.strips = Strips()
        self.body.addSpacing(4)
        self.body.addWidget(self.strips)
        self.moves = label("", "quiet", wrap=True)
        self.moves.setMinimumHeight(34)
        self.moves.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.body.addWidget(self.moves)
        self.body.addWidget(label("Keys 1 to 4 apply; Esc changes nothing.", "quiet", "caption"))
        self._choose(next(way for way in placing.ways if way.show is not None))

    def _choose(self, way: Way) -> None:
        self.way = way
        for key, made in self.buttons_of.items():
            made.setChecked(key == way.key)
        movers = [u.id for u in self.placing.in_the_way]
        before = self.bench.show
        changed = [move.unit for move in moves_between(before, self.placing.show)]
        self.strips.compare(before, way.show, [*changed, *movers])
        words = "; ".join(where(move) for move in way.moves[:6]) + (
            f"; and {len(way.moves) - 6} more" if len(way.moves) > 6 else ""
        )
        self.moves.setText(
            f"Besides: {words}."
            if way.moves
            else "No other unit moves. The double address remains a snag."
        )
        self.adjustSize()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        way = next(
            (w for w in self.placing.ways if KEYS[w.key] == event.text() and w.show is not None),
            None,
        )
        if way is None:
            super().keyPressEvent(event)
            return
        self._choose(way)
        self._run()

    def _take(self) -> bool:
        if self.way.show is None:
            return False
        self.bench.commit(self.name, self.way.show)
        return True
