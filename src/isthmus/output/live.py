"""Live levels: what is asked of the rig right now. Apart from the show: never undone, saved or
merged.

Levels are kept by unit, cell and attribute, so that they survive any change of the patch.
"""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterable, Mapping

import numpy as np
from numpy.typing import NDArray

from isthmus.output.bounds import Bounds
from isthmus.output.compile import Compiled, Key, Levels, compile_show
from isthmus.output.glow import Glow, glow_of
from isthmus.output.rendering import render_show
from isthmus.output.slots import SlotTable
from isthmus.profiles import light_program, profiles_of
from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.colour import mix_additive
from isthmus.profiles.groups import group_by_mode
from isthmus.profiles.light import LightProgram, LightState
from isthmus.profiles.natural import level_for, physical_for
from isthmus.show.records import Show, Unit

Asked = dict[Key, float]
Make = Callable[[LightProgram, str], Asked]


class Live:
    """The levels of one show. `levels` and `frame` are up to date after every call."""

    def __init__(self, show: Show) -> None:
        self._asked: Asked = {}
        self.over: dict[
            tuple[int, int], int
        ] = {}  # (universe, address) → a byte laid over what is sent
        self.beyond: frozenset[tuple[int, int]] = (
            frozenset()
        )  # slots a proof may send past their limits, allowed by name
        self._asking: set[str] = set()
        self._light: list[LightState] | None = None
        self._dark: NDArray[np.uint8] | None = None
        self._groups: list[tuple[LightProgram, tuple[Unit, ...]]] = []
        self._place: dict[str, tuple[int, int]] = {}
        self.show = show
        self.compiled: Compiled = compile_show(Show())
        self.rendering = render_show(Show(), self.compiled)
        self.played: Levels | None = None  # of cue lists, below what is asked by hand
        self.playing: frozenset[str] = frozenset()  # units they have a say in
        self.covered: tuple[NDArray[np.int64], Levels] | None = None  # by pictures, above all else
        self.by_hand = np.zeros(0, bool)  # which parameters are asked for by hand
        self.below: Levels = self.compiled.defaults.copy()  # what is asked, below pictures
        self.levels: Levels = self.below  # what is asked
        self.sent: Levels = self.levels  # what is sent
        self.frame: NDArray[np.uint8] = self.compiled.frame()
        self._table = SlotTable([], self.compiled)
        self._units: dict[str, Unit] = {}
        self._programs: dict[str, LightProgram | None] = {}  # by unit, while the show is the same
        self.set_show(show)

    def set_show(self, show: Show) -> None:
        """Compile again when patch, profiles or routes changed; levels stay with their units."""
        old, self.show = self.show, show
        same = bool(self._units) and old.profiles is show.profiles
        if (
            same and old.outputs is not show.outputs
        ):  # a universe that only outputs name has a row of its own
            same = {o.universe for o in old.outputs} == {o.universe for o in show.outputs}
        if same and old.units is not show.units:
            same = _patched_alike(old.units, show.units)
        if not same:
            self._programs = {}
            self._units = {unit.id: unit for unit in show.units}
            self.compiled = compile_show(show)
            self.played, self.playing, self.covered = None, frozenset(), None
            patched = [unit for unit in show.units if unit.patch]
            self._groups = group_by_mode(patched, profiles_of(show))
            self._table = SlotTable(self._groups, self.compiled)
            self._place = {
                unit.id: (g, i)
                for g, (_, units) in enumerate(self._groups)
                for i, unit in enumerate(units)
            }
        elif old.units is show.units:
            return
        else:
            self._units = {unit.id: unit for unit in show.units}
        self.rendering = render_show(show, self.compiled)
        self._refresh()

    @property
    def bounds(self) -> Bounds:
        """The limits of the show over its frame."""
        return self.rendering.bounds

    def _refresh(self) -> None:
        home = self.compiled.defaults
        self.below = (home if self.played is None else self.played).copy()
        self.by_hand = np.zeros(len(home), bool)
        self._put(self._asked)
        self._cover()
        self.frame = self.compiled.frame()
        self._render()

    def _put(self, wanted: Asked) -> None:
        places = self.compiled.places
        for key, value in wanted.items():
            for index in places.get(key):
                self.below[index] = value
                self.by_hand[index] = True

    def _cover(self) -> None:
        self.levels = self.below
        if self.covered is not None:
            index, levels = self.covered
            self.levels = self.below.copy()
            self.levels[index] = levels

    def _render(self) -> None:
        self.sent = self.rendering.shaped(self.levels)
        self.rendering.write(self.sent, self.frame, self.over, self.beyond)
        self._light = self._dark = None
        self._asking = self.asked_units() | self.playing

    def dark_frame(self) -> NDArray[np.uint8]:
        """What is sent with every light out and all else as it is."""
        if self._dark is None:
            self._dark = self.rendering.dark(self.sent)
        return self._dark

    # ------------------------------------------------------------ asking

    def blank(self) -> Live:
        """The same rig with nothing asked and nothing played. The show must stay as it is."""
        made = copy.copy(self)
        made._asked, made._asking, made.over = {}, set(), {}
        made.played, made.playing, made.beyond = None, frozenset(), frozenset()
        made.covered = None
        made._refresh()
        return made

    def play(self, levels: Levels | None, units: frozenset[str] = frozenset()) -> None:
        """What cue lists make of all parameters, (p,), and the units they have a say in; None when
        none runs. What is asked by hand stays in front.
        """
        self.played, self.playing = levels, units
        self._refresh()

    def cover(self, covered: tuple[NDArray[np.int64], Levels] | None) -> None:
        """What pictures shown by hand make of some parameters (n,), whatever else is asked of
        them; None ends it.
        """
        self.covered = covered
        self._refresh()

    def snapshot(self) -> Asked:
        """What is asked now, for `restore`."""
        return dict(self._asked)

    def restore(self, asked: Asked) -> None:
        """Ask for this and nothing else."""
        self._asked = dict(asked)
        self._refresh()

    def ask(self, wanted: Asked) -> None:
        """Take levels, clipped to 0…1."""
        clipped = {key: min(1.0, max(0.0, float(value))) for key, value in wanted.items()}
        self._asked.update(clipped)
        self._put(clipped)
        self._cover()
        self._render()

    def held_back(self, slots: Mapping[tuple[int, int], int]) -> list[int]:
        """Numbers of the units whose limits would hold back bytes laid over."""
        return self.bounds.held_back(self.frame, slots)

    def lay_over(
        self, slots: Mapping[tuple[int, int], int], past: Iterable[tuple[int, int]] = ()
    ) -> None:
        """Send these bytes whatever is asked, to prove a slot; {} ends it. Limits hold but for the
        slots in `past`, allowed by name.
        """
        beyond = frozenset(past)
        if slots != self.over or beyond != self.beyond:
            self.beyond = beyond
            gone = self.over.keys() - slots.keys()
            self.over = dict(slots)
            if gone:
                self.frame = self.compiled.frame()
            self._render()

    def let_go(self, units: Iterable[str]) -> None:
        """Back to the profile's defaults, with nothing asked."""
        gone = set(units)
        self._asked = {key: value for key, value in self._asked.items() if key[0] not in gone}
        self._refresh()

    def kind_of(self, unit: str) -> tuple[str, str] | None:
        """Profile and mode of a unit."""
        one = self._units.get(unit)
        return (one.profile, one.mode) if one else None

    def asked_of(self, unit: str) -> bool:
        """Whether anything is asked of a unit."""
        return unit in self._asking

    def asked_units(self) -> set[str]:
        """Units of which anything is asked."""
        return {key[0] for key in self._asked}

    # ------------------------------------------------------------ what is so

    def number_of(self, unit: str) -> int:
        """The number of a unit, 0 for one that is not there."""
        one = self._units.get(unit)
        return one.number if one else 0

    def program(self, unit_id: str) -> LightProgram | None:
        """What a unit's mode does with its slots; None for an unknown mode."""
        if unit_id not in self._programs:
            unit = self._units.get(unit_id)
            found = profiles_of(self.show).mode_of(unit) if unit else None
            self._programs[unit_id] = light_program(*found) if found else None
        return self._programs[unit_id]

    def level(self, unit: str, attribute: str, cell: int = 0) -> float | None:
        """The asked or default level; None when the unit has no such channel."""
        program = self.program(unit)
        item = (
            next(
                (c for c in program.chart.channels if c.attribute == attribute and c.cell == cell),
                None,
            )
            if program
            else None
        )
        if item is None:
            return None
        key = unit, cell, attribute
        if self.played is not None and key not in self._asked:
            return next((float(self.played[at]) for at in self.compiled.places.get(key)), None)
        return self._asked.get(key, item.default_level)

    def sent_level(self, unit: str, attribute: str, cell: int = 0) -> float | None:
        """The level that goes out; None for what has no address, or has no such channel."""
        places = self.compiled.places.get((unit, cell, attribute))
        return float(self.sent[places[0]]) if places else None

    def sent_levels(self, unit: str, attribute: str) -> list[float]:
        """The levels that go out, one for each cell; of the colours for the intensity of a unit
        without a dimmer.
        """
        items = [(name, at) for _, name, at, _ in self.compiled.places.of_unit(unit)]
        found = [float(self.sent[at]) for name, at in items if name == attribute]
        if not found and attribute == "Dimmer":
            found = (
                [max(c)]
                if (
                    c := [
                        float(self.sent[at]) for name, at in items if name.startswith("ColorAdd_")
                    ]
                )
                else []
            )
        return found

    def sent_axis(self, unit: str, attribute: str) -> float | None:
        """Degrees that go out for Pan, Tilt or Zoom."""
        program = self.program(unit)
        item = (
            next((c for c in program.chart.channels if c.attribute == attribute), None)
            if program
            else None
        )
        level = self.sent_level(unit, attribute, item.cell) if item else None
        return None if item is None or level is None else physical_for(item, level)

    def _read(self) -> list[LightState]:
        """What every unit makes of the frame; read once for each frame, a few array operations a
        mode.
        """
        if self._light is None:
            self._light = self._table.states(self.frame)
        return self._light

    def state_of(self, unit_id: str) -> LightState | None:
        """What the slots sent make of a unit."""
        place = self._place.get(unit_id)
        if place is None:
            return None
        state, row = self._read()[place[0]], slice(place[1], place[1] + 1)
        axes = {key: value[row] for key, value in state.axes.items()}
        return LightState(state.rgb[row], axes, state.field[row], state.strobe[row])

    def lit(self) -> dict[str, float]:
        """Units that give light with what is sent, and how much."""
        found: dict[str, float] = {}
        for (_, units), state in zip(self._groups, self._read(), strict=True):
            level = state.intensity()
            found.update(
                {
                    units[i].id: float(level[i])
                    for i in np.flatnonzero(level > 0.001)
                    if units[i].id in self._asking
                }
            )
        return found

    def glow(self) -> Glow:
        """What light each unit gives with what is sent."""
        units = self._units
        groups = [(program, [units[u.id] for u in mine]) for program, mine in self._groups]
        return glow_of(self.show, groups, self._read())

    # ------------------------------------------------------------ plain wishes

    def light_up(self, units: Iterable[str], level: float = 1.0) -> None:
        """Home with the light on, open and white: the profile's defaults and its highlight
        values.
        """
        self.ask(self.wish_light(units, level))

    def wish_light(self, units: Iterable[str], level: float = 1.0) -> Asked:
        """What to ask for it."""
        return self._wished(units, lambda program, unit: highlight(program, unit, level))

    def home(self, units: Iterable[str]) -> None:
        """Every attribute at its default, held there."""
        self._wish(
            units,
            lambda program, unit: {
                (unit, c.cell, c.attribute): c.default_level for c in program.chart.channels
            },
        )

    def _wish(self, units: Iterable[str], make: Make) -> None:
        self.ask(self._wished(units, make))

    def _wished(self, units: Iterable[str], make: Make) -> Asked:
        wanted: Asked = {}
        for unit in units:
            program = self.program(unit)
            if program is not None:
                wanted.update(make(program, unit))
        return wanted

    def set_intensity(self, units: Iterable[str], value: float) -> None:
        """The dimmer where there is one (cells too), else the colour channels together, keeping the
        colour.
        """
        self.ask(self.wish_intensity(units, value))

    def wish_intensity(self, units: Iterable[str], value: float) -> Asked:
        """What to ask for it."""

        def make(program: LightProgram, unit: str) -> Asked:
            dimmers = [c for c in program.chart.channels if c.attribute == "Dimmer"]
            if dimmers:
                wanted = {(unit, c.cell, c.attribute): value for c in dimmers}
                for c in (
                    program.chart.channels
                ):  # open what no unit has touched, or no light would come out
                    key = unit, c.cell, c.attribute
                    if (
                        value > 0
                        and _opens(c)
                        and c.channel.highlight is not None
                        and key not in self._asked
                    ):
                        wanted[key] = c.channel.highlight / c.top
                return wanted
            emitters = [c for c in program.chart.channels if c.attribute.startswith("ColorAdd_")]
            now = {
                (unit, c.cell, c.attribute): self.level(unit, c.attribute, c.cell) or 0.0
                for c in emitters
            }
            peak = max(now.values(), default=0.0)
            return {key: (level / peak if peak > 0 else 1.0) * value for key, level in now.items()}

        return self._wished(units, make)

    def set_axis(self, units: Iterable[str], attribute: str, degrees: float) -> None:
        """Pan, Tilt or Zoom in the profile's own degrees; out of reach goes to the nearest end."""
        self._wish(
            units,
            lambda program, unit: {
                (unit, c.cell, c.attribute): level_for(c, degrees)
                for c in program.chart.channels
                if c.attribute == attribute
            },
        )

    def axis(self, unit: str, attribute: str) -> float | None:
        """Degrees asked of Pan, Tilt or Zoom."""
        program = self.program(unit)
        item = (
            next((c for c in program.chart.channels if c.attribute == attribute), None)
            if program
            else None
        )
        level = self.level(unit, attribute, item.cell) if item else None
        return None if item is None or level is None else physical_for(item, level)

    def axis_range(self, unit: str, attribute: str) -> tuple[float, float] | None:
        """Lowest and highest degrees a unit can be asked for, from its own profile."""
        program = self.program(unit)
        item = (
            next((c for c in program.chart.channels if c.attribute == attribute), None)
            if program
            else None
        )
        first = item.channel.first if item else None
        return (
            (
                min(first.physical_from, first.physical_to),
                max(first.physical_from, first.physical_to),
            )
            if first
            else None
        )

    def set_colour(self, units: Iterable[str], rgb: NDArray[np.float64]) -> None:
        """Linear sRGB by whatever the unit has: emitters, subtractive mixing, or the nearest slot
        of a wheel.
        """
        self._wish(units, lambda program, unit: self._colour(program, unit, rgb))

    def _colour(self, program: LightProgram, unit: str, rgb: NDArray[np.float64]) -> Asked:
        peak = float(rgb.max())
        shade = rgb / peak if peak > 0 else np.zeros(3)
        wanted: Asked = {}
        for cell in range(program.chart.cells + 1):
            emitters = program.emitters(cell)
            if emitters:
                # without a dimmer the colour channels are the intensity too, so keep how bright
                # they are
                bright = 1.0
                if not program.has_dimmer:
                    bright = (
                        max(
                            (self.level(unit, name, cell) or 0.0 for name, _ in emitters),
                            default=0.0,
                        )
                        or 1.0
                    )
                levels = mix_additive(np.array([e for _, e in emitters]), shade) * bright
                wanted |= {
                    (unit, cell, name): float(level)
                    for (name, _), level in zip(emitters, levels, strict=True)
                }
        filters = {f"ColorSub_{letter}": float(1 - shade[i]) for i, letter in enumerate("CMY")}
        items = [c for c in program.chart.channels if c.attribute.startswith("Color")]
        if any(c.attribute == "ColorSub_C" for c in items):
            for c in items:
                if c.attribute in filters:
                    wanted[(unit, c.cell, c.attribute)] = filters[c.attribute]
        elif not wanted:
            for c in items:
                if slots := program.wheel_slots(c.attribute, c.cell):
                    value, _, _ = min(slots, key=lambda slot: _apart(slot[1], shade))
                    wanted[(unit, c.cell, c.attribute)] = value / c.top
        return wanted


def _apart(rgb: NDArray[np.float64], shade: NDArray[np.float64]) -> float:
    """How far a colour, whatever its brightness, is from a shade."""
    return float(np.abs(rgb / max(rgb.max(), 1e-9) - shade).sum())


def _opens(item: ChartChannel) -> bool:
    return item.attribute.startswith("Shutter") or item.attribute.startswith("ColorAdd_")


def highlight(program: LightProgram, unit: str, level: float) -> Asked:
    """Defaults, with the profile's highlight values; the light itself at `level`."""
    wanted: Asked = {}
    for item in program.chart.channels:
        mark = item.channel.highlight
        value = item.default_level if mark is None else min(1.0, mark / item.top)
        dims = item.attribute == "Dimmer" or (
            not program.has_dimmer and item.attribute.startswith("ColorAdd_")
        )
        wanted[(unit, item.cell, item.attribute)] = value * level if dims else value
    return wanted


def _patched_alike(old: tuple[Unit, ...], new: tuple[Unit, ...]) -> bool:
    """Whether the same units listen at the same slots in the same modes: names, gels, places and
    limits may differ.
    """
    return len(old) == len(new) and all(
        a is b or (a.id, a.profile, a.mode, a.patch) == (b.id, b.profile, b.mode, b.patch)
        for a, b in zip(old, new, strict=True)
    )
