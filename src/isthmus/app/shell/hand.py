"""The hand controls: the drawer at the bottom with the ordered selection and its live levels."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRect, QTimer
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from isthmus.app.kit import paint
from isthmus.app.kit.actions import Action, Registry
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import SIZE, theme
from isthmus.app.kit.widgets import label, plain_tip, set_property
from isthmus.app.model.workbench import Workbench
from isthmus.app.shell.hand_parts import Chips, Colour, Intensity, PanTilt
from isthmus.app.shell.hand_strips import Strips
from isthmus.output import Live
from isthmus.patch.limits import bounds_of, limits_of_many
from isthmus.plural import many
from isthmus.profiles.chart import ChartChannel

REFRESH_MS = 40
NARROW = 960  # pixels
PAD, NARROW_PAD = 178, 96
SLIDER, NARROW_SLIDER = 150, 118


def _divider() -> QFrame:
    line = QFrame()
    line.setObjectName("divider")
    line.setFixedWidth(1)
    line.setStyleSheet("background: palette(mid);")
    return line


class Has:
    """What the selected units have to be set by hand, and what is asked of them."""

    def __init__(self) -> None:
        self.levels: set[float] = set()
        self.points: list[tuple[float, float]] = []  # pan and tilt, degrees
        self.ranges: dict[str, list[tuple[float, float]]] = {"Pan": [], "Tilt": []}
        self.turning = ""  # the first unit that has both axes
        self._seen: set[int] = set()  # modes
        self._resting: set[object] = (
            set()
        )  # modes of which a unit that nothing is asked of was seen
        self.colours = False
        self.light: NDArray[np.float64] | None = None  # of the first unit that gives any, RGB

    @property
    def level(self) -> float | None:
        """The level all of them have; None when they differ, 0 where none has one."""
        if len(self.levels) > 1:
            return None
        return next(iter(self.levels), 0.0)

    def add(self, live: Live, unit: str) -> None:
        if not live.asked_of(unit):  # all of a mode that nothing is asked of are alike
            kind = live.kind_of(unit)
            if kind in self._resting:
                return
            self._resting.add(kind)
        program = live.program(unit)
        if program is None:
            return
        channels = program.chart.channels
        self._add_level(live, unit, channels)
        pan, tilt = live.axis(unit, "Pan"), live.axis(unit, "Tilt")
        if pan is not None and tilt is not None:
            self.points.append((round(pan, 1), round(tilt, 1)))
            self.turning = self.turning or unit
            if id(program) not in self._seen:
                self._add_ranges(live, unit)
        if id(program) not in self._seen:
            self._seen.add(id(program))
            self.colours = self.colours or any(c.attribute.startswith("Color") for c in channels)
        if self.light is None:
            state = live.state_of(unit)
            if state is not None and state.rgb.size:
                self.light = state.rgb[0, int(np.argmax(state.rgb[0].sum(axis=1)))]

    def _add_ranges(self, live: Live, unit: str) -> None:
        """Ranges are those of the mode."""
        for axis, found in self.ranges.items():
            if span := live.axis_range(unit, axis):
                found.append(span)

    def _add_level(self, live: Live, unit: str, channels: Sequence[ChartChannel]) -> None:
        """Of its dimmer; a unit without one is as bright as its brightest emitter."""
        dimmer = next((c for c in channels if c.attribute == "Dimmer"), None)
        own = [dimmer] if dimmer else [c for c in channels if c.attribute.startswith("ColorAdd_")]
        if own:
            asked = max(live.level(unit, c.attribute, c.cell) or 0.0 for c in own)
            self.levels.add(round(asked, 3))


def _all_of(ranges: list[tuple[float, float]], usual: float) -> tuple[float, float]:
    """From the lowest to the highest any of the selected units reaches."""
    if not ranges:
        return -usual, usual
    return min(low for low, _ in ranges), max(high for _, high in ranges)


class Hand(Painted, QWidget):
    def __init__(self, bench: Workbench, actions: Registry) -> None:
        super().__init__()
        self.bench, self.acts = bench, actions
        self.open = True
        self._place, self._kept = "", dict[str, bool]()
        self.setObjectName("hand controls")
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 4, 16, 6)
        outer.setSpacing(2)
        head = QHBoxLayout()
        head.setSpacing(12)
        head.addSpacing(16)
        self.title = label("Hand controls", size="section", weight=600)
        head.addWidget(self.title)
        self.every = actions.button("hand.every", "All attributes", "quiet")
        self.every.setCheckable(True)
        self.every.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        head.addWidget(self.every)
        self.small = Chips(bench)
        self.words = label("", "text3")
        self.words.setProperty("kind", "quiet")
        head.addWidget(self.small, 1)
        head.addStretch(1)
        head.addWidget(self.words)
        outer.addLayout(head)
        self.body = QWidget()
        row = QHBoxLayout(self.body)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(14)
        left = QVBoxLayout()
        left.setSpacing(8)
        left.setContentsMargins(0, 6, 0, 0)
        self.chips = Chips(bench)
        left.addWidget(self.chips)
        acts = QHBoxLayout()
        acts.setSpacing(2)
        for words, action in (
            ("Reverse", "hand.reverse"),
            ("Every other", "hand.every_other"),
            ("Deselect", "hand.let_go"),
        ):
            made = actions.button(action, words, "quiet")
            made.setMinimumWidth(made.fontMetrics().horizontalAdvance(words) + 18)
            acts.addWidget(made)
        acts.addStretch(1)
        left.addLayout(acts)
        self.limits = label("", "attention", "caption", wrap=True)
        self.limits.setObjectName("limits of what is selected")
        left.addWidget(self.limits)
        left.addStretch(1)
        row.addLayout(left, 4)
        row.addWidget(_divider())
        self.usual = QWidget()
        usual = QHBoxLayout(self.usual)
        usual.setContentsMargins(0, 0, 0, 0)
        usual.setSpacing(14)
        self.strips = Strips(bench)
        self.middle = QStackedWidget()
        self.middle.addWidget(self.usual)
        self.middle.addWidget(self.strips)
        row.addWidget(self.middle, 9)
        self.intensity = Intensity()
        self.intensity.moved.connect(
            lambda v: bench.levels.change(
                lambda live: live.set_intensity(bench.selection.ids, v), "intensity"
            )
        )
        usual.addWidget(self.intensity, 3)
        usual.addWidget(_divider())
        self.pan_tilt = PanTilt()
        self.pan_tilt.moved.connect(self._aim)
        usual.addWidget(self.pan_tilt)
        usual.addWidget(_divider())
        self.colour = Colour()
        self.colour.moved.connect(
            lambda rgb: bench.levels.change(
                lambda live: live.set_colour(bench.selection.ids, rgb), "colour"
            )
        )
        usual.addWidget(self.colour)
        row.addWidget(_divider())
        grid = QGridLayout()
        grid.setSpacing(6)
        self.light = actions.button("units.light", "Highlight", "primary", 30)
        self.light.setMinimumWidth(116)
        grid.addWidget(self.light, 0, 0, 1, 2)
        grid.addWidget(actions.button("units.home", "Home", height=30), 1, 0)
        grid.addWidget(actions.button("units.release", "Release", height=30), 1, 1)
        grid.setRowStretch(2, 1)
        row.addLayout(grid)
        outer.addWidget(self.body)
        # levels may change far more often than an eye can follow
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(REFRESH_MS)
        self._later.timeout.connect(self.refresh)
        bench.selection.changed.connect(self.refresh)
        bench.levels.changed.connect(self.refresh_soon)
        bench.levels.sending_changed.connect(self.refresh)
        theme.changed.connect(self.update)
        self._open(True)
        self.refresh()

    def _open(self, on: bool) -> None:
        self.open = on
        self.body.setVisible(on)
        self.small.setVisible(not on)
        self.every.setVisible(on)
        self.setFixedHeight(SIZE["drawer_open"] + 6 if on else SIZE["drawer_shut"])
        self.update()

    def lead(self, primary: bool) -> None:
        """Light up is the window's one filled button, except where the page has its own."""
        set_property(self.light, "kind", "primary" if primary else "plain")

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a narrow window pad, slider and gaps give way, so that nothing is cut off."""
        wide = self.width() >= NARROW
        self.pan_tilt.setFixedWidth(PAD if wide else NARROW_PAD)
        self.intensity.setMinimumWidth(SLIDER if wide else NARROW_SLIDER)
        for row in (self.body.layout(), self.usual.layout()):
            if row is not None:
                row.setSpacing(14 if wide else 8)
        if outer := self.layout():
            side = 16 if wide else 8
            outer.setContentsMargins(side, 4, side, 6)

    def show_every(self) -> None:
        """Every attribute, or intensity, pan and tilt, and colour."""
        if not self.open:
            self.toggle()
        on = self.middle.currentWidget() is self.usual
        self.middle.setCurrentWidget(self.strips if on else self.usual)
        self.every.setChecked(on)
        self.strips.refresh()

    def toggle(self) -> None:
        self._open(not self.open)
        self._kept[self._place] = self.open

    def stand_in(self, place: str, usual: bool) -> None:
        """Be as the person left it on this page; `usual` where they never changed it."""
        self._place = place
        on = self._kept.get(place, usual)
        if on != self.open:
            self._open(on)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.position().y() < 30 and event.position().x() < 140:
            self.toggle()

    def _aim(self, pan: float, tilt: float) -> None:
        def change(live) -> None:
            live.set_axis(self.bench.selection.ids, "Pan", pan)
            live.set_axis(self.bench.selection.ids, "Tilt", tilt)

        self.bench.levels.change(change, "pan and tilt")

    def _axis(self, unit: str, name: str, asked: float) -> str:
        """What is asked, and what is sent where a limit or an inversion makes that another
        angle.
        """
        sent = self.bench.levels.live.sent_axis(unit, name)
        differs = sent is not None and abs(sent - asked) > 0.15
        return f"{name} {asked:+.1f}°" + (f" (sent {sent:+.1f}°)" if differs else "")

    def refresh_soon(self) -> None:
        if not self._later.isActive():
            self._later.start()

    def refresh(self) -> None:
        live, chosen = self.bench.levels.live, self.bench.selection.ids
        for part in (self.intensity, self.pan_tilt, self.colour, self.light):
            part.setEnabled(bool(chosen))
        has = Has()
        for unit in chosen:
            has.add(live, unit)
        first = chosen[0] if chosen else ""
        sent = live.sent_level(first, "Dimmer") if first else None
        asked = live.level(first, "Dimmer") if first else None
        other = (
            sent if sent is not None and asked is not None and abs(sent - asked) > 0.004 else None
        )
        bounds = bounds_of(self.bench.show, first) if first else {}
        self.intensity.set(has.level, other, bounds.pop("Dimmer", None))
        self.pan_tilt.set(
            has.points,
            (_all_of(has.ranges["Pan"], 270.0), _all_of(has.ranges["Tilt"], 135.0)),
            {name: bounds[name] for name in ("Pan", "Tilt") if name in bounds},
        )
        self._show_limits()
        self.colour.set(has.light, has.colours)
        self.strips.refresh()
        self.words.setText(self._words(has))

    def _words(self, has: Has) -> str:
        """What is going on, and the axes of the first unit that turns."""
        lit = len(self.bench.levels.live.lit())
        words = f"{many(lit, 'unit')} asked to light" if lit else "nothing is lit"
        if self.bench.session.call:
            words = "the roll call holds the levels"
        if not self.bench.levels.sending and (lit or self.bench.session.call):
            words += "; output is off, so nothing lights"
        if has.points and self.open:
            axes = [
                self._axis(has.turning, name, asked)
                for name, asked in zip(("Pan", "Tilt"), has.points[0], strict=True)
            ]
            words = f"{'   '.join(axes)}   ·   {words}".replace("-", "−")
        return words

    def _show_limits(self) -> None:
        """Every limited attribute of what is selected, with its bounds."""
        words = limits_of_many(self.bench.show, self.bench.selection.units())
        self.limits.setVisible(bool(words))
        text = f"Limited: {'; '.join(words)}"
        self.limits.setText(
            text
            if len(words) < 4
            else f"Limited: {'; '.join(words[:3])}; and {len(words) - 3} more"
        )
        self.limits.setToolTip(plain_tip(text))

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), theme.color("abyss"))
        p.fillRect(QRect(0, 0, self.width(), 1), theme.color("line_strong"))
        if outer := self.layout():
            paint.chevron(p, outer.contentsMargins().left() + 4, 17, self.open)


def register(actions: Registry, hand: Hand) -> None:
    bench = hand.bench
    actions.add(
        Action(
            "units.light",
            "Highlight",
            lambda: bench.levels.change(
                lambda live: live.light_up(bench.selection.ids), "Highlight"
            ),
            "Ctrl+U",
            "selection",
            help="Lights the selected units: home position, full, open and white",
            group="Hand controls",
        ),
        Action(
            "units.home",
            "Home",
            lambda: bench.levels.change(lambda live: live.home(bench.selection.ids), "Home"),
            "Ctrl+H",
            "selection",
            group="Hand controls",
        ),
        Action(
            "units.release",
            "Release the selected units",
            lambda: bench.levels.change(lambda live: live.let_go(bench.selection.ids), "Release"),
            "Ctrl+Backspace",
            "selection",
            help="Clears the levels asked of the selected units",
            group="Hand controls",
        ),
        Action(
            "units.release_all",
            "Release everything",
            lambda: bench.levels.change(lambda live: live.restore({}), "Release all"),
            "Ctrl+Shift+Backspace",
            group="Hand controls",
        ),
        Action(
            "hand.reverse",
            "Reverse the order of the selection",
            lambda: bench.selection.select(bench.selection.ids[::-1]),
            "Ctrl+I",
            "selection",
            group="Hand controls",
        ),
        Action(
            "hand.every_other",
            "Select every other",
            lambda: bench.selection.select(bench.selection.ids[::2]),
            "Ctrl+2",
            "selection",
            group="Hand controls",
        ),
        Action(
            "hand.let_go",
            "Deselect all",
            lambda: bench.selection.select([]),
            "Ctrl+Shift+D",
            "selection",
            group="Hand controls",
        ),
        Action(
            "hand.all",
            "Select all units",
            lambda: bench.selection.select(
                [u.id for u in sorted(bench.show.units, key=lambda u: u.number)]
            ),
            "Ctrl+A",
            group="Hand controls",
        ),
        Action(
            "hand.every", "All attributes", hand.show_every, "Ctrl+Alt+J", group="Hand controls"
        ),
        Action(
            "hand.drawer",
            "Open or shut the hand controls",
            hand.toggle,
            "Ctrl+J",
            group="Hand controls",
        ),
    )
