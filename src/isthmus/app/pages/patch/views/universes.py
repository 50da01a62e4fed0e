"""The Universes view: all of them as one picture, and how near it is looked at."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout

from isthmus.app.kit.widgets import PageView, button, column_of, label
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.patch.views.universe_map import UniverseMap
from isthmus.plural import many


class UniversesView(PageView):
    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.map = UniverseMap(bench)
        column = column_of(self)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.scale = label("", "quiet")
        row.addWidget(self.scale, 1)
        row.addWidget(button("Smaller", run=lambda: self.map.zoom(0.6)))
        row.addWidget(button("Larger", run=lambda: self.map.zoom(1.6)))
        row.addWidget(
            button("Channels with values", run=lambda: self.map.zoom(40.0 / self.map.scale))
        )
        row.addWidget(button("All", run=lambda: self.map.zoom(0.001), name="All universes"))
        column.addLayout(row)
        column.addWidget(self.map, 1)
        self.map.zoomed.connect(self._say_scale)

    def entered(self) -> None:
        self.map.reload()
        self._say_scale()
        self.map.setFocus(Qt.FocusReason.OtherFocusReason)

    def _say_scale(self) -> None:
        how = "each slot with attribute and value" if self.map.scale >= 26 else "by unit"
        self.scale.setText(
            f"{many(len(self.map.known), 'universe')}, {how}. Drag a span to re-address it; "
            "Ctrl and "
            "wheel zoom."
        )
