"""Read a hang list from CSV: the columns are matched by name, every fault is told by its line.

Good lines and bad lines are kept apart; nothing is taken silently.
"""

from __future__ import annotations

import csv
import difflib
import io
import itertools
import re
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from isthmus.errors import EntryFault, FileFault
from isthmus.patch.numbers import MAX_NUMBER
from isthmus.plural import many
from isthmus.profiles import Profile, ProfileSet, chart, profiles_of
from isthmus.profiles.store import read_stored
from isthmus.show.address import read_address, write_address
from isthmus.show.files import read_file
from isthmus.show.records import SLOTS, UNIVERSES, Paper, PaperRow, Show, StoredProfile, UnreadLine
from isthmus.show.tables import read_table

MAX_BYTES = 16 * 2**20

COLUMNS: dict[str, tuple[str, ...]] = {
    "number": ("unit", "unit no", "unit number", "number", "no", "nr", "#", "channel", "chan"),
    "name": ("name", "label"),
    "type": (
        "type",
        "model",
        "profile",
        "fixture",
        "fixture type",
        "instrument",
        "instrument type",
    ),
    "mode": ("mode", "dmx mode"),
    "address": ("address", "dmx", "dmx address", "start", "start address", "addr"),
    "universe": ("universe", "univ", "uni"),
    "hangs_on": ("position", "hang position", "hangs on", "hang", "location", "structure"),
    "purpose": ("purpose", "use", "focus"),
    "gel": ("gel", "colour", "color", "filter"),
}
NEEDED = ("number", "type")
WHOLE = r"\d{1,6}(?:[.,]0)?"
PLAIN = {
    "number": "Unit",
    "type": "Type",
    "mode": "Mode",
    "address": "Address",
    "universe": "Universe",
    "hangs_on": "Position",
    "name": "Name",
    "purpose": "Purpose",
    "gel": "Gel",
}


@dataclass(frozen=True)
class LineFault:
    line: int
    column: str
    what: str
    do: str = ""

    def __str__(self) -> str:
        return f"Line {self.line}: {self.what}{' ' + self.do if self.do else ''}"


@dataclass(frozen=True)
class Unknown:
    """A model name no profile has exactly: how often it stands there, and the profile it may mean,
    with the reason.
    """

    text: str
    count: int
    key: str = ""
    why: str = ""


@dataclass(frozen=True)
class HangList:
    """What was read: good rows, those with faults, the faults by line, unknown columns, what
    was filled in.
    """

    paper: Paper
    rejected: tuple[PaperRow, ...]
    faults: tuple[LineFault, ...]
    columns: dict[str, str]
    ignored: tuple[str, ...]
    unknown: tuple[Unknown, ...] = ()
    notes: tuple[str, ...] = ()
    heads: tuple[str, ...] = ()
    at: dict[str, int] = field(default_factory=dict)
    guessed: tuple[
        str, ...
    ] = ()  # fields taken from what stands in a column whose heading says something else
    lacking: tuple[str, ...] = ()  # needed fields no column was found for: nothing is read yet


More = Callable[[str], list[StoredProfile]]


class Library:
    """Profiles that may be chosen, by key, with the file each comes from."""

    def __init__(
        self, stored: dict[str, StoredProfile], profiles: ProfileSet, more: More | None = None
    ) -> None:
        """`more` looks for profiles of a written name that are not among these yet."""
        self.stored, self.profiles, self._more = stored, profiles, more
        self._by_name: dict[str, tuple[str, Profile]] = {}
        for key, profile in profiles.profiles.items():
            for name in (profile.name, f"{profile.maker} {profile.name}", profile.long_name):
                if plain(name):
                    self._by_name.setdefault(plain(name), (key, profile))
        self._near: dict[str, str] = {}

    @staticmethod
    def of(*sources: tuple[StoredProfile, ...], more: More | None = None) -> Library:
        merged: dict[str, StoredProfile] = {}
        for source in sources:
            for stored in source:
                merged.setdefault(stored.key, stored)
        return Library(merged, profiles_of(Show(profiles=tuple(merged.values()))), more)

    def match(self, text: str) -> tuple[str, Profile] | None:
        """The profile meant by a model name, with or without its maker; only an exact name
        counts.
        """
        found = self._by_name.get(plain(text))
        if found is None and self._more is not None and plain(text):
            for stored in self._more(text):
                profile = read_stored(stored)
                if isinstance(profile, Profile) and stored.key not in self.stored:
                    self.stored[stored.key] = stored
                    self.profiles.profiles[stored.key] = profile
                    for name in (
                        profile.name,
                        f"{profile.maker} {profile.name}",
                        profile.long_name,
                    ):
                        self._by_name.setdefault(plain(name), (stored.key, profile))
            found = self._by_name.get(plain(text))
        return found

    def nearest(self, text: str) -> str:
        """The key of the profile with the likest name; empty when none is like it."""
        wanted = plain(text)
        if wanted not in self._near:
            close = difflib.get_close_matches(wanted, self._by_name, 1, 0.5)
            self._near[wanted] = self._by_name[close[0]][0] if close else ""
        return self._near[wanted]

    def why_near(self, text: str, key: str) -> str:
        """What is alike and what differs between a written name and a profile's."""
        profile = self.profiles.profiles[key]
        wanted, name = plain(text), plain(profile.name)
        if sorted(wanted.split()) == sorted(name.split()):
            return "the same words in another order"
        if wanted.replace(" ", "") == name.replace(" ", ""):
            return "the same letters, spaced otherwise"
        if set(name.split()) < set(wanted.split()):
            return (
                f"“{' '.join(w for w in wanted.split() if w not in name.split())}” is not in its "
                "name"
            )
        same = sum(
            block.size
            for block in difflib.SequenceMatcher(None, wanted, name).get_matching_blocks()
        )
        return f"{same} of {len(name)} letters agree"


def plain(text: str) -> str:
    return " ".join(re.findall(r"[a-z0-9#]+", text.lower()))


def read_hang_list(path: Path, library: Library) -> HangList:
    """Read a CSV file. Raises FileFault when it is not a table or lacks a needed column."""
    return parse_hang_list(read_file(path, MAX_BYTES), path.name, library)


def parse_hang_list(
    data: bytes | str,
    where: str,
    library: Library,
    columns: Mapping[str, int] | None = None,
    aliases: Mapping[str, str] | None = None,
    edits: Mapping[tuple[int, str], str] | None = None,
    lenient: bool = False,
) -> HangList:
    """The same from bytes or pasted text.

    `columns` (field → column) overrides what was matched; `aliases` (written model name → key of a
    profile) is what a person agreed to; `edits` ((line, field) → text) corrects single cells.
    `lenient`: where a needed column is not found nothing is read and it is said, so that a person
    can choose it; else that raises.
    """
    rows = read_table(data, where)
    start, found, guessed = match_columns(rows, library)
    at = dict(columns) if columns is not None else found
    heads = _heads(rows, start)
    names = {name: heads[i] for name, i in at.items() if i < len(heads)}
    lacking = tuple(PLAIN[name] for name in NEEDED if name not in at)
    if lacking and not lenient:
        raise _lacks(rows, lacking, where)
    title = Path(where).stem
    if lacking:
        return HangList(
            Paper(title=title), (), (), names, (), heads=heads, at=dict(at), lacking=lacking
        )
    lines = _Lines(library, {plain(text): key for text, key in (aliases or {}).items()})
    lines.fills = [
        name
        for name in ("type", "mode", "hangs_on")
        if _merged(rows[start + 1 :], at.get(name, -1))
    ]
    for line, row in enumerate(rows[start + 1 :], start + 2):
        if any(row):
            cells = {name: row[i] if i < len(row) else "" for name, i in at.items()}
            typed = {name: text for (of, name), text in (edits or {}).items() if of == line}
            lines.take(cells | typed, line)
    headed = {i for i, head in enumerate(heads) if not head.startswith("column ")}
    return HangList(
        Paper(title=title, rows=tuple(lines.good), unread=tuple(lines.unread)),
        tuple(lines.rejected),
        tuple(lines.faults),
        names,
        tuple(heads[i] for i in sorted(headed - set(at.values()))),
        tuple(_unknown(text, count, library) for text, count in lines.unknown.most_common()),
        tuple(
            f"{PLAIN[name]} was empty in {many(count, 'line')} and taken from the line above."
            for name, count in lines.filled.items()
        ),
        heads,
        dict(at),
        tuple(n for n in guessed if columns is None and start >= 0 and at[n] in headed),
    )


def _heads(rows: Sequence[Sequence[str]], start: int) -> tuple[str, ...]:
    """What stands at the head of each column, its number where nothing does."""
    width = max((len(row) for row in rows), default=0)
    head = rows[start] if start >= 0 else ()
    return tuple(head[i] if i < len(head) and head[i] else f"column {i + 1}" for i in range(width))


def _lacks(rows: Sequence[Sequence[str]], lacking: Sequence[str], where: str) -> FileFault:
    told = ", ".join(f"“{cell[:20]}”" for cell in (rows[0] if rows else []) if cell) or "nothing"
    return FileFault(
        f"no column is called {' or '.join(lacking)}, and none looks like it; line 1 has "
        f"{told[:160]}.",
        where=where,
        do="Name the columns Unit, Type, Mode, Address, Position.",
    )


class _Lines:
    """The lines of a list as they are read, one by one."""

    def __init__(self, library: Library, agreed: Mapping[str, str]) -> None:
        self.library, self.agreed = library, agreed
        self.good: list[PaperRow] = []
        self.rejected: list[PaperRow] = []
        self.faults: list[LineFault] = []
        self.unread: list[UnreadLine] = []
        self.unknown: Counter[str] = Counter()  # models no profile has
        self.fills: Sequence[str] = ()  # columns that have merged cells
        self.filled: Counter[str] = Counter()
        self._seen: dict[int, int] = {}  # unit → its line
        self._above: dict[str, str] = {}

    def take(self, cells: dict[str, str], line: int) -> None:
        if cells.get("number"):
            self._fill(cells)
        row, mine = _row(cells, line, self.library, self.agreed)
        if any(fault.column == "type" for fault in mine) and cells.get("type"):
            self.unknown[cells["type"]] += 1
        first = self._seen.setdefault(row.number, line) if row.number else line
        if first != line:
            text = f"unit {row.number} stands in line {first} already."
            mine.append(LineFault(line, "number", text, "Give one of them another number."))
        self.faults.extend(mine)
        (self.rejected if mine else self.good).append(row)
        if mine:
            written = {n: t[:200] for n, t in cells.items() if t}
            why = " ".join(str(fault) for fault in mine)
            self.unread.append(UnreadLine(line=line, cells=written, why=why))

    def _fill(self, cells: dict[str, str]) -> None:
        """Merged cells come out empty below the first. A mode is not taken from above where the
        line names a type of its own.
        """
        had_type = bool(cells.get("type"))
        for name in self.fills:
            empty = name in cells and not cells[name] and self._above.get(name)
            if empty and (name != "mode" or not had_type):
                cells[name] = self._above[name]
                self.filled[name] += 1
        self._above = {name: cells.get(name, "") for name in ("type", "mode", "hangs_on")}


def unread_as_table(paper: Paper) -> bytes:
    """The lines of a paper that wait to be corrected, as a list to be read again."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(PLAIN[name] for name in COLUMNS)
    writer.writerows([line.cells.get(name, "") for name in COLUMNS] for line in paper.unread)
    return out.getvalue().encode()


def _unknown(text: str, count: int, library: Library) -> Unknown:
    near = library.nearest(text)
    return Unknown(text, count, near, library.why_near(text, near) if near else "")


def _merged(rows: Sequence[Sequence[str]], at: int) -> bool:
    """Whether a column looks like merged cells: a good part of it empty, and not empty at
    the top.
    """
    texts = [row[at] for row in rows if any(row) and 0 <= at < len(row)]
    return len(texts) > 3 and bool(texts[0]) and sum(not text for text in texts) > len(texts) / 3


def match_columns(
    rows: Sequence[Sequence[str]], library: Library
) -> tuple[int, dict[str, int], tuple[str, ...]]:
    """The line that names the columns (−1 when none does), where each field stands, and which were
    told by content only.
    """
    best: dict[str, int] = {}
    start = -1
    for index, row in enumerate(rows[:20]):
        columns: dict[str, int] = {}
        for at, cell in enumerate(row):
            name = next(
                (
                    name
                    for name, names in COLUMNS.items()
                    if plain(cell) in names and name not in columns
                ),
                None,
            )
            if name:
                columns[name] = at
        if all(name in columns for name in NEEDED):
            return index, columns, ()
        if len(columns) > len(best):
            best, start = columns, index
    body = [row for row in rows[start + 1 : start + 61] if any(row)]
    guessed = []
    for name, at in _by_content(body, library).items():
        if name not in best and at not in best.values():
            best[name] = at
            guessed.append(name)
    if start < 0 and guessed and (head := _heading_above(rows, best)) is not None:
        return head, best, tuple(guessed)
    if start < 0 and "number" in best:  # titles may stand above the first line of the list
        first = (
            i
            for i, row in enumerate(rows)
            if best["number"] < len(row) and re.fullmatch(r"\d{1,6}(\.0)?", row[best["number"]])
        )
        start = next(first, 0) - 1
    return start, best, tuple(guessed)


def _heading_above(rows: Sequence[Sequence[str]], at: Mapping[str, int]) -> int | None:
    """A line of words right above the list that names its columns in a way no one here knows."""
    if "number" not in at:
        return None
    first = next(
        (
            i
            for i, row in enumerate(rows)
            if at["number"] < len(row) and re.fullmatch(WHOLE, row[at["number"]])
        ),
        0,
    )
    above = rows[first - 1] if first else ()
    worded = [cell for cell in above if cell and not re.search(r"\d", cell)]
    return first - 1 if len(worded) >= 3 and len(set(worded)) == len(worded) else None


def _grows_like_addresses(
    body: Sequence[Sequence[str]], at: int, library: Library, kinds: int | None
) -> bool:
    """Whether a column's cells go up by what the units take: weights and lengths do not.

    Of lines that follow one another in one universe nearly all stand at least the smallest
    footprint of their type apart (one channel where the type is not known), and no address stands
    twice.
    """
    spots: list[tuple[int, int, int]] = []
    for row in body:
        match = re.fullmatch(r"(\d{1,5})[./:](\d{1,3})", row[at]) if at < len(row) else None
        if match and 1 <= int(match[2]) <= SLOTS and int(match[1]) >= 1:
            known = library.match(row[kinds]) if kinds is not None and kinds < len(row) else None
            least = (
                min((chart(known[1], mode).footprint for mode in known[1].modes), default=1)
                if known
                else 1
            )
            spots.append((int(match[1]), int(match[2]), max(1, least)))
    pairs = [(a, b) for a, b in itertools.pairwise(spots) if a[0] == b[0]]
    grown = sum(b[1] - a[1] >= a[2] for a, b in pairs)
    return (
        len(pairs) >= 2
        and len(pairs) >= len(spots) / 2
        and grown >= 0.9 * len(pairs)
        and len({s[:2] for s in spots}) == len(spots)
    )


def _by_content(body: Sequence[Sequence[str]], library: Library) -> dict[str, int]:
    """Columns whose cells look like model names, addresses or unit numbers."""
    found: dict[str, int] = {}
    width = max((len(row) for row in body), default=0)
    columns = [[row[at] for row in body if at < len(row) and row[at]] for at in range(width)]
    kinds = next(
        (
            at
            for at, texts in enumerate(columns)
            if texts and sum(library.match(t) is not None for t in texts) > len(texts) / 2
        ),
        None,
    )
    for at, texts in enumerate(columns):
        if not texts:
            continue
        known = sum(
            library.match(text) is not None or bool(library.nearest(text)) for text in texts
        )
        spots = sum(
            bool(re.fullmatch(r"\d{1,5}[./:]\d{1,3}", text)) and not re.fullmatch(r"\d+\.0", text)
            for text in texts
        )
        counts = [text for text in texts if re.fullmatch(r"\d{1,6}(\.0)?", text)]
        if known > len(texts) / 2:
            found.setdefault("type", at)
        elif spots > len(texts) / 2 and _grows_like_addresses(body, at, library, kinds):
            found.setdefault("address", at)
        elif len(counts) > 0.6 * len(texts) and len(set(counts)) > 0.9 * len(counts):
            found.setdefault("number", at)
    return found


def _row(
    cells: dict[str, str], line: int, library: Library, agreed: Mapping[str, str]
) -> tuple[PaperRow, list[LineFault]]:
    faults: list[LineFault] = []
    number = 0
    text = cells.get("number", "")
    if re.fullmatch(WHOLE, text) and 1 <= _whole(text) <= MAX_NUMBER:
        number = _whole(text)
    else:
        faults.append(
            LineFault(
                line,
                "number",
                f"“{text[:30]}” is not a unit number." if text else "the unit number is missing.",
                f"Write 1 to {MAX_NUMBER}.",
            )
        )
    kind, mode = cells.get("type", ""), cells.get("mode", "")
    match = library.match(kind)
    if match is None and agreed.get(plain(kind)) in library.profiles.profiles:
        match = agreed[plain(kind)], library.profiles.profiles[agreed[plain(kind)]]
    length = 1
    if not kind:
        faults.append(LineFault(line, "type", "the type is missing."))
    elif match is None:
        near = library.nearest(kind)
        what = f"no profile is called “{kind[:40]}”."
        do = (
            f"Perhaps {library.profiles.profiles[near].name}?" if near else "Add its profile first."
        )
        faults.append(LineFault(line, "type", what, do))
    else:
        profile = match[1]
        found = next(
            (m for m in profile.modes if plain(m.name) == plain(mode)),
            profile.modes[0] if not mode and len(profile.modes) == 1 else None,
        )
        if found is None:
            names = ", ".join(m.name for m in profile.modes)
            faults.append(
                LineFault(
                    line,
                    "mode",
                    f"{profile.name} has no mode “{mode[:30]}”."
                    if mode
                    else f"the mode of {profile.name} is missing.",
                    f"It has {names}.",
                )
            )
        else:
            mode, length = found.name, chart(profile, found).footprint
    universe, address = 0, 0
    try:
        spot = _spot(cells)
        if spot:
            universe, address = spot
            if address + length - 1 > SLOTS:
                faults.append(
                    LineFault(
                        line,
                        "address",
                        f"{write_address(*spot)} plus {length} slots runs past {SLOTS}.",
                        f"The last address it fits at is {universe}.{SLOTS - length + 1:03d}.",
                    )
                )
    except EntryFault as error:
        faults.append(LineFault(line, "address", error.what, error.do))
    row = PaperRow(
        line=line,
        number=number,
        name=cells.get("name", "")[:200],
        type=match[1].name if match else kind[:200],
        mode=mode[:200],
        universe=universe,
        address=address,
        hangs_on=cells.get("hangs_on", "")[:200],
        purpose=cells.get("purpose", "")[:200],
        gel=cells.get("gel", "")[:200],
    )
    return row, faults


def _whole(text: str) -> int:
    """A whole number as spreadsheets write it: `12`, `12.0`, `12,0`."""
    return int(float(text.replace(",", ".")))


def _spot(cells: dict[str, str]) -> tuple[int, int] | None:
    text, universe = cells.get("address", ""), cells.get("universe", "")
    if universe and text and re.fullmatch(r"\d{1,4}(?:[.,]0)?", text):
        if (
            not re.fullmatch(r"\d{1,5}(?:[.,]0)?", universe)
            or not 1 <= _whole(universe) <= UNIVERSES
        ):
            raise EntryFault(
                f"“{universe[:20]}” is not a universe.", do=f"Universes go from 1 to {UNIVERSES}."
            )
        return read_address(f"{_whole(universe)}.{_whole(text)}")
    if re.fullmatch(r"\d{1,5},\d{1,3}", text):  # 1.012 where the decimal sign is a comma
        text = text.replace(",", ".")
    return read_address(text)
