"""Read a hang list from CSV: the columns are matched by name, every fault is told by its line.

Good lines and bad lines are kept apart; nothing is taken silently.
"""

from __future__ import annotations

import difflib
import re
from dataclasses import dataclass
from pathlib import Path

from msgspec.structs import replace

from isthmus.errors import EntryFault, FileFault
from isthmus.patch.add import with_profile
from isthmus.patch.addresses import blocks_at
from isthmus.patch.numbers import MAX_NUMBER
from isthmus.profiles import Profile, ProfileSet, chart, profiles_of
from isthmus.show.address import read_address, write_address
from isthmus.show.container import read_file
from isthmus.show.records import SLOTS, UNIVERSES, Paper, PaperRow, Show, StoredProfile, Unit, new_id
from isthmus.show.tables import read_table

MAX_BYTES = 16 * 2**20

COLUMNS: dict[str, tuple[str, ...]] = {
    "number": ("unit", "unit no", "unit number", "number", "no", "nr", "#", "channel", "chan"),
    "name": ("name", "label"),
    "type": ("type", "model", "profile", "fixture", "fixture type", "instrument", "instrument type"),
    "mode": ("mode", "dmx mode"),
    "address": ("address", "dmx", "dmx address", "start", "start address", "addr"),
    "universe": ("universe", "univ", "uni"),
    "hangs_on": ("position", "hang position", "hangs on", "hang", "location", "structure"),
    "purpose": ("purpose", "use", "focus"),
    "gel": ("gel", "colour", "color", "filter"),
}
NEEDED = ("number", "type")
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
class HangList:
    """What was read: good rows, those with faults, the faults by line, columns nobody knows."""

    paper: Paper
    rejected: tuple[PaperRow, ...]
    faults: tuple[LineFault, ...]
    columns: dict[str, str]
    ignored: tuple[str, ...]


@dataclass(frozen=True)
class Library:
    """Profiles that may be chosen, by key, with the file each comes from."""

    stored: dict[str, StoredProfile]
    profiles: ProfileSet

    @staticmethod
    def of(*sources: tuple[StoredProfile, ...]) -> Library:
        merged: dict[str, StoredProfile] = {}
        for source in sources:
            for stored in source:
                merged.setdefault(stored.key, stored)
        return Library(merged, profiles_of(Show(profiles=tuple(merged.values()))))

    def match(self, text: str) -> tuple[str, Profile] | None:
        """The profile meant by a model name, with or without its maker; only an exact name counts."""
        wanted = plain(text)
        for key, profile in self.profiles.profiles.items():
            if wanted in (plain(profile.name), plain(f"{profile.maker} {profile.name}"), plain(profile.long_name)):
                return key, profile
        return None

    def nearest(self, text: str) -> str:
        names = {plain(p.name): p.name for p in self.profiles.profiles.values()}
        close = difflib.get_close_matches(plain(text), names, 1, 0.5)
        return names[close[0]] if close else ""


def plain(text: str) -> str:
    return " ".join(re.findall(r"[a-z0-9#]+", text.lower()))


def read_hang_list(path: Path, library: Library) -> HangList:
    """Read a CSV file. Raises FileFault when it is no table or lacks a needed column."""
    return parse_hang_list(read_file(path, MAX_BYTES), path.name, library)


def parse_hang_list(data: bytes, where: str, library: Library) -> HangList:
    """The same from bytes."""
    rows = read_table(data, where)
    start, columns, ignored = _header(rows, where)
    good: list[PaperRow] = []
    rejected: list[PaperRow] = []
    faults: list[LineFault] = []
    seen: dict[int, int] = {}
    for line, row in enumerate(rows[start + 1 :], start + 2):
        if not any(row):
            continue
        cells = {field: row[at] if at < len(row) else "" for field, at in columns.items()}
        found, mine = _row(cells, line, library)
        if found.number in seen and found.number:
            mine.append(
                LineFault(
                    line, "number", f"unit {found.number} stands in line {seen[found.number]} already.", "Give one of them another number."
                )
            )
        elif found.number:
            seen[found.number] = line
        faults.extend(mine)
        (rejected if mine else good).append(found)
    header = rows[start]
    return HangList(
        Paper(title=Path(where).stem, rows=tuple(good)),
        tuple(rejected),
        tuple(faults),
        {field: header[at] for field, at in columns.items()},
        tuple(header[at] for at in ignored),
    )


def _header(rows: list[list[str]], where: str) -> tuple[int, dict[str, int], list[int]]:
    """The line that names the columns: the first of twenty that names a unit and a type."""
    best: dict[str, int] = {}
    for index, row in enumerate(rows[:20]):
        columns: dict[str, int] = {}
        ignored = []
        for at, cell in enumerate(row):
            field = next((field for field, names in COLUMNS.items() if plain(cell) in names and field not in columns), None)
            if field:
                columns[field] = at
            elif cell:
                ignored.append(at)
        if all(field in columns for field in NEEDED):
            return index, columns, ignored
        best = columns if len(columns) > len(best) else best
    lacking = [PLAIN[field] for field in NEEDED if field not in best]
    seen = ", ".join(f"“{cell[:20]}”" for cell in (rows[0] if rows else []) if cell) or "nothing"
    raise FileFault(
        f"no column is called {' or '.join(lacking)}; line 1 has {seen[:160]}.",
        where=where,
        do="Name the columns Unit, Type, Mode, Address, Position.",
    )


def _row(cells: dict[str, str], line: int, library: Library) -> tuple[PaperRow, list[LineFault]]:
    faults: list[LineFault] = []
    number = 0
    text = cells.get("number", "")
    if re.fullmatch(r"\d{1,6}(\.0)?", text) and 1 <= int(float(text)) <= MAX_NUMBER:
        number = int(float(text))
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
    length = 1
    if not kind:
        faults.append(LineFault(line, "type", "the type is missing."))
    elif match is None:
        near = library.nearest(kind)
        faults.append(
            LineFault(line, "type", f"no profile is called “{kind[:40]}”.", f"Perhaps {near}?" if near else "Add its profile first.")
        )
    else:
        profile = match[1]
        found = next(
            (m for m in profile.modes if plain(m.name) == plain(mode)), profile.modes[0] if not mode and len(profile.modes) == 1 else None
        )
        if found is None:
            names = ", ".join(m.name for m in profile.modes)
            faults.append(
                LineFault(
                    line,
                    "mode",
                    f"{profile.name} has no mode “{mode[:30]}”." if mode else f"the mode of {profile.name} is missing.",
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


def _spot(cells: dict[str, str]) -> tuple[int, int] | None:
    text, universe = cells.get("address", ""), cells.get("universe", "")
    if universe and text and re.fullmatch(r"\d{1,4}(\.0)?", text):
        if not re.fullmatch(r"\d{1,5}(\.0)?", universe) or not 1 <= int(float(universe)) <= UNIVERSES:
            raise EntryFault(f"“{universe[:20]}” is not a universe.", do=f"Universes go from 1 to {UNIVERSES}.")
        return read_address(f"{int(float(universe))}.{int(float(text))}")
    return read_address(text)


def take_paper(show: Show, paper: Paper, library: Library) -> Show:
    """Keep the paper beside the patch, and add its units that are not patched yet. Units with that number stay as they are."""
    have = {unit.number for unit in show.units}
    units: list[Unit] = []
    for row in paper.rows:
        match = library.match(row.type)
        if match is None or row.number in have:
            continue
        key, profile = match
        mode = profile.mode(row.mode)
        if mode is None:
            continue
        show = with_profile(show, library.stored[key])
        units.append(
            Unit(
                id=new_id(),
                number=row.number,
                name=row.name or f"{profile.name} {row.number}",
                profile=key,
                mode=row.mode,
                patch=blocks_at(profile, mode, row.universe, row.address) if row.universe else (),
                hangs_on=row.hangs_on,
                purpose=row.purpose,
                gel=row.gel,
            )
        )
    return replace(show, paper=paper, units=(*show.units, *units))
