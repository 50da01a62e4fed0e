"""The patch as a table of text: what stands in each column, and many cells written as one edit."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from isthmus.errors import EntryFault
from isthmus.patch.addresses import Placing, place, read_addresses
from isthmus.patch.edits import renumber, set_locked, set_mode, set_text
from isthmus.patch.follow import grown
from isthmus.patch.index import index_of
from isthmus.patch.limits import limits_in_words
from isthmus.patch.numbers import read_numbers
from isthmus.patch.spans import footprint
from isthmus.profiles import ProfileSet
from isthmus.show.address import read_address, write_address
from isthmus.show.records import Show, Unit

YES = ("yes", "y", "x", "1", "true", "locked")
Cell = tuple[str, str, str]  # unit id, column key, text
GelWriter = Callable[[Show, Sequence[str], str], Show]


@dataclass(frozen=True)
class Column:
    """`key` names it for good; `sort` gives what rows are ordered by, the text without it."""

    key: str
    name: str
    read: Callable[[Unit, ProfileSet], str]
    writable: bool = True
    sort: Callable[[Unit, ProfileSet], Any] | None = None


def addresses(unit: Unit) -> str:
    return ", ".join(write_address(p.universe, p.address) for p in unit.patch)


def _model(unit: Unit, profiles: ProfileSet) -> str:
    profile = profiles.profiles.get(unit.profile)
    return profile.label if profile else unit.profile


def natural(text: str) -> tuple[tuple[str, int], ...]:
    """What texts with figures are ordered by, so that `LX2` is before `LX10`."""
    return tuple(
        (words.lower(), int(figures or 0)) for words, figures in re.findall(r"(\D*)(\d*)", text)
    )


def _spot(unit: Unit, profiles: ProfileSet) -> tuple[int, int]:
    return (unit.patch[0].universe, unit.patch[0].address) if unit.patch else (1 << 30, 0)


COLUMNS = (
    Column("number", "Unit", lambda u, p: str(u.number), sort=lambda u, p: u.number),
    Column(
        "fixture_id",
        "Fixture ID",
        lambda u, p: u.fixture_id,
        sort=lambda u, p: natural(u.fixture_id),
    ),
    Column("name", "Name", lambda u, p: u.name),
    Column("profile", "Profile", _model, False),
    Column("mode", "Mode", lambda u, p: u.mode),
    Column("address", "Address", lambda u, p: addresses(u), sort=_spot),
    Column("takes", "Footprint", lambda u, p: str(footprint(u, p) or ""), False, footprint),
    Column("room", "Room", lambda u, p: str(u.patch[0].room or "") if u.patch else "", False),
    Column("hangs_on", "Position", lambda u, p: u.hangs_on),
    Column("purpose", "Purpose", lambda u, p: u.purpose),
    Column("gel", "Gel", lambda u, p: u.gel),
    Column("limits", "Limits", lambda u, p: limits_in_words(u, p), False),
    Column("locked", "Locked", lambda u, p: "yes" if u.locked else ""),
    Column("note", "Note", lambda u, p: u.note),
)
BY_KEY = {column.key: column for column in COLUMNS}


@dataclass(frozen=True)
class Written:
    """What the cells lead to. `placing` is there when an address among them is another unit's."""

    show: Show
    placing: Placing | None = None


def write_cells(show: Show, cells: Iterable[Cell], write_gel: GelWriter | None = None) -> Written:
    """Write many cells at once: numbers and addresses are looked at as a whole, not row by row.

    Raises EntryFault for the first text that cannot be taken; nothing is then changed.
    """
    by_column: dict[str, dict[str, str]] = {}
    for unit, key, text in cells:
        by_column.setdefault(key, {})[unit] = text
    for key in by_column:
        if key not in BY_KEY or not BY_KEY[key].writable:
            raise EntryFault(
                f"The column {BY_KEY[key].name if key in BY_KEY else key} cannot be typed in."
            )
    before, moded = show, by_column.get("mode", {})
    for key in WRITERS:
        for text, ids in _by_text(by_column.get(key, {})).items():
            if key == "gel" and write_gel:
                show = write_gel(show, ids, text)
            else:
                show = WRITERS[key](show, ids, text)
    if wanted := by_column.get("number"):
        show = renumber(show, {unit: one_number(text) for unit, text in wanted.items()})
    if wanted := by_column.get("address"):
        placing = place(show, {unit: read_addresses(text) for unit, text in wanted.items()})
    else:
        placing = grown(before, show, moded)
    return Written(placing.show, placing if placing.in_the_way else None)


def _text_writer(key: str) -> GelWriter:
    return lambda show, ids, text: set_text(show, ids, key, text)


# in this order: a mode first, for what follows may hang on it
WRITERS: dict[str, GelWriter] = {
    "mode": set_mode,
    **{
        key: _text_writer(key)
        for key in ("fixture_id", "name", "hangs_on", "purpose", "note", "gel")
    },
    "locked": lambda show, ids, text: set_locked(show, ids, text.lower() in YES),
}


def _by_text(wanted: Mapping[str, str]) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for unit, text in wanted.items():
        found.setdefault(text.strip(), []).append(unit)
    return found


def one_number(text: str) -> int:
    numbers = read_numbers(text)
    if len(numbers) != 1:
        raise EntryFault(f"“{text[:20]}” is not one number.")
    return numbers[0]


# ---------------------------------------------------------------- series


def continued(seed: Sequence[str], count: int) -> list[str]:
    """`count` texts that go on from the seed: its last number rises as it does there, by one after
    a single text.

    `Quay 1` goes on as `Quay 2`; `5`, `10` as `15`; texts without a number are repeated in turn.
    """
    parts = [re.fullmatch(r"(.*?)(\d+)(\D*)", text) for text in seed]
    if (
        not seed
        or any(part is None for part in parts)
        or len({(p[1], p[3]) for p in parts if p}) > 1
    ):
        return [seed[i % len(seed)] for i in range(count)] if seed else [""] * count
    last = parts[-1]
    assert last is not None
    values = [int(part[2]) for part in parts if part]
    step = values[-1] - values[-2] if len(values) > 1 else 1
    width = len(last[2]) if last[2].startswith("0") else 0
    return [
        f"{last[1]}{max(0, values[-1] + step * (i + 1)):0{width}}{last[3]}" for i in range(count)
    ]


def addresses_continued(show: Show, ids: Sequence[str], seed: Sequence[str]) -> list[str]:
    """Addresses for units from those of the first ones on: by their own footprints after one, by
    the same spacing after two. A unit that would cross the end of a universe begins the next one.
    """
    index = index_of(show)
    spots = [read_address(text.split(",")[0]) for text in seed]
    if not spots or spots[0] is None or spots[-1] is None:
        raise EntryFault("A series of addresses needs an address to begin with.")
    sizes = [max(1, footprint(index.by_id[i], index.profiles)) for i in ids]
    spacing = 0
    if len(spots) > 1 and spots[-2] is not None and spots[-2][0] == spots[-1][0]:
        spacing = spots[-1][1] - spots[-2][1]
        if spacing <= 0:
            raise EntryFault("The addresses of a series rise.")
    found = []
    universe, at = spots[-1]
    at += spacing or sizes[len(seed) - 1]
    for size in sizes[len(seed) :]:
        if at + size - 1 > 512:
            universe, at = universe + 1, 1
        found.append(write_address(universe, at))
        at += spacing or size
    return found


# ---------------------------------------------------------------- find and replace


def replaced(
    show: Show, ids: Iterable[str], keys: Sequence[str], find: str, put: str, whole: bool = False
) -> list[Cell]:
    """Cells in which `find` stands (in any case of letters), as they would read with `put` in its
    place.
    """
    if not find:
        return []
    index = index_of(show)
    pattern = re.compile(f"^{re.escape(find)}$" if whole else re.escape(find), re.IGNORECASE)
    found = []
    for unit_id in ids:
        for key in keys:
            text = BY_KEY[key].read(index.by_id[unit_id], index.profiles)
            fresh = pattern.sub(lambda _: put, text)
            if fresh != text:
                found.append((unit_id, key, fresh))
    return found
