"""Adapt: an own copy, its channels and ranges changed in place, what differs and what is wrong
listed as one goes.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace
from PySide6.QtCore import QEvent, Qt, QTimer
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QHBoxLayout, QPlainTextEdit, QVBoxLayout

from isthmus.app.kit.widgets import (
    Index,
    PageView,
    RowsModel,
    Section,
    button,
    choice,
    field,
    label,
    lines_field,
    plain_table,
)
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.profiles.dialogs.questions import NameDialog
from isthmus.app.pages.profiles.views.chart import ChartView
from isthmus.app.pages.profiles.views.finder import attribute_field, attribute_of
from isthmus.errors import EntryFault
from isthmus.plural import many
from isthmus.profiles import adapt
from isthmus.profiles.attributes import plain
from isthmus.profiles.channel_table import Band, bands_of, channel_table
from isthmus.profiles.clock import now
from isthmus.profiles.make.channels import Channel
from isthmus.profiles.records import DmxChannel, Profile, Revision, WheelSlot

if TYPE_CHECKING:
    from isthmus.app.pages.profiles.page import ProfilesPage

_RANGE = re.compile(
    r"\s*(\d{1,10})\s*(?:-|–|…|\.\.+|to)\s*(\d{1,10})\s*(.*?)\s*(?:\[([^\]]*)\])?\s*$"
)


def ranges_text(channel: DmxChannel) -> str:
    """The ranges of a channel, one a line; the attribute in brackets where it is not the channel's
    own.
    """
    functions = [f for part in channel.logical for f in part.functions]
    own = channel.logical[0].attribute if channel.logical else ""
    bands = bands_of(functions, 256**channel.resolution - 1)
    return "\n".join(
        f"{b.start}-{b.end} {b.name}{f' [{plain(b.attribute)}]' if b.attribute != own else ''}"
        for b in bands
    )


def read_ranges(text: str, own: str) -> list[Band]:
    """The reverse. Raises EntryFault with the line that cannot be read."""
    bands = []
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip():
            continue
        match = _RANGE.match(line)
        if match is None:
            raise EntryFault(
                f"line {number}, “{line.strip()[:40]}”, is not a range.",
                do="Write 16-239 Strobe, and [attribute] behind it where it has one of its own.",
            )
        attribute = attribute_of(match[4]) if match[4] else own
        if not attribute:
            raise EntryFault(f"line {number}: “{match[4]}” is not an attribute.")
        bands.append(Band(int(match[1]), int(match[2]), match[3], attribute))
    return bands


class _Channels(RowsModel):
    COLUMNS = ("Ch", "Attribute", "Bits", "Default", "Shown at", "Merge", "In")
    MEDIUM = (0, 1)
    MONO = (0, 2, 3, 4)

    def __init__(self, view: AdaptView) -> None:
        super().__init__()
        self.view = view

    @property
    def channels(self) -> tuple[DmxChannel, ...]:
        mode = self.view.profile.mode(self.view.mode) if self.view.profile else None
        return mode.channels if mode else ()

    def count(self) -> int:
        return len(self.channels)

    def row_at(self, number: int) -> DmxChannel:
        return self.channels[number]

    def flags(self, index: Index) -> Qt.ItemFlag:
        base = super().flags(index)  # type: ignore[arg-type]
        return base | Qt.ItemFlag.ItemIsEditable if index.column() in (0, 1, 3, 4, 5) else base

    def cells(self, row: DmxChannel) -> Sequence[str]:
        first, logical = row.first, row.logical[0] if row.logical else None
        block = f", block {row.block}" if row.block > 1 else ""
        return (
            "+".join(map(str, row.offsets)) or "virtual",
            plain(logical.attribute) if logical else "",
            str(8 * row.resolution),
            str(first.default) if first else "0",
            "" if row.highlight is None else str(row.highlight),
            ("LTP" if logical.master == "None" else "HTP") if logical else "",
            f"each cell ({row.geometry})" if row.block == 0 else row.geometry + block,
        )

    def ink(self, row: DmxChannel, column: int) -> str:
        return "text" if column < 2 else "text2"

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        row, text = index.row(), str(value).strip()
        if index.column() == 0:
            first = text.split("+")[0].strip()
            if not first.isdigit():
                return False
            return self.view.edit("move a channel", lambda p, m: adapt.move(p, m, row, int(first)))
        if index.column() == 1:
            attribute = attribute_of(text)
            return bool(attribute) and self.view.edit(
                "change an attribute", lambda p, m: adapt.set_attribute(p, m, row, attribute)
            )
        if index.column() == 4 and not text:
            return self.view.edit("show at nothing", lambda p, m: adapt.set_home(p, m, row, None))
        if index.column() == 5:
            return self.view.edit(
                f"merge by {text.upper()}", lambda p, m: adapt.set_merge(p, m, row, text)
            )
        if not text.isdigit():
            return False
        act = adapt.set_default if index.column() == 3 else adapt.set_home
        return self.view.edit(
            f"set {self.COLUMNS[index.column()].lower()}", lambda p, m: act(p, m, row, int(text))
        )


class AdaptView(PageView):
    """Holds the copy and its own undo; nothing touches the library or the show until it is
    saved.
    """

    def __init__(self, bench: Workbench, page: ProfilesPage) -> None:
        super().__init__()
        self.bench, self.page = bench, page
        self.source: Profile | None = None
        self.profile: Profile | None = None
        self.mode = ""
        self.members: dict[str, bytes] = {}
        self._undo: list[Profile] = []
        self._redo: list[Profile] = []
        self._quiet = False
        self._ranges_row = -1
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(14)
        row.addLayout(self._left(), 8)
        row.addLayout(self._middle(), 6)
        row.addLayout(self._right(), 6)
        self._typing = QTimer(self)
        self._typing.setSingleShot(True)
        self._typing.setInterval(500)
        self._typing.timeout.connect(self._take_ranges)
        self._fill()

    # ------------------------------------------------------------ parts

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.name = label("", size="section", weight=600)
        column.addWidget(self.name)
        top = QHBoxLayout()
        self.modes = choice("Mode being adapted")
        self.modes.activated.connect(lambda _: self._set_mode(self.modes.currentText()))
        top.addWidget(self.modes, 1)
        self.undo_, self.redo_ = button("Undo", run=self.undo), button("Redo", run=self.redo)
        top.addWidget(self.undo_)
        top.addWidget(self.redo_)
        column.addLayout(top)
        self.model = _Channels(self)
        self.table = plain_table(
            self.model, "own channels", "Channels of the copy", (50, 120, 38, 52, 62, 48, 60), 6
        )
        self.table.selectionModel().currentRowChanged.connect(lambda now, _: self._row(now.row()))
        column.addWidget(self.table, 1)
        insert = QHBoxLayout()
        self.fresh = attribute_field("new channel", "new attribute")
        insert.addWidget(self.fresh, 1)
        insert.addWidget(button("Insert before", run=lambda: self.insert(0)))
        insert.addWidget(button("Insert after", run=lambda: self.insert(1)))
        column.addLayout(insert)
        acts = QHBoxLayout()
        for words, run in (
            ("Remove", self.remove),
            ("Earlier", lambda: self.shift(-1)),
            ("Later", lambda: self.shift(1)),
            ("Finer", self.finer),
            ("Coarser", self.coarser),
        ):
            acts.addWidget(button(words, run=run))
        acts.addStretch(1)
        column.addLayout(acts)
        return column

    def _middle(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.range_head = label("Ranges", "quiet", "caption")
        column.addWidget(self.range_head)
        self.ranges = lines_field("own ranges", "Ranges of the channel, one a line")
        self.ranges.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.ranges.textChanged.connect(lambda: None if self._quiet else self._typing.start())
        column.addWidget(self.ranges, 2)
        self.trouble = label("", "fault", "caption", wrap=True)
        column.addWidget(self.trouble)
        limits = QHBoxLayout()
        limits.setSpacing(4)
        self.limited = choice("Attribute of this channel to limit")
        self.low, self.high = field("from value", "", "from"), field("to value", "", "to")
        limits.addWidget(label("Limits of", "quiet", "caption"))
        limits.addWidget(self.limited, 1)
        for widget in (self.low, self.high):
            widget.setFixedWidth(56)
            limits.addWidget(widget)
        limits.addWidget(button("Set limits", run=self._take_limits))
        column.addLayout(limits)
        column.addWidget(Section("Wheels"))
        self.wheel = choice("Wheel")
        self.wheel.activated.connect(lambda _: self._fill_wheel())
        column.addWidget(self.wheel)
        self.slots = lines_field(
            "wheel slots", "Slots of the wheel: name, then x y Y of its colour"
        )
        column.addWidget(self.slots, 1)
        take = button("Take these slots", run=self._take_wheel)
        column.addWidget(take)
        return column

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.save_it = button("Save to my profiles…", "primary", self.save, 28)
        line = QHBoxLayout()
        line.addStretch(1)
        line.addWidget(self.save_it)
        column.addLayout(line)
        self.differs_head = label("", size="table", weight=600)
        column.addWidget(self.differs_head)
        self.differs = lines_field(
            "What differs from the source",
            "What differs from the source",
            mono=False,
            read_only=True,
        )
        column.addWidget(self.differs, 2)
        self.check_head = label("", size="table", weight=600)
        column.addWidget(self.check_head)
        self.checks = lines_field("What is wrong", "What is wrong", mono=False, read_only=True)
        column.addWidget(self.checks, 1)
        self.chart = ChartView()
        column.addWidget(self.chart, 3)
        return column

    # ------------------------------------------------------------ the copy

    def begin(
        self, source: Profile, mode: str, members: dict[str, bytes], own: bool = False
    ) -> None:
        """Start on a copy; `own` goes on with a profile that is one's own already."""
        self.source, self.members = source, members
        self.profile = source if own else adapt.own_copy(source, f"{source.name} (own)")
        self._undo, self._redo = [], []
        self._set_mode(mode)

    def _set_mode(self, mode: str) -> None:
        self.mode = mode
        self._fill()
        self.table.selectRow(0)

    def edit(self, name: str, change: Callable[[Profile, str], Profile]) -> bool:
        """One edit of the copy; an impossible one is told and leaves it as it is."""
        if self.profile is None:
            return False
        before = self.profile
        try:
            self.profile = change(before, self.mode)
        except EntryFault as error:
            self.trouble.setText(str(error))
            return False
        self.trouble.setText("")
        self._undo.append(before)
        self._redo = []
        self._fill()
        return True

    def undo(self) -> None:
        if self._undo and self.profile is not None:
            self._redo.append(self.profile)
            self.profile = self._undo.pop()
            self._fill()

    def redo(self) -> None:
        if self._redo and self.profile is not None:
            self._undo.append(self.profile)
            self.profile = self._redo.pop()
            self._fill()

    def event(self, event: QEvent) -> bool:
        # while the copy is being worked on, undo means the copy and not the show
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and self._is_undo(event)
        ):
            event.accept()
            return True
        return super().event(event)

    def _is_undo(self, event: QKeyEvent) -> str:
        if event.matches(QKeySequence.StandardKey.Undo):
            return "undo"
        return "redo" if event.matches(QKeySequence.StandardKey.Redo) else ""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        act = self._is_undo(event)
        if act:
            (self.undo if act == "undo" else self.redo)()
        elif event.key() == Qt.Key.Key_Delete and self.table.hasFocus():
            self.remove()
        else:
            super().keyPressEvent(event)

    # ------------------------------------------------------------ showing

    def _fill(self) -> None:
        row = self.table.currentIndex().row()
        self.model.beginResetModel()
        self.model.endResetModel()
        profile = self.profile
        for widget in (self.save_it, self.ranges, self.slots, self.modes):
            widget.setEnabled(profile is not None)
        self.undo_.setEnabled(bool(self._undo))
        self.redo_.setEnabled(bool(self._redo))
        if profile is None or self.source is None:
            self.name.setText("Select a profile in the library, and adapt a copy of it")
            return
        self.name.setText(profile.title)
        self.modes.clear()
        self.modes.addItems([mode.name for mode in profile.modes])
        self.modes.setCurrentText(self.mode)
        told = adapt.edits_listed(self.source, profile)
        self.differs_head.setText(
            f"{many(len(told), 'difference')} from {self.source.title}"
            if told
            else f"The same as {self.source.title}"
        )
        self.differs.setPlainText("\n".join(f"• {text}" for text in told))
        found = adapt.check_mode(profile, self.mode)
        self.check_head.setText(
            many(len(found), "warning") if found else "Nothing is wrong with this mode"
        )
        self.checks.setPlainText("\n".join(f"• {finding.text}" for finding in found))
        mode = profile.mode(self.mode)
        self.chart.show_sheet(channel_table(profile, mode) if mode else None, keep=True)
        kept = self.wheel.currentText()
        self.wheel.clear()
        self.wheel.addItems([wheel.name for wheel in profile.wheels])
        self.wheel.setCurrentText(kept)
        self._fill_wheel()
        if 0 <= row < self.model.rowCount():
            self.table.selectRow(row)
            self._row(row)

    def _channel(self) -> tuple[int, DmxChannel] | None:
        row = self.table.currentIndex().row()
        return (row, self.model.channels[row]) if 0 <= row < len(self.model.channels) else None

    def _row(self, row: int) -> None:
        found = self.model.channels[row] if 0 <= row < len(self.model.channels) else None
        text = ranges_text(found) if found else ""
        being_typed = (
            self.ranges.hasFocus() and row == self._ranges_row
        )  # never moved under the hands
        self._ranges_row = row
        if self.ranges.toPlainText() != text and not being_typed:
            self._quiet = True
            self.ranges.setPlainText(text)
            self._quiet = False
        words = plain(found.logical[0].attribute) if found and found.logical else ""
        self.limited.clear()
        for attribute in (
            dict.fromkeys(f.attribute for part in found.logical for f in part.functions)
            if found
            else ()
        ):
            self.limited.addItem(plain(attribute), attribute)
        self.range_head.setText(
            f"Ranges of {words}, 0 to {256**found.resolution - 1}" if found else "Ranges"
        )

    def _take_limits(self) -> None:
        found, attribute = self._channel(), self.limited.currentData()
        low, high = self.low.text().strip(), self.high.text().strip()
        if found is None or not attribute or not low.isdigit() or not high.isdigit():
            self.trouble.setText(
                "Choose an attribute of this channel, and type the values it works between."
            )
            return
        self.edit(
            "set limits",
            lambda p, m: adapt.set_limits(p, m, found[0], attribute, int(low), int(high)),
        )

    def _fill_wheel(self) -> None:
        wheel = (
            next((w for w in self.profile.wheels if w.name == self.wheel.currentText()), None)
            if self.profile
            else None
        )
        self.slots.setPlainText(
            "\n".join(
                f"{s.name}  {s.color[0]:.4g} {s.color[1]:.4g} {s.color[2]:.4g}" for s in wheel.slots
            )
            if wheel
            else ""
        )

    # ------------------------------------------------------------ acts

    def insert(self, after: int) -> None:
        attribute = attribute_of(self.fresh.text())
        if not attribute:
            self.trouble.setText("Type the attribute of the new channel first, such as “zoom”.")
            return
        found = self._channel()
        if found is None or not found[1].offsets:
            self.edit("insert a channel", lambda p, m: adapt.insert(p, m, 1, Channel(attribute)))
            return
        row, channel = found
        at = channel.offsets[0] if not after else channel.offsets[-1] + 1
        beside = row if channel.block == 0 else None
        self.edit(
            "insert a channel", lambda p, m: adapt.insert(p, m, at, Channel(attribute), beside)
        )

    def remove(self) -> None:
        if (found := self._channel()) is not None:
            self.edit("remove a channel", lambda p, m: adapt.remove(p, m, found[0]))

    def shift(self, way: int) -> None:
        """One channel earlier or later in the chart."""
        if (found := self._channel()) is None or not found[1].offsets:
            return
        row, channel = found
        others = sorted(
            (
                c.offsets
                for c in self.model.channels
                if c.geometry == channel.geometry or (c.block == channel.block and c.offsets)
            ),
            key=lambda o: o[0],
        )
        place = others.index(channel.offsets)
        if not 0 <= place + way < len(others):
            return
        neighbour = others[place + way]
        to = neighbour[0] if way < 0 else channel.offsets[0] + len(neighbour)
        if self.edit("move a channel", lambda p, m: adapt.move(p, m, row, to)):
            now = next(
                (
                    i
                    for i, c in enumerate(self.model.channels)
                    if c.offsets[:1] == (to,) and c.block == channel.block
                ),
                row,
            )
            self.table.selectRow(now)

    def finer(self) -> None:
        if (found := self._channel()) is not None:
            self.edit("split to fine", lambda p, m: adapt.split_to_fine(p, m, found[0]))

    def coarser(self) -> None:
        if (found := self._channel()) is not None:
            self.edit("coarse only", lambda p, m: adapt.join_to_coarse(p, m, found[0]))

    def _take_ranges(self) -> None:
        found = self._channel()
        if found is None or self._quiet:
            return
        row, channel = found
        try:
            bands = read_ranges(
                self.ranges.toPlainText(), channel.logical[0].attribute if channel.logical else ""
            )
        except EntryFault as error:
            self.trouble.setText(str(error))
            return
        if self.ranges.toPlainText().strip() != ranges_text(channel).strip():
            self.edit("change ranges", lambda p, m: adapt.set_bands(p, m, row, bands))

    def _take_wheel(self) -> None:
        slots = []
        for number, line in enumerate(self.slots.toPlainText().splitlines(), 1):
            match = re.match(r"(.*?)\s+([\d.]+)[\s,]+([\d.]+)[\s,]+([\d.]+)\s*$", line)
            if line.strip() and not match:
                self.trouble.setText(
                    f"Line {number} of the wheel is not a slot. Write: Red  0.66 0.32 18"
                )
                return
            if match:
                try:
                    slots.append(
                        WheelSlot(
                            name=match[1].strip(),
                            color=(float(match[2]), float(match[3]), float(match[4])),
                        )
                    )
                except ValueError:
                    self.trouble.setText(f"Line {number} of the wheel has a figure that is none.")
                    return
        self.edit(
            "change a wheel", lambda p, m: adapt.set_wheel(p, self.wheel.currentText(), slots)
        )

    def save(self) -> None:
        """Keep the copy among one's own, with what was changed in its newest revision, and offer it
        to the units.
        """
        if self.profile is None or self.source is None:
            return
        if self._typing.isActive():
            self._typing.stop()
            self._take_ranges()

        def run(maker: str, model: str, _mode: str) -> None:
            assert self.profile is not None and self.source is not None
            told = adapt.edits_listed(self.source, self.profile)
            note = Revision(
                text=f"Own copy of {self.source.title}: {'; '.join(told) or 'nothing changed'}"[
                    :1000
                ],
                date=now(),
            )
            made = replace(
                self.profile,
                maker=maker,
                name=model,
                long_name=f"{maker} {model}",
                revisions=(*self.source.revisions, note),
            )
            self.profile = made
            stored = self.page.keep(made, self.members)
            source = self.source
            self._fill()
            QTimer.singleShot(0, self, lambda: self.page.offer(source, stored))

        NameDialog(
            self.window(), "Save to my profiles", "Save", run, self.profile.maker, self.profile.name
        ).open()
