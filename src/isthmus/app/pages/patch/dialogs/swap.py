"""Change profile or mode for what is selected: what is kept, what moves, what does not fit, before
it is done.
"""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QCompleter,
    QGridLayout,
    QListWidget,
    QListWidgetItem,
    QWidget,
)

from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.theme import font, theme
from isthmus.app.kit.widgets import choice, label
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault
from isthmus.library.at_hand import at_hand
from isthmus.patch.replace import KEPT, LOST, MOVED, Replaced, replace_type
from isthmus.plural import many
from isthmus.profiles import chart

ROLES = {KEPT: "text2", MOVED: "ochre", LOST: "fault"}


class SwapDialog(Frame):
    def __init__(self, bench: Workbench, parent: QWidget) -> None:
        super().__init__(parent, "Change profile or mode", "Replace", self._take, 720)
        self.setObjectName("another profile")
        self.bench = bench
        self.found: Replaced | None = None
        self.shelf = at_hand(bench.show)
        units = bench.selection.units()
        self.profile = choice(
            "new profile",
            [
                (k, f"{p.label}  ({p.maker})")
                for k, p in sorted(self.shelf.profiles.profiles.items())
            ],
        )
        self.profile.setEditable(True)
        self.profile.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        finder = QCompleter([self.profile.itemText(i) for i in range(self.profile.count())], self)
        finder.setFilterMode(Qt.MatchFlag.MatchContains)
        finder.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.profile.setCompleter(finder)
        self.mode = choice("new mode")
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        for y, (words, widget) in enumerate((("Profile", self.profile), ("Mode", self.mode))):
            grid.addWidget(label(words, "quiet"), y, 0)
            grid.addWidget(widget, y, 1)
        grid.setColumnStretch(1, 1)
        self.body.addLayout(grid)
        self.outcome = label("", size="body", weight=500, wrap=True)
        self.body.addWidget(self.outcome)
        self.list = QListWidget()
        self.list.setObjectName("what becomes of each")
        self.list.setFont(font("table"))
        self.body.addWidget(self.list, 1)
        self.profile.setCurrentIndex(
            max(0, self.profile.findData(units[0].profile if units else ""))
        )
        self.profile.currentIndexChanged.connect(lambda _: self._modes())
        self.mode.currentIndexChanged.connect(lambda _: self._preview())
        self._modes(units[0].mode if units else "")

    def _modes(self, chosen: str = "") -> None:
        profile = self.shelf.profiles.profiles.get(self.profile.currentData() or "")
        self.mode.blockSignals(True)
        self.mode.clear()
        for mode in profile.modes if profile else ():
            self.mode.addItem(f"{mode.name}  ({chart(profile, mode).footprint} slots)", mode.name)  # type: ignore[arg-type]
        self.mode.setCurrentIndex(max(0, self.mode.findData(chosen)))
        self.mode.blockSignals(False)
        self._preview()

    def _preview(self) -> None:
        self.found = None
        self.list.clear()
        key, mode = self.profile.currentData(), self.mode.currentData()
        if not key or not mode:
            self.say_trouble("Choose a profile and a mode.")
            return
        try:
            self.found = replace_type(
                self.bench.show, self.bench.selection.ids, self.shelf.stored[key], mode
            )
        except EntryFault as fault:
            self.say_trouble(str(fault))
            return
        self.say_trouble("")
        counts = {
            what: sum(line[1] == what for line in self.found.lines) for what in (KEPT, MOVED, LOST)
        }
        self.outcome.setText(
            f"{counts[KEPT]} keep their address, {counts[MOVED]} move, {counts[LOST]} do not fit."
        )
        for number, what, words in sorted(
            self.found.lines, key=lambda line: (-list(ROLES).index(line[1]), line[0])
        ):
            item = QListWidgetItem(f"{number}   {words}")
            item.setForeground(theme.color(ROLES[what]))
            self.list.addItem(item)
        self.primary.setEnabled(self.found.show is not self.bench.show)

    def _take(self) -> bool:
        if self.found is None:
            return False
        count = len(self.found.lines)
        self.bench.commit(f"change profile or mode for {many(count, 'unit')}", self.found.show)
        return True
