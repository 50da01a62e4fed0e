"""All snags of a show, kept up to date: after an edit only what it touched is looked at again.

Snags stand in parts: two for each unit (its place, and all else), one for each universe and each
rule about the whole show. A part whose ground has not changed keeps its snags. The order (worst
first, then by rule, then by number) is kept in a sorted list.
"""

from __future__ import annotations

from bisect import bisect_left, insort
from collections.abc import Hashable, Iterable, Mapping
from operator import itemgetter
from typing import TYPE_CHECKING

from isthmus.check import holds
from isthmus.patch.index import EMPTY, PatchIndex, changed_units, index_of
from isthmus.profiles import profiles_of
from isthmus.routes import routed
from isthmus.show.moved import only_moved
from isthmus.show.records import Show, Unit
from isthmus.snags.context import Context
from isthmus.snags.crossing import STEPS, Crossing, state_of
from isthmus.snags.records import ORDER, RANK, Snag
from isthmus.snags.rules_place import place_snags
from isthmus.snags.rules_show import SHOW_RULES
from isthmus.snags.rules_unit import UNIT_RULES
from isthmus.snags.rules_universe import UNIVERSE_RULES
from isthmus.stage.ground import ground_level

if TYPE_CHECKING:
    from isthmus.net import View

# severity, rank of the rule, lowest unit number or the universe, text, a counter that parts equals
Key = tuple[int, int, int, str, int]
_key_of = itemgetter(0)
FEW = 16  # snags that are put into the sorted list one by one; more are sorted in together


class SnagBook:
    """The snags and the crossing of one show after another."""

    def __init__(self) -> None:
        self._show: Show | None = None
        self._network: View | None = None
        self._index: PatchIndex | None = None
        self._at: Context | None = None
        self._parts: dict[Hashable, list[tuple[Key, Snag]]] = {}
        self._sorted: list[tuple[Key, Snag]] = []
        self._of_unit: dict[str, set[Key]] = {}
        self._by_key: dict[Key, Snag] = {}
        self._counter = 0
        self._states: dict[str, str] = {}
        self._done = [0] * len(STEPS)
        self._dirty: set[str] = set()
        self._gone: set[Key] = set()
        self._fresh: list[tuple[Key, Snag]] = []
        self.crossing = Crossing({}, dict.fromkeys(STEPS, 0), 0)
        self.snags: list[Snag] = []

    def update(self, show: Show, network: View | None = None) -> SnagBook:
        """Look at a show, and at the network as it is known; the same again costs nothing."""
        if show is self._show and network is self._network:
            return self
        old, before = self._show, self._index
        index = index_of(show)
        at = self._context(show, index, network)
        self._dirty = set()
        changed = _changed(old, show) | ({"network"} if network is not self._network else set())
        units, moved = self._units_touched(before, at, changed)
        for unit_id in units:
            unit = index.by_id.get(unit_id)
            found = (s for rule in UNIT_RULES for s in rule(at, unit)) if unit else ()
            self._put(("unit", unit_id), found, index.by_id)
        for unit_id, found in place_snags(at, units | moved):
            self._put(("place", unit_id), found, index.by_id)
        for number in self._universes_touched(before, at, changed):
            found = (snag for rule in UNIVERSE_RULES for snag in rule(at, number))
            self._put(("universe", number), found, index.by_id)
        for rule, ground in SHOW_RULES:
            if changed.intersection(ground):
                self._put(("show", rule.__name__), rule(at), index.by_id)
        self._sort()
        self._cross(at, units | _placed_or_not(before, index, moved))
        self._show, self._index, self._at, self._network = show, index, at, network
        self.snags = [snag for _, snag in self._sorted]
        return self

    def _context(self, show: Show, index: PatchIndex, network: View | None) -> Context:
        """What rules look at; what was made from the same paper or verdicts is taken again."""
        old, at = self._show, self._at
        if old and at and old.paper is show.paper:
            rows, gelled = at.rows, at.gelled
        else:
            rows = {row.number: row for row in show.paper.rows}
            gelled = any(row.gel for row in show.paper.rows)
        if old and at and old.verdicts is show.verdicts:
            verdicts = at.verdicts
        else:
            verdicts = {v.unit: v for v in show.verdicts}
        sent = frozenset(routed(show))
        return Context(
            show,
            index,
            profiles_of(show),
            rows,
            verdicts,
            sent,
            gelled,
            network,
            {s.id: s for s in show.structures},
            ground_level(show.structures),
        )

    # ------------------------------------------------------------ what has to be looked at

    def _units_touched(
        self, before: PatchIndex | None, at: Context, changed: set[str]
    ) -> tuple[set[str], set[str]]:
        """Units to be looked at again, and those of which only the place is."""
        have = before.by_id if before else {}
        now = at.index.by_id
        if before is None or at.profiles is not before.profiles:
            return {*have, *now}, set()
        fresh, gone = changed_units(before.show.units, at.index.show.units, have)
        moved = {unit.id for unit in fresh if only_moved(have.get(unit.id), unit)}
        found = {unit.id for unit in fresh if unit.id not in moved} | gone
        if self._at:
            for number in _rows_changed(self._at, at):
                found.update(at.index.numbers.get(number, ()))
            found |= _verdicts_changed(self._at, at)
        if changed & {"outputs", "nodes"}:
            found.update(at.verdicts)
        if "structures" in changed and self._at:
            moved |= _near_structures(self._at, at)
        if "gels" in changed:
            found.update(i for i, unit in now.items() if unit.gel)
        return found, moved

    def _universes_touched(
        self, before: PatchIndex | None, at: Context, changed: set[str]
    ) -> set[int]:
        now = at.index.universes
        if before is None or at.profiles is not before.profiles or changed & {"outputs", "nodes"}:
            return {
                *now,
                *at.lead,
                *(before.universes if before else ()),
                *(self._at.lead if self._at else ()),
            }
        if before is at.index:
            return set()
        old = before.universes
        found = {n for n, universe in now.items() if old.get(n, EMPTY) is not universe}
        return found | (old.keys() - now.keys())

    # ------------------------------------------------------------ keeping them

    def _put(self, part: Hashable, snags: Iterable[Snag], now: Mapping[str, Unit]) -> None:
        """The snags of a part take the place of those it had. `now` are the units by id."""
        for key, snag in self._parts.pop(part, ()):
            self._gone.add(key)
            del self._by_key[key]
            for unit in snag.units if snag.step else ():
                self._of_unit[unit].discard(key)
                self._dirty.add(unit)
        kept = []
        for snag in snags:
            self._counter += 1
            first = min((now[u].number for u in snag.units if u in now), default=snag.universe)
            key = (ORDER[snag.severity], RANK[snag.rule], first, snag.text, self._counter)
            kept.append((key, snag))
            self._by_key[key] = snag
            for concerned in snag.units if snag.step else ():
                self._of_unit.setdefault(concerned, set()).add(key)
                self._dirty.add(concerned)
        if kept:
            self._parts[part] = kept
            self._fresh += kept

    def _sort(self) -> None:
        """Take what went out of the sorted list, and what came in."""
        if len(self._gone) + len(self._fresh) > FEW:
            kept = [pair for pair in self._sorted if pair[0] not in self._gone]
            self._sorted = sorted(kept + self._fresh, key=_key_of)
        else:
            for key in self._gone:
                del self._sorted[bisect_left(self._sorted, key, key=_key_of)]
            for pair in self._fresh:
                insort(self._sorted, pair, key=_key_of)
        self._gone, self._fresh = set(), []

    # ------------------------------------------------------------ how far each has crossed

    def _cross(self, at: Context, units: set[str]) -> None:
        old_lead = self.crossing.lead
        now = at.index.by_id
        again = self._dirty | units
        if old_lead != at.lead:
            away = old_lead ^ at.lead
            again |= {span.unit for number in away for span in at.index.universe(number).spans}
        if not again and self.crossing.total == len(now):
            return
        answered = {
            v.unit
            for v in at.verdicts.values()
            if v.unit in again and v.result == "works" and holds(at.show, v)
        }
        states = (
            self._states
        )  # the same for every crossing: who keeps an old one sees the newest letters
        for unit_id in again:
            for step, letter in enumerate(states.pop(unit_id, "")):
                self._done[step] -= letter == "d"
            unit = now.get(unit_id)
            if unit is not None:
                states[unit_id] = self._state(at, unit, unit_id in answered)
                for step, letter in enumerate(states[unit_id]):
                    self._done[step] += letter == "d"
        self.crossing = Crossing(
            states, dict(zip(STEPS, self._done, strict=True)), len(now), at.lead
        )

    def _state(self, at: Context, unit: Unit, answered: bool) -> str:
        found = [self._by_key[key] for key in self._of_unit.get(unit.id, ())]
        return state_of(unit, at.profiles.mode_of(unit) is not None, at.lead, answered, found)


def _changed(old: Show | None, show: Show) -> set[str]:
    """Members of the show that are other objects than before."""
    return {
        name
        for name in show.__struct_fields__
        if old is None or getattr(old, name) is not getattr(show, name)
    }


def _placed_or_not(before: PatchIndex | None, now: PatchIndex, moved: set[str]) -> set[str]:
    """Of units that moved, those that had no place before or have none now."""
    if before is None:
        return set()
    pairs = ((before.by_id[i], now.by_id[i]) for i in moved if i in before.by_id)
    return {new.id for old, new in pairs if (old.position is None) != (new.position is None)}


def _rows_changed(old: Context, now: Context) -> Iterable[int]:
    """Numbers whose line of the paper is another; all of them when gels are told for the first
    time or no longer.
    """
    if old.rows is now.rows:
        return ()
    numbers = old.rows.keys() | now.rows.keys()
    if old.gelled != now.gelled:
        return numbers
    return [number for number in numbers if old.rows.get(number) != now.rows.get(number)]


def _verdicts_changed(old: Context, now: Context) -> set[str]:
    if old.verdicts is now.verdicts:
        return set()
    units = old.verdicts.keys() | now.verdicts.keys()
    return {u for u in units if old.verdicts.get(u) is not now.verdicts.get(u)}


def _near_structures(old: Context, now: Context) -> set[str]:
    """Units that hang on, or name, a structure that is another now; all when the ground moved."""
    if old.ground != now.ground:
        return set(now.index.by_id)
    ids = old.structures.keys() | now.structures.keys()
    other = {i for i in ids if old.structures.get(i) is not now.structures.get(i)}
    names = {s.name.lower() for at in (old, now) for i, s in at.structures.items() if i in other}
    return {
        unit.id
        for unit in now.index.by_id.values()
        if unit.structure in other or (unit.structure and unit.hangs_on.strip().lower() in names)
    }
