"""A clerk at work: the rig as rows of text, with what is true of each unit beside it."""

from __future__ import annotations

import itertools
import random
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from tools.strangers.habits import Habits
from tools.strangers.rig import Lamp
from tools.strangers.tongues import TONGUES, Tongue

SAME = ("type", "mode", "position")  # what people put ditto marks for, or merge


@dataclass(frozen=True)
class Fact:
    """What a unit is, and the row it was typed in. `number` is None where the paper gives an
    identifier that is no number; `told` names the slip that must not pass in silence.
    """

    ident: str
    number: int | None
    maker: str
    model: str
    mode: str
    universe: int
    address: int
    position: str
    purpose: str
    gel: str
    row: int
    told: str = ""


@dataclass
class Page:
    """Rows of cells, the facts behind them, and slips that belong to no unit: (kind, row)."""

    rows: list[list[str]] = field(default_factory=list)
    facts: list[Fact] = field(default_factory=list)
    others: list[tuple[str, int]] = field(default_factory=list)
    merges: list[tuple[int, int, int]] = field(default_factory=list)  # column, first, last row


def spot(lamp: Lamp, way: str) -> str:
    u, a = lamp.universe, lamp.address
    flat = (u - 1) * 512 + a
    return {
        "dotted": f"{u}.{a:03d}",
        "slash": f"{u}/{a}",
        "colon": f"{u}:{a:03d}",
        "dash": f"{u}-{a}",
        "comma": f"{u},{a:03d}",
        "space": f"{u} {a:03d}",
        "in universe": str(a),
        "flat": str(flat),
        "flat marks": f"{flat:,}".replace(",", "."),
        "U A": f"U{u} A{a}",
        "U dotted": f"U{u}.{a:03d}",
    }[way]


def ident(lamp: Lamp, way: str, places: Sequence[str]) -> str:
    at = places.index(lamp.position) + 1
    block, n = divmod(lamp.number, 100)
    return {
        "plain": str(lamp.number),
        "position": f"LX{at}-{lamp.place}",
        "suffix": f"{10 + block}{chr(96 + n)}",
        "square": f"{chr(64 + at)}{lamp.place}{'L' if at % 2 else 'R'}",
        "decimal": f"{block * 100 + 1}.{n}",
    }[way]


class Clerk:
    """One typist, with the wobble of a hand (`rng`) over the habits."""

    def __init__(self, habits: Habits, rng: random.Random) -> None:
        self.habits, self.rng = habits, rng
        self.tongue: Tongue = TONGUES[habits.tongue]
        self.spelled: dict[str, str] = {}
        self.page = Page()
        self.later: set[int] = set()
        self.spoilt: set[int] = set()
        self.above: dict[str, str] = {}
        self.part, self.since = "", 0
        self.done: list[Lamp] = []

    # ------------------------------------------------------------ words

    def head(self, role: str) -> str:
        ways = self.tongue.heads[role]
        return ways[self.habits.heads % len(ways)]

    def model(self, lamp: Lamp) -> str:
        kind = lamp.kind
        text = kind.model
        if self.habits.model == "maker model":
            text = f"{kind.maker} {kind.model}"
        elif self.habits.model == "short":
            text = kind.model.replace(" ", "")
        elif self.habits.model == "typo":
            if kind.model not in self.spelled:
                at = self.rng.randrange(1, max(2, len(kind.model.split()[0]) - 1))
                swapped = (
                    kind.model[:at] + kind.model[at + 1] + kind.model[at] + kind.model[at + 2 :]
                )
                self.spelled[kind.model] = swapped if self.rng.random() < 0.4 else kind.model
            text = self.spelled[kind.model]
        if self.habits.mode == "in type":
            text = f"{text} ({lamp.mode})"
        elif self.habits.mode == "in type feet":
            text = f"{text} {lamp.feet}ch"
        return text

    def mode(self, lamp: Lamp) -> str:
        which = [name for name, _ in lamp.kind.modes].index(lamp.mode) + 1
        return {
            "name": lamp.mode,
            "feet": f"{lamp.feet}ch" if lamp.number % 2 else f"{lamp.feet} ch",
            "name feet": f"{lamp.mode} ({lamp.feet}ch)",
            "number": f"Mode {which}",
        }.get(self.habits.mode, lamp.mode)

    # ------------------------------------------------------------ cells of one row

    def cells(self, lamps: Sequence[Lamp]) -> dict[str, str]:
        lamp, last = lamps[0], lamps[-1]
        habits = self.habits
        name = ident(lamp, habits.number, self.tongue.positions)
        where = spot(lamp, habits.address)
        if lamp.number in self.later:
            where = {"later": self.tongue.later, "dash": "–", "blank": ""}[habits.unknown]
        if len(lamps) > 1:
            end = spot(
                Lamp(**{**vars(last), "address": last.address + last.feet - 1}), habits.address
            )
            if habits.grouped == "list":
                name = ", ".join(str(one.number) for one in lamps)
                where = ", ".join(spot(one, habits.address) for one in lamps)
            else:
                name = f"{lamp.number}-{last.number}"
                where = f"{where} ff" if habits.grouped == "following" else f"{where} - {end}"
        bare = self.tongue.open if self.rng.random() < habits.bare_gel else ""
        found: dict[str, Any] = {
            "number": name,
            "channel": name,
            "place": lamp.place,
            "type": self.model(lamp),
            "mode": self.mode(lamp),
            "address": where,
            "universe": lamp.universe if lamp.number not in self.later else "",
            "position": lamp.position,
            "purpose": lamp.purpose,
            "gel": lamp.gel or bare,
            "name": f"{lamp.purpose} {lamp.place}",
            "weight": f"{lamp.weight:.1f}".replace(".", "," if habits.tongue != "en" else "."),
            "watts": f"{lamp.watts}W" if habits.tongue == "en" else lamp.watts,
            "feet": lamp.feet,
            "count": f"{len(lamps)} x" if lamp.number % 200 > 100 else len(lamps),
            "note": "see drawing 4" if lamp.number % 5 == 0 else "",
            "row": len(self.page.facts) + 1,
            "length": self.rng.choice([5, 10, 15, 20]),
            "circuit": self.rng.randint(1, 96),
            "accessory": "barndoor" if lamp.feet <= 2 else "",
        }
        return {role: str(found[role]) for role in habits.columns}

    def fact(self, lamp: Lamp, row: int, told: str = "") -> Fact:
        plain = self.habits.number == "plain"
        away = lamp.number in self.later
        typed = self.habits.columns
        return Fact(
            ident(lamp, self.habits.number, self.tongue.positions),
            lamp.number if plain else None,
            lamp.kind.maker,
            lamp.kind.model,
            lamp.mode,
            0 if away else lamp.universe,
            0 if away else lamp.address,
            lamp.position if "position" in typed or self.habits.sections == "position" else "",
            lamp.purpose if "purpose" in typed else "",
            lamp.gel if "gel" in typed else "",
            row,
            told,
        )

    def slip(self, cells: dict[str, str], lamp: Lamp, before: Sequence[Lamp]) -> str:
        """Spoil a row in one way; returns which, or nothing."""
        habits, rng = self.habits, self.rng
        if len(before) < 3 or lamp.number in self.later or rng.random() > habits.rate:
            return ""
        ways = [way for way in habits.slips if way != "sum"]
        way = rng.choice(ways) if ways else ""
        key = "channel" if "channel" in cells else "number"
        other = rng.choice(before[-3:])
        if way == "twice" and key in cells and other.number not in self.spoilt:
            cells[key] = ident(other, habits.number, self.tongue.positions)
        elif way == "overlap":
            away = other.number in self.later | self.spoilt
            if away or other.universe != lamp.universe:
                return ""
            cells["address"] = spot(other, habits.address)
        elif way == "past" and lamp.feet > 12:
            late = Lamp(**{**vars(lamp), "address": 505})
            cells["address"] = spot(late, habits.address)
        elif way == "letter" and "0" in cells["address"]:
            cells["address"] = cells["address"].replace("0", "O", 1)
        elif way == "blank type" and "type" not in habits.merged:
            cells["type"] = ""
        elif way == "no number" and key in cells:
            cells[key] = ""
        elif way == "foreign mode" and "mode" in cells:
            cells["mode"] = "Sideways" if habits.mode.startswith("name") else "77ch"
        else:
            return ""
        self.spoilt.add(lamp.number)
        return way

    # ------------------------------------------------------------ rows of the page

    def put(self, texts: Sequence[str]) -> int:
        """A row; returns its place."""
        wide = len(self.habits.columns)
        row = [*texts, *[""] * (wide - len(texts))]
        self.page.rows.append([cell.upper() for cell in row] if self.habits.shout else row)
        return len(self.page.rows) - 1

    def heading(self) -> None:
        if self.habits.headless:
            return
        heads = [self.head(role) for role in self.habits.columns]
        if self.habits.two_rows:
            above = ["DMX" if role == "universe" else "" for role in self.habits.columns]
            self.put(above)
        self.put(heads)

    def groups(self, lamps: Sequence[Lamp]) -> list[list[Lamp]]:
        """The lamps of each row."""
        if not self.habits.grouped:
            return [[lamp] for lamp in lamps]
        made: list[list[Lamp]] = []
        for lamp in lamps:
            last = made[-1][-1] if made else None
            joins = (
                last is not None
                and lamp.number == last.number + 1
                and (lamp.kind, lamp.mode, lamp.position) == (last.kind, last.mode, last.position)
                and lamp.universe == last.universe
                and lamp.address == last.address + last.feet
                and (self.habits.grouped != "list" or len(made[-1]) < 2)
            )
            if joins:
                made[-1].append(lamp)
            else:
                made.append([lamp])
        return made

    def type_all(self, lamps: Sequence[Lamp], show: str) -> Page:
        habits, rng = self.habits, self.rng
        self.later = {lamp.number for lamp in lamps if rng.random() < habits.later}
        titles = (show, f"Rev. C, {rng.randint(1, 28)}.11.2026", "Sandre Haven")
        for title in titles[: habits.titles]:
            self.put([title])
        if habits.prose:
            self.put(["Hello Maren, here is the list as it stands tonight:"])
            self.put([""])
        self.heading()
        groups = self.groups(lamps)
        if habits.shuffled:
            rng.shuffle(groups)
        for n, group in enumerate(groups):
            self._between(group[0], n, len(groups))
            self._row(group)
        if habits.totals:
            self._total(len(lamps))
        if habits.prose:
            self.put([""])
            self.put(["Ring me when the barge is in. Best wishes, Oke"])
        self._merge_cells()
        return self.page

    def _between(self, lamp: Lamp, n: int, count: int) -> None:
        """What a page has between its rows: sections, sub-totals, blanks, remarks, new pages."""
        habits, rng, tongue = self.habits, self.rng, self.tongue
        here = {
            "position": lamp.position,
            "universe": f"{tongue.universe} {lamp.universe}",
        }.get(habits.sections, "")
        if here != self.part:
            if habits.totals and self.part and habits.sections == "position":
                self.put([f"{tongue.total} {self.part}", str(self.since)])
            if self.part and rng.random() < habits.blanks:
                self.put([""])
            self.put([here])
            self.part, self.since, self.above = here, 0, {}
        elif rng.random() < habits.blanks / 3:
            self.put([""])
            if habits.file == "xlsx":  # cells are joined on either side of it
                self.above = {}
        if habits.comments and rng.random() < 0.04:
            self.put([rng.choice(["# checked with the house", "* moved on Tuesday"])])
        if habits.repeat and n and n % habits.repeat == 0:
            self.put([f"{tongue.page} {n // habits.repeat} / {count // habits.repeat + 1}"])
            self.heading()
            self.above = {}

    def _row(self, group: Sequence[Lamp]) -> None:
        """One row, with what stands above left out as this clerk does; perhaps one kept free."""
        habits, lamp = self.habits, group[0]
        cells = self.cells(group)
        told = self.slip(cells, lamp, self.done) if len(group) == 1 else ""
        whole = dict(cells)
        for role in (*SAME, "universe"):
            if role not in cells or told or self.above.get(role) != cells[role] or not cells[role]:
                continue
            if role == "mode" and self.above.get("type") != whole.get("type"):
                continue
            if habits.ditto and role in SAME:
                cells[role] = habits.ditto
            elif role in habits.merged:
                cells[role] = ""
        self.above = whole if not told else {}
        row = self.put([cells[role] for role in habits.columns])
        self.page.facts.extend(self.fact(one, row, told) for one in group)
        self.done.extend(group)
        self.since += len(group)
        if self.rng.random() < habits.spares:
            spare = {"number": str(lamp.number + 90), "type": self.tongue.spare}
            self.put([spare.get(role, "") for role in habits.columns])
            self.above = {}

    def _total(self, lamps: int) -> None:
        wrong = "sum" in self.habits.slips and self.rng.random() < 0.5
        count = (self.since if self.habits.sections == "position" else lamps) + (7 if wrong else 0)
        row = self.put([self.tongue.total, str(count)])
        if wrong:
            self.page.others.append(("sum", row))

    def _merge_cells(self) -> None:
        """Where a spreadsheet joins cells: runs of blanks below a text."""
        for role in self.habits.merged:
            at = self.habits.columns.index(role)
            rows = sorted({fact.row for fact in self.page.facts})
            first = -1
            for row, after in itertools.pairwise([*rows, -1]):
                if self.page.rows[row][at]:
                    first = row
                ended = after < 0 or self.page.rows[after][at] or after != row + 1
                if ended and first >= 0 and row > first:
                    self.page.merges.append((at, first, row))
                if ended:
                    first = -1
