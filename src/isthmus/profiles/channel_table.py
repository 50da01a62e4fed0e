"""A chart as a person reads it: lines with channel, attribute, default and ranges. Modes and
manuals both become one.

Values are in the line's own resolution (0 … 255 for one slot, 0 … 65535 for two).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from isthmus.profiles.attributes import plain, unit_of
from isthmus.profiles.chart import Chart, ChartChannel, chart
from isthmus.profiles.keep import KeptByMode
from isthmus.profiles.records import ChannelFunction, Mode, Profile


@dataclass(frozen=True)
class Band:
    """A range of values with one meaning, both ends included; `low` and `high` are physical, if
    known.
    """

    start: int
    end: int
    name: str = ""
    attribute: str = ""
    low: float | None = None
    high: float | None = None
    wheel_slot: int = 0
    when: str = ""  # what must stand where for this range to be in force


@dataclass(frozen=True)
class ChannelLine:
    """One channel: `slots` from coarse to fine, counted from 1 in its DMX block."""

    slots: tuple[int, ...]
    attribute: str
    name: str = ""
    bands: tuple[Band, ...] = ()
    default: int | None = None
    block: int = 1
    cell: int = 0
    geometry: str = ""

    @property
    def size(self) -> int:
        return max(1, len(self.slots))

    @property
    def top(self) -> int:
        return 256**self.size - 1

    @property
    def words(self) -> str:
        """The attribute in plain words, else the name it was given."""
        return plain(self.attribute) if self.attribute else self.name or "nothing"

    def coarse(self, value: int) -> int:
        """A value of this line as the 0 … 255 of its coarse slot."""
        return value >> (8 * (self.size - 1))

    def where(self) -> str:
        """The channels as written in a chart: “5”, “1+2”, “block 2: 4”."""
        slots = "+".join(map(str, self.slots)) or "virtual"
        return f"block {self.block}: {slots}" if self.block > 1 else slots


@dataclass(frozen=True)
class ChannelTable:
    title: str
    lines: tuple[ChannelLine, ...]

    @property
    def footprint(self) -> int:
        """Slots of all blocks together."""
        blocks: dict[int, int] = {}
        for line in self.lines:
            if line.slots:
                blocks[line.block] = max(blocks.get(line.block, 0), *line.slots)
        return sum(blocks.values())

    @property
    def cells(self) -> int:
        return max((line.cell for line in self.lines), default=0)


def bands_of(functions: Sequence[ChannelFunction], top: int) -> tuple[Band, ...]:
    """The functions of a channel as ranges: its sets, and the rest of a function before and between
    them.
    """
    made: list[Band] = []
    for function in functions:
        when = (
            f"while {function.mode_master} is {function.mode_from} to {function.mode_to}"
            if function.mode_master
            else ""
        )
        span = max(1, function.dmx_to - function.dmx_from)
        step = (function.physical_to - function.physical_from) / span
        end_of_function = min(function.dmx_to, top)
        inside = [
            item for item in function.sets if function.dmx_from <= item.dmx_from <= end_of_function
        ]
        starts = [item.dmx_from for item in inside]
        if not starts or starts[0] > function.dmx_from:
            end = (starts[0] if starts else end_of_function + 1) - 1
            made.append(
                Band(
                    function.dmx_from,
                    end,
                    function.name,
                    function.attribute,
                    function.physical_from,
                    function.physical_from + step * (end - function.dmx_from),
                    when=when,
                )
            )
        for index, item in enumerate(inside):
            if not item.name.strip() and len(inside) > 1:
                continue  # a nameless set among named ones marks a gap
            end = (
                inside[index + 1].dmx_from if index + 1 < len(inside) else end_of_function + 1
            ) - 1
            low = (
                function.physical_from + step * (item.dmx_from - function.dmx_from)
                if item.physical_from is None
                else item.physical_from
            )
            high = (
                function.physical_from + step * (end - function.dmx_from)
                if item.physical_to is None
                else item.physical_to
            )
            made.append(
                Band(
                    item.dmx_from,
                    max(end, item.dmx_from),
                    item.name,
                    function.attribute,
                    low,
                    high,
                    item.wheel_slot,
                    when,
                )
            )
    return tuple(sorted(made, key=lambda band: (band.start, band.end)))


def _line(item: ChartChannel, ranges: dict[int, tuple[Band, ...]]) -> ChannelLine:
    """A channel of a laid-out chart as a line; `ranges` keeps those of a channel for its other
    cells.
    """
    functions = item.functions
    name = functions[0].name if len(functions) == 1 else ""
    key = id(item.channel)
    if key not in ranges:
        ranges[key] = bands_of(functions, item.top)
    return ChannelLine(
        slots=tuple(offset for _, offset in item.slots),
        attribute=item.attribute,
        name=name,
        bands=ranges[key],
        default=item.default,
        block=item.slots[0][0] if item.slots else max(1, item.channel.block),
        cell=item.cell,
        geometry=item.instance,
    )


def make_sheet(profile: Profile, mode: Mode, lay: Chart) -> ChannelTable:
    """The chart of a mode that was laid flat; see `sheet` for the kept one."""
    ranges: dict[int, tuple[Band, ...]] = {}
    return ChannelTable(
        f"{profile.title}, {mode.name}", tuple(_line(item, ranges) for item in lay.channels)
    )


_KEPT: KeptByMode[ChannelTable] = KeptByMode(256)


def channel_table(profile: Profile, mode: Mode) -> ChannelTable:
    """The chart of a mode, cells written out; made once for each profile object."""
    return _KEPT.get(profile, mode, lambda p, m: make_sheet(p, m, chart(p, m)))


TABLE_HEAD: tuple[str, ...] = (
    "Channel",
    "Attribute",
    "Cell",
    "Default",
    "From",
    "To",
    "Range",
    "Physical",
)


_SIGNS = {
    "Angle": "°",
    "AngularSpeed": "°/s",
    "Frequency": "Hz",
    "Temperature": "K",
    "Time": "s",
    "Length": "m",
    "Percent": "",
    "LuminousIntensity": "",
    "ColorComponent": "",
}


def physical_text(band: Band) -> str:
    """The physical values of a range, rounded for reading; empty where its attribute has no
    physical unit.
    """
    sign = _SIGNS.get(unit_of(band.attribute)) if band.attribute else None
    if band.low is None or band.high is None or not sign:
        return ""
    low, high = f"{band.low:.4g}", f"{band.high:.4g}"
    return f"{low} {sign}" if low == high else f"{low} to {high} {sign}"


def table(whole: ChannelTable) -> list[list[str]]:
    """The chart as rows of text, one for each range, for copying and for CSV."""
    rows = [list(TABLE_HEAD)]
    for line in whole.lines:
        head = [
            line.where(),
            line.words,
            str(line.cell or ""),
            "" if line.default is None else str(line.default),
        ]
        for index, band in enumerate(line.bands or (Band(0, line.top),)):
            rows.append(
                [
                    *(head if index == 0 else [""] * 4),
                    str(band.start),
                    str(band.end),
                    band.name,
                    physical_text(band),
                ]
            )
    return rows
