"""Looks: all of them, the lines of the one selected, and how it would be on stage, without a packet
sent.
"""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QSplitter, QVBoxLayout

from isthmus.app.canvas.plan_canvas import PlanCanvas
from isthmus.app.canvas.stage_view import StageView
from isthmus.app.kit.edited import choose_row, edited_table, hold_row, row_here, show_rows
from isthmus.app.kit.first import FirstSteps
from isthmus.app.kit.widgets import PageView, beside, bind, button, field, label, take_row, tick
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.looks.models.looks import LinesModel, LooksModel, Row
from isthmus.errors import EntryFault
from isthmus.looks import in_words
from isthmus.looks import look_edits as core
from isthmus.looks.lines import read_level, read_palettes, read_who, with_line
from isthmus.looks.resolve import Book, levels_of
from isthmus.looks.used import by_number, cues_with
from isthmus.patch.numbers import read_numbers
from isthmus.pixels.layer_edits import read_sets, say_sets
from isthmus.pixels.ready import Studio
from isthmus.plural import many
from isthmus.show.records import Look, LookLine


class LooksView(PageView):
    def __init__(self, bench: Workbench, stage: StageView) -> None:
        super().__init__()
        self.bench, self.stage = bench, stage
        self._drawn: object = None
        self.studio = Studio(bench.playing.picturing.frames.of)
        beside(self, self._left(), self._right())
        self.first = FirstSteps(
            self,
            "No looks yet",
            "Set units by hand and by palettes, then take a look from what they do. It keeps "
            "which palettes were used, so that it changes with them.",
            [button("New look from now", "plain", self.new, 30, "first look")],
        )
        bind(bench.changed, self, self.refresh)
        self.refresh()

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.looks = LooksModel(lambda: self.bench.show, self._write_look)
        self.table = edited_table(self.looks, "looks", "Looks", (40, 120, 60), 1)
        self.table.selectionModel().currentRowChanged.connect(lambda *_: self._chosen())
        column.addWidget(self.table, 1)
        buttons = QHBoxLayout()
        buttons.setSpacing(6)
        buttons.addWidget(button("New from now", run=self.new, name="new look"))
        self.gone = button("Remove", run=self.remove, name="remove look")
        buttons.addWidget(self.gone)
        buttons.addStretch(1)
        self.whole = tick("All they do", "all of now")
        column.addWidget(self.whole, 0, Qt.AlignmentFlag.AlignLeft)
        column.addLayout(buttons)
        return column

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.title = label("", size="section", weight=600)
        column.addWidget(self.title)
        self.lines = LinesModel(lambda: self.bench.show, self._write_line)
        self.who = edited_table(
            self.lines, "look lines", "Lines of the look", (130, 200, 56, 110), 1
        )
        column.addWidget(self.who, 2)
        buttons = QHBoxLayout()
        buttons.setSpacing(6)
        self.own = [
            button("Add selected units", run=self.add_line, name="add line"),
            button("Remove line", run=self.remove_line, name="remove line"),
            button("Line up", run=lambda: self.shift(-1), name="line up"),
            button("Line down", run=lambda: self.shift(1), name="line down"),
        ]
        for one in self.own:
            buttons.addWidget(one)
        buttons.addStretch(1)
        buttons.addWidget(label("Pictures", "quiet"))
        self.pictures = field("look pictures", hint="sets, such as Water, 3")
        self.pictures.setMinimumWidth(180)
        self.pictures.editingFinished.connect(self._write_pictures)
        buttons.addWidget(self.pictures)
        column.addLayout(buttons)
        self.short = label("", "attention", wrap=True)
        self.short.setObjectName("who cannot do the look")
        column.addWidget(self.short)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setChildrenCollapsible(False)
        self.plan = PlanCanvas(self.bench)
        self.plan.setObjectName("blind plan")
        self.plan.setAccessibleName("The look on the plan, not sent")
        self.plan.names = False
        self.split.addWidget(self.plan)
        column.addWidget(self.split, 3)
        self.blind = label("Blind: how the look would be. Nothing of it is sent.", "quiet")
        column.addWidget(self.blind)
        last = QHBoxLayout()
        last.setSpacing(6)
        more = [
            button("Use on the units", "primary", self.use, 30, "use look"),
            button("Update from now", run=self.update_from_now, name="update look"),
            button("Select its units", run=self.select, name="select units of look"),
        ]
        for one in more:
            last.addWidget(one)
        last.addStretch(1)
        self.own += more
        column.addLayout(last)
        return column

    # ------------------------------------------------------------ what is so

    def entered(self) -> None:
        self.split.insertWidget(0, self.stage)
        self.split.setSizes([500, 500])
        self.stage.setObjectName("blind stage")
        self.stage.setAccessibleName("The look on stage, not sent")
        self._drawn = None
        self._draw()
        self.stage.fit()
        hold_row(self.table)
        self.table.setFocus(Qt.FocusReason.OtherFocusReason)

    def left(self) -> None:
        self.stage.rig_view = self.stage.rig_frame = None

    def refresh(self) -> None:
        rows = by_number(self.bench.show)
        self.first.show_if(not rows)
        show_rows(self.table, self.looks, rows)
        self._chosen()

    def look_here(self) -> Look | None:
        return row_here(self.table, self.looks)

    def choose(self, look_id: str) -> None:
        choose_row(self.table, self.looks, look_id)

    def _chosen(self) -> None:
        one = self.look_here()
        at = self.who.currentIndex().row()
        self.lines.take(list(enumerate(one.lines)) if one else [])
        if 0 <= at < len(self.lines.rows):
            take_row(self.who, at)
        for part in (*self.own, self.gone, self.pictures):
            part.setEnabled(one is not None)
        if not (self.pictures.hasFocus() and self.pictures.isModified()):
            self.pictures.setText(say_sets(self.bench.show, one.pictures) if one else "")
        self.title.setText(f"Look {one.number}  {one.name}" if one else "No look selected")
        self._draw()

    def _draw(self) -> None:
        """The look on stage; worked out only while it is seen."""
        one = self.look_here()
        ground = (one, self.bench.show)
        if not self.isVisible() or ground == self._drawn:
            return
        self._drawn = ground
        blank = self.bench.levels.live.blank()
        told = ""
        if one is not None:
            levels, short = levels_of(blank, Book(self.bench.show).wanted(one))
            blank.ask({key: level for its in levels.values() for key, level in its.items()})
            told = in_words(short)
            blank.cover(self.studio.still(self.bench.show, blank, one.pictures))
        self.stage.rig_view, self.stage.rig_frame = self.bench.levels.view, blank.frame
        self.stage.pictures.renew()
        self.plan.live = blank
        self.plan.update()
        self.short.setText(f"Cannot: {told}." if told else "")
        self.short.setVisible(bool(told))

    # ------------------------------------------------------------ acts

    def _lines_now(self, ids: list[str]) -> tuple[LookLine, ...]:
        levels = self.bench.levels
        lines = core.lines_now(levels.live, ids, levels.used, not self.whole.isChecked())
        if not lines and not self._shown_now():
            raise EntryFault(
                "Nothing is asked of the units.", do="Set them by hand or by palettes first."
            )
        return lines

    def _shown_now(self) -> tuple[str, ...]:
        """Layer sets shown by hand."""
        return tuple(shown.set for shown in self.bench.playing.picturing.hand)

    def _units_now(self) -> list[str]:
        """The selected units; all that anything is asked of when none is selected."""
        asked = self.bench.levels.live.asked_units()
        return list(self.bench.selection.ids) or [
            u.id for u in self.bench.show.units if u.id in asked
        ]

    def new(self) -> None:
        """A look of what was asked of the selected units, or of all."""

        def run() -> None:
            lines = self._lines_now(self._units_now())
            made = Look(id="", number=0, lines=lines, pictures=self._shown_now())
            show, found = core.put(self.bench.show, made)
            self.bench.commit(f"make look {core.look(show, found).number}", show)
            self.choose(found)
            self.table.setFocus()
            self.table.edit(self.looks.index(self.table.currentIndex().row(), 1))

        self.bench.guard(run)

    def update_from_now(self) -> None:
        """What the units of the look do now takes the place of its lines."""
        one = self.look_here()
        if one is None:
            return

        def run() -> None:
            book = Book(self.bench.show)
            units = list(dict.fromkeys(u for line in one.lines for u in book.units_of(line)))
            units += [u for u in self.bench.selection.ids if u not in units]
            shown = self._shown_now() or one.pictures
            self._put(one, "update", lines=self._lines_now(units), pictures=shown)

        self.bench.guard(run)

    def _put(self, one: Look, verb: str, **changed: Any) -> None:
        show, _ = core.put(self.bench.show, replace(one, **changed))
        self.bench.commit(f"{verb} look {one.number}", show)

    def remove(self) -> None:
        one = self.look_here()
        if one is not None:
            used = cues_with(self.bench.show, one.id)
            self.bench.commit(f"remove look {one.number}", core.remove(self.bench.show, one.id))
            if used:
                self.bench.tell(
                    "attention", f"{many(len(used), 'cue')} had it and have no look now."
                )

    def use(self) -> None:
        one = self.look_here()
        if one is not None:
            self.bench.levels.use_look(one)
            for name in one.pictures:
                self.bench.playing.show_set(name)

    def select(self) -> None:
        one = self.look_here()
        if one is not None:
            book = Book(self.bench.show)
            units = dict.fromkeys(u for line in one.lines for u in book.units_of(line))
            self.bench.selection.select(list(units))

    def add_line(self) -> None:
        one, ids = self.look_here(), tuple(self.bench.selection.ids)
        if not ids:
            self.bench.tell("attention", "No units are selected. Select those the line is for.")
        elif one is not None:
            self._put(one, "add a line to", lines=(*one.lines, LookLine(units=ids)))
            take_row(self.who, len(one.lines))

    def remove_line(self) -> None:
        one, at = self.look_here(), self.who.currentIndex().row()
        if one is not None and 0 <= at < len(one.lines):
            self._put(one, "remove a line of", lines=(*one.lines[:at], *one.lines[at + 1 :]))

    def shift(self, by: int) -> None:
        """A line up or down: the lower goes before the upper."""
        one, at = self.look_here(), self.who.currentIndex().row()
        if one is not None and 0 <= at < len(one.lines) and 0 <= at + by < len(one.lines):
            lines = list(one.lines)
            lines.insert(at + by, lines.pop(at))
            self._put(one, "reorder", lines=tuple(lines))
            take_row(self.who, at + by)

    # ------------------------------------------------------------ typed into

    def _write_pictures(self) -> None:
        """Which layer sets the look shows."""
        one, text = self.look_here(), self.pictures.text()
        if one is None or not self.pictures.isModified():
            return
        self.pictures.setModified(False)

        def run() -> None:
            self._put(one, "change pictures of", pictures=read_sets(self.bench.show, text))

        if not self.bench.guard(run):
            self.pictures.setText(say_sets(self.bench.show, one.pictures))

    def _write_look(self, row: Look, column: int, text: str) -> bool:
        def run() -> None:
            if column == 1:
                self._put(row, "name", name=text)
                return
            numbers = read_numbers(text)
            if len(numbers) != 1:
                raise EntryFault(f"“{text}” is not one number.")
            self._put(row, "renumber", number=numbers[0])

        return self.bench.guard(run)

    def _write_line(self, row: Row, column: int, text: str) -> bool:
        one, (at, line) = self.look_here(), row
        if one is None:
            return False

        def run() -> None:
            show = self.bench.show
            if column == 0:
                units, groups = read_who(show, text)
                changed = replace(line, units=units, groups=groups)
            elif column == 1:
                changed = replace(line, palettes=read_palettes(show, text))
            else:
                changed = replace(line, wish=replace(line.wish, intensity=read_level(text)))
            self._put(one, "change", lines=with_line(one.lines, at, changed))

        return self.bench.guard(run)
