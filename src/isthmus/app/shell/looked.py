"""The strip above every page while a version is looked at."""

from __future__ import annotations

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QWidget

from isthmus.app.kit.actions import Registry
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, theme
from isthmus.app.kit.widgets import bind, button, label
from isthmus.app.model.looking import called
from isthmus.app.model.workbench import Workbench
from isthmus.show.versions import gone_back


class LookedAt(Painted, QWidget):
    def __init__(self, bench: Workbench, actions: Registry) -> None:
        super().__init__()
        self.bench = bench
        self.setObjectName("looked at")
        self.setFixedHeight(40)
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 0, 16, 0)
        row.setSpacing(8)
        self.words = label("", size="body")
        self.words.setFont(font("body", 600))
        row.addWidget(self.words, 1)
        row.addWidget(button("Go back to it", run=self.go_back, name="go back to looked"))
        row.addWidget(
            button("Come back to now", "primary", lambda: bench.look_at(None), 28, "leave version")
        )
        bind(bench.changed, self, self._follow)
        theme.changed.connect(self.update)
        self.hide()

    def _follow(self) -> None:
        looked = self.bench.looked
        self.setVisible(looked is not None)
        if looked is not None:
            self.words.setText(looked.words)

    def go_back(self) -> None:
        """What is looked at becomes what is now; what was now stays as a version."""
        looked, bench = self.bench.looked, self.bench
        if looked is not None:
            bench.look_at(None)
            bench.commit(
                f"Go back to {called(looked.version)}", gone_back(bench.show, looked.version)
            )

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.fillRect(self.rect(), theme.color("shelf"))
        p.fillRect(QRectF(0, 0, self.width(), 4), theme.color("ochre"))
        p.fillRect(QRectF(0, self.height() - 4, self.width(), 4), theme.color("ochre"))
