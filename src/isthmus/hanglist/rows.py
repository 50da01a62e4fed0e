"""The rows of a list one by one: what each says of its units, what is wrong with it, what waits."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from isthmus.hanglist.addressing import Addressing, Spots, Wrong
from isthmus.hanglist.carried import Above
from isthmus.hanglist.found import LineFault
from isthmus.hanglist.idents import Ident, read_count, read_ident
from isthmus.hanglist.modes import Models, Told, apart, said_apart
from isthmus.hanglist.spots import read_cell
from isthmus.hanglist.table import REMARK, SPARE, Line, is_spare
from isthmus.patch.models import plain
from isthmus.patch.numbers import MAX_NUMBER
from isthmus.show.records import PaperRow

NO_GEL = re.compile(
    r"^(?:open|o/w|ow|none|no colou?r|n/?c|clear|-+|–|—|offen|ohne|keine?|weiß|blanc|sans|ouvert"
    r"|blank|abierto|sin|blanco|aperto|bianco|nessuna?|geen|wit|nc|n\.c\.)$",
    re.IGNORECASE,
)


@dataclass
class Row:
    """One row as read: its units, the cells as written, its faults, or why it waits for a person.

    `key` and `feet` are of its profile and mode, `whole` whether all its units have addresses.
    """

    line: int
    cells: dict[str, str]
    units: list[PaperRow] = field(default_factory=list)
    faults: list[LineFault] = field(default_factory=list)
    waits: str = ""
    key: str = ""
    feet: int = 0
    step: int = 0

    @property
    def fine(self) -> bool:
        return not self.faults and not self.waits


class Rows:
    """All rows, in order."""

    def __init__(
        self,
        models: Models,
        addressing: Addressing | None,
        above: Above,
        edits: Mapping[tuple[int, str], str],
        ranges: bool,
    ) -> None:
        """Without `addressing` no address is read; `ranges` tells what a dash in a number means."""
        self.models, self.addressing, self.above = models, addressing, above
        self.ranges = ranges
        self.edits: dict[int, dict[str, str]] = defaultdict(dict)
        for (line, name), text in edits.items():
            self.edits[line][name] = text
        self.rows: list[Row] = []
        self.left: Counter[str] = Counter()
        self.others: list[LineFault] = []  # faults of no row, and what is only told
        self.unknown_models: list[str] = []
        self.unknown_modes: list[tuple[str, str]] = []
        self.mode_told: dict[tuple[str, str], Told] = {}
        self.sharing = 0  # units with the address of another of their type and mode
        self.homeless = 0  # rows whose address has no universe

    def take(
        self, written: Mapping[str, str], number: int, line: Line, raw: Sequence[str], step: int = 0
    ) -> None:
        """`step` is the distance between addresses of such units around this row."""
        typed = self.edits.get(number)
        cells = {**written, **typed} if typed else dict(written)
        if not typed and self._no_unit(cells, raw):
            return
        meant, dittos = self.above.resolve(cells)
        row = Row(number, cells, step=step)
        for name in dittos:
            row.faults.append(
                LineFault(
                    number,
                    name,
                    f"its {name} is a ditto mark under nothing.",
                    "Write it out.",
                    "ditto",
                )
            )
        ident = self._ident(row, meant, line)
        self._model(row, meant)
        spots = self._spots(row, meant, line, ident)
        self._units(row, meant, line, ident, spots)
        self.rows.append(row)

    def _no_unit(self, cells: Mapping[str, str], raw: Sequence[str]) -> bool:
        """Other rows: kept free, or words that fell into the table."""
        if is_spare(cells.get("type", "")) or is_spare(cells.get("name", "")):
            self.left[SPARE] += 1
            return True
        filled = sum(bool(cell) for cell in raw)
        names = (cells.get("number", ""), cells.get("type", ""))
        address = read_cell(cells.get("address", ""))
        if filled <= 2 and (address is None or address.none):
            named = read_ident(names[0], self.ranges)
            carried = "type" in self.above.fills and filled == 1
            whole = bool(named and named.numbers and (names[1] or carried))
            if not whole and not (self.models.model(names[1]).key and names[0]):
                self.left[REMARK] += 1
                return True
        return False

    # ------------------------------------------------------------ what it is called

    def _ident(self, row: Row, cells: Mapping[str, str], line: Line) -> Ident:
        text = cells.get("number", "")
        if "number" not in cells and cells.get("place"):
            on = cells.get("position", "") or line.position  # it counts anew on each position
            return Ident(text=f"{on} {cells['place']}".strip()[:200])
        if not text:
            if not any(f.column == "number" for f in row.faults):
                row.faults.append(
                    LineFault(
                        row.line,
                        "number",
                        "the unit number is missing.",
                        f"Write 1 to {MAX_NUMBER}, or what the unit is called.",
                        "no number",
                    )
                )
            return Ident()
        ident = read_ident(text, self.ranges)
        if ident is None:
            row.faults.append(
                LineFault(
                    row.line,
                    "number",
                    f"“{text[:30]}” is not a unit number.",
                    f"Write 1 to {MAX_NUMBER}.",
                    "bad number",
                )
            )
            return Ident()
        return self._counted(row, cells, ident)

    def _counted(self, row: Row, cells: Mapping[str, str], ident: Ident) -> Ident:
        """A quantity beside a number must be how many units the row has; a range that is none of
        its units is an identifier.
        """
        text = cells.get("count", "")
        count = read_count(text)
        size = len(ident.numbers) or 1
        if text and not count:
            row.faults.append(
                LineFault(
                    row.line,
                    "count",
                    f"“{text[:20]}” is not a quantity.",
                    "Write how many.",
                    "count",
                )
            )
        elif count and count != size:
            row.faults.append(
                LineFault(
                    row.line,
                    "count",
                    f"it says {count}, and “{cells['number'][:30]}” is {size}.",
                    "Correct the one or the other.",
                    "count",
                )
            )
        return ident

    # ------------------------------------------------------------ what it is

    def _model(self, row: Row, cells: dict[str, str]) -> None:
        text = cells.get("type", "")
        if not text:
            row.faults.append(
                LineFault(row.line, "type", "the type is missing.", "Write the model.", "no type")
            )
            return
        told = self.models.model(text)
        if not told.sure:
            text = told.text or text
            first = text not in self.unknown_models
            self.unknown_models.append(text)
            near = f"Perhaps {self.models.profile(told.key).name}?" if told.key else ""
            words = f"no profile is called “{text[:40]}”."
            if first:
                do = near or "Add its profile first."
                row.faults.append(LineFault(row.line, "type", words, do, "unknown type"))
            row.waits = f"{words} {near}".strip()
            return
        row.key = told.key
        self._mode(row, cells, told)

    def _mode(self, row: Row, cells: dict[str, str], told: Told) -> None:
        text = cells.get("mode", "") or told.rest
        feet = cells.get("feet", "")
        if not text and not feet and row.step:
            text = apart(row.step)
        mode = self.models.mode(row.key, text, feet, row.step)
        if mode.sure:
            row.feet = self.models.feet(row.key)[mode.key]
            cells["mode"] = mode.key
            return
        key = (row.key, text or feet)
        first = key not in self.mode_told
        if first or not self.mode_told[key].key:
            self.mode_told[key] = mode
        self.unknown_modes.append(key)
        profile = self.models.profile(row.key)
        names = ", ".join(self.models.feet(row.key))
        why = f": {mode.why}" if mode.why else ""
        words = (
            f"{profile.name} has no mode “{(text or feet)[:30]}”{why}."
            if (text or feet) and not said_apart(text)
            else f"the mode of {profile.name} is missing{why}."
        )
        if first:
            kind = "mode" if (text or feet) and not said_apart(text) else "no mode"
            row.faults.append(LineFault(row.line, "mode", words, f"It has {names}.", kind))
        row.waits = f"{words} It has {names}."

    # ------------------------------------------------------------ where it listens

    def _spots(self, row: Row, cells: Mapping[str, str], line: Line, ident: Ident) -> Spots:
        text = cells.get("address", "")
        if self.addressing is None:
            return Spots()
        try:
            universe = self.addressing.read_universe(cells.get("universe", ""))
            if universe and not text:
                return Spots()
            units = max(1, len(ident.numbers))
            spots = self.addressing.read(text, universe or line.universe, units, max(1, row.feet))
        except Wrong as wrong:
            if wrong.kind == "no universe":
                self.homeless += 1
                row.waits = row.waits or wrong.what
                if cells.get("universe") is not None and "universe" in cells:
                    row.faults.append(
                        LineFault(row.line, "universe", wrong.what, wrong.do, wrong.kind)
                    )
            elif row.feet or wrong.kind not in ("range", "past 512"):
                row.faults.append(LineFault(row.line, "address", wrong.what, wrong.do, wrong.kind))
            return Spots()
        for words in spots.told:
            self.others.append(
                LineFault(row.line, "address", f"{words}.", "Correct it on the paper too.", "slip")
            )
        if not spots.whole:
            row.faults.append(
                LineFault(
                    row.line,
                    "address",
                    f"one address stands for {units} units.",
                    "Write a range, or “ff” where they follow one another.",
                    "count",
                )
            )
        return spots

    # ------------------------------------------------------------ its units

    def _units(
        self, row: Row, cells: Mapping[str, str], line: Line, ident: Ident, spots: Spots
    ) -> None:
        names = [str(n) for n in ident.numbers] or [ident.text]
        if row.feet:
            for universe, address in spots.starts:
                if address + row.feet - 1 > 512:
                    row.faults.append(
                        LineFault(
                            row.line,
                            "address",
                            f"{universe}.{address:03d} plus {row.feet} slots runs past 512.",
                            f"The last address it fits at is {universe}.{513 - row.feet:03d}.",
                            "past 512",
                        )
                    )
                    break
        kind = self._type_name(row.key) if row.key else cells.get("type", "")
        gel = cells.get("gel", "")
        for n, name in enumerate(names):
            universe, address = spots.starts[n] if n < len(spots.starts) else (0, 0)
            row.units.append(
                PaperRow(
                    line=row.line,
                    number=ident.numbers[n] if ident.numbers else 0,
                    fixture_id="" if ident.numbers else name[:200],
                    name=cells.get("name", "")[:200],
                    type=kind[:200],
                    mode=cells.get("mode", "")[:200],
                    universe=universe,
                    address=address,
                    hangs_on=(cells.get("position", "") or line.position)[:200],
                    purpose=cells.get("purpose", "")[:200],
                    gel="" if NO_GEL.match(gel) else gel[:200],
                )
            )

    def _type_name(self, key: str) -> str:
        """The name a profile is found by again: with its maker where another has the same."""
        profile = self.models.profile(key)
        match = self.models.library.match(profile.name)
        full = f"{profile.maker} {profile.name}"
        return profile.name if match and match[0] == key else full if plain(full) else profile.name
