"""Hand controls for every attribute of the selected units: a strip each, with what they have, a
slider, and the ranges by name.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QFontMetrics, QWheelEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QSlider, QVBoxLayout, QWidget

from isthmus.app.kit.widgets import Choice, choice, field, label, plain_tip, set_property
from isthmus.app.model.winning import NO_ONE, Winner, who_wins
from isthmus.app.model.workbench import Workbench
from isthmus.check.handles import Handle, handles_of, set_by_words, set_share, share_of
from isthmus.output import Live
from isthmus.output.live import Asked

WIDE, HIGH, STEPS = 114, 20, 1000
ALL = -1  # of the choice of cells


class _Slider(QSlider):
    """The wheel scrolls past it: a light must not turn because someone looks for an attribute."""

    def wheelEvent(self, e: QWheelEvent) -> None:
        e.ignore()


class _Sideways(QScrollArea):
    """Either wheel scrolls it sideways."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        by = event.angleDelta()
        bar = self.horizontalScrollBar()
        bar.setValue(bar.value() - (by.x() or by.y()))
        event.accept()


class Strip(QWidget):
    """One attribute. `typed` is called with the words of its field, `slid` with a share 0…1."""

    def __init__(
        self, attribute: str, typed: Callable[[str], object], slid: Callable[[float], object]
    ) -> None:
        super().__init__()
        self.attribute = attribute
        self.setFixedWidth(WIDE)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        self.title = label("", "quiet", "caption")
        self.field = field(f"hand {attribute}", mono=True)
        self.field.setFixedHeight(HIGH)
        self.slider = _Slider(Qt.Orientation.Horizontal)
        self.slider.setObjectName(f"slide {attribute}")
        self.slider.setRange(0, STEPS)
        self.slider.setPageStep(STEPS // 20)
        self.ranges = choice(f"range {attribute}")
        self.ranges.setFixedHeight(HIGH)
        self.slider.setFixedHeight(14)
        self.title.setFixedHeight(14)
        self.whose = label("", "quiet", 10)
        self.whose.setObjectName(f"whose {attribute}")
        self.whose.setFixedHeight(12)
        for part in (self.title, self.field, self.slider, self.ranges, self.whose):
            column.addWidget(part)
        column.addStretch(1)
        self.field.returnPressed.connect(lambda: typed(self.field.text()))
        self.slider.valueChanged.connect(lambda value: slid(value / STEPS))
        self.ranges.activated.connect(lambda _: typed(self.ranges.currentText()))

    def show_handle(self, handle: Handle, share: float, who: Winner = NO_ONE) -> None:
        """`who` says who has the say on the first unit's."""
        name = handle.name[:1].upper() + handle.name[1:]
        self.title.setText(name)
        words = ", ".join(handle.values)
        same = len(handle.values) == 1
        if not self.field.hasFocus() or not self.field.isModified():
            self.field.setText(words if same else "")
            self.field.setModified(False)
        self.field.setPlaceholderText("" if same else f"≠ {words}")
        ends = ""
        if handle.low is not None and handle.high is not None:
            ends = f" from {handle.low:g}° to {handle.high:g}°".replace("-", "−")
        how = "degrees" if ends else "percent"
        tip = f"{name}{ends}: type {how}, a range by name, or a step such as +5"
        if handle.guarded:
            tip += "\nWhat resets a unit or switches a lamp is not sent from here"
        told = [tip, "" if same else f"Now {words}", who.words]
        self.field.setToolTip(plain_tip("\n".join(t for t in told if t)))
        room = QFontMetrics(self.whose.font())
        self.whose.setText(room.elidedText(who.short, Qt.TextElideMode.ElideRight, WIDE))
        set_property(self.whose, "kind", "attention" if who.limited else "quiet")
        for part in (self.title, self.whose):
            part.setToolTip(plain_tip(who.words))
        self.slider.setToolTip(plain_tip(f"{name}{ends}\n{who.words}".rstrip()))
        for part in (self.field, self.slider, self.ranges):
            part.setAccessibleName(name)
        if not self.slider.isSliderDown():
            self.slider.blockSignals(True)
            self.slider.setValue(round(share * STEPS))
            self.slider.blockSignals(False)
        self._show_ranges(handle, words if same else "")

    def _show_ranges(self, handle: Handle, now: str) -> None:
        names = list(handle.names)
        box: Choice = self.ranges
        box.setVisible(bool(names))
        if [box.itemText(i) for i in range(box.count())] != names:
            box.clear()
            box.addItems(names)
        box.setCurrentIndex(names.index(now) if now in names else -1)
        box.setPlaceholderText("ranges")
        box.setToolTip(plain_tip(f"Ranges of {handle.name}, by name"))


class Strips(QFrame):
    """All strips in a row that scrolls sideways; those with cells can be set cell by cell."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.strips: dict[str, Strip] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        self.cells = choice("hand cells")
        self.cells.setFixedWidth(96)
        self.cells.currentIndexChanged.connect(lambda _: self.refresh())
        row.addWidget(self.cells, 0, Qt.AlignmentFlag.AlignTop)
        self.none = label("Nothing selected.", "quiet")
        row.addWidget(self.none, 1, Qt.AlignmentFlag.AlignTop)
        inner = QWidget()
        self.row = QHBoxLayout(inner)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.setSpacing(10)
        self.row.addStretch(1)
        self.area = _Sideways()
        self.area.setObjectName("attributes")
        self.area.setAccessibleName("Attributes")
        self.area.setWidget(inner)
        for part in (self.area.viewport(), inner):  # the drawer shows through
            part.setAutoFillBackground(False)
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        row.addWidget(self.area, 4)

    def sizeHint(self) -> QSize:
        return QSize(600, 96)

    @property
    def cell(self) -> int | None:
        chosen = self.cells.currentData()
        return None if chosen in (None, ALL) else int(chosen)

    def refresh(self) -> None:
        """What the selected units have now; a strip stays as long as its attribute does."""
        if not self.isVisible():
            return
        ids, live = self.bench.selection.ids, self.bench.levels.live
        found = handles_of(live, ids, self.cell)
        self._show_cells(live, ids)
        self.none.setVisible(not found)
        self.area.setVisible(bool(found))
        self.none.setText("They have no channels." if ids else "Nothing selected.")
        wanted = [handle.attribute for handle in found]
        if wanted != list(self.strips):
            self._rebuild(wanted)
        for handle in found:
            who = who_wins(self.bench, ids[0], handle.attribute, self.cell)
            share = share_of(handle, live, ids[0])
            self.strips[handle.attribute].show_handle(handle, share, who)

    def _show_cells(self, live: Live, ids: list[str]) -> None:
        cells: set[int] = set()
        for unit in ids[:50]:
            program = live.program(unit)
            cells |= {c.cell for c in program.chart.channels} if program else set()
        numbers = sorted(cells - {0})
        self.cells.setVisible(bool(numbers))
        wanted = [ALL, *([0] if 0 in cells and numbers else []), *numbers]
        if [self.cells.itemData(i) for i in range(self.cells.count())] != wanted:
            self.cells.blockSignals(True)
            self.cells.clear()
            for number in wanted:
                words = {ALL: "all cells", 0: "the unit"}.get(number, f"cell {number}")
                self.cells.addItem(words, number)
            self.cells.blockSignals(False)

    def _rebuild(self, wanted: list[str]) -> None:
        for name in [name for name in self.strips if name not in wanted]:
            gone = self.strips.pop(name)
            self.row.removeWidget(gone)
            gone.setParent(None)
            gone.deleteLater()
        kept = self.strips
        self.strips = {}
        for place, name in enumerate(wanted):
            made = kept.get(name) or Strip(
                name, lambda text, n=name: self._type(n, text), lambda v, n=name: self._slide(n, v)
            )
            self.strips[name] = made
            self.row.removeWidget(made)
            self.row.insertWidget(place, made)
            made.show()

    # ------------------------------------------------------------ setting

    def _type(self, attribute: str, text: str) -> None:
        bench = self.bench

        def run() -> None:
            words = text.strip()
            if not words:
                return
            asked, lost = set_by_words(
                bench.levels.live, bench.selection.ids, attribute, words, self.cell
            )
            self.strips[attribute].field.setModified(False)
            self._ask(asked, attribute)
            if lost:
                bench.tell("attention", lost)

        if not bench.guard(run):
            self.refresh()

    def _slide(self, attribute: str, share: float) -> None:
        ids = self.bench.selection.ids
        self._ask(set_share(self.bench.levels.live, ids, attribute, share, self.cell), "levels")

    def _ask(self, asked: Asked, name: str) -> None:
        self.bench.levels.change(lambda live: live.ask(asked), name)
        self.refresh()
