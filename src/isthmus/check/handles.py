"""Every attribute of some units as something to set by hand: by percent, degrees, Hz or the name of
a range, at once for several types, each by its own ranges.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field

from isthmus.check.safe import dangers
from isthmus.check.spoken import ends_in_degrees, read_spoken, say_level
from isthmus.errors import EntryFault
from isthmus.output import Live
from isthmus.output.live import Asked
from isthmus.patch.numbers import write_numbers
from isthmus.profiles.attributes import plain
from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.light import LightProgram
from isthmus.profiles.natural import level_for, physical_for, ranges

READ = 300  # units whose values are read: more are set all the same


@dataclass
class Handle:
    """One attribute of the selected units. `values` are what they have, in words, most first;
    `level` is the first unit's; `names` are the ranges any of them has, in order; `low` and `high`
    are its ends in degrees where it has some.
    """

    attribute: str
    name: str
    values: Counter[str] = field(default_factory=Counter)
    level: float = 0.0
    low: float | None = None
    high: float | None = None
    names: dict[str, None] = field(default_factory=dict)
    guarded: bool = False  # some of its ranges reset or switch a lamp


def handles_of(live: Live, ids: Sequence[str], cell: int | None = None) -> list[Handle]:
    """The attributes of units in the order of their charts; with `cell` those of one cell."""
    found: dict[str, Handle] = {}
    seen: set[int] = set()
    for unit in ids[:READ]:
        program = live.program(unit)
        if program is None:
            continue
        for item in _items(program, None, cell):
            handle = found.setdefault(item.attribute, Handle(item.attribute, plain(item.attribute)))
            level = live.level(unit, item.attribute, item.cell) or 0.0
            if not handle.values:
                handle.level = level
            handle.values[say_level(item, level)] += 1
            if id(item) not in seen:
                seen.add(id(item))
                _take_ranges(handle, program, item)
    return list(found.values())


def _items(
    program: LightProgram, attribute: str | None, cell: int | None
) -> Iterator[ChartChannel]:
    for item in program.chart.channels:
        if attribute in (None, item.attribute) and cell in (None, item.cell):
            yield item


def _take_ranges(handle: Handle, program: LightProgram, item: ChartChannel) -> None:
    handle.guarded = handle.guarded or bool(dangers(program, item))
    named = [name for _, _, name in ranges(item)]
    if len(named) > 1:
        handle.names.update(dict.fromkeys(named))
    ends = ends_in_degrees(item)
    if ends is not None:
        handle.low = ends[0] if handle.low is None else min(handle.low, ends[0])
        handle.high = ends[1] if handle.high is None else max(handle.high, ends[1])


def set_by_words(
    live: Live, ids: Iterable[str], attribute: str, text: str, cell: int | None = None
) -> tuple[Asked, str]:
    """What to ask so that an attribute is as typed: `45°`, `60 %`, `2 Hz`, the name of a range, or
    a step from where each is, `+5`. Also, in words, who cannot. Raises EntryFault when none can,
    and for a range that is not safe.
    """
    asked: Asked = {}
    lost: dict[str, list[int]] = {}
    numbers = {u.id: u.number for u in live.show.units}
    fault: EntryFault | None = None
    for unit in ids:
        program = live.program(unit)
        for item in _items(program, attribute, cell) if program is not None else ():
            assert program is not None
            try:
                now = live.level(unit, attribute, item.cell) or 0.0
                level = read_spoken(item, text, now)
            except EntryFault as found:
                fault = fault or found
                lost.setdefault(str(found), []).append(numbers[unit])
                continue
            _check(program, item, level)
            asked[unit, item.cell, attribute] = level
    if fault is not None and not asked:
        raise fault
    missing = [f"{write_numbers(list(dict.fromkeys(n)))}: {why}" for why, n in lost.items()]
    return asked, " ".join(missing[:3])


def set_share(
    live: Live, ids: Iterable[str], attribute: str, share: float, cell: int | None = None
) -> Asked:
    """What to ask so that an attribute is so far, 0…1, along its range: in degrees the same for
    all, where they have some. Stops at the edge of what is not safe.
    """
    asked: Asked = {}
    ends: tuple[float, float] | None = None
    for unit in ids:
        program = live.program(unit)
        for item in _items(program, attribute, cell) if program is not None else ():
            assert program is not None
            level, own = share, ends_in_degrees(item)
            if own is not None:
                ends = ends or own
                level = level_for(item, ends[0] + share * (ends[1] - ends[0]))
            if not _unsafe(program, item, level):
                asked[unit, item.cell, attribute] = level
    return asked


def share_of(handle: Handle, live: Live, unit: str) -> float:
    """Where a slider stands: along the degrees of the first unit, else its level."""
    program = live.program(unit)
    item = next(_items(program, handle.attribute, None), None) if program else None
    ends = ends_in_degrees(item) if item else None
    if item is None or ends is None:
        return handle.level
    return (physical_for(item, handle.level) - ends[0]) / max(ends[1] - ends[0], 1e-9)


def _unsafe(program: LightProgram, item: ChartChannel, level: float) -> str:
    """The name of the range that is not safe to send, if the level is in one."""
    value = round(level * item.top)
    return next((n for first, last, n in dangers(program, item) if first <= value <= last), "")


def _check(program: LightProgram, item: ChartChannel, level: float) -> None:
    if name := _unsafe(program, item, level):
        raise EntryFault(
            f"“{name}” resets or switches a unit, so it is not sent by hand controls.",
            do="Send it by an output test of its address, on Routes.",
        )
