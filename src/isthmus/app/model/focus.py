"""Focus: unit by unit through a position palette. Each is lit alone where the palette wants it;
what is set differently by hand, the palette learns.
"""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from isthmus.app.model.workbench import Workbench
from isthmus.looks import Short, apply, edits, in_words
from isthmus.looks.realise import wish_of
from isthmus.looks.taken import taken
from isthmus.output import Live
from isthmus.output.live import Asked
from isthmus.show.records import Palette, Unit, Vec3, Wish

SAME = 1e-4  # of a level: what was set by hand differs by more


class Focus(QObject):
    changed = Signal()
    turned = Signal()  # the unit lit is aimed elsewhere

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.palette_id = ""
        self.ids: list[str] = []
        self.at = 0
        self.short: list[Short] = []  # of the unit that is lit
        self._before: Asked = {}  # what was asked before it began
        self._given: Asked = {}  # what the palette asks of the unit
        self._aimed: tuple[Wish, Asked] = Wish(), {}  # the point it was aimed at last, and how
        self._lost = ""  # why it does not come to that point
        bench.changed.connect(self._follow)

    @property
    def running(self) -> bool:
        return bool(self.ids)

    @property
    def palette(self) -> Palette | None:
        return next((p for p in self.bench.show.palettes if p.id == self.palette_id), None)

    @property
    def unit(self) -> Unit | None:
        """The one that is lit."""
        return self.bench.show.unit(self.ids[self.at]) if self.running else None

    def able(self) -> list[str]:
        """The selected units, or all, that turn and have an address, by number."""
        live, chosen = self.bench.levels.live, set(self.bench.selection.ids)
        found = []
        for unit in sorted(self.bench.show.units, key=lambda u: u.number):
            program = live.program(unit.id) if unit.patch else None
            turns = program and any(c.attribute in ("Pan", "Tilt") for c in program.chart.channels)
            if turns and (not chosen or unit.id in chosen):
                found.append(unit.id)
        return found

    def begin(self, palette_id: str, ids: Sequence[str]) -> None:
        """Light the first of these units where the palette wants it."""
        if who := self.bench.levels.held_by():
            self.bench.tell("attention", f"The {who} holds the levels. End it first.")
            return
        if not ids:
            self.bench.tell("attention", "None of the units turns and has an address.")
            return
        self.end()
        self.palette_id, self.ids, self.at = palette_id, list(ids), 0
        self._before = self.bench.levels.live.snapshot()
        self._light()

    def step(self, by: int, learn: bool = True, for_all: bool = False) -> None:
        """The unit lit, then the next or the one before. `learn`: the palette takes what was set by
        hand; `for_all` as the wish of all its units.
        """
        if not self.running:
            return
        if learn:
            self._learn(for_all)
        if 0 <= self.at + by < len(self.ids):
            self.at += by
            self._light()
        elif by > 0:
            count, name = len(self.ids), self.palette.name if self.palette else ""
            self.end()
            self.bench.tell("ok", f"That was the last of {count} in {name}.")

    def point(self, at: Vec3, last: bool) -> None:
        """Aim the unit lit at a point of the stage."""
        if self.running:
            answers = self.bench.levels.aim([self._here], at, quiet=not last)
            self._lost = next((a.why for a in answers if not a.reached), "")
            self._aimed = Wish(point=at), self._turned()
            self.turned.emit()

    def shift(self, across: float, upstage: float) -> None:
        """Aim the unit lit so many metres beside where it points."""
        if self.running:
            x, y, z = self.where()
            self.point((x + across, y + upstage, z), last=False)

    def where(self) -> Vec3:
        """Where the unit lit points: at the point it was aimed at or the palette has, else where
        its beam lands; the middle of the stage where it lands on nothing.
        """
        point, turned = self._aimed
        if point.point is not None and _same(turned, self._turned()):
            return point.point
        palette, unit = self.palette, self.unit
        wish = wish_of(palette, unit) if palette and unit and not self.moved else None
        if wish is None or wish.point is None:
            wish = taken(self.bench.levels.live, [self._here], "position").get(self._here)
        return (wish.point if wish else None) or (0.0, 0.0, 0.0)

    def end(self) -> None:
        """What was asked before comes back."""
        if self.running:
            before, self.ids = self._before, []
            self.bench.levels.change(lambda live: live.restore(before), "end of focus")
            self.changed.emit()

    @property
    def moved(self) -> bool:
        """Whether the unit lit is not any more where the palette had put it."""
        return self.running and not _same(self._turned(), self._given)

    def _turned(self) -> Asked:
        """Pan and tilt asked of the unit lit."""
        here, asked = self._here, self.bench.levels.live.snapshot()
        return {k: v for k, v in asked.items() if k[0] == here and k[2] in ("Pan", "Tilt")}

    @property
    def _here(self) -> str:
        return self.ids[self.at] if self.running else ""

    def words(self) -> str:
        """How the unit lit stands to what the palette wants."""
        if not self.running:
            return ""
        if self.moved:
            lost = f"It does not come there: {self._lost}. " if self._lost else ""
            return f"{lost}Set otherwise by hand: Next keeps it in the palette."
        return f"Cannot: {in_words(self.short)}." if self.short else "As the palette has it."

    def _light(self) -> None:
        here, palette = self._here, self.palette
        if palette is None:
            self.end()
            return

        def change(live: Live) -> None:
            live.restore(self._before)
            live.light_up([here])
            asked, self.short = apply(live, palette, [here])
            live.ask(asked)

        self.bench.levels.change(change, "focus")
        self._given, self._lost = self._turned(), ""
        self.bench.selection.select([here])
        self.changed.emit()

    def _learn(self, for_all: bool) -> None:
        here, palette = self._here, self.palette
        if palette is None or not self.moved:
            return
        point, turned = self._aimed
        if _same(turned, self._turned()):
            found = point
        elif (seen := taken(self.bench.levels.live, [here], "position").get(here)) is not None:
            found = seen
        else:
            return
        others = {u: w for u, w in palette.units.items() if u != here}
        if for_all:
            made = replace(palette, wish=found, units=others)
        else:
            made = replace(palette, units=others | {here: found})
        number = self.unit.number if self.unit else 0
        self.bench.commit(f"focus {number} in {palette.name}", edits.change(self.bench.show, made))

    def _follow(self) -> None:
        """A unit or the palette that is gone ends it."""
        there = {u.id for u in self.bench.show.units}
        if self.running and (self.palette is None or any(u not in there for u in self.ids)):
            self.end()


def _same(one: Asked, other: Asked) -> bool:
    return one.keys() == other.keys() and all(abs(v - other[k]) < SAME for k, v in one.items())
