"""The wiring check: a few pictures on the rig and on screen, and what differs marked."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.theme import font, theme
from isthmus.app.kit.widgets import PageView, bind, button, choice, column_of, label, while_seen
from isthmus.app.model.rig_link import RigLink
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.pixels.views.answered import RigBelow
from isthmus.app.pages.pixels.views.grid_picture import Codes, GridPicture, screen_codes
from isthmus.check.prove_picture import RUN
from isthmus.check.wiring import Look
from isthmus.show.records import PixelGrid


class Expected(GridPicture):
    """The picture as it should be, with what was marked written on each panel."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__(bench)
        self.light: list[np.ndarray] = []
        self.order = False
        while_seen(self, round(1000 * RUN / 4), self.update)
        self.setObjectName("expected picture")
        self.setAccessibleName("How it should look; a click selects a panel that differs")

    def colours(self) -> Codes:
        count = len(self.grid.cells) if self.grid else 0
        step = self.bench.grid_tests.step  # in step with the rig
        light = self.light[step % len(self.light)] if self.light else np.zeros((count, 3))
        if len(light) != count:
            light = np.zeros((count, 3))
        return screen_codes(light)

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.save()
        super().draw(p, event)
        p.restore()
        if self.grid is None:
            return
        for unit, words in self.bench.grid_tests.marks.items():
            mine = self._outlines().get(unit)
            if mine is None:
                continue
            (left, top), (right, bottom) = mine.low, mine.high
            outline = self.box(left, top).united(self.box(right - 1, bottom - 1))
            bar = outline.adjusted(2, outline.height() - 19, -2, -2)
            p.fillRect(bar, theme.color("coral"))
            paint.text(
                p, bar.left() + 3, bar.top(), words, font("caption", 600), "on_coral",
                width=bar.width() - 6, height=bar.height(),
            )  # fmt: skip


class WiringView(PageView):
    def __init__(self, bench: Workbench, rig: RigLink | None = None) -> None:
        super().__init__()
        self.bench, self.rig = bench, rig
        self.tests = bench.grid_tests
        row = QHBoxLayout()
        row.setSpacing(16)
        column_of(self).addLayout(row, 1)
        left = QWidget()
        left.setFixedWidth(264)
        left.setLayout(self._left())
        row.addWidget(left)
        row.addLayout(self._right(), 1)
        bind(bench.changed, self, self._changed)
        bind(self.tests.changed, self, self._changed)
        bind(bench.selection.changed, self, self._enable)
        self._changed()

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(label("Grid", "quiet"))
        self.grids = choice("wiring grid")
        self.grids.activated.connect(lambda _: self.tests.stop())
        column.addWidget(self.grids)
        self.begin_button = button("Begin the check", run=self.begin, name="begin wiring")
        column.addWidget(self.begin_button)
        self.asks = label("", size="body", weight=600, wrap=True)
        self.asks.setObjectName("wiring question")
        column.addWidget(self.asks)
        self.how = label(
            "Look at the rig. Click each panel that differs from the picture here and say what "
            "it shows; several with Ctrl. When all is marked, go on.",
            "quiet",
            wrap=True,
        )
        column.addWidget(self.how)
        self.answers = choice("wiring answer")
        column.addWidget(self.answers)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.mark_button = button("They show this", run=self.mark, name="mark wiring")
        self.clear_button = button("As on screen", run=self.clear, name="clear wiring")
        for one in (self.mark_button, self.clear_button):
            line.addWidget(one)
        line.addStretch(1)
        column.addLayout(line)
        self.next_button = button("Go on", "primary", self.go_on, 30, "next wiring")
        column.addWidget(self.next_button)
        self.found = label("", wrap=True)
        self.found.setObjectName("wiring found")
        column.addWidget(self.found)
        self.fix_button = button("Change the grid so", "primary", self.fix, 30, "fix wiring")
        column.addWidget(self.fix_button)
        column.addStretch(1)
        return column

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.title = label("", size="section", weight=600)
        column.addWidget(self.title)
        self.picture = Expected(self.bench)
        column.addWidget(self.picture, 1)
        self.below = RigBelow(self.bench, self.rig)
        self.below.setVisible(self.rig is not None)
        column.addWidget(self.below, 1)
        return column

    # ------------------------------------------------------------ what is so

    def entered(self) -> None:
        self.begin_button.setFocus(Qt.FocusReason.OtherFocusReason)

    def left(self) -> None:
        self.tests.stop()

    def _changed(self) -> None:
        grids = sorted(self.bench.show.grids, key=lambda grid: grid.number)
        check = self.tests.check
        here = check.panels.grid.id if check else self.grids.currentData()
        self.grids.clear()
        for grid in grids:
            self.grids.addItem(f"{grid.number}  {grid.name}", grid.id)
        self.grids.setCurrentIndex(max(0, self.grids.findData(here)))
        self._tell()

    def grid_here(self) -> PixelGrid | None:
        return next((g for g in self.bench.show.grids if g.id == self.grids.currentData()), None)

    def _tell(self) -> None:
        check, look = self.tests.check, self.tests.look
        asking, ended = look is not None, check is not None and look is None
        for part in (self.asks, self.how, self.answers, self.mark_button, self.clear_button):
            part.setVisible(asking)
        self.next_button.setVisible(asking)
        for part in (self.found, self.fix_button):
            part.setVisible(ended)
        self.begin_button.setText("Begin again" if check else "Begin the check")
        grid = self.grid_here()
        self.picture.take(grid)
        self.below.take(grid)
        name = (grid.name or f"grid {grid.number}") if grid else ""
        self.title.setText(f"{name}: how it should look" if asking else name or "No grid yet")
        if look is not None and check is not None:
            self._ask(look)
        elif check is not None:
            self.found.setText("\n".join(check.told()))
            self.fix_button.setVisible(check.likely()[0].fault.mends_grid)
        self.picture.light = look.steps(check.panels) if look and check else []
        self.picture.numbered = not asking
        self._enable()
        self.picture.update()

    def _ask(self, look: Look) -> None:
        self.asks.setText(self.tests.asks)
        if tuple(self.answers.itemData(i) for i in range(self.answers.count())) != look.answers:
            self.answers.clear()
            for words in look.answers:
                self.answers.addItem(words[0].upper() + words[1:], words)

    def _enable(self) -> None:
        self.begin_button.setEnabled(self.grid_here() is not None)
        mine = bool(self._units())
        self.mark_button.setEnabled(mine)
        self.clear_button.setEnabled(bool(self.tests.marks))

    def _units(self) -> list[str]:
        check = self.tests.check
        there = set(check.panels.units) if check else set()
        return [unit for unit in self.bench.selection.ids if unit in there]

    # ------------------------------------------------------------ acts

    def begin(self) -> None:
        """The first picture."""
        self.bench.guard(lambda: self.tests.begin(self.grid_here()))

    def mark(self) -> None:
        """What the selected panels show."""
        mine = self._units()
        self.bench.selection.select([])
        self.tests.mark(mine, str(self.answers.currentData()))

    def clear(self) -> None:
        """The selected panels are as on screen; all, when none is selected."""
        self.tests.mark(self._units() or list(self.tests.marks), "")

    def go_on(self) -> None:
        self.bench.selection.select([])
        self.tests.go_on()

    def fix(self) -> None:
        """The grid changed to what was found."""
        self.bench.guard(self.tests.fix)
