"""Questions to the library: a few letters, facts about channels, or a whole chart; exact answers,
then near misses.

A near miss has a stated distance: each fact that does not hold adds between 0 and 1, the less the
nearer it comes (an attribute on a neighbouring channel adds a quarter and up, an absent one adds
1). For a whole chart the distance is the share of channels to insert or remove (edit distance of
the attribute sequence), and for the nearest of them three parts of that to one part of how badly
the ranges overlap.
"""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple

import msgspec
import numpy as np
from numpy.typing import NDArray
from rapidfuzz import process
from rapidfuzz.distance import OSA, Indel

from isthmus.errors import EntryFault
from isthmus.library.columns import Columns
from isthmus.library.facts import sheet_of
from isthmus.library.words import tokens
from isthmus.profiles.attributes import plain
from isthmus.profiles.channel_table import ChannelTable
from isthmus.profiles.compare import compare, in_words, overlap

Floats = NDArray[np.float32]
Mask = NDArray[np.bool_]
LIMIT = 400
NEAR_LIMIT = 20
_LOOKED_AT = 80  # charts of this many near misses are compared range by range
NEAR_ENOUGH = 2.5
MOST_BOUND = 65535


class Stands(NamedTuple):
    """An attribute on a channel between two numbers; `size` bytes, 0 for any."""

    low: int
    high: int
    attribute: str
    size: int = 0

    @property
    def bits(self) -> str:
        return f" in {8 * self.size} bit" if self.size else ""

    @property
    def words(self) -> str:
        where = f"{self.low}" if self.low == self.high else f"{self.low} to {self.high}"
        return f"{where}{self.bits}"


def read_bounds(text: str, what: str = "number") -> tuple[int, int]:
    """`22`, `20-24`, `24-20`, `>14`, `<=8`, `from 20`, `up to 16`. Raises EntryFault for anything
    else.
    """
    text = " ".join(text.lower().replace("–", "-").replace("≥", ">=").replace("≤", "<=").split())
    if match := re.fullmatch(r"(\d{1,5})(?: ?(?:-|to|\.\.) ?(\d{1,5}))?", text):
        low, high = int(match[1]), int(match[2] or match[1])
        return min(low, high), max(low, high)
    if match := re.fullmatch(
        r"(>=|>|<=|<|from|up to|at least|at most|over|under) ?(\d{1,5})", text
    ):
        number = int(match[2])
        if match[1] in (">", "over"):
            return number + 1, MOST_BOUND
        if match[1] in (">=", "from", "at least"):
            return number, MOST_BOUND
        return 0, number - 1 if match[1] in ("<", "under") else number
    raise EntryFault(f"“{text[:20]}” is not a {what}.", do="Write 22, 20-24, >14 or <=8.")


def read_stands(number: str, attribute: str) -> Stands:
    """Where an attribute stands: `7`, `5-9`, `>4`, and `7 16 bit` for its resolution. Raises
    EntryFault.
    """
    text, size = number.strip(), 0
    if match := re.search(r"[ ,;]*(8|16|24|32) ?bits?$", text.lower()):
        text, size = text[: match.start()], int(match[1]) // 8
    low, high = read_bounds(text, "channel") if text.strip() else (1, MOST_BOUND)
    if high < 1:
        raise EntryFault("Channels count from 1.", do="Write 4=Dimmer.")
    return Stands(max(1, low), high, attribute, size)


@dataclass(frozen=True)
class Query:
    """What is asked. Attributes are those of the standard; ranges of numbers include both ends."""

    text: str = ""
    footprint: tuple[int, int] | None = None
    on: tuple[tuple[int, str], ...] = ()
    standing: tuple[Stands, ...] = ()
    having: tuple[str, ...] = ()
    without: tuple[str, ...] = ()
    cells: tuple[int, int] | None = None
    wheel: bool | None = None
    ranges: bool | None = None
    body: bool | None = None
    sources: frozenset[str] | None = None
    by_maker: bool = False
    proven_3d: bool = False
    proven_unit: bool = False
    rating: float = 0.0
    like: ChannelTable | None = None

    @property
    def asks_facts(self) -> bool:
        return bool(
            self.footprint
            or self.on
            or self.standing
            or self.having
            or self.without
            or self.cells
            or self.wheel is not None
            or self.ranges is not None
            or self.like
        )


@dataclass(frozen=True)
class Hit:
    """One mode found. `distance` is 0 for an exact one; `differs` says in words what does
    not hold.
    """

    row: int  # into the columns of modes
    distance: float = 0.0
    differs: tuple[str, ...] = ()


@dataclass(frozen=True)
class MakerCount:
    maker: str
    modes: int
    lines: tuple[tuple[str, int], ...]  # product lines by the first word of their models


@dataclass(frozen=True)
class Answer:
    hits: tuple[Hit, ...]
    total: int
    near: tuple[Hit, ...] = ()
    makers: tuple[MakerCount, ...] = field(default=())


# ---------------------------------------------------------------- words


def _word_scores(columns: Columns, word: str) -> Floats:
    """How well each word of the vocabulary answers a query word: 1 the same, less for a beginning,
    a part, a slip.

    Slips are looked for only when nothing was spelt that way.
    """
    vocabulary = columns.vocabulary
    score = np.zeros(len(vocabulary), np.float32)
    n = len(word)
    whole, starts = columns.word_text
    places = [match.start() for match in re.finditer(re.escape(word), whole)]
    if places:
        rows = np.searchsorted(starts, places, "right") - 1
        begins = starts[rows] == places
        score[rows[~begins] if n >= 3 or not word.isascii() else rows[:0]] = (
            0.6  # scripts without spaces: any part counts
        )
        score[rows[begins]] = 0.9
        same = [row for row in rows[begins].tolist() if len(vocabulary[row]) == n]
        score[same] = 1.0
    slips = 0 if n < 4 or word.isdigit() or score.max(initial=0) >= 0.9 else 1 if n < 7 else 2
    if slips:
        far = process.cdist(
            [word], vocabulary, scorer=OSA.distance, score_cutoff=slips, dtype=np.uint8
        )[0]
        begun = process.cdist(
            [word],
            [own[:n] for own in vocabulary],
            scorer=OSA.distance,
            score_cutoff=slips,
            dtype=np.uint8,
        )[0]
        score = np.maximum(score, np.where(far <= slips, 0.8 - 0.1 * far, 0).astype(np.float32))
        score = np.maximum(score, np.where(begun <= slips, 0.7 - 0.1 * begun, 0).astype(np.float32))
    return score


def _text_scores(columns: Columns, text: str) -> Floats | None:
    """By mode: the sum over the words asked, 0 where one of them is not met; None when nothing is
    asked.
    """
    words = tokens(text)
    if not words or not len(columns):
        return None
    total = np.zeros(len(columns), np.float32)
    met = np.ones(len(columns), bool)
    for word in words:
        score = _word_scores(columns, word)
        flat, starts = columns.p_words
        by_profile = np.maximum.reduceat(score[flat], starts)
        flat, starts = columns.n_words
        by_name = np.maximum.reduceat(score[flat], starts)
        best = np.maximum(by_profile[columns.m_profile], by_name[columns.m_words] * 0.98)
        met &= best > 0
        total += best
    return np.where(met, total, 0)


# ---------------------------------------------------------------- facts


# what a fact costs by how far off it is: a place on the chart, a footprint, a number of cells
_PLACE = np.array([0, *(0.25 + 0.5 * n / 8 for n in range(1, 9))], np.float32)
_FOOTPRINT = np.array([0, *(min(1.0, 0.2 + n / 10) for n in range(1, 9))], np.float32)
_CELLS = np.array([0, *(min(1.0, 0.3 + n / 20) for n in range(1, 15))], np.float32)


def _outside(values: NDArray[np.int32], bounds: tuple[int, int], costs: Floats) -> Floats:
    """The cost of being outside the bounds, by how far."""
    low, high = bounds
    away = (
        np.abs(values - np.int32(low))
        if low == high
        else np.maximum(np.maximum(low - values, values - high), 0)
    )
    return costs.take(away, mode="clip")


def _fact_costs(columns: Columns, query: Query) -> list[tuple[Floats, Callable[[int], str]]]:
    """By fact: what it adds to the distance of each mode, and how to say so for one of them."""
    costs: list[tuple[Floats, Callable[[int], str]]] = []

    def add(cost: Floats, words: Callable[[int], str]) -> None:
        costs.append((cost, words))

    if query.footprint:
        asked = (
            f"{query.footprint[0]}"
            if query.footprint[0] == query.footprint[1]
            else f"{query.footprint[0]} to {query.footprint[1]}"
        )
        add(
            _outside(columns.m_footprint, query.footprint, _FOOTPRINT),
            lambda row, asked=asked: f"{columns.m_footprint[row]} channels, not {asked}",
        )
    for on in (*(Stands(slot, slot, attribute) for slot, attribute in query.on), *query.standing):
        places, name = columns.having(on.attribute, on.size), plain(on.attribute)
        cost = np.ones(len(columns), np.float32)
        cost[places.modes] = _PLACE.take(places.away_from_range(on.low, on.high), mode="clip")
        add(
            cost,
            lambda row, places=places, name=name, on=on: (
                f"{name} on {at}, not {on.words}"
                if (at := places.nearest(row, on.low))
                else f"no {name}{on.words[len(str(on.low)) :] if on.size else ''}"
            ),
        )
    for attribute in query.having:
        cost = np.ones(len(columns), np.float32)
        cost[columns.having(attribute).modes] = 0
        name = plain(attribute)
        add(cost, lambda row, name=name: f"no {name}")
    for attribute in query.without:
        cost = np.zeros(len(columns), np.float32)
        cost[columns.having(attribute).modes] = 0.8
        name = plain(attribute)
        add(cost, lambda row, name=name: f"has {name}")
    if query.cells:
        add(
            _outside(columns.m_cells, query.cells, _CELLS),
            lambda row: f"{columns.m_cells[row] or 'no'} cells",
        )
    for flag, have, name in (
        (query.wheel, columns.m_wheel, "colour wheel"),
        (query.ranges, columns.m_ranges, "ranges"),
    ):
        if flag is not None:
            add(
                (have != flag) * np.float32(0.6),
                lambda row, have=have, name=name: (
                    f"has a {name}"
                    if have[row] and name != "ranges"
                    else f"no {name}"
                    if not have[row]
                    else "has ranges"
                ),
            )
    return costs


def _allowed(columns: Columns, query: Query) -> Mask:
    """What never gives way: source, trust and body."""
    if (
        query.sources is None
        and query.body is None
        and not (query.by_maker or query.proven_3d or query.proven_unit or query.rating > 0)
    ):
        return np.ones(len(columns), bool)
    profiles = np.ones(len(columns.p_id), bool)
    if query.sources is not None:
        profiles &= np.isin(
            columns.p_source, [i for i, name in enumerate(columns.sources) if name in query.sources]
        )
    if query.by_maker:
        profiles &= columns.p_by_maker
    if query.proven_3d:
        profiles &= columns.p_proven_3d
    if query.proven_unit:
        profiles &= columns.p_proven_unit
    if query.rating > 0:
        profiles &= columns.p_rating >= query.rating
    if query.body is not None:
        profiles &= np.array([(body != "stand-in") == query.body for body in columns.p_body], bool)
    return profiles[columns.m_profile]


def _chart_distance(columns: Columns, sheet: ChannelTable) -> Floats:
    """By mode: the share of channels to insert or remove to come to the chart asked for."""
    letters = "".join(
        chr(0x4000 + columns.attribute_id.get(line.attribute, 0x3FFF))
        for line in sheet.lines
        if line.slots
    )
    return process.cdist(
        [letters], columns.sequences, scorer=Indel.normalized_distance, dtype=np.float32
    )[0]


def outline(db: sqlite3.Connection, columns: Columns, row: int) -> ChannelTable:
    """The chart of a mode as the index keeps it; empty when the index has gone on since the columns
    were read.
    """
    found = db.execute("SELECT lines FROM chart WHERE mode=?", (int(columns.m_id[row]),)).fetchone()
    profile = int(columns.m_profile[row])
    title = f"{columns.p_maker[profile]} {columns.p_model[profile]}, {columns.m_name[row]}"
    return sheet_of(title, msgspec.msgpack.decode(found[0]) if found else [])


def _range_badness(asked: ChannelTable, other: ChannelTable) -> float:
    """1 − how well the ranges of channels of one attribute overlap, 0 … 1; channels without ranges
    say nothing.
    """
    theirs: dict[tuple[str, int], list] = {}
    for line in other.lines:
        theirs.setdefault((line.attribute, line.cell), []).append(line)
    parts = []
    for line in asked.lines:
        match = theirs.get((line.attribute, line.cell)) or theirs.get((line.attribute, 0))
        if match and len(line.bands) > 1 and len(match[0].bands) > 1:
            shift = 8 * (line.size - match[0].size)
            bands = (
                match[0].bands
                if not shift
                else list(
                    sheet_of(
                        "",
                        [
                            (
                                line.attribute,
                                line.slots,
                                0,
                                [
                                    (match[0].coarse(b.start), match[0].coarse(b.end))
                                    for b in match[0].bands
                                ],
                                1,
                            )
                        ],
                    )
                    .lines[0]
                    .bands
                )
            )
            parts.append(
                1 - sum(max(overlap(a, b) for b in bands) for a in line.bands) / len(line.bands)
            )
    return sum(parts) / len(parts) if parts else 0.0


# ---------------------------------------------------------------- the answer


def search(columns: Columns, db: sqlite3.Connection, query: Query, limit: int = LIMIT) -> Answer:
    """Every mode the query holds for (the first `limit` of them), and near misses when facts were
    asked.
    """
    if not len(columns):
        return Answer((), 0)
    allowed = _allowed(columns, query)
    text = _text_scores(columns, query.text)
    if text is not None:
        allowed &= text > 0
    costs = _fact_costs(columns, query)
    distance = np.zeros(len(columns), np.float32)
    for cost, _ in costs:
        distance += cost
    if query.like is not None:
        chart_distance = _chart_distance(columns, query.like)
        distance = distance + chart_distance
    exact = np.flatnonzero(allowed & (distance <= 1e-6))
    if text is not None or columns.p_rating.any():
        worth = _worth(columns, exact, text)
        exact_first = exact[_least(-worth, limit)]
    else:
        exact_first = exact[:limit]
    hits = tuple(Hit(int(row)) for row in exact_first)
    near: tuple[Hit, ...] = ()
    if query.asks_facts:
        count = _LOOKED_AT if query.like is not None else NEAR_LIMIT
        missed = _missed(allowed, distance, len(exact), count)
        best = missed[
            _least(distance[missed], count, lambda rows: -_worth(columns, missed[rows], text))
        ]
        if query.like is not None:
            near = _near_charts(columns, db, query, query.like, best, distance, costs)
        else:
            near = tuple(
                Hit(
                    int(row),
                    float(distance[row]),
                    tuple(words(int(row)) for cost, words in costs if cost[row] > 0),
                )
                for row in best
            )
    return Answer(hits, len(exact), near, _by_maker(columns, exact))


def _missed(allowed: Mask, distance: Floats, exact: int, count: int) -> NDArray[np.int64]:
    """Misses within the smallest of a few rings that holds enough of them: most need never be
    looked at one by one.
    """
    open_ = distance if allowed.all() else np.where(allowed, distance, np.float32(np.inf))
    for ring in (0.3, 0.6, 0.9, 1.4, NEAR_ENOUGH):
        inside = open_ < ring
        if ring == NEAR_ENOUGH or np.count_nonzero(inside) - exact >= count:
            rows = np.flatnonzero(inside)
            return rows[open_[rows] > 1e-6]
    return np.zeros(0, np.int64)


def _worth(columns: Columns, rows: NDArray[np.int64], text: Floats | None) -> Floats:
    """What breaks ties: how well the words were met, then the rating."""
    rating = 0.01 * columns.p_rating[columns.m_profile[rows]]
    return rating if text is None else text[rows] + rating


def _least(
    values: Floats, count: int, then: Callable[[NDArray[np.int64]], Floats] | None = None
) -> NDArray[np.int64]:
    """The places of the `count` smallest values, in order; equal ones by the smaller of `then`,
    then as they stand.
    """
    few = np.arange(len(values))
    if len(values) > 2 * count:
        edge = np.partition(values, count)[count]
        few = np.flatnonzero(values <= edge)
        if (
            len(few) > 50 * count
        ):  # very many alike: those before the edge, and the first of the rest
            few = np.concatenate(
                [np.flatnonzero(values < edge), np.flatnonzero(values == edge)[: 20 * count]]
            )
    return few[np.lexsort((few, then(few), values[few]) if then else (few, values[few]))][:count]


def _near_charts(
    columns: Columns,
    db: sqlite3.Connection,
    query: Query,
    asked: ChannelTable,
    rows: NDArray[np.int64],
    distance: Floats,
    costs: list,
) -> tuple[Hit, ...]:
    ranked = []
    for row in rows:
        other = outline(db, columns, int(row))
        ranked.append(
            (0.75 * float(distance[row]) + 0.25 * _range_badness(asked, other), int(row), other)
        )
    ranked.sort(key=lambda item: item[:2])
    made = []
    for far, row, other in ranked[:NEAR_LIMIT]:
        told = [words(row) for cost, words in costs if cost[row] > 0]
        told += in_words(compare(asked, other)) if len(asked.lines) <= 128 else []
        made.append(Hit(row, round(far, 3), tuple(told[:8])))
    return tuple(made)


def _by_maker(columns: Columns, rows: NDArray[np.int64]) -> tuple[MakerCount, ...]:
    """Modes found by maker and by product line, the most first."""
    line_of, lines = columns.lines
    per_line = (
        np.bincount(line_of[columns.m_profile[rows]], minlength=len(lines))
        if len(rows)
        else np.zeros(0, np.int64)
    )
    makers: dict[str, list[tuple[str, int]]] = {}
    for index in np.flatnonzero(per_line).tolist():
        maker, line = lines[index]
        makers.setdefault(maker, []).append((line, int(per_line[index])))
    counts = [
        MakerCount(maker, sum(n for _, n in own), tuple(sorted(own, key=lambda item: -item[1])))
        for maker, own in makers.items()
    ]
    return tuple(sorted(counts, key=lambda item: (-item.modes, item.maker)))
