"""Cue lists: the cues of one with their times, the stage beside, and what makes it go."""

from __future__ import annotations

import math
import time
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from isthmus.app.canvas.stage_view import StageView
from isthmus.app.kit.edited import choose_row, edited_table, hold_row, row_here, show_rows
from isthmus.app.kit.first import FirstSteps
from isthmus.app.kit.widgets import (
    PageView,
    bind,
    bind_seen,
    button,
    choice,
    column_of,
    field,
    label,
)
from isthmus.app.model.playing import lists_of, name_of
from isthmus.app.model.saving import save_paper
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.looks.models.cues import TIMES, CuesModel
from isthmus.app.pages.looks.views.fade import FadePicture
from isthmus.app.pages.looks.views.running import ListSettings
from isthmus.errors import EntryFault
from isthmus.looks import cue_edits as core
from isthmus.looks import in_words, look_edits
from isthmus.looks.programme import in_order, step_times, timing
from isthmus.papers.evening import cue_sheet
from isthmus.show.records import Cue, CueList, Look, Show

CLOCK_MS = 50


class CuesView(PageView):
    def __init__(self, bench: Workbench, stage: StageView) -> None:
        super().__init__()
        self.bench, self.stage, self.playing = bench, stage, bench.playing
        self.list_id = ""
        column = column_of(self)
        column.addLayout(self._head())
        self.settings = ListSettings(self._change_list)
        both = QHBoxLayout()
        both.addWidget(self.settings, 1)
        self.sheet = button("Cue sheet…", run=self.save_sheet, name="cue sheet")
        both.addWidget(self.sheet)
        column.addLayout(both)
        row = QHBoxLayout()
        row.setSpacing(14)
        column.addLayout(row, 1)
        self.cues = CuesModel(lambda: bench.show, self._write)
        widths = (44, 40, 100, 76, 36, 44, 44, 46, 50, 56)
        self.table = edited_table(self.cues, "cues", "Cues of the list", widths, 2)
        self.table.selectionModel().currentRowChanged.connect(lambda *_: self._tell())
        row.addWidget(self.table, 2)
        side = QVBoxLayout()
        side.setSpacing(4)
        self.slot = QVBoxLayout()
        side.addLayout(self.slot, 1)
        self.fade = FadePicture()
        side.addWidget(self.fade)
        row.addLayout(side, 1)
        self.words = label("", "quiet", wrap=True)
        self.short = label("", "attention", wrap=True)
        self.short.setObjectName("who cannot do the cue")
        column.addWidget(self.words)
        column.addWidget(self.short)
        column.addLayout(self._transport())
        self.first = FirstSteps(
            self,
            "No cue lists yet",
            "A cue list plays looks in order, each with times of its own. "
            "Go, back and jump to any of them.",
            [button("New cue list", "plain", self.new_list, 30, "first list")],
        )
        self._clock = QTimer(self)
        self._clock.setInterval(CLOCK_MS)
        self._clock.timeout.connect(self._tell)
        bind(bench.changed, self, self.refresh)
        bind_seen(self.playing.changed, self, self._moved)
        self.refresh()

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        self.which = choice("cue list")
        self.which.setMinimumWidth(150)
        self.which.activated.connect(lambda _: self.show_list(self.which.currentData()))
        row.addWidget(self.which)
        self.name = field("list name", "", "name of the list")
        self.name.returnPressed.connect(lambda: self._change_list(name=self.name.text()))
        self.name.setMaximumWidth(180)
        row.addWidget(self.name)
        row.addWidget(button("New list", run=self.new_list, name="new list"))
        self.gone = button("Remove list", run=self.remove_list, name="remove list")
        row.addWidget(self.gone)
        row.addStretch(1)
        self.now = button("Cue from now", run=self.cue_from_now, name="cue from now")
        self.add = button("Add cue", run=self.add_cue, name="add cue")
        self.less = button("Remove cue", run=self.remove_cue, name="remove cue")
        for one in (self.now, self.add, self.less):
            row.addWidget(one)
        return row

    def _transport(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        self.go_button = button("Go", "primary", self.go, 34, "go")
        self.go_button.setMinimumWidth(120)
        row.addWidget(self.go_button)
        self.ways = [
            button("Back", run=self.back, name="back"),
            button("Pause", run=self.pause, name="pause"),
            button("Jump to cue", run=self.jump, name="jump"),
            button("Release", run=self.release, name="release"),
        ]
        for one in self.ways:
            row.addWidget(one)
        row.addSpacing(10)
        self.clock = label("", mono=True, size="body")
        self.clock.setObjectName("cue clock")
        row.addWidget(self.clock, 1)
        self.all = button("Release all", run=self.playing.release_all, name="release all")
        row.addWidget(self.all)
        return row

    def save_sheet(self) -> None:
        """The cues of the list on paper."""
        if self.list_id:
            save_paper(
                self.bench, self, "cue sheet", lambda: cue_sheet(self.bench.show, self.list_id)
            )

    # ------------------------------------------------------------ what is so

    def entered(self) -> None:
        self.slot.addWidget(self.stage)
        self.stage.setObjectName("stage beside cues")
        self.stage.setAccessibleName("Stage as it is sent")
        self.stage.fit()
        self._moved()
        hold_row(self.table)
        self.table.setFocus(Qt.FocusReason.OtherFocusReason)

    def left(self) -> None:
        self._clock.stop()

    @property
    def list_here(self) -> CueList | None:
        return next((o for o in self.bench.show.cue_lists if o.id == self.list_id), None)

    def cue_here(self) -> Cue | None:
        return row_here(self.table, self.cues)

    def refresh(self) -> None:
        lists = lists_of(self.bench.show)
        self.first.show_if(not lists)
        if self.list_here is None:
            self.list_id = lists[0].id if lists else ""
        self.which.clear()
        for one in lists:
            self.which.addItem(f"{one.number}  {name_of(one)}", one.id)
        self.which.setCurrentIndex(max(0, self.which.findData(self.list_id)))
        one = self.list_here
        self.name.setText(one.name if one else "")
        self.settings.take(one)
        show_rows(self.table, self.cues, in_order(one) if one else [])
        for part in (self.now, self.add, self.less, self.gone, self.name, self.go_button):
            part.setEnabled(one is not None)
        if self.isVisible():
            self._moved()

    def show_list(self, list_id: str) -> None:
        self.list_id = list_id
        self.refresh()

    def choose(self, cue_id: str) -> None:
        choose_row(self.table, self.cues, cue_id)

    def _moved(self) -> None:
        """The list went somewhere: mark where it is, and what comes next."""
        one = self.list_here
        cue = self.playing.cue_now(self.list_id) if one else None
        order = [c.id for c in in_order(one)] if one else []
        at = order.index(cue.id) if cue and cue.id in order else -1
        after = order[at + 1] if at + 1 < len(order) else order[0] if one and one.round else ""
        here = cue.id if cue else ""
        if (here, after) != (self.cues.here, self.cues.next):
            self.cues.here, self.cues.next = here, after
            self.cues.dataChanged.emit(
                self.cues.index(0, 0), self.cues.index(max(0, len(order) - 1), 9)
            )
            if here and self.cue_here() is None:
                self.choose(here)
        if one:
            short = self.playing.short(one.id)
            self.cues.short = {c: len({s.unit for s in some}) for c, some in short.items()}
        for part in self.ways:
            part.setEnabled(cue is not None or (part.objectName() == "jump" and bool(order)))
        self.all.setEnabled(bool(self.playing.playback.positions))
        position = self.playing.position(self.list_id)
        runs = position is not None and not position.done(time.monotonic())
        (self._clock.start if runs or (one and one.round and position) else self._clock.stop)()
        self._tell()

    def _tell(self) -> None:
        """The clock, and the times of the cue that fades or else of the one selected."""
        one, cue, now = self.list_here, self.cue_here(), time.monotonic()
        position, running = self.playing.position(self.list_id), None
        if one and position is not None:
            running = self.playing.cue_now(one.id)
        gone = math.nan
        if running is not None and position is not None:
            cue, gone = running, position.gone(now)
        self.clock.setText(_clock_words(running, position, now) if one else "")
        if one is None or cue is None:
            self.fade.take(None)
        elif position is not None and running is not None:
            self.fade.take(position.timing, gone)
        else:
            self.fade.take(step_times(one)[1] if one.round else timing(cue))
        if position is None or (position.done(now) and not (one and one.round)):
            self._clock.stop()
        chosen = self.cue_here()
        self.words.setText(chosen.note if chosen else "")
        self.words.setVisible(bool(self.words.text()))
        short = self.playing.short(one.id).get(chosen.id, []) if one and chosen else []
        self.short.setText(f"Cannot: {in_words(short)}." if short else "")
        self.short.setVisible(bool(short))

    # ------------------------------------------------------------ going

    def go(self) -> None:
        if self.list_here:
            self.playing.go(self.list_id)

    def back(self) -> None:
        if self.list_here:
            self.playing.back(self.list_id)

    def pause(self) -> None:
        if self.list_here:
            self.playing.pause(self.list_id)

    def jump(self) -> None:
        cue = self.cue_here()
        if cue is not None:
            self.playing.jump(self.list_id, cue.id)

    def release(self) -> None:
        if self.list_here:
            self.playing.release(self.list_id)

    # ------------------------------------------------------------ edits

    def new_list(self) -> None:
        def run() -> None:
            show, found = core.put_list(self.bench.show, CueList(id="", number=0))
            self.list_id = found
            self.bench.commit("make a cue list", show)
            self.name.setFocus(Qt.FocusReason.OtherFocusReason)

        self.bench.guard(run)

    def remove_list(self) -> None:
        one = self.list_here
        if one is not None:
            self.playing.release(one.id)
            self.bench.commit(f"remove {name_of(one)}", core.remove_list(self.bench.show, one.id))

    def _change_list(self, **changed: Any) -> bool:
        one = self.list_here
        if one is None:
            return False

        def run() -> None:
            show, _ = core.put_list(self.bench.show, replace(one, **changed))
            self.bench.commit(f"change {name_of(one)}", show)

        return self.bench.guard(run)

    def cue_from_now(self) -> None:
        """A look of what is asked now, of the selected units or of all, in a cue after the last."""
        bench = self.bench

        def run() -> None:
            asked = bench.levels.live.asked_units()
            ids = bench.selection.ids or [u.id for u in bench.show.units if u.id in asked]
            lines = look_edits.lines_now(bench.levels.live, ids, bench.levels.used)
            if not lines:
                raise EntryFault(
                    "Nothing is asked of the units.", do="Set them by hand or by palettes first."
                )
            show, look = look_edits.put(bench.show, Look(id="", number=0, lines=lines))
            self._put(show, Cue(id="", number=0, look=look), "make")

        bench.guard(run)

    def add_cue(self) -> None:
        if self.list_here:
            self.bench.guard(lambda: self._put(self.bench.show, Cue(id="", number=0), "make"))

    def _put(self, show: Show, cue: Cue, verb: str) -> None:
        show, found = core.put_cue(show, self.list_id, cue)
        number = next(c for c in core.cue_list(show, self.list_id).cues if c.id == found).number
        self.bench.commit(f"{verb} cue {core.say_number(number)}", show)
        self.choose(found)

    def remove_cue(self) -> None:
        cue = self.cue_here()
        if cue is not None:
            show = core.remove_cues(self.bench.show, self.list_id, [cue.id])
            self.bench.commit(f"remove cue {core.say_number(cue.number)}", show)

    def _write(self, cue: Cue, column: int, text: str) -> bool:
        def run() -> None:
            self._put(self.bench.show, replace(cue, **self._typed(column, text)), "change")

        return self.bench.guard(run)

    def _typed(self, column: int, text: str) -> dict[str, Any]:
        if column in TIMES:
            name = TIMES[column]
            value = core.read_seconds(text, CuesModel.COLUMNS[column])
            needed = name in ("up", "down", "delay")
            return {name: 0.0 if needed and value is None else value}
        if column == 1:
            try:
                return {"number": float(text.replace(",", "."))}
            except ValueError:
                raise EntryFault(f"“{text}” is not a cue number.", do="Write 3, or 3.5.") from None
        if column == 3:
            return {"look": look_edits.named(self.bench.show, text).id if text else ""}
        return {"name" if column == 2 else "note": text}


def _clock_words(cue: Cue | None, position: Any, now: float) -> str:
    """`Cue 3  1.2 of 4.0 s`; what it waits for when it is there."""
    if cue is None or position is None:
        return "Not running"
    name = f"Cue {core.say_number(cue.number)}"
    if position.releasing:
        return f"{name}  being released"
    if not math.isnan(position.paused):
        return f"{name}  paused at {position.gone(now):.1f} s"
    whole = position.timing.whole
    gone = position.gone(now)
    if gone < whole:
        return f"{name}  {gone:.1f} of {whole:.1f} s"
    if not math.isnan(position.timing.follow):
        left = whole + position.timing.follow - gone
        return f"{name}  next in {max(0.0, left):.1f} s"
    return f"{name}  done"
