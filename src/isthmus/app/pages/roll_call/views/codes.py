"""Several units hunted at once: in a row of pictures lit or dark is noted for each, which spells
where it listens.
"""

from __future__ import annotations

import time
from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QWidget

from isthmus.app.kit.tasks import Task
from isthmus.app.kit.widgets import (
    KeysFirst,
    RowsModel,
    bind,
    button,
    column_of,
    label,
    plain_table,
)
from isthmus.app.model.checks import Checks
from isthmus.app.model.workbench import Workbench
from isthmus.check.codes import LightCode, Spelt, light_code, where_found
from isthmus.check.findings.fixes import as_hung
from isthmus.check.prove import ProveSlots
from isthmus.errors import IsthmusError
from isthmus.patch.cells import addresses
from isthmus.plural import many
from isthmus.show.records import Unit

SIGNS = {True: "●", False: "○", None: "·"}
GLOW = 100  # below this byte a hunted unit only glows
NOW = {True: "● lit", False: "○ dark", None: "· not sure"}


class CodesModel(RowsModel):
    """Unit, where the patch has it, whether it is lit now, what was noted so far, and where that
    says it listens.
    """

    COLUMNS = ("Unit", "Name", "Patched", "Lit now", "Noted", "Listens at")
    MONO = (0, 2, 4, 5)

    def __init__(self) -> None:
        super().__init__()
        self.seen: dict[str, list[bool | None]] = {}
        self.at = self.count_pictures = 0
        self.found: dict[str, Spelt] = {}

    def begin(self, code: LightCode) -> None:
        self.count_pictures, self.at, self.found = len(code.pictures), 0, {}
        self.seen = {c.unit.id: [False] * self.count_pictures for c in code.units}
        self.take([])
        self.take([c.unit for c in code.units])

    def cells(self, row: Unit) -> Sequence[str]:
        noted = self.seen[row.id]
        spelt = "".join(SIGNS[on] for on in noted[: self.at])
        now = NOW[noted[self.at]] if self.showing else ""
        return str(row.number), row.name, addresses(row), now, spelt, self._where(row)

    def tip(self, row: Unit, column: int) -> str:
        return self._where(row) if column == 5 else ""

    def ink(self, row: Unit, column: int) -> str:
        lit = self.showing and bool(self.seen[row.id][self.at])
        return ("text", "text", "text2", "coral" if lit else "text2", "text2", "teal")[column]

    @property
    def showing(self) -> bool:
        """Whether a picture stands that has not been noted yet."""
        return self.at < self.count_pictures

    def _where(self, unit: Unit) -> str:
        spelt = self.found.get(unit.id)
        if spelt is None:
            return ""
        modes = len({p.mode for p in spelt.places}) > 1 or any(
            p.mode != unit.mode for p in spelt.places
        )
        words = [f"{p.words} {p.mode}" if modes else p.words for p in spelt.places[:3]]
        if words == [addresses(unit)]:
            return f"{words[0]}, as patched"
        more = ["…"] if len(spelt.places) > 3 else []
        return (
            " or ".join([*(["never lit"] if spelt.dark else []), *words, *more]) or "nothing fits"
        )

    def note(self, row: int, on: bool | None) -> None:
        self.seen[self.rows[row].id][self.at] = on
        self.dataChanged.emit(self.index(row, 0), self.index(row, len(self.COLUMNS) - 1))


class Codes(QWidget):
    """Shown below the hunt while several units are hunted. `ended` when something else took the
    light away, or no code could be.
    """

    ended = Signal()

    def __init__(self, bench: Workbench, checks: Checks) -> None:
        super().__init__()
        self.bench, self.checks = bench, checks
        self.code: LightCode | None = None
        self._task: Task | None = None
        self._turning = False
        column = column_of(self, 6)
        self.words = label("", size="body", weight=600, wrap=True)
        column.addWidget(self.words)
        self.bar = QProgressBar()
        self.bar.setFixedHeight(10)
        column.addWidget(self.bar)
        self.model = CodesModel()
        self.table = plain_table(
            self.model,
            "light codes",
            "Which units are lit in this picture",
            (52, 150, 80, 90, 200, 190),
            1,
        )
        KeysFirst(self.table, self._key)
        self.table.clicked.connect(lambda index: self._flip(index.row()))
        column.addWidget(self.table, 1)
        row = QHBoxLayout()
        self.back = button("Previous picture  ←", "quiet", lambda: self.turn(-1), 32, "code back")
        self.on = button("Next picture  →", run=lambda: self.turn(1), height=32, name="code next")
        self.take_button = button("", "primary", lambda: bench.guard(self._take), 32, "take codes")
        for made in (self.back, self.on, self.take_button):
            row.addWidget(made)
        row.addWidget(
            label("Space or a click notes a unit as lit or dark, U as not sure.", "quiet")
        )
        row.addStretch(1)
        column.addLayout(row)
        bind(bench.proving.changed, self, self._proof_changed)

    def begin(
        self, ids: Sequence[str], universes: Sequence[int], any_mode: bool, wrong: int
    ) -> None:
        """Calculate the pictures, and show the first."""
        show = self.bench.show
        self.model.take([])
        self.bar.setValue(0)
        self.words.setText("Calculating the pictures that tell all places apart")
        self._show_keys()
        self._task = task = Task(
            lambda step: light_code(show, ids, universes, any_mode, wrong, step), self
        )
        task.progressed.connect(lambda part, words: self.bar.setValue(round(100 * part)))
        task.done.connect(lambda code: self._begin(task, code))
        task.failed.connect(lambda error: self._failed(task, error))
        task.ended.connect(lambda: self._over(task))
        task.start()

    def _failed(self, task: Task, error: IsthmusError) -> None:
        if self._task is task:
            self.bench.tell("fault", str(error))

    def _over(self, task: Task) -> None:
        """Without pictures there is nothing to go on with, whatever was in the way."""
        if self._task is task:
            self._task = None
            self.ended.emit()

    def _begin(self, task: Task, code: LightCode) -> None:
        if self._task is not task:
            return  # ended meanwhile
        self._task = None
        self.code = code
        self.model.begin(code)
        self.table.selectRow(0)
        self.table.setFocus(Qt.FocusReason.OtherFocusReason)
        self._show()

    def end(self) -> None:
        """Forget the pictures; who asked for them gives the light back."""
        if self._task is not None:
            self._task.cancel()
            self._task = None
        self.code = None

    def turn(self, by: int) -> None:
        self.model.at = max(0, min(self.model.count_pictures, self.model.at + by))
        self._show()

    def _flip(self, row: int) -> None:
        if self.model.at < self.model.count_pictures:
            self._note(row, not self.model.seen[self.model.rows[row].id][self.model.at])

    def _note(self, row: int, on: bool | None) -> None:
        if self.model.at < self.model.count_pictures:
            self.model.note(row, on)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self._key(event):
            super().keyPressEvent(event)

    def _key(self, event: QKeyEvent) -> bool:
        row = self.table.currentIndex().row()
        if self.code is None or event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            return False
        if event.key() == Qt.Key.Key_Space and row >= 0:
            self._flip(row)
        elif event.key() == Qt.Key.Key_U and row >= 0:
            self._note(row, None)
        elif event.key() in (Qt.Key.Key_Right, Qt.Key.Key_Left):
            self.turn(1 if event.key() == Qt.Key.Key_Right else -1)
        elif event.key() == Qt.Key.Key_Escape:
            self.ended.emit()
        else:
            return False
        return True

    def _proof_changed(self) -> None:
        if (
            self.code
            and self.bench.proving.proof is None
            and self.model.at < self.model.count_pictures
            and not self._turning
        ):
            self.ended.emit()

    def _show(self) -> None:
        bench, at, code = self.bench, self.model.at, self.code
        if code is None:
            return
        self._turning = True
        if at < self.model.count_pictures:
            slots = code.slots(at)
            bench.proving.begin(
                lambda: ProveSlots(
                    bench.show,
                    bench.levels.live,
                    time.monotonic(),
                    [(1.0, slots)],
                    f"Light code, picture {at + 1}",
                ),
                "Light codes",
            )
            off = (
                "" if bench.levels.sending else " Output is off: switch it on first (Ctrl+Return)."
            )
            glow = (
                " They only glow: brighter values are not safe for all units there."
                if code.value < GLOW
                else ""
            )
            self.words.setText(
                f"Picture {at + 1} of {self.model.count_pictures}: note every unit that is "
                f"lit, then go on.{glow}{off}"
            )
        else:
            bench.proving.end()
            self._read(code)
        self._turning = False
        self._show_keys()
        self.model.dataChanged.emit(
            self.model.index(0, 0), self.model.index(max(0, len(self.model.rows) - 1), 5)
        )

    def _show_keys(self) -> None:
        at, count = self.model.at, self.model.count_pictures
        noted = self.code is not None and at == count
        self.bar.setVisible(self.code is None)
        self.back.setEnabled(self.code is not None and at > 0)
        self.on.setEnabled(self.code is not None and at < count)
        targets = self._found()[0] if noted else {}
        self.take_button.setVisible(bool(targets))
        self.take_button.setText(f"Take {len(targets)} into the patch")

    def _found(self) -> tuple[dict[str, tuple[str, int, int]], list[list[Unit]]]:
        return where_found(
            [
                (unit, self.model.found[unit.id])
                for unit in self.model.rows
                if unit.id in self.model.found
            ]
        )

    def _read(self, code: LightCode) -> None:
        self.model.found = {
            c.unit.id: code.read(c.unit.id, self.model.seen[c.unit.id]) for c in code.units
        }
        for coded in code.units:
            spelt = self.model.found[coded.unit.id]
            if spelt.places and not spelt.dark:
                self.checks.take_hunted(
                    coded.unit.id, spelt.places, len({p.mode for p in coded.places}) > 1
                )
        said = [f"{self.model.count_pictures} pictures noted."]
        for group in self._found()[1]:
            said.append(
                f"{' and '.join(str(u.number) for u in group)} listen at one address: set "
                "one of them at the unit."
            )
        if any(s.dark for s in self.model.found.values()):
            said.append("A unit that never lit is dead, on another line, or in another universe.")
        if any(not s.places and not s.dark for s in self.model.found.values()):
            said.append(
                "Where nothing fits, go back over its notes, or hunt again and let one "
                "answer be wrong."
            )
        self.words.setText(" ".join(said))

    def _take(self) -> None:
        bench, targets = self.bench, self._found()[0]
        bench.commit("addresses as hunted by light codes", as_hung(bench.show, targets))
        for unit in targets:
            self.checks.hunted.pop(unit, None)
        bench.tell(
            "ok",
            f"{many(len(targets), 'unit')} are patched where they listen. Call them again to "
            "prove it.",
        )
        self.ended.emit()
