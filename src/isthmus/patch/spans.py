"""Which slots each unit takes: spans, clashes, free runs, and the next place that fits."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

from isthmus.profiles import ProfileSet, chart, profiles_of
from isthmus.show.records import Show, Unit


@dataclass(frozen=True, slots=True)
class Span:
    """One block of one unit: slots start…end (inclusive, end may lie past 512) of a universe.

    `room` is how many slots from the start on are kept for it, when that is more than it takes.
    """

    unit: str
    number: int
    block: int
    universe: int
    start: int
    length: int
    room: int = 0

    @property
    def end(self) -> int:
        return self.start + self.length - 1


@dataclass(frozen=True)
class Clash:
    """Two spans that claim the same slots first…last of one universe."""

    a: Span
    b: Span
    first: int
    last: int

    @property
    def slots(self) -> int:
        return self.last - self.first + 1


def footprint(unit: Unit, profiles: ProfileSet) -> int:
    """Slots of all blocks together; 0 when the profile or mode is unknown."""
    found = profiles.mode_of(unit)
    return chart(*found).footprint if found else 0


def unit_spans(unit: Unit, profiles: ProfileSet) -> list[Span]:
    found = profiles.mode_of(unit)
    lay = chart(*found) if found else None
    return [
        Span(
            unit.id,
            unit.number,
            p.block,
            p.universe,
            p.address,
            max(1, lay.span(p.block)) if lay else 1,
            p.room,
        )
        for p in unit.patch
    ]


def all_spans(show: Show) -> list[Span]:
    profiles = profiles_of(show)
    return [span for unit in show.units for span in unit_spans(unit, profiles)]


def by_universe(spans: Iterable[Span]) -> dict[int, list[Span]]:
    """Spans of each universe in order of address."""
    found: dict[int, list[Span]] = defaultdict(list)
    for span in spans:
        found[span.universe].append(span)
    for group in found.values():
        group.sort(key=lambda span: (span.start, span.number))
    return dict(sorted(found.items()))


def clashes(spans: Iterable[Span]) -> list[Clash]:
    """Every pair of spans that overlap."""
    found = []
    for group in by_universe(spans).values():
        open_spans: list[Span] = []
        for span in group:
            open_spans = [other for other in open_spans if other.end >= span.start]
            found.extend(
                Clash(other, span, span.start, min(other.end, span.end)) for other in open_spans
            )
            open_spans.append(span)
    return found
