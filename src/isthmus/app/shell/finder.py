"""Find anything: units, addresses, snags, pages and acts, by a few letters. And the page of
shortcuts.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QGridLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from isthmus.app.kit.actions import Registry
from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.theme import font
from isthmus.app.kit.widgets import Section, label, plain_tip
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault
from isthmus.layout.structures import hang
from isthmus.patch import index_of
from isthmus.patch.cells import addresses
from isthmus.patch.choose import read_choice
from isthmus.patch.numbers import BUT
from isthmus.plural import many
from isthmus.show import read_address
from isthmus.snags import Snag

SHOWN = 14


@dataclass(frozen=True)
class Hit:
    words: str
    kind: str
    run: Callable[[], object]


class Finding:
    """The hits for a text, each with its place: the lower, the better it is meant."""

    def __init__(self, text: str) -> None:
        self.text = text.strip()
        self.words = text.lower().split()
        self.hits: list[tuple[int, Hit]] = []

    def offer(self, subject: str, kind: str, base: int, run: Callable[[], object]) -> None:
        """A hit where every word is in the subject; better when it begins with them."""
        low = subject.lower()
        if all(word in low for word in self.words):
            place = base - 3 * low.startswith(self.text.lower())
            self.hits.append((place, Hit(subject, kind, run)))

    def offer_address(self, bench: Workbench, go: Callable[[str], None]) -> None:
        """Which unit has the address that is typed."""
        try:
            spot = read_address(self.text)
        except EntryFault:
            return
        if spot is None:
            return
        universe, at = spot
        index = index_of(bench.show)
        for span in index.universe(universe).spans:
            if span.start <= at <= span.end:
                unit = index.by_id[span.unit]
                words = f"{self.text} belongs to {unit.number} {unit.name}"
                run = partial(_go_to, bench, go, unit.id)
                self.hits.append((0, Hit(words, "address", run)))

    def offer_choice(self, bench: Workbench) -> None:
        """The units that numbers, ranges or names mean."""
        try:
            chosen = read_choice(bench.show, self.text)
        except EntryFault:
            return
        if chosen.ids:
            meant = self.text[:1].isdigit() or BUT.search(self.text)
            run = partial(bench.selection.select, chosen.ids)
            self.hits.append((1 if meant else 15, Hit(chosen.words, "select", run)))


def _go_to(bench: Workbench, go: Callable[[str], None], unit: str) -> None:
    bench.selection.select([unit])
    go("Patch")


def find(
    text: str, bench: Workbench, actions: Registry, pages: Sequence[str], go: Callable[[str], None]
) -> list[Hit]:
    """Best first: a unit of that very number, the one with that address, then everything that
    mentions the words.
    """
    found = Finding(text)
    if "." in found.text or "/" in found.text:
        found.offer_address(bench, go)
    if found.text and not found.text.isdigit():
        found.offer_choice(bench)
    for unit in sorted(bench.show.units, key=lambda u: u.number):
        exact = found.text in (str(unit.number), unit.fixture_id.lower() or None)
        base = 0 if exact else 20
        named = f"{unit.number} {unit.fixture_id}".strip()
        subject = f"{named} {unit.name}  {addresses(unit)}  {unit.hangs_on}"
        found.offer(subject, "unit", base, partial(bench.selection.select, [unit.id]))
    _offer_structures(found, bench, go)
    _offer_palettes(found, bench)
    for page in pages:
        found.offer(page, "page", 10, partial(go, page))
    for action in actions.all():
        if actions.enabled(action):
            key = f"   {action.key}" if action.key else ""
            subject = f"{actions.text(action.id)}{key}"
            found.offer(subject, "action", 12, partial(actions.trigger, action.id))
    for snag in bench.known.snags:
        run = partial(_show_snag, bench, go, snag)
        found.offer(snag.text, "snag", 30, run)
    return [hit for _, hit in sorted(found.hits, key=lambda item: item[0])][:SHOWN]


def _offer_structures(found: Finding, bench: Workbench, go: Callable[[str], None]) -> None:
    for one in bench.show.structures:
        count = len(bench.selection.ids)
        if count and one.kind not in ("wall", "mesh"):
            words = f"Hang {many(count, 'selected unit')} on {one.name}"
            found.offer(words, "structure", 14, partial(_hang, bench, one.id, one.name))
        found.offer(f"{one.name}, {one.kind}", "structure", 18, partial(_hold, bench, go, one.id))


def _offer_palettes(found: Finding, bench: Workbench) -> None:
    for palette in bench.show.palettes if bench.selection.ids else ():
        on = many(len(bench.selection.ids), "selected unit")
        words = f"{palette.kind.capitalize()} {palette.number} {palette.name} on {on}"
        run = partial(bench.levels.use, palette, list(bench.selection.ids))
        found.offer(words, "palette", 15, run)


def _hang(bench: Workbench, structure: str, name: str) -> None:
    """Evenly, as the inspector does it."""
    ids = list(bench.selection.ids)
    bench.guard(
        lambda: bench.commit(
            f"hang {many(len(ids), 'unit')} on {name}", hang(bench.show, ids, structure)
        )
    )


def _hold(bench: Workbench, go: Callable[[str], None], structure: str) -> None:
    go("Plan")
    bench.selection.hold(structure)


def _show_snag(bench: Workbench, go: Callable[[str], None], snag: Snag) -> None:
    go("Readiness")
    bench.selection.select(snag.units)


class Finder(QDialog):
    def __init__(self, parent: QWidget, search: Callable[[str], list[Hit]]) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("finder")
        self._search = search
        self._hits: list[Hit] = []
        self.setFixedWidth(560)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        self.field = QLineEdit()
        self.field.setObjectName("finder field")
        self.field.setFont(font("body"))
        self.field.setFixedHeight(32)
        self.field.setPlaceholderText("201-208 but 203, 2.101, a name, a snag, or what to do")
        self.list = QListWidget()
        self.list.setFont(font("table"))
        self.list.setUniformItemSizes(True)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setFixedHeight(SHOWN * 24 + 6)
        self.list.itemActivated.connect(lambda _: self._run())
        self.list.itemClicked.connect(lambda _: self._run())
        column.addWidget(self.field)
        column.addWidget(self.list)
        self.field.textChanged.connect(self._renew)
        self.field.installEventFilter(self)
        self._renew("")
        self.field.setFocus()

    def _renew(self, text: str) -> None:
        self._hits = self._search(text)
        self.list.clear()
        for hit in self._hits:
            item = QListWidgetItem(f"{hit.kind:8} {hit.words}")
            item.setFont(font("table", mono=hit.kind in ("unit", "address")))
            item.setSizeHint(
                item.sizeHint().expandedTo(
                    self.list.size().scaled(1, 24, Qt.AspectRatioMode.IgnoreAspectRatio)
                )
            )
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step and self._hits:
                self.list.setCurrentRow((self.list.currentRow() + step) % len(self._hits))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._run()
                return True
        return super().eventFilter(watched, event)

    def _run(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self._hits):
            hit = self._hits[row]
            self.close()
            hit.run()


class Keys(Frame):
    """Every act with its shortcut, by page."""

    def __init__(self, parent: QWidget, actions: Registry) -> None:
        super().__init__(parent, "Keys", "Close", lambda: True, 860)
        self.resize(900, 640)
        area = QScrollArea()
        area.setWidgetResizable(True)
        inside = QWidget()
        area.setWidget(inside)
        column = QVBoxLayout(inside)
        listed = [a for a in actions.all() if a.button is None]  # buttons say it themselves
        for group in dict.fromkeys(a.group for a in listed):
            column.addWidget(Section(group))
            grid = QGridLayout()
            grid.setVerticalSpacing(3)
            grid.setColumnStretch(2, 1)
            for y, action in enumerate(a for a in listed if a.group == group):
                grid.addWidget(label(action.key or "", mono=True), y, 0)
                words = label(action.text)
                words.setToolTip(plain_tip(action.help))
                grid.addWidget(words, y, 1)
                grid.addWidget(label(action.help, "quiet", "caption", wrap=True), y, 2)
                grid.setColumnMinimumWidth(0, 190)
            column.addLayout(grid)
        others = [
            (
                "Arrow keys",
                "move in tables, turn the stage, move the plan; with Rearrange on they nudge",
            ),
            ("F2, or type", "type in a cell; Enter then goes down, Tab to the right"),
            ("Ctrl+C, Ctrl+V", "copy rows and paste cells, as in a spreadsheet"),
            ("Tab", "next part of the window"),
        ]
        column.addWidget(Section("Everywhere"))
        grid = QGridLayout()
        for y, (key, words) in enumerate(others):
            grid.addWidget(label(key, mono=True), y, 0)
            grid.addWidget(label(words), y, 1)
        grid.setColumnMinimumWidth(0, 190)
        grid.setColumnStretch(1, 1)
        column.addLayout(grid)
        column.addStretch(1)
        self.body.addWidget(area, 1)
