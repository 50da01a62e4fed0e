"""Addresses for many units solved as a whole: packed, by position, or by node.

Units are put into bundles that belong together. A bundle stays where it stands when that satisfies
what is asked; else it goes where most of it stands, else to the first universe that takes it, else
to an empty one. Several whole plans are made (stay first; empty the emptiest universes; everything
fresh, with universes matched to the present ones so that most stays) and compared: what is left
undone, then universes used, then how many units would have to be set again on the rig. Of equals
the one with the fewest changes is taken.
"""

from __future__ import annotations

import itertools
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from isthmus.errors import EntryFault
from isthmus.patch.addresses import Move, Spot, blocks_at, moves_between, put
from isthmus.patch.index import PatchIndex, bits, first_start, index_of
from isthmus.profiles import chart
from isthmus.profiles.records import Mode, Profile
from isthmus.show.records import SLOTS, UNIVERSES, Patched, Show, Unit

MOST_TRIES = 300_000
MOST_MATCHED = 2500  # universes: matching takes time with the cube of them
PACK, POSITION, PORT = "pack", "position", "port"
HOWS = {
    PACK: "Pack into as few universes as will do",
    POSITION: "Keep each position together",
    PORT: "Keep to each node's universes",
}
Told = Callable[[float], object]


@dataclass(frozen=True)
class Wanted:
    """What is asked. `spare` slots of each universe stay free; starts are rounded to 1, 1 + every,
    1 + 2·every …

    `together`: units of one profile and mode in one bundle follow one another. `units`: only these;
    the others stay.
    """

    how: str = PACK
    spare: int = 0
    every: int = 1
    together: bool = False
    first: int = 1
    units: tuple[str, ...] = ()


@dataclass(frozen=True)
class Plan:
    """What it leads to, before it is done."""

    show: Show
    moves: tuple[Move, ...]
    universes: tuple[int, int]  # before, after
    considered: int
    left: tuple[tuple[int, str], ...] = ()  # unit numbers that stay as they are, and why


@dataclass
class _Bundle:
    """Units that go together, in order; `allowed` universes, None for any."""

    units: list[tuple[Unit, int]]
    allowed: tuple[int, ...] | None = None

    @cached_property
    def length(self) -> int:
        return sum(size for _, size in self.units)

    def may_go(self, universe: int) -> bool:
        return self.allowed is None or universe in self.allowed


@dataclass
class _State:
    """A plan being made: taken slots and how many, and the spots given."""

    taken: dict[int, int]
    most: int
    every: int
    spots: dict[str, Spot] = field(default_factory=dict)
    undone: int = 0
    tries: int = 0

    def copy(self) -> _State:
        return _State(dict(self.taken), self.most, self.every, dict(self.spots), self.undone)

    def fits(self, spot: Spot, size: int) -> bool:
        universe, at = spot
        used = self.taken.get(universe, 0)
        mask = bits(at, at + size - 1)
        return (
            at + size - 1 <= SLOTS
            and (at - 1) % self.every == 0
            and not used & mask
            and used.bit_count() + size <= self.most
        )

    def put(self, unit: Unit, size: int, spot: Spot) -> None:
        self.taken[spot[0]] = self.taken.get(spot[0], 0) | bits(spot[1], spot[1] + size - 1)
        self.spots[unit.id] = spot

    def put_all(self, placed: Iterable[tuple[Unit, int, Spot]]) -> bool:
        """All of them, or none."""
        done: list[tuple[Unit, int]] = []
        for unit, size, spot in placed:
            if not self.fits(spot, size):
                self.drop_all(done)
                return False
            self.put(unit, size, spot)
            done.append((unit, size))
        return True

    def drop(self, unit: Unit, size: int) -> None:
        universe, at = self.spots.pop(unit.id)
        self.taken[universe] &= ~bits(at, at + size - 1)

    def drop_all(self, units: Iterable[tuple[Unit, int]]) -> None:
        for unit, size in units:
            self.drop(unit, size)

    def universes_of(self, bundle: _Bundle) -> set[int]:
        """Where its units are put."""
        return {self.spots[u.id][0] for u, _ in bundle.units if u.id in self.spots}

    def find(self, universe: int, size: int) -> int:
        used = self.taken.get(universe, 0)
        return first_start(used, size, 1, self.every) if used.bit_count() + size <= self.most else 0


def readdress(show: Show, wanted: Wanted, told: Told | None = None) -> Plan:
    """Solve. `told` is called with a fraction and may raise to cancel. Raises EntryFault for what
    cannot be asked.
    """
    _check(wanted)
    index = index_of(show)
    items, left = _items(index, wanted)
    if not items:
        raise EntryFault(
            "No unit can be re-addressed.",
            do=left[0][1] if left else "Choose units with a profile.",
        )
    base = _in_the_way(index, {unit.id for unit, _ in items}, wanted)
    bundles = _bundles(show, index, items, wanted)
    step = told or (lambda _: None)
    plans = []
    for number, make in enumerate((_stay, _emptied, _fresh)):
        step(number / 3)
        state = make(base.copy(), bundles, index, wanted)
        plans.append((_worth(state, items, wanted), number, state))
    _, _, best = min(plans, key=lambda plan: plan[:2])
    step(0.95)
    patches = {u.id: _patch(index, u, best.spots[u.id]) for u, _ in items if u.id in best.spots}
    after = put(show, patches)
    left += [
        (u.number, "no universe it may go to has room") for u, _ in items if u.id not in best.spots
    ]
    used = len(index.universes), len(index_of(after).universes)
    return Plan(after, moves_between(show, after), used, len(items), tuple(sorted(left)))


def _check(wanted: Wanted) -> None:
    if wanted.how not in HOWS:
        raise EntryFault(
            f"“{wanted.how}” is not a way to re-address.", do=f"Use {', '.join(HOWS)}."
        )
    if (
        not 0 <= wanted.spare < SLOTS
        or not 1 <= wanted.every <= SLOTS
        or not 1 <= wanted.first <= UNIVERSES
    ):
        raise EntryFault("Spare room lies between 0 and 511 slots, round starts between 1 and 512.")


def _in_the_way(index: PatchIndex, moving: set[str], wanted: Wanted) -> _State:
    """The slots of everything that stays where it is, with the room kept behind it."""
    state = _State({}, SLOTS - wanted.spare, wanted.every)
    for unit_id, spans in index.spans.items():
        if unit_id in moving:
            continue
        for span in spans:
            state.taken[span.universe] = state.taken.get(span.universe, 0) | bits(
                span.start, max(span.end, span.start + span.room - 1)
            )
    return state


def _in_one_piece(unit: Unit, profile: Profile, mode: Mode) -> bool:
    """Whether the blocks of a unit follow each other, so that it can go elsewhere as a whole."""
    first = unit.patch[0]
    return unit.patch == blocks_at(profile, mode, first.universe, first.address, first.room)


def _items(
    index: PatchIndex, wanted: Wanted
) -> tuple[list[tuple[Unit, int]], list[tuple[int, str]]]:
    """Units that may be moved, with the slots they take or keep, by number; and those that stay,
    with the reason.
    """
    chosen = set(wanted.units)
    items, left = [], []
    for unit in sorted(index.by_id.values(), key=lambda u: u.number):
        if chosen and unit.id not in chosen:
            continue
        size = _movable(index, unit)
        if isinstance(size, str):
            left.append((unit.number, size))
        else:
            items.append((unit, size))
    return items, left


def _movable(index: PatchIndex, unit: Unit) -> int | str:
    """The slots a unit takes or keeps, or why it stays."""
    mode = index.profiles.mode_of(unit)
    lay = chart(*mode) if mode else None
    if mode is None or lay is None:
        return "its profile or mode is unknown"
    if unit.locked:
        return "its address is locked"
    if not lay.footprint:
        return "its mode takes no slots"
    if lay.footprint > SLOTS:
        return "it takes more than a universe"
    if not unit.patch:
        return lay.footprint
    if not _in_one_piece(unit, *mode):
        return "its blocks have addresses of their own"
    return min(SLOTS, max(lay.footprint, unit.patch[0].room))


def _bundles(
    show: Show, index: PatchIndex, items: list[tuple[Unit, int]], wanted: Wanted
) -> list[_Bundle]:
    """What must stay in one universe, by the way asked for."""
    node_of = {o.universe: o.host for o in show.outputs if o.enabled}
    universes_of: dict[str, list[int]] = defaultdict(list)
    for universe, host in sorted(node_of.items()):
        universes_of[host].append(universe)
    found = []
    for key, group in _grouped(items, node_of, wanted).items():
        allowed = tuple(universes_of[key[0]]) if wanted.how == PORT and key[0] else None
        found += [_Bundle(part, allowed) for part in _cut(group, SLOTS - wanted.spare)]
    return found


def _grouped(
    items: list[tuple[Unit, int]], node_of: dict[int, str], wanted: Wanted
) -> dict[tuple, list[tuple[Unit, int]]]:
    """Units that go together. The first of a key is the node where ports are asked for."""
    usual: dict[str, Counter[str]] = defaultdict(Counter)  # the node most of a position goes to
    for unit, _ in items:
        if node := _node(unit, node_of):
            usual[unit.hangs_on][node] += 1
    keys: dict[tuple, list[tuple[Unit, int]]] = defaultdict(list)
    for unit, size in items:
        kind = (unit.profile, unit.mode) if wanted.together else ()
        if wanted.how == POSITION:
            key = (unit.hangs_on, *kind) if unit.hangs_on else (unit.id,)
        elif wanted.how == PORT:
            near = [node for node, _ in usual[unit.hangs_on].most_common(1)]
            key = (_node(unit, node_of) or next(iter(near), ""), *(kind or (unit.id,)))
        else:
            key = kind or (unit.id,)
        keys[key].append((unit, size))
    return keys


def _cut(group: list[tuple[Unit, int]], most: int) -> list[list[tuple[Unit, int]]]:
    """A group cut where a universe is full, so that each part can be whole somewhere."""
    parts: list[list[tuple[Unit, int]]] = [[]]
    length = 0
    for unit, size in group:
        if parts[-1] and length + size > most:
            parts.append([])
            length = 0
        parts[-1].append((unit, size))
        length += size
    return parts


def _node(unit: Unit, node_of: dict[int, str]) -> str:
    return node_of.get(unit.patch[0].universe, "") if unit.patch else ""


def _here(unit: Unit) -> Spot | None:
    return (unit.patch[0].universe, unit.patch[0].address) if unit.patch else None


# ---------------------------------------------------------------- whole plans


def _stay(state: _State, bundles: Sequence[_Bundle], index: PatchIndex, wanted: Wanted) -> _State:
    """Everything that may stay stays; the others go where there is room."""
    rest = [bundle for bundle in bundles if not _stays(state, bundle, wanted)]
    beside: dict[str, Counter[int]] = defaultdict(Counter)  # universes of each position
    for unit in index.by_id.values() if rest else ():
        for entry in unit.patch[:1]:
            beside[unit.hangs_on][entry.universe] += 1
    for bundle in sorted(rest, key=lambda b: -b.length):
        near = [universe for universe, _ in beside[bundle.units[0][0].hangs_on].most_common()]
        _place(state, bundle, wanted, [*_home(bundle), *near])
    return state


def _stays(state: _State, bundle: _Bundle, wanted: Wanted) -> bool:
    """Put a bundle where it stands, when that is one universe it may be in and is free."""
    spots = [spot for unit, _ in bundle.units if (spot := _here(unit)) is not None]
    if len(spots) < len(bundle.units) or len({universe for universe, _ in spots}) > 1:
        return False
    universe = spots[0][0]
    if universe < wanted.first or not bundle.may_go(universe):
        return False
    if wanted.together and not _follow_on(spots, bundle, wanted.every):
        return False
    return state.put_all(
        [(unit, size, spot) for (unit, size), spot in zip(bundle.units, spots, strict=True)]
    )


def _follow_on(spots: Sequence[Spot], bundle: _Bundle, every: int) -> bool:
    """Whether units follow each other, each start as round as asked."""
    ordered = sorted(zip(spots, (size for _, size in bundle.units), strict=True))
    return all(a[0][1] + _stride(a[1], every) == b[0][1] for a, b in itertools.pairwise(ordered))


def _stride(size: int, every: int) -> int:
    return -(-size // every) * every


def _home(bundle: _Bundle) -> list[int]:
    """Universes its units are in, the one with most of them first."""
    counted = Counter(unit.patch[0].universe for unit, _ in bundle.units if unit.patch)
    return [universe for universe, _ in counted.most_common()]


def _place(state: _State, bundle: _Bundle, wanted: Wanted, first: Iterable[int]) -> bool:
    """Put a bundle whole into one universe, else in halves. False when none takes it."""
    for universe in dict.fromkeys((*first, *_candidates(state, bundle, wanted))):
        if (
            universe >= wanted.first
            and bundle.may_go(universe)
            and _fit(state, bundle, universe, wanted)
        ):
            return True
    if len(bundle.units) > 1:  # it does not go whole: in halves
        middle = len(bundle.units) // 2
        for half in (bundle.units[:middle], bundle.units[middle:]):
            _place(state, _Bundle(half, bundle.allowed), wanted, first)
        return True
    state.undone += len(bundle.units)
    return False


def _candidates(state: _State, bundle: _Bundle, wanted: Wanted) -> Iterable[int]:
    """Universes in use, then the first that is empty."""
    if bundle.allowed is not None:
        return bundle.allowed
    empty = wanted.first
    while state.taken.get(empty, 0):
        empty += 1
    return [*sorted(state.taken), *([empty] if empty <= UNIVERSES else [])]


def _fit(state: _State, bundle: _Bundle, universe: int, wanted: Wanted) -> bool:
    """Put a bundle into one universe, units that stand there already where they are; nothing is put
    when it does not fit.
    """
    used = state.taken.get(universe, 0)
    state.tries += 1
    if used.bit_count() + bundle.length > state.most:
        return False
    if wanted.together and len(bundle.units) > 1:
        return _fit_in_a_row(state, bundle, universe, wanted.every)
    put_here: list[tuple[Unit, int]] = []
    later = []
    for unit, size in bundle.units:
        spot = _here(unit)
        if spot and spot[0] == universe and state.fits(spot, size):
            state.put(unit, size, spot)
            put_here.append((unit, size))
        else:
            later.append((unit, size))
    for unit, size in later:
        at = state.find(universe, size)
        if not at:
            state.drop_all(put_here)
            return False
        state.put(unit, size, (universe, at))
        put_here.append((unit, size))
    return True


def _fit_in_a_row(state: _State, bundle: _Bundle, universe: int, every: int) -> bool:
    """Put units one behind the other. Where all are of one size, those that stand at one of the
    places keep it, so that fewer have to be set again.
    """
    strides = [_stride(size, every) for _, size in bundle.units]
    whole = sum(strides[:-1]) + bundle.units[-1][1]
    used = state.taken.get(universe, 0)
    at = first_start(used, whole, 1, every) if whole <= SLOTS else 0
    if not at:
        return False
    spots = [at + sum(strides[:i]) for i in range(len(strides))]
    order: list[Unit | None] = [None] * len(spots)
    if len({size for _, size in bundle.units}) == 1:
        standing = {_here(unit): unit for unit, _ in bundle.units}
        order = [standing.get((universe, spot)) for spot in spots]
    others = iter([unit for unit, _ in bundle.units if unit not in [o for o in order if o]])
    for spot, keeper, (_, size) in zip(spots, order, bundle.units, strict=True):
        state.put(keeper or next(others), size, (universe, spot))
    return True


def _emptied(
    state: _State, bundles: Sequence[_Bundle], index: PatchIndex, wanted: Wanted
) -> _State:
    """The plan that lets most stay, with the emptiest universes emptied into the room the others
    have.
    """
    fixed = {universe for universe, taken in state.taken.items() if taken}
    state = _stay(state, bundles, index, wanted)
    if wanted.how != PACK:
        return state
    of_universe: dict[int, list[_Bundle]] = defaultdict(list)
    for bundle in bundles:
        for universe in state.universes_of(bundle):
            of_universe[universe].append(bundle)
    closed: set[int] = set()
    for universe in sorted(of_universe, key=lambda n: (state.taken.get(n, 0).bit_count(), -n)):
        if state.tries > MOST_TRIES:
            break  # a plan made fresh is better where so much has to move
        if universe in fixed or state.undone:
            continue
        group = of_universe[universe]
        others = _with_room(state, {n for n in state.taken if n >= wanted.first} - closed, universe)
        if not others or any(state.universes_of(b) != {universe} for b in group):
            continue
        if _moved(state, group, others, wanted):
            for bundle in group:
                of_universe[state.spots[bundle.units[0][0].id][0]].append(bundle)
            closed.add(universe)
    return state


def _with_room(state: _State, open_: set[int], universe: int) -> list[int]:
    """Universes in use that could together take what is in this one, the fullest first."""
    others = [n for n in sorted(open_) if n != universe and state.taken[n]]
    room = sum(state.most - state.taken[n].bit_count() for n in others)
    if room < state.taken[universe].bit_count():
        return []
    return sorted(others, key=lambda n: -state.taken[n].bit_count())


def _moved(state: _State, group: Sequence[_Bundle], others: Sequence[int], wanted: Wanted) -> bool:
    """Put all these bundles into the other universes, or leave them as they were."""
    before = [(u, size, state.spots[u.id]) for bundle in group for u, size in bundle.units]
    for bundle in group:
        state.drop_all(bundle.units)
    done: list[_Bundle] = []
    since: dict[int, int] = {}  # length → the others before this one do not take it
    for bundle in sorted(group, key=lambda b: -b.length):
        at = since.get(bundle.length, 0)
        while at < len(others) and not _fit(state, bundle, others[at], wanted):
            at += 1
        since[bundle.length] = at
        if at == len(others):
            break
        done.append(bundle)
    else:
        return True
    for bundle in done:
        state.drop_all(bundle.units)
    for unit, size, spot in before:
        state.put(unit, size, spot)
    return False


def _fresh(state: _State, bundles: Sequence[_Bundle], index: PatchIndex, wanted: Wanted) -> _State:
    """Everything laid out again, longest first; then bins are given the universes in which most of
    their units are.
    """
    if wanted.how == PORT:
        return _stay(state, bundles, index, wanted)
    plan = _State(dict(state.taken), state.most, state.every)
    bins: dict[int, list[_Bundle]] = defaultdict(list)
    full: dict[int, int] = {}  # length → universes below this one do not take it
    for bundle in sorted(bundles, key=lambda b: -b.length):
        universe = full.get(bundle.length, wanted.first)
        while not _fit(plan, bundle, universe, wanted):
            universe += 1
            if universe > UNIVERSES or (universe - wanted.first > len(bundles) + len(plan.taken)):
                break
        else:
            bins[universe].append(bundle)
            full[bundle.length] = universe
            continue
        _place(plan, bundle, wanted, ())
        bins[-1].append(bundle)
    if bins.pop(-1, None) or any(state.taken.get(n) for n in bins):
        return plan  # with what must stay in between, universes cannot be exchanged
    return _matched(state, bins, wanted) or plan


def _matched(state: _State, bins: dict[int, list[_Bundle]], wanted: Wanted) -> _State | None:
    """The same bins in the universes where most of their units are already, and those units left
    in place. None when they cannot be exchanged so.
    """
    from scipy.optimize import linear_sum_assignment

    spots = [_here(unit) for group in bins.values() for b in group for unit, _ in b.units]
    standing = {spot[0] for spot in spots if spot and spot[0] >= wanted.first}
    numbers = sorted(n for n in {*bins, *standing} if not state.taken.get(n))
    if len(numbers) < len(bins) or len(numbers) > MOST_MATCHED:
        return None
    groups = list(bins.values())
    chosen = linear_sum_assignment(_standing_in(groups, numbers), maximize=True)
    made = state.copy()
    for i, j in zip(*chosen, strict=True):
        trial = _laid_in(made, groups[i], numbers[j], wanted)
        if trial is None:
            return None
        made = trial
    return made


def _standing_in(groups: Sequence[Sequence[_Bundle]], numbers: Sequence[int]) -> np.ndarray:
    """How many units of each group stand in each universe: shape (groups, universes)."""
    column = {n: i for i, n in enumerate(numbers)}
    worth = np.zeros((len(groups), len(numbers)))
    for i, group in enumerate(groups):
        for unit, _ in itertools.chain.from_iterable(bundle.units for bundle in group):
            spot = _here(unit)
            if spot and spot[0] in column:
                worth[i, column[spot[0]]] += 1
    return worth


def _laid_in(
    state: _State, group: Sequence[_Bundle], universe: int, wanted: Wanted
) -> _State | None:
    """A group in one universe: bundles that stand there stay when the rest then still fits."""
    here = [b for b in group if all((_here(u) or (0,))[0] == universe for u, _ in b.units)]
    for keep in (here, []):
        trial = state.copy()
        stay = [b for b in keep if _stays(trial, b, wanted)]
        moving = sorted((b for b in group if b not in stay), key=lambda b: -b.length)
        if all(_fit(trial, bundle, universe, wanted) for bundle in moving):
            return trial
    return None


def _worth(
    state: _State, items: Sequence[tuple[Unit, int]], wanted: Wanted
) -> tuple[int, int, int]:
    """Units without a place, universes used (only packing minds them), units to be set again: the
    least is best.
    """
    used = sum(1 for taken in state.taken.values() if taken) if wanted.how == PACK else 0
    changes = sum(state.spots.get(unit.id) != _here(unit) for unit, _ in items)
    return len(items) - len(state.spots), used, changes


def _patch(index: PatchIndex, unit: Unit, spot: Spot) -> tuple[Patched, ...]:
    mode = index.profiles.mode_of(unit)
    assert mode is not None  # only units with a mode are items
    if spot == _here(unit):
        return unit.patch
    return blocks_at(*mode, *spot, unit.patch[0].room if unit.patch else 0)
