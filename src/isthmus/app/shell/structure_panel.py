"""The selected structure, as figures: where, how long, what hangs on it; and hanging the selected
units on it.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from isthmus.app.kit.figures import figure_field, read_change, read_figure, write_figure
from isthmus.app.kit.widgets import Section, bind, button, choice, field, label
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault, IsthmusError
from isthmus.layout import structures
from isthmus.layout.attitude import attitude_of, set_attitude
from isthmus.layout.handles import lengthened
from isthmus.plural import many
from isthmus.show.records import Show, Structure, Vec3
from isthmus.stage.runs import SIDES, UPRIGHT_KINDS, along_of, run_of, usual_side

LENGTH_WORDS = {
    "spacing": "keep their spacing",
    "ends": "keep to the ends",
    "refit": "are spread again",
}


FOR_MANY = ("Across x", "Upstage y", "Height z", "Turn", "Tilt", "Lean", "Depth", "Thickness")
ANGLES = ("Turn", "Tilt", "Lean")
PLACE = ("Across x", "Upstage y", "Height z")


def _read_marks(one: Structure, text: str) -> tuple[float, ...]:
    """Metres from the start of a structure, in order. Raises EntryFault."""
    marks = tuple(sorted(read_figure(t, "mark") for t in text.replace(";", " ").split()))
    long = run_of(one).length
    if any(not -1e-6 <= mark <= long + 1e-6 for mark in marks):
        raise EntryFault(f"{one.name} is {long:.2f} m long.", do="Write metres from its start.")
    return marks


def _fields_for(one: Structure, name: str, value: float, text: str) -> dict[str, object]:
    """The members of a structure that a figure changes. Raises EntryFault."""
    if name in PLACE:
        return {"position": _with(one.position, PLACE.index(name), value)}
    if name == "Depth":
        return {"size": _with(one.size, 1, value)}
    if name == "Thickness":
        return {"size": _with(one.size, 0 if one.kind in UPRIGHT_KINDS else 2, value)}
    if name == "Arc":
        return {"arc": value}
    if not math.isclose(value, round(value)):
        raise EntryFault(f"“{text[:12]}” is not a whole number.")
    if name == "Steps" and not 0 <= value <= 40:
        raise EntryFault("A deck has 0 to 40 steps.")
    return {name.lower(): round(value)}  # Chords, Steps


class StructurePanel(QWidget):
    """Shown by the inspector while a structure is selected."""

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.fields: dict[str, QLineEdit] = {}
        grid = QGridLayout()
        grid.setVerticalSpacing(5)
        grid.setColumnMinimumWidth(0, 68)
        self._labels = {}
        for y, name in enumerate(
            (
                "Name",
                "Across x",
                "Upstage y",
                "Height z",
                "Turn",
                "Tilt",
                "Lean",
                "Length",
                "Depth",
                "Thickness",
                "Chords",
                "Arc",
                "Steps",
                "Marks",
            )
        ):
            made = field(f"structure {name}", mono=name != "Name")
            made.editingFinished.connect(lambda n=name: self._typed(n))
            self._labels[name] = label(name, "quiet")
            grid.addWidget(self._labels[name], y, 0)
            grid.addWidget(made, y, 1)
            self.fields[name] = made
        column.addLayout(grid)
        grid.setColumnStretch(1, 1)
        for made in self.fields.values():
            made.setMinimumWidth(60)
        self.way = choice("length way", [(k, f"units {w}") for k, w in LENGTH_WORDS.items()])
        self.way.setToolTip("What units do when the length changes")
        self.fields["Length"].textEdited.connect(lambda _: self._preview())
        self.way.currentIndexChanged.connect(lambda _: self._other_way())
        column.addWidget(self.way)
        row = QHBoxLayout()
        self.lock = button("Lock", run=self._lock, name="lock structure")
        self.lock.setCheckable(True)
        row.addWidget(self.lock)
        row.addWidget(button("Duplicate", run=self._duplicate, name="duplicate structure"))
        row.addWidget(button("Remove", run=self._remove, name="take structure away"))
        column.addLayout(row)
        column.addSpacing(8)
        self.hang_title = Section("Hang the selected units")
        column.addWidget(self.hang_title)
        line = QHBoxLayout()
        self.side = choice("hang side", [(s, s) for s in SIDES])
        self.side.setFixedWidth(72)
        line.addWidget(self.side)
        line.addWidget(label("off", "quiet"))
        self.offset = figure_field("hang offset", 0.0, 60)
        line.addWidget(self.offset)
        self.at_marks = button("At marks", run=lambda: self._hang("marks"), name="hang at marks")
        line.addWidget(self.at_marks)
        line.addStretch(1)
        column.addLayout(line)
        hangs = QHBoxLayout()
        hangs.addWidget(button("Evenly", run=lambda: self._hang("evenly"), name="hang evenly"))
        hangs.addWidget(button("Every", run=lambda: self._hang("spacing"), name="hang spaced"))
        self.spacing = figure_field("hang spacing", 0.8, 60)
        hangs.addWidget(self.spacing)
        hangs.addWidget(label("m", "quiet"))
        hangs.addStretch(1)
        column.addLayout(hangs)
        column.addSpacing(8)
        column.addWidget(Section("Hangs here"))
        self.list = label("", "quiet", wrap=True, mono=True)
        self.list.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.list)
        for signal in (bench.selection.held_changed, bench.selection.changed):
            bind(signal, self, self.refresh)
        bind(bench.changed, self, self.refresh)

    def structure(self) -> Structure | None:
        return next(
            (s for s in self.bench.show.structures if s.id == self.bench.selection.structure), None
        )

    def held(self) -> list[Structure]:
        """The selected structures; the last has the handles."""
        standing = {s.id: s for s in self.bench.show.structures}
        return [standing[i] for i in self.bench.selection.structures if i in standing]

    def refresh(self) -> None:
        one, held = self.structure(), self.held()
        if one is None:
            return
        upright = one.kind in UPRIGHT_KINDS
        figures = {name: {self._figure(s, name) for s in held} for name in self.fields}
        shown = {
            "Chords": one.kind in ("truss", "circle", "corner", "tower"),
            "Arc": one.kind == "circle",
            "Steps": one.kind == "deck",
        }
        self._labels["Length"].setText(
            "Height" if upright else "Diameter" if one.kind == "circle" else "Length"
        )
        self._labels["Thickness"].setText("Width" if upright else "Tall")
        for name, texts in figures.items():
            made = self.fields[name]
            if not made.hasFocus() or made.text() == "":
                made.setText(next(iter(texts)) if len(texts) == 1 else "")
                made.setPlaceholderText("≠" if len(texts) > 1 else "")
                made.setCursorPosition(0)
            made.setEnabled(len(held) == 1 or name in FOR_MANY)
            made.setVisible(shown.get(name, True))
            self._labels[name].setVisible(shown.get(name, True))
        self.lock.setChecked(one.pinned)
        self.side.setCurrentIndex(
            max(0, self.side.findData(self.side.currentData() or usual_side(one)))
        )
        hanging = structures.hanging(self.bench.show, one.id)
        lines = [
            f"{u.number} at {along_of(one, u.position or one.position):.2f} m" for u in hanging[:14]
        ]
        more = f"\nand {len(hanging) - 14} more" if len(hanging) > 14 else ""
        self.list.setText("\n".join(lines) + more if lines else "nothing")
        count = len(self.bench.selection.ids)
        self.hang_title.words = f"Hang the {count} selected" if count else "Hang units: select some"
        self.hang_title.update()

    def _other_way(self) -> None:
        self.bench.plan.length_way = self.way.currentData()
        if self.fields["Length"].isModified():
            self._preview()

    def _preview(self) -> None:
        """What the length that is being typed would do to what hangs there, on plan and stage."""
        one = self.structure()
        try:
            length = read_figure(self.fields["Length"].text())
            made = (
                lengthened(self.bench.show, one.id, length, self.bench.plan.length_way)
                if one
                else None
            )
        except IsthmusError as error:
            self.bench.plan.see(None, str(error))
            return
        if made is not None:
            self.bench.plan.see(
                made.show,
                f"{length:.2f} m: units {LENGTH_WORDS[self.bench.plan.length_way]}. {made.words}",
            )

    def _edit(
        self, name: str, make: Callable[[Show, str], Show], only: Sequence[Structure] = ()
    ) -> None:
        """Change every selected structure, or only some, as one edit."""
        held = list(only) or self.held()

        def run() -> None:
            show = self.bench.show
            for one in held:
                show = make(show, one.id)
            who = held[0].name if len(held) == 1 else many(len(held), "structure")
            self.bench.commit(f"{name} of {who}", show)

        if not held or not self.bench.guard(run):
            self.refresh_all()

    def refresh_all(self) -> None:
        self.setFocus()
        self.refresh()

    def _typed(self, name: str) -> None:
        one = self.structure()
        if one is None:
            return
        text = self.fields[name].text()
        self.bench.plan.see(None)
        several = len(self.held()) > 1
        same = not text.strip() or not self.fields[name].isModified() if several else False
        if same or (not several and text.strip() == self._figure(one, name)):
            return
        self._edit(name.lower(), lambda show, key: self._changed(show, key, name, text))
        now = self.structure()
        if now is not None:  # as it is now: leaving the field again then changes nothing
            self.fields[name].setText(self._figure(now, name))
        self.refresh()

    def _changed(self, show: Show, key: str, name: str, text: str) -> Show:
        """The show with one figure of a structure as it was typed; `+0.3` changes it from its own.
        Raises EntryFault.
        """
        one = structures.structure(show, key)
        if name == "Name":
            words = " ".join(text.split())
            if not 0 < len(words) <= 80:
                raise EntryFault("A structure needs a name of 1 to 80 letters.")
            return structures.change(
                show, key, lambda s: replace(s, name=words) if s.name != words else s
            )
        if name == "Marks":
            marks = _read_marks(one, text)
            return structures.change(show, key, lambda s: replace(s, marks=marks))
        old = read_figure(self._figure(one, name))
        value = read_change(text, many=len(self.held()) > 1)(old)
        if name in ANGLES:
            return set_attitude(show, key, **{name.lower(): value})
        if name == "Length":
            made = lengthened(show, key, value, self.bench.plan.length_way)
            if made.words:
                self.bench.tell("attention", made.words)
            return made.show
        fields = _fields_for(one, name, value, text)
        return structures.change(show, key, lambda s: replace(s, **fields))

    def _figure(self, one: Structure, name: str) -> str:
        """What the field shows for what is: leaving it untouched changes nothing."""
        upright = one.kind in UPRIGHT_KINDS
        size = {
            "Length": one.size[2] if upright else one.size[0],
            "Depth": one.size[1],
            "Thickness": one.size[0] if upright else one.size[2],
        }
        if name in size:
            return write_figure(size[name])
        places = dict(zip(("Across x", "Upstage y", "Height z"), one.position, strict=True))
        if name in places:
            return write_figure(places[name])
        plain = {
            "Name": one.name,
            "Chords": str(one.chords),
            "Steps": str(one.steps),
            "Marks": " ".join(f"{m:g}" for m in one.marks),
        }
        if name in ANGLES:
            return write_figure(getattr(attitude_of(one.rotation), name.lower()), 1)
        return plain.get(name, write_figure(one.arc, 0))

    def _lock(self) -> None:
        on = self.lock.isChecked()
        self._edit(
            "lock" if on else "unlock",
            lambda show, key: structures.change(show, key, lambda s: replace(s, pinned=on)),
        )
        self.refresh()

    def _duplicate(self) -> None:
        held = self.held()

        def run() -> None:
            show, copies = self.bench.show, []
            for one in held:
                show, made = structures.duplicate(show, one.id)
                copies.append(made)
            who = held[0].name if len(held) == 1 else many(len(held), "structure")
            self.bench.commit(f"duplicate {who}", show)
            self.bench.selection.hold_all(copies)

        self.bench.guard(run)

    def _remove(self) -> None:
        self._edit("remove", structures.remove)

    def _hang(self, how: str) -> None:
        ids = list(self.bench.selection.ids)

        def make(show: Show, key: str) -> Show:
            if not ids:
                raise EntryFault(
                    "No units are selected.", do="Select units, then this structure again."
                )
            spacing = read_figure(self.spacing.text(), "spacing") if how == "spacing" else 0.0
            return structures.hang(
                show,
                ids,
                key,
                how,
                self.side.currentData(),
                spacing,
                read_figure(self.offset.text(), "distance"),
            )

        one = self.structure()
        self._edit(f"hang {many(len(ids), 'unit')} on", make, [one] if one else [])


def _with(v: Vec3, axis: int, value: float) -> Vec3:
    made = list(v)
    made[axis] = value
    return made[0], made[1], made[2]
