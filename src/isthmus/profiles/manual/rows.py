"""Rows of a manual's chart: what one is, and how a draft gathered line by line becomes one."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, field, replace

from isthmus.profiles.channel_table import Band, ChannelLine, ChannelTable
from isthmus.profiles.manual.cells import Value
from isthmus.profiles.manual.naming import propose, propose_band

_FULL = re.compile(
    r"^(0\s*-\s*100\s*%?|0\s*-\s*255|min(imum)?\s*(-|to)\s*max(imum)?|dark\s*(-|to)\s*bright)$",
    re.IGNORECASE,
)


@dataclass(frozen=True)
class RowBand:
    start: int
    end: int
    name: str
    source: int  # line of the text, from 1


@dataclass(frozen=True)
class ManualRow:
    """One channel read from a manual. `doubts` say what lowered the confidence (0 … 1)."""

    slots: tuple[int, ...]
    name: str
    attribute: str
    bands: tuple[RowBand, ...] = ()
    default: int | None = None
    source: tuple[int, int] = (0, 0)  # first and last line of the text
    confidence: float = 1.0
    doubts: tuple[str, ...] = ()


@dataclass(frozen=True)
class ManualChart:
    title: str
    rows: tuple[ManualRow, ...]
    notes: tuple[str, ...] = ()

    @property
    def confidence(self) -> float:
        return sum(row.confidence for row in self.rows) / len(self.rows) if self.rows else 0.0

    def sheet(self) -> ChannelTable:
        """The chart for comparing and judging."""
        return ChannelTable(self.title, tuple(_line(row) for row in self.rows))


def _line(row: ManualRow) -> ChannelLine:
    bands = tuple(
        Band(b.start, b.end, b.name, propose_band(b.name, row.attribute)) for b in row.bands
    )
    return ChannelLine(row.slots, row.attribute, row.name, bands, row.default)


@dataclass
class Draft:
    """A row in the making; values still in the scale they were written in."""

    slots: list[int]
    names: list[str]
    first: int
    last: int
    bands: list[tuple[Value, str, int]] = field(default_factory=list)
    default: int | None = None
    doubts: dict[str, float] = field(default_factory=dict)

    def doubt(self, text: str, cost: float) -> None:
        self.doubts[text] = max(cost, self.doubts.get(text, 0.0))


def _band(value: Value, name: str, source: int, size: int, wide: bool) -> tuple[RowBand, str]:
    """A range in slot values, and what is doubtful about it."""
    top = 256**size - 1
    start, end = value.start, value.end
    doubt = ""
    if value.scale == "percent":
        # 49 % ends where 50 % begins; with a fraction it says exactly where
        start, end = (
            start * top / 100,
            top
            if end >= 100
            else (end + 1) * top / 100 - 1
            if end == int(end)
            else end * top / 100,
        )
        doubt = "its ranges are in percent and were converted"
    elif size > 1 and not wide:
        start, end = int(start) << (8 * (size - 1)), ((int(end) + 1) << (8 * (size - 1))) - 1
    low, high = round(start), round(end)
    if high < low:
        low, high, doubt = high, low, f"its range {low}–{high} runs backwards"
    if high > top:
        doubt = f"its range ends at {high}, past {top}"
    return RowBand(
        min(low, top), min(high, top), re.sub(r"\s+", " ", name).strip(" :-;,"), source
    ), doubt


def row_of(draft: Draft) -> ManualRow:
    """The row a draft makes, its ranges in slot values, with what is doubtful about it."""
    name = re.sub(r"\s+", " ", " ".join(dict.fromkeys(draft.names))).strip(" :-")
    name, bands = _named(name, _bands(draft))
    guess = propose(name, [band.name for band in bands])
    if not name:
        draft.doubt("it has no name of its own", 0.2)
    if not guess.attribute:
        draft.doubt("its attribute is not known from its name", 0.4)
    elif guess.confidence < 0.85:
        draft.doubt(
            "its attribute is guessed from part of its name", round(0.85 - guess.confidence, 2)
        )
    in_order = sorted(bands, key=lambda band: band.start)
    if [band.start for band in bands] != [band.start for band in in_order]:
        draft.doubt("its ranges are out of order", 0.15)
    confidence = math.prod(1.0 - cost for cost in draft.doubts.values())
    return ManualRow(
        tuple(draft.slots),
        name,
        guess.attribute,
        tuple(in_order),
        draft.default,
        (draft.first, draft.last),
        round(confidence, 2),
        tuple(draft.doubts),
    )


def _bands(draft: Draft) -> list[RowBand]:
    """The ranges in slot values; doubts about them go to the draft."""
    size, values = len(draft.slots), [value for value, _, _ in draft.bands]
    percent = {value.scale for value in values} == {"percent"}
    if percent and len(values) == 1 and values[0].end == 100:
        return []  # 0 to 100 % is all of it: no range of its own
    wide = any(value.scale != "percent" and value.end > 255 for value in values)
    bands = []
    for value, text, source in draft.bands:
        band, doubt = _band(value, text, source, size, wide)
        bands.append(band)
        if doubt:
            draft.doubt(doubt, 0.25 if "backwards" in doubt or "past" in doubt else 0.1)
    if not percent:
        return bands
    # rounded from percent, the end of one may be the start of the next
    return [
        replace(a, end=b.start - 1) if a.start < b.start <= a.end else a
        for a, b in zip(bands, [*bands[1:], *bands[-1:]], strict=True)
    ]


def _named(name: str, bands: list[RowBand]) -> tuple[str, list[RowBand]]:
    """A name that stands in its first range only, and a single range that says nothing more."""
    if not name and bands and 0 < (cut := bands[0].name.find(":")) < 40:
        own, rest = bands[0].name[:cut].strip(), bands[0].name[cut + 1 :].strip()
        name, bands = own, [replace(bands[0], name=rest), *bands[1:]]
    if len(bands) == 1 and bands[0].start == 0 and bands[0].end >= 255:
        only = bands[0].name
        name = name or only
        if not only or _FULL.match(only) or only == name:
            return name, []
    return name, bands


def joined(rows: list[ManualRow]) -> list[ManualRow]:
    """Fine channels put to the coarse ones they belong to."""
    made: list[ManualRow] = []
    for row in rows:
        guess = propose(row.name)
        if guess.fine and len(row.slots) == 1:
            host = next(
                (
                    m
                    for m in reversed(made)
                    if (guess.attribute in ("", m.attribute)) and len(m.slots) < 4
                ),
                None,
            )
            if host is not None and (guess.attribute or host is made[-1]):
                shift = 8
                wide = tuple(
                    replace(band, start=band.start << shift, end=((band.end + 1) << shift) - 1)
                    for band in host.bands
                )
                joined = replace(
                    host,
                    slots=(*host.slots, *row.slots),
                    bands=wide,
                    default=None if host.default is None else host.default << shift,
                    source=(host.source[0], max(host.source[1], row.source[1])),
                    confidence=min(host.confidence, max(row.confidence, 0.9)),
                )
                made[made.index(host)] = joined
                continue
        made.append(row)
    return made


def colours_together(rows: list[ManualRow]) -> list[ManualRow]:
    """Cyan, magenta and yellow beside red, green and blue are emitters; alone they take
    light away.
    """
    have = {row.attribute for row in rows}
    if not {"ColorAdd_R", "ColorAdd_G"} <= have:
        return rows
    turn = {"ColorSub_C": "ColorAdd_C", "ColorSub_Y": "ColorAdd_GY"}
    return [
        replace(row, attribute=turn[row.attribute])
        if row.attribute in turn and "ColorSub_M" not in have
        else row
        for row in rows
    ]
