"""Title and venue of the show, edited where they are shown."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFrame, QGridLayout, QWidget

from isthmus.app.kit.widgets import button, field, label
from isthmus.app.model.workbench import UNTITLED, Workbench


class Naming(QFrame):
    """Title and venue, edited where they are shown. Enter takes both, Escape leaves them."""

    def __init__(self, bench: Workbench, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("naming")
        self.setProperty("kind", "popup")
        self.bench = bench
        grid = QGridLayout(self)
        grid.setContentsMargins(12, 10, 12, 12)
        named = bench.show.name != UNTITLED
        self.name = field("title of the show", bench.show.name if named else "", UNTITLED)
        self.venue = field("venue", bench.show.venue, "Where it is")
        for row, (words, line) in enumerate((("Title", self.name), ("Venue", self.venue))):
            grid.addWidget(label(words, "quiet"), row, 0)
            grid.addWidget(line, row, 1)
            line.setMinimumWidth(300)
            line.returnPressed.connect(self._take)
        done = button("Apply", "primary", self._take, 28)
        grid.addWidget(done, 2, 1, Qt.AlignmentFlag.AlignRight)
        self.name.selectAll()

    def open_at(self, place: QPoint) -> None:
        self.move(place)
        self.show()
        self.name.setFocus()

    def _take(self) -> None:
        self.bench.entitle(self.name.text(), self.venue.text())
        self.close()
