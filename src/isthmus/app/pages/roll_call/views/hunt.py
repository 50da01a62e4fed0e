"""The hunt: where does a unit really listen? Parts of its universe light up or flash, and a person
says what the unit does.
"""

from __future__ import annotations

import time
from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout

from isthmus.app.canvas.plan_canvas import PlanCanvas
from isthmus.app.kit.widgets import (
    KeysFirst,
    PageView,
    Panel,
    RowsModel,
    bind,
    button,
    choice,
    column_of,
    label,
    plain_table,
    units_field,
)
from isthmus.app.model.checks import Checks
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.roll_call.views.codes import Codes
from isthmus.app.pages.roll_call.views.hunt_field import Field
from isthmus.check.findings.fixes import as_hung, block_as_hung
from isthmus.check.findings.ruled_out import ruled_out
from isthmus.check.hunt import Hunt
from isthmus.check.hunt_asked import FLASHING, NO, UNSURE, YES, HuntLook, Place
from isthmus.check.hunt_flashes import STEADY
from isthmus.check.prove import ProveSlots
from isthmus.errors import EntryFault
from isthmus.patch.cells import addresses
from isthmus.patch.choose import complete, read_choice
from isthmus.plural import many
from isthmus.profiles import chart, profiles_of
from isthmus.show.records import Show

FAINT = 0.1  # of its light: less only glows
SHOWN = 4  # places that remain
KEYS = {Qt.Key.Key_Y: YES, Qt.Key.Key_N: NO, Qt.Key.Key_U: UNSURE, Qt.Key.Key_S: FLASHING[STEADY]}
COUNTED = {Qt.Key(Qt.Key.Key_0 + count): answer for count, answer in enumerate(FLASHING)}


class LooksModel(RowsModel):
    """What was asked so far, the last step first."""

    COLUMNS = ("Step", "What was shown", "Answer", "Places before")
    MEDIUM = ()
    MONO = (0, 3)
    TOLD = (2,)

    def cells(self, row: tuple[int, HuntLook, str]) -> Sequence[str]:
        number, look, answer = row
        return str(number), look.shown, answer, str(look.count)

    def ink(self, row: tuple[int, HuntLook, str], column: int) -> str:
        return "text" if column == 2 else "text2"


class HuntView(PageView):
    """`found` tells a unit and the address it listens at."""

    found = Signal(str, int)

    def __init__(self, bench: Workbench, checks: Checks) -> None:
        super().__init__()
        self.bench, self.checks = bench, checks
        self.hunt: Hunt | None = None
        self.look: HuntLook | None = None
        self.several = False
        self._beginning = False
        column = column_of(self, 8)
        column.addWidget(
            label(
                "Light tells where a unit listens: parts of its universe light up or flash, and "
                "you say what the unit does.",
                "quiet",
            )
        )
        row = QHBoxLayout()
        row.setSpacing(6)
        self.unit = units_field(
            "hunted unit", "205, or several", lambda text: complete(self.bench.show, text)
        )
        self.unit.setFixedWidth(104)
        self.where = choice(
            "hunt where",
            [("own", "in its own universe"), ("all", "in every universe that is sent")],
        )
        self.block = choice("hunted break", [(0, "as a whole")])
        self.block.setVisible(False)
        self.unit.textChanged.connect(self._offer_blocks)
        self.any_mode = QCheckBox("mode unknown")
        self.lies = QCheckBox("answers may be wrong")
        self.flashing = QCheckBox("count flashes")
        self.flashing.setChecked(True)
        self.begin_button = button("Hunt", "primary", self.begin, 30, "begin hunt")
        self.end_button = button("End hunt", run=self.end, height=30, name="end hunt")
        self.set_before = (
            *(self.unit, self.block, self.where),
            *(self.any_mode, self.lies, self.flashing),
        )
        for widget in self.set_before:
            row.addWidget(widget)
        row.addStretch(1)
        row.addWidget(self.end_button)
        row.addWidget(self.begin_button)
        column.addLayout(row)
        card = Panel("shelf")
        inner = QVBoxLayout(card)
        inner.setContentsMargins(16, 12, 16, 14)
        inner.setSpacing(8)
        self.question = label("", size=17, weight=600, wrap=True)
        inner.addWidget(self.question)
        self.state = label("", "quiet", wrap=True)
        inner.addWidget(self.state)
        keys = QHBoxLayout()
        keys.setSpacing(8)
        offered = (
            *(("Yes  Y", YES, "hunt yes"), ("No  N", NO, "hunt no")),
            *(
                (f"{answer.capitalize()}  {count}", answer, f"hunt {answer}")
                for count, answer in enumerate(FLASHING)
            ),
        )
        self.answers = {
            answer: button(words, run=lambda a=answer: self.say(a), height=40, name=name)
            for words, answer, name in offered
        }
        self.answers[UNSURE] = button(
            "Not sure  U", "quiet", lambda: self.say(UNSURE), 40, "hunt unsure"
        )
        self.back = button("Undo answer  ←", "quiet", self.take_back, 40, "hunt back")
        for made in (*self.answers.values(), self.back):
            made.setMinimumWidth(84)
            keys.addWidget(made)
        keys.addStretch(1)
        inner.addLayout(keys)
        self.field = Field()
        inner.addWidget(self.field)
        self.results = QVBoxLayout()
        inner.addLayout(self.results)
        self.card = card
        column.addWidget(card)
        self.looks = LooksModel()
        self.looks_table = plain_table(
            self.looks, "looks", "Steps of this hunt, newest first", (52, 460, 90, 110), 1
        )
        KeysFirst(self.looks_table, self._key)
        self.plan = PlanCanvas(bench)  # where the unit is that is hunted
        self.plan.names = False
        below = QHBoxLayout()
        below.setSpacing(12)
        below.addWidget(self.looks_table, 11)
        below.addWidget(self.plan, 9)
        column.addLayout(below, 1)
        self.codes = Codes(bench, checks)
        self.codes.ended.connect(self.end)
        column.addWidget(self.codes, 1)
        bind(self.flashing.toggled, self, self.refresh)
        bind(bench.selection.changed, self, self._follow)
        bind(bench.proving.changed, self, self._ended_elsewhere)
        self.refresh()

    def _follow(self) -> None:
        if self.hunt is None and not self.several and self.bench.selection.ids:
            self.unit.setText(" ".join(str(u.number) for u in self.bench.selection.units()[:12]))

    def _offer_blocks(self) -> None:
        """Of a unit of several DMX breaks, which of them is hunted."""
        try:
            ids = read_choice(self.bench.show, self.unit.text()).ids
        except EntryFault:
            ids = ()
        found = self.bench.show.unit(next(iter(ids))) if len(ids) == 1 else None
        mode = profiles_of(self.bench.show).mode_of(found) if found else None
        blocks = [block for block, _ in chart(*mode).footprints] if mode else []
        several = len(blocks) > 1
        self.block.clear()
        for block in blocks if several else [0]:
            self.block.addItem(f"break {block}" if block else "as a whole", block)
        self.block.setVisible(several)

    def take(self, unit: str) -> None:
        """Which unit is hunted next."""
        found = self.bench.show.unit(unit)
        if found and self.hunt is None:
            self.unit.setText(str(found.number))

    def begin(self) -> None:
        self.bench.guard(self._begin)

    def _begin(self) -> None:
        ids = read_choice(self.bench.show, self.unit.text()).ids
        if len(ids) == 0:
            raise EntryFault("No unit is named to be hunted.", do="Write a number, or several.")
        universes = (
            [o.universe for o in self.bench.show.outputs if o.enabled]
            if self.where.currentData() == "all"
            else ()
        )
        any_mode, lies = self.any_mode.isChecked(), int(self.lies.isChecked())
        if len(ids) > 1:
            self.codes.begin(ids, universes, any_mode, lies)
            self.several = True
            self.refresh()
            return
        unit = next(iter(ids))
        barred = (
            set() if lies else ruled_out(self.bench.show, unit, universes, any_mode)
        )  # verdicts may be wrong as well
        block = int(self.block.currentData() or 0)
        flashing = self.flashing.isChecked()
        hunt = Hunt(self.bench.show, unit, universes, any_mode, lies, barred, block, flashing)
        self.hunt = hunt
        self._next()
        self.setFocus(Qt.FocusReason.OtherFocusReason)

    def _next(self) -> None:
        assert self.hunt
        hunt, bench = self.hunt, self.bench
        self.look = look = None if hunt.contradicts else hunt.look()
        self._beginning = True
        if look is not None:
            about = f"The hunt for {hunt.unit.number}"
            bench.proving.begin(
                lambda: ProveSlots(
                    bench.show, bench.levels.live, time.monotonic(), look.steps, look.words
                ),
                about,
            )
        else:
            bench.proving.end()
        self._beginning = False
        places = hunt.found
        if hunt.dark and not hunt.block:
            self.checks.take_dark(hunt.unit.id)
        if places and not hunt.block:
            self.checks.take_hunted(hunt.unit.id, places, len(hunt.modes) > 1)
            if len({(place.universe, place.address) for place in places}) == 1:
                self.found.emit(hunt.unit.id, places[0].address)
        self.refresh()

    def say(self, answer: str) -> None:
        if self.hunt and self.look and answer in (*self.look.answers, UNSURE):
            self.hunt.answer(self.look, answer)
            self.bench.guard(self._next)

    def take_back(self) -> None:
        if self.hunt and self.hunt.asked:
            if self.look is None:
                self.checks.forget_hunted(self.hunt.unit.id)
            self.hunt.take_back()
            self.bench.guard(self._next)

    def end(self) -> None:
        """Levels are given back."""
        self.hunt = self.look = None
        self.several = False
        self.codes.end()
        if isinstance(self.bench.proving.proof, ProveSlots):
            self.bench.proving.end()
        self.refresh()

    def _ended_elsewhere(self) -> None:
        if self.hunt and self.look and self.bench.proving.proof is None and not self._beginning:
            self.end()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self._key(event):
            super().keyPressEvent(event)

    def _key(self, event: QKeyEvent) -> bool:
        if self.hunt is None or event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            return False
        keys = KEYS | COUNTED if self.look is not None and self.look.flashes else KEYS
        key = Qt.Key(event.key())
        if key in keys:
            self.say(keys[key])
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Backspace):
            self.take_back()
        elif key == Qt.Key.Key_Escape:
            self.end()
        else:
            return False
        return True

    # ------------------------------------------------------------ what is shown

    def refresh(self) -> None:
        hunt, look = self.hunt, self.look
        may = look.answers if look else FLASHING if self._may_flash(hunt) else (YES, NO)
        for answer, made in self.answers.items():
            made.setEnabled(look is not None)
            made.setVisible(answer in (*may, UNSURE))
        self.back.setEnabled(bool(hunt and hunt.asked))
        on = hunt is not None or self.several
        self.begin_button.setVisible(not on)
        self.end_button.setVisible(on)
        self.card.setVisible(not self.several)
        self.codes.setVisible(self.several)
        for widget in self.set_before:
            widget.setEnabled(not on)
        self.field.take(hunt, look)
        asked = hunt.asked if hunt else []
        self.looks.take([(i, *one) for i, one in reversed(list(enumerate(asked, 1)))])
        self.looks_table.setVisible(bool(asked) and not self.several)
        self.plan.setVisible(not self.several)
        self.plan.sight.near(
            [self.hunt.unit.id] if self.hunt else list(self.bench.selection.ids[:1])
        )
        while self.results.count():
            item = self.results.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.deleteLater()
        if hunt is None:
            self.question.setText("No hunt running")
            self.state.setText(
                "Four to six steps in one universe where flashes are counted, about ten with "
                "yes and no. Only what is safe for each unit at its address is sent."
            )
        elif look is not None:
            self.question.setText(look.asked)
            glow = (
                " It only glows: brighter bytes are not safe for it." if hunt.bright < FAINT else ""
            )
            off = (
                " Output is off: switch it on first (Ctrl+Return)."
                if not self.bench.levels.sending
                else ""
            )
            most = "as many as it takes" if hunt.wrong else f"about {hunt.most}"
            self.state.setText(
                f"{look.shown}\nStep {hunt.used + 1} of {most}; "
                f"{many(look.count, 'place is', 'places are')} left.{glow}{off}"
            )
        else:
            self._result(hunt)

    def _may_flash(self, hunt: Hunt | None) -> bool:
        return hunt.flashing if hunt else self.flashing.isChecked()

    def _result(self, hunt: Hunt) -> None:
        number = hunt.unit.number
        if hunt.dark:
            self.question.setText(f"{number} lights at no address here.")
            untold = (
                f" At {many(hunt.untold, 'address', 'addresses')} what is safe would not light it."
                if hunt.untold
                else ""
            )
            self.state.setText(
                f"{many(hunt.used, 'step')}. It may have no power, a dead lamp, no data, or hang "
                f"on another universe.{untold} The patch is unchanged."
            )
            return
        if not hunt.found:
            self.question.setText(
                f"The answers contradict each other: {number} listens nowhere they allow."
            )
            which = ", ".join(str(at + 1) for at in hunt.doubted)
            ways = (
                "Undo answers, or hunt again and let answers be wrong: then verdicts are not "
                "used either."
            )
            fits = (
                f"Without the answer of step {which} there is a place that fits. " if which else ""
            )
            self.state.setText(f"{fits}{ways} It may also be dead, or on another line.")
            return
        now = addresses(hunt.unit)
        self.question.setText(
            f"{number} listens at {' or '.join(_words(p, hunt) for p in hunt.found[:SHOWN])}"
            f"{f' or {len(hunt.found) - SHOWN} more' if len(hunt.found) > SHOWN else ''}."
        )
        doubted = ", ".join(str(at + 1) for at in hunt.doubted)
        off = f" The answer of step {doubted} does not fit." if doubted else ""
        remain = " Light does not tell these apart." if len(hunt.found) > 1 else ""
        self.state.setText(
            f"The patch has it at {now} in mode {hunt.unit.mode}. "
            f"Found in {many(hunt.used, 'step')}.{off}{remain}"
        )
        for place in hunt.found[:SHOWN]:
            self.results.addWidget(
                button(
                    f"Take {_words(place, hunt)} into the patch",
                    "primary",
                    lambda p=place: self.fix(p),
                    name="take hunted",
                ),
                0,
                Qt.AlignmentFlag.AlignLeft,
            )

    def fix(self, place: Place) -> None:
        assert self.hunt
        unit, block = self.hunt.unit, self.hunt.block
        bench = self.bench

        def edit() -> Show:
            if block:
                return block_as_hung(bench.show, unit.id, block, place.universe, place.address)
            where = {unit.id: (place.mode, place.universe, place.address)}
            return as_hung(bench.show, where)

        if bench.guard(lambda: bench.commit(f"address {unit.number} as hunted", edit())):
            self.checks.hunted.pop(unit.id, None)
            bench.tell(
                "ok", f"{unit.number} is patched at {place.words}. Call it again to prove it."
            )
            self.end()

    def left(self) -> None:
        if self.hunt or self.several:
            self.end()


def _words(place: Place, hunt: Hunt) -> str:
    mode = f" in mode {place.mode}" if place.mode != hunt.unit.mode or len(hunt.found) > 1 else ""
    return place.words + mode
