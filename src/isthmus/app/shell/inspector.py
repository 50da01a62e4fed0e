"""The inspector: what is selected, as fields that can be typed in; paper beside patch; its
snags.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Hashable
from operator import attrgetter
from typing import Literal

from msgspec.structs import replace
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QGridLayout, QScrollArea, QVBoxLayout, QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.figures import read_change, write_figure
from isthmus.app.kit.help import HELP
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import SIZE, font, pen, theme
from isthmus.app.kit.widgets import (
    LineField,
    Panel,
    Section,
    SeverityMark,
    bind,
    button,
    label,
    plain_tip,
    set_property,
)
from isthmus.app.model.workbench import Workbench
from isthmus.app.shell.structure_panel import StructurePanel
from isthmus.check import holds
from isthmus.errors import EntryFault
from isthmus.layout import put_unit
from isthmus.layout.structures import slide
from isthmus.looks.used import used_in
from isthmus.patch import edits, footprint
from isthmus.patch.addresses import place, read_addresses
from isthmus.patch.cells import addresses, addresses_continued
from isthmus.patch.follow import grown
from isthmus.patch.limits import limits_of_many
from isthmus.patch.numbers import read_numbers, write_numbers
from isthmus.patch.paper import paper_address
from isthmus.plural import many
from isthmus.profiles import profiles_of
from isthmus.show import Show, read_address
from isthmus.show.records import Quat, Unit
from isthmus.snags import Snag
from isthmus.stage.mount import HANGS, hang_of, hung, leaned, mount_of, turned
from isthmus.stage.runs import along_of

Write = Callable[[Show, list[str], str], Show]


def _numbers(show: Show, ids: list[str], text: str) -> Show:
    numbers = read_numbers(text)
    if len(numbers) == 1:
        numbers = list(range(numbers[0], numbers[0] + len(ids)))
    if len(numbers) != len(ids):
        raise EntryFault(
            f"{len(numbers)} numbers for {many(len(ids), 'unit')}.",
            do="Type the first, or as many as there are units.",
        )
    for unit, number in zip(ids, numbers, strict=True):
        show = edits.set_number(show, unit, number)
    return show


def _place(axis: int) -> Write:
    def write(show: Show, ids: list[str], text: str) -> Show:
        change = read_change(text, "distance", len(ids) > 1)
        for unit_id in ids:
            unit = show.unit(unit_id)
            at = list((unit.position if unit else None) or (0.0, 0.0, 0.0))
            at[axis] = change(at[axis])
            show = put_unit(show, unit_id, (at[0], at[1], at[2]))
        return show

    return write


def _mounted(put: Callable[[Quat, float], Quat], now: Callable[[Quat], float]) -> Write:
    def write(show: Show, ids: list[str], text: str) -> Show:
        change = read_change(text, "angle", len(ids) > 1)

        def mounted(unit: Unit) -> Unit:
            if unit.pinned:
                return unit
            return replace(unit, rotation=put(unit.rotation, change(now(unit.rotation))))

        return edits.change_units(show, ids, mounted)

    return write


def _turn(rotation: Quat) -> float:
    return mount_of(rotation).turn


def _lean(rotation: Quat) -> float:
    return mount_of(rotation).lean


def _hangs(show: Show, ids: list[str], text: str) -> Show:
    hang = text.strip().lower()
    if hang not in HANGS:
        raise EntryFault(f"“{text[:20]}” is not a way to hang.", do=f"Write {', '.join(HANGS)}.")
    return edits.change_units(
        show, ids, lambda u: u if u.pinned else replace(u, rotation=hung(u.rotation, hang))
    )


def _along(show: Show, ids: list[str], text: str) -> Show:
    """Metres along the structure each hangs on."""
    change = read_change(text, "distance", len(ids) > 1)
    for unit_id in ids:
        unit = show.unit(unit_id)
        on = next((s for s in show.structures if unit and s.id == unit.structure), None)
        now = along_of(on, unit.position) if on and unit and unit.position else 0.0
        show = slide(show, unit_id, change(now))
    return show


def _home(name: str) -> Write:
    """Degrees added to all that is sent to an axis: where it stands at home, apart from how it is
    mounted.
    """

    def write(show: Show, ids: list[str], text: str) -> Show:
        change = read_change(text, "angle", len(ids) > 1)

        def offset(unit: Unit) -> Unit:
            degrees = change(getattr(unit.handling, name))
            if abs(degrees) > 720:
                raise EntryFault(f"“{text[:20]}” is more than two turns.")
            return replace(unit, handling=replace(unit.handling, **{name: degrees}))

        return edits.change_units(show, ids, offset)

    return write


def _text(name: str) -> Write:
    return lambda show, ids, text: edits.set_text(show, ids, name, text)


def _metres(axis: int) -> Callable[[Unit], str]:
    return lambda unit: f"{unit.position[axis]:.2f}" if unit.position else "none"


class Field(LineField):
    """One property of all selected units; different values show as ≠ with their counts until
    something is typed.
    """

    def __init__(self, name: str, mono: bool) -> None:
        super().__init__()
        self.setObjectName(f"inspector {name}")
        self.setAccessibleName(name)
        self.setFont(font("table", 500 if mono else 400, mono=mono))
        self.setFixedHeight(SIZE["control"])
        self.original = ""

    def show_values(self, counted: Counter[str]) -> None:
        """What the selected units have, and how many have it."""
        mixed = len(counted) > 1
        set_property(self, "mixed", mixed)
        self.original = "" if mixed else next(iter(counted), "")
        self.setText(self.original)
        self.setCursorPosition(0)
        self.setPlaceholderText(
            "≠  " + "  ".join(f"{v or 'none'} ×{n}" for v, n in counted.most_common(3))
            if mixed
            else "none"
        )
        self.setToolTip(
            plain_tip(
                ", ".join(f"{v or 'none'} ×{n}" for v, n in counted.most_common(12))
                if mixed
                else HELP.get(self.objectName(), "")
            )
        )


class PaperAndRig(Painted, QWidget):
    """Paper (upright) beside rig or patch, line by line, with = or the severity of the
    difference.
    """

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[tuple[str, str, str, str]] = []

    def set(self, rows: list[tuple[str, str, str, str]]) -> None:
        self.rows = rows
        self.setFixedHeight(20 + 24 * len(rows))
        self.update()

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        w = self.width()
        middle = 62 + (w - 62) / 2
        paint.text(p, 62, 0, "PAPER", font(10, 600, track=1.2), "text2", height=18)
        paint.text(p, middle + 14, 0, "PATCH", font(10, 600, track=1.2), "text2", height=18)
        for i, (name, paper, patch, state) in enumerate(self.rows):
            y = 20 + i * 24
            mono = patch[:1].isdigit() or paper[:1].isdigit()
            paint.text(p, 0, y, name, font("table"), "text2", height=23)
            paint.text(
                p,
                62,
                y,
                paper or "–",
                font("table", 500, mono=mono),
                "text",
                width=middle - 76,
                height=23,
            )
            paint.text(
                p,
                middle + 14,
                y,
                patch or "–",
                font("table", 500, mono=mono),
                "text",
                width=w - middle - 14,
                height=23,
            )
            if state == "same":
                p.setPen(pen("teal", 1.4))
                p.drawLine(int(middle) - 6, y + 10, int(middle) + 4, y + 10)
                p.drawLine(int(middle) - 6, y + 14, int(middle) + 4, y + 14)
            elif state:
                paint.severity(p, state, middle - 1, y + 12, 6)
            p.fillRect(QRectF(0, y + 23, w, 1), theme.color("line_faint"))


def _compared(paper: str, patch: str) -> str:
    """How a pair is shown; paper that says nothing does not differ."""
    if paper == patch:
        return "same"
    return "attention" if paper else ""


MOST_READ = 200  # different values of a field that are read: more are not shown
_PLACE, _TURNED = attrgetter("position"), attrgetter("rotation")
# what a field's words rest on: units that are alike in it have the same words
_RESTS_ON: dict[str, Callable[[Unit], Hashable]] = {
    "Fixture ID": attrgetter("fixture_id"),
    "Name": attrgetter("name"),
    "Profile": attrgetter("profile"),
    "Mode": attrgetter("mode"),
    "Address": lambda u: tuple((p.universe, p.address) for p in u.patch),
    "Footprint": attrgetter("profile", "mode"),
    "Position": attrgetter("hangs_on"),
    "Gel": attrgetter("gel"),
    "Purpose": attrgetter("purpose"),
    "Across x": _PLACE,
    "Upstage y": _PLACE,
    "Height z": lambda u: u.position and u.position[2],
    "Along": attrgetter("structure", "position"),
    "Hangs": _TURNED,
    "Turn": _TURNED,
    "Lean": _TURNED,
    "Pan offset": attrgetter("handling.pan_offset"),
    "Tilt offset": attrgetter("handling.tilt_offset"),
}


class Inspector(Panel):
    FIELDS: tuple[tuple[str, bool, Callable[[Unit], str] | None, Write | None], ...] = (
        ("Unit", True, None, _numbers),
        ("Fixture ID", True, lambda u: u.fixture_id, _text("fixture_id")),
        ("Name", False, lambda u: u.name, _text("name")),
        ("Profile", False, None, None),
        ("Mode", False, lambda u: u.mode, lambda s, ids, t: edits.set_mode(s, ids, t.strip())),
        ("Address", True, addresses, lambda s, ids, t: edits.set_address(s, ids, read_address(t))),
        ("Footprint", True, None, None),
        ("Position", False, lambda u: u.hangs_on, _text("hangs_on")),
        ("Gel", False, lambda u: u.gel, _text("gel")),
        ("Purpose", False, lambda u: u.purpose, _text("purpose")),
        ("Across x", True, _metres(0), _place(0)),
        ("Upstage y", True, _metres(1), _place(1)),
        ("Height z", True, _metres(2), _place(2)),
        ("Along", True, None, _along),
        ("Hangs", False, hang_of, _hangs),
        ("Turn", True, lambda u: write_figure(_turn(u.rotation), 1), _mounted(turned, _turn)),
        ("Lean", True, lambda u: write_figure(_lean(u.rotation), 1), _mounted(leaned, _lean)),
        ("Pan offset", True, lambda u: write_figure(u.handling.pan_offset, 1), _home("pan_offset")),
        (
            "Tilt offset",
            True,
            lambda u: write_figure(u.handling.tilt_offset, 1),
            _home("tilt_offset"),
        ),
    )

    def __init__(self, bench: Workbench, follow: Callable[[Snag], None]) -> None:
        super().__init__("shelf")
        self.bench, self.follow = bench, follow
        self.setFixedWidth(SIZE["inspector"])
        outer = QVBoxLayout(self)
        outer.setContentsMargins(1, 0, 0, 0)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        outer.addWidget(self.area)
        inside = QWidget()
        self.area.setWidget(inside)
        self.area.viewport().setAutoFillBackground(False)
        inside.setAutoFillBackground(False)
        column = QVBoxLayout(inside)
        column.setContentsMargins(15, 12, 15, 12)
        column.setSpacing(0)
        self.heading = label("", size=15, weight=600)
        self.heading.setFixedHeight(24)
        self.below = label("", "quiet", wrap=True)
        self.below.setMinimumHeight(20)
        column.addWidget(self.heading)
        column.addWidget(self.below)
        column.addSpacing(10)
        self.form = QWidget()
        grid = QGridLayout(self.form)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(5)
        grid.setColumnMinimumWidth(0, 68)
        self.fields: dict[str, Field] = {}
        for y, (name, mono, _, write) in enumerate(self.FIELDS):
            field = Field(name, mono)
            field.setEnabled(write is not None)
            field.editingFinished.connect(lambda n=name: self._typed(n))
            grid.addWidget(label(name, "quiet"), y, 0)
            grid.addWidget(field, y, 1)
            self.fields[name] = field
        self.structure = StructurePanel(bench)
        column.addWidget(self.structure)
        column.addWidget(self.form)
        column.addSpacing(14)
        self.paper_title = Section("Paper and patch")
        self.paper = PaperAndRig()
        column.addWidget(self.paper_title)
        column.addWidget(self.paper)
        self.limits = label("", "attention", wrap=True)
        self.limits.setObjectName("inspector limits")
        column.addSpacing(6)
        column.addWidget(self.limits)
        self.used = label("", "quiet", wrap=True)
        self.used.setObjectName("used in looks")
        column.addSpacing(6)
        column.addWidget(self.used)
        self.verdict = label("", "quiet", italic=True, wrap=True)
        column.addSpacing(6)
        column.addWidget(self.verdict)
        column.addSpacing(12)
        self.snag_title = Section("Snags")
        column.addWidget(self.snag_title)
        self.snag_box = QWidget()
        self.snag_column = QVBoxLayout(self.snag_box)
        self.snag_column.setContentsMargins(0, 0, 0, 0)
        self.snag_column.setSpacing(6)
        column.addWidget(self.snag_box)
        column.addStretch(1)
        bench.selection.changed.connect(self.refresh)
        bench.selection.held_changed.connect(self.refresh)
        bind(bench.changed, self, self.refresh)
        self.refresh()

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.save()
        super().draw(p, event)
        p.restore()
        p.fillRect(QRectF(0, 0, 1, self.height()), theme.color("line"))

    def refresh(self) -> None:
        units = self.bench.selection.units()
        held = self.structure.structure()
        self.structure.setVisible(held is not None)
        if held is not None:
            count = len(self.bench.selection.structures)
            self.heading.setText(held.name if count == 1 else many(count, "structure"))
            self.below.setText(
                f"{held.kind}, selected" if count == 1 else f"{held.name} has the handles"
            )
            units = []
        elif not units:
            self.heading.setText("Nothing selected")
            self.below.setText("Select units in a table, on the plan or the stage.")
        for widget in (
            self.form,
            self.paper_title,
            self.paper,
            self.limits,
            self.used,
            self.verdict,
            self.snag_title,
            self.snag_box,
        ):
            widget.setVisible(bool(units))
        if units:
            self._show_units(units)

    def _show_units(self, units: list[Unit]) -> None:
        one = units[0] if len(units) == 1 else None
        self.heading.setText(f"{one.number}  {one.name}" if one else f"{len(units)} selected units")
        profiles = {u.profile: u for u in units}
        models = dict.fromkeys(self._model(u, "in_full") for u in profiles.values())
        self.below.setText(", ".join(models) if len(models) == 1 else many(len(models), "profile"))
        self._show_fields(units)
        words = limits_of_many(self.bench.show, units)
        self.limits.setVisible(bool(words))
        self.limits.setText("Limited: " + "; ".join(words) + ".")
        used = used_in(self.bench.show, {u.id for u in units})
        self.used.setVisible(bool(used))
        self.used.setText(used)
        self._show_paper(one)
        self._show_snags({u.id for u in units})

    def _show_fields(self, units: list[Unit]) -> None:
        """Units that have the same are read once, so that thousands cost no more than they
        differ.
        """
        profiles = profiles_of(self.bench.show)
        told: dict[str, Callable[[Unit], str]] = {
            "Profile": lambda u: self._model(u, "label"),
            "Footprint": lambda u: str(footprint(u, profiles)),
            "Along": self._along,
        }
        alike: dict[object, tuple[dict[Hashable, Unit], list[tuple[Hashable, int]]]] = {}
        for name, _, read, _ in self.FIELDS:
            reader = told.get(name, read)
            if name == "Unit":
                numbers = write_numbers([u.number for u in units])
                self.fields[name].show_values(Counter([numbers]))
            elif reader:
                key = _RESTS_ON[name]
                if key not in alike:
                    keys = list(map(key, units))
                    some = dict(zip(keys, units, strict=True))
                    alike[key] = some, Counter(keys).most_common(MOST_READ)
                some, counts = alike[key]
                words: Counter[str] = Counter()
                for what, count in counts:
                    words[reader(some[what])] += count
                self.fields[name].show_values(words)

    def _model(self, unit: Unit, how: Literal["in_full", "label"]) -> str:
        """The name of a unit's profile, or the key it has where no profile is known by it."""
        profile = profiles_of(self.bench.show).profiles.get(unit.profile)
        return (getattr(profile, how) if profile else "") or unit.profile

    def _along(self, unit: Unit) -> str:
        """Metres from the start of what it hangs on."""
        on = next((s for s in self.bench.show.structures if s.id == unit.structure), None)
        return write_figure(along_of(on, unit.position)) if on and unit.position else ""

    def _show_paper(self, unit: Unit | None) -> None:
        """What paper and roll call say of a unit, where one alone is selected."""
        show = self.bench.show
        row = next((r for r in show.paper.rows if unit and r.number == unit.number), None)
        verdict = next((v for v in show.verdicts if unit and v.unit == unit.id), None)
        self.paper_title.setVisible(row is not None)
        self.paper.setVisible(row is not None)
        self.verdict.setVisible(verdict is not None)
        if verdict:
            stale = "" if holds(show, verdict) else " It has been changed since."
            self.verdict.setText(
                f"Roll call {verdict.at[11:16]}: {verdict.result}. {verdict.note}{stale}"
            )
        if row is None or unit is None:
            return
        pairs = [
            ("Model", row.type, self._model(unit, "label")),
            ("Mode", row.mode, unit.mode),
            ("Address", paper_address(row), addresses(unit)),
            ("Position", row.hangs_on, unit.hangs_on),
            ("Gel", row.gel, unit.gel),
        ]
        self.paper.set([(n, a, b, _compared(a, b)) for n, a, b in pairs if a or b])

    def _show_snags(self, units: set[str]) -> None:
        while item := self.snag_column.takeAt(0):
            widget = item.widget()
            if widget:
                widget.setParent(None)
                widget.deleteLater()
        found = [s for s in self.bench.known.snags if not units.isdisjoint(s.units)]
        self.snag_title.setVisible(bool(found))
        for snag in found[:6]:
            box = QWidget()
            grid = QGridLayout(box)
            grid.setContentsMargins(0, 0, 0, 2)
            grid.setHorizontalSpacing(6)
            grid.setVerticalSpacing(2)
            grid.addWidget(SeverityMark(snag.severity), 0, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(label(snag.text, wrap=True), 0, 1)
            if snag.fix:
                grid.addWidget(
                    button(snag.fix.label, "link", lambda s=snag: self.follow(s)),
                    1,
                    1,
                    Qt.AlignmentFlag.AlignLeft,
                )
            grid.setColumnStretch(1, 1)
            self.snag_column.addWidget(box)
        if len(found) > 6:
            self.snag_column.addWidget(label(f"and {len(found) - 6} more on Readiness", "quiet"))

    def _placed(self, ids: list[str], text: str) -> bool:
        """Addresses are given as a whole; when address in use, the ways out are
        shown.
        """

        def run() -> None:
            spots = read_addresses(text)
            texts = (
                [text, *addresses_continued(self.bench.show, ids, [text])]
                if len(ids) > 1 and len(spots) == 1
                else [text] * len(ids)
            )
            placing = place(
                self.bench.show,
                {unit: read_addresses(one) for unit, one in zip(ids, texts, strict=True)},
            )
            words = f"address of {many(len(ids), 'unit')}"
            self.bench.place(words, placing)

        if not self.bench.guard(run):
            self.refresh()
        return True

    def _give_mode(self, ids: list[str], mode: str) -> None:
        after = edits.set_mode(self.bench.show, ids, mode)
        self.bench.place(f"mode of {many(len(ids), 'unit')}", grown(self.bench.show, after, ids))

    def _typed(self, name: str) -> None:
        field = self.fields[name]
        text = field.text()
        if text == field.original or (not text and field.property("mixed")):
            return
        write = next(w for n, _, _, w in self.FIELDS if n == name)
        ids = list(self.bench.selection.ids)
        field.original = text
        if name == "Address" and self._placed(ids, text):
            return
        if name == "Mode":
            if not self.bench.guard(lambda: self._give_mode(ids, text.strip())):
                self.refresh()
            return
        if write is None or not self.bench.guard(
            lambda: self.bench.commit(
                f"{name.lower()} of {many(len(ids), 'unit')}", write(self.bench.show, ids, text)
            )
        ):
            self.refresh()
