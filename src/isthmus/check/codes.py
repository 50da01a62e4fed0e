"""Light codes: several units hunted at once, each looked at in every picture.

First come pictures that light whole universes, then pictures of lit and dark runs that are the same
in every universe. Which pictures a unit is lit in tells its universe and its address: pictures are
chosen, one by one, so that those places are told apart that are not yet, by what each
unit's own profile makes of them. A place differs from any other, and from a unit that never lights,
in at least one picture; in three where one note may be wrong.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from isthmus.check.hunt import programs_in
from isthmus.check.hunt_asked import Place, Slots
from isthmus.check.hunt_parts import hunted_modes, hunted_universes
from isthmus.check.hunt_slots import brightest, half_light, levels
from isthmus.errors import EntryFault
from isthmus.profiles.light import LightProgram
from isthmus.show.records import SLOTS, Show, Unit

Bits = NDArray[np.bool_]
POOL = 192  # pictures one is chosen from
RUNS = (1, 2, 3, 5, 8, 13, 21, 34, 64, 128, 256)  # lengths of lit and dark runs, on average
SHARES = (0.5, 0.65, 0.8)  # of all slots that are lit
MOST = 48  # pictures: whatever is not told apart by then stays "this or that"
_KEYS = np.random.default_rng(SLOTS).integers(
    0, 2**64, SLOTS, np.uint64
)  # two windows share a sum of these once in 10¹⁹
UNTOLD = 4.0  # by how much two places count less for each picture that tells them apart


@dataclass(frozen=True)
class Coded:
    """One unit, in which pictures it would be lit at each place, (places, pictures), and how bright
    it is then, 0…1.
    """

    unit: Unit
    places: tuple[Place, ...]
    lit: Bits
    bright: float

    def lights(self, level: float) -> bool:
        """Whether a measured level, 0…1, counts as lit: half of what all its slots would make of
        it.
        """
        return level > self.bright / 2


@dataclass(frozen=True)
class Spelt:
    """What a unit's notes say: the places that fit best, whether it never lit, and how many notes
    do not fit.
    """

    places: tuple[Place, ...] = ()
    dark: bool = False
    off: int = 0


@dataclass(frozen=True)
class LightCode:
    """Pictures to show one by one, and who is looked for."""

    universes: tuple[int, ...]
    value: int
    pictures: tuple[Bits, ...]  # (universes, 512), lit or dark
    units: tuple[Coded, ...]
    wrong: int

    def slots(self, picture: int) -> Slots:
        lit = self.pictures[picture]
        return {
            (u, a + 1): self.value if lit[i, a] else 0
            for i, u in enumerate(self.universes)
            for a in range(SLOTS)
        }

    def read(self, unit_id: str, seen: Sequence[bool | None]) -> Spelt:
        """Where a unit listens that was lit, dark or not sure (None) in each picture. With nothing
        that fits, no places.
        """
        coded = next(c for c in self.units if c.unit.id == unit_id)
        sure = np.array([s is not None for s in seen], bool)
        lit = np.array([bool(s) for s in seen], bool)
        off = ((coded.lit != lit) & sure).sum(axis=1)
        dark = int((lit & sure).sum())
        best = int(min(off.min(initial=len(seen)), dark))
        if best > self.wrong:
            return Spelt()
        places = tuple(p for p, o in zip(coded.places, off.tolist(), strict=True) if o == best)
        return Spelt(places, dark == best, best)


def light_code(
    show: Show,
    ids: Sequence[str],
    universes: Sequence[int] = (),
    any_mode: bool = False,
    wrong: int = 0,
    step: Callable[[float, str], object] = lambda part, words: None,
) -> LightCode:
    """A code for these units; each is looked for in its own universe, or in these. So many notes of
    each unit may be wrong.

    Raises EntryFault where a unit cannot be hunted by light, and where no byte is safe for
    everybody and lights them all.
    """
    units: list[Unit] = []
    programs: dict[str, list[LightProgram]] = {}
    where: dict[str, list[int]] = {}
    for unit, modes in (hunted_modes(show, u, any_mode) for u in dict.fromkeys(ids)):
        units.append(unit)
        programs[unit.id], where[unit.id] = list(modes.values()), hunted_universes(unit, universes)
    all_universes = tuple(sorted({u for found in where.values() for u in found}))
    everyone = list({id(p): p for found in programs.values() for p in found}.values())
    value = brightest(everyone, [*programs_in(show, all_universes), *everyone])
    if not value:
        raise EntryFault(
            "No byte lights all of these units and is safe for everybody there.",
            do="Hunt them one by one.",
        )
    apart = 2 * wrong + 1
    words = _words(len(all_universes), apart)
    rows = _pictures(list(programs.values()), value, apart, step)
    pictures = [*(np.repeat(words[:, i : i + 1], SLOTS, axis=1) for i in range(words.shape[1]))]
    pictures += [np.repeat(row[None, :], len(all_universes), axis=0) for row in rows]
    coded: list[Coded] = []
    for unit in units:
        places: list[Place] = []
        lit: list[Bits] = []
        for program in programs[unit.id]:
            inside = _lit_at(program, value, rows)
            for universe in where[unit.id]:
                word = np.repeat(words[all_universes.index(universe)][None, :], len(inside), axis=0)
                places += [Place(universe, a + 1, program.mode.name) for a in range(len(inside))]
                lit.append(np.concatenate([word, inside], axis=1))
        bright = min(2 * half_light(p, value) for p in programs[unit.id])
        coded.append(Coded(unit, tuple(places), np.concatenate(lit), bright))
    return LightCode(all_universes, value, tuple(pictures), tuple(coded), wrong)


def where_found(
    spelt: Sequence[tuple[Unit, Spelt]],
) -> tuple[dict[str, tuple[str, int, int]], list[list[Unit]]]:
    """Units to be patched where they were found: unit → (mode, universe, address), and those that
    listen at one address together.

    Left out is who stands there already, whose place is not clear, and who shares an address: one
    of those is to be set.
    """
    clear = [(s.places[0], u) for u, s in spelt if len(s.places) == 1 and not s.dark]
    at: dict[tuple[int, int], list[Unit]] = {}
    for place, unit in clear:
        at.setdefault((place.universe, place.address), []).append(unit)
    doubles = [group for group in at.values() if len(group) > 1]
    several = {u.id for group in doubles for u in group}
    targets = {
        unit.id: (place.mode, place.universe, place.address)
        for place, unit in clear
        if unit.id not in several
        and (
            place.mode != unit.mode
            or [(p.universe, p.address) for p in unit.patch] != [(place.universe, place.address)]
        )
    }
    return targets, doubles


def _words(count: int, apart: int) -> Bits:
    """(count, bits): a word for each universe, any two different in so many bits. The first is dark
    in all of them.
    """
    words = [0]
    at = 0
    while len(words) < count:
        at += 1
        if all((at ^ w).bit_count() >= apart for w in words):
            words.append(at)
    bits = max(words).bit_length()
    return np.array([[w >> b & 1 for b in range(bits)] for w in words], bool)


def _lit_at(program: LightProgram, value: int, pictures: Bits) -> Bits:
    """(addresses, pictures): whether a unit at each address 1… is lit in each picture (pictures,
    512).
    """
    windows = np.lib.stride_tricks.sliding_window_view(pictures, program.width, axis=1)
    keys = (
        windows @ _KEYS[: program.width]
    )  # most windows come many times: each kind is calculated once
    _, first, kind = np.unique(keys, return_index=True, return_inverse=True)
    kinds = windows[first // windows.shape[1], first % windows.shape[1]]
    light = levels(program, np.where(kinds, value, 0).astype(np.uint8)) > half_light(program, value)
    return light[kind].reshape(keys.shape).T


@cache
def _pool() -> Bits:
    """(pictures, 512) that a code is chosen from: short patterns repeated, and runs of many
    lengths. In few, large steps: beside a busy interface every step may have to wait for its turn.
    """
    chance = np.random.default_rng(SLOTS)  # the same code each time
    made: list[Bits] = []
    for period in range(2, 13):
        short = chance.random((min(2**period, 16), period)) < chance.choice(
            SHARES, (min(2**period, 16), 1)
        )
        made.append(np.tile(short, SLOTS // period + 1)[:, :SLOTS])
    count = POOL - sum(map(len, made))
    share, run = chance.choice(SHARES, (count, 1, 1)), chance.choice(RUNS, (count, 1, 1))
    lengths = 1 + chance.poisson(
        2 * run * np.concatenate([1 - share, share], axis=2).repeat(SLOTS, axis=1)
    )
    turns = np.zeros((count, 2 * SLOTS + 1), np.uint8)
    ends = np.minimum(lengths.reshape(count, -1).cumsum(axis=1), 2 * SLOTS)
    turns[np.arange(count)[:, None], ends] = 1
    lit = turns.cumsum(axis=1) % 2 == 1
    made.append(
        np.take_along_axis(lit, chance.integers(SLOTS, size=(count, 1)) + np.arange(SLOTS), axis=1)
    )
    return np.concatenate(made)


class _Once:
    """Which places no picture taken tells apart yet: they are in one class. `sign` (places, pool)
    is 1 lit, -1 dark.
    """

    def __init__(self, sign: NDArray[np.float32]) -> None:
        self.sign, self.classes = sign, np.zeros(len(sign), np.int64)
        self.done = len(sign) < 2

    def alike(self) -> NDArray[np.float64]:
        """(pool,) how much each picture would leave untold: 1 nothing told, 0 every class
        halved.
        """
        order = np.argsort(self.classes, kind="stable")
        starts = np.flatnonzero(np.diff(self.classes[order], prepend=-1))
        sums = np.add.reduceat(self.sign[order], starts, axis=0)
        sizes = np.diff(starts, append=len(order))
        return (sums**2)[sizes > 1].sum(axis=0) / max(1, (sizes[sizes > 1] ** 2).sum())

    def take(self, picture: int) -> bool:
        """Whether it tells anything."""
        before = int(self.classes.max()) + 1
        _, self.classes = np.unique(
            2 * self.classes + (self.sign[:, picture] > 0), return_inverse=True
        )
        count = int(self.classes.max()) + 1
        self.done = count == len(self.classes)
        return count > before


class _Often:
    """The same where every two places are to be told apart by several pictures, so that a wrong
    note does no harm.
    """

    def __init__(self, sign: NDArray[np.float32], apart: int) -> None:
        self.sign, self.apart = sign, apart
        self.told = (
            np.eye(len(sign), dtype=np.int8) * apart
        )  # how many pictures tell two places apart
        self.done = len(sign) < 2

    def alike(self) -> NDArray[np.float64]:
        weight = np.where(
            self.told < self.apart, UNTOLD ** -self.told.astype(np.float32), 0
        ).astype(np.float32)
        return np.einsum("ik,ik->k", self.sign, weight @ self.sign) / weight.sum()

    def take(self, picture: int) -> bool:
        new = self.sign[:, picture, None] != self.sign[None, :, picture]
        more = bool((new & (self.told < self.apart)).any())
        self.told += new
        self.done = bool((self.told >= self.apart).all())
        return more


def _pictures(
    groups: list[list[LightProgram]], value: int, apart: int, step: Callable[[float, str], object]
) -> Bits:
    """(pictures, 512) that tell the addresses of each unit apart, chosen one by one: of many, the
    one that tells most.
    """
    pool = _pool()
    kinds = list({tuple(map(id, g)): g for g in groups}.values())
    signs: list[
        NDArray[np.float32]
    ] = []  # (places, pool): 1 lit, -1 dark; the last place is that of a unit that never lights
    for at, group in enumerate(kinds):
        step(at / len(kinds) / 2, "Looking at what each profile makes of pictures")
        lit = np.concatenate(
            [*(_lit_at(p, value, pool) for p in group), np.zeros((1, len(pool)), bool)]
        )
        signs.append(np.where(lit, 1, -1).astype(np.float32))
    told = [(_Once(sign) if apart == 1 else _Often(sign, apart)) for sign in signs]
    made: list[int] = []
    while len(made) < MOST and any(not t.done for t in told):
        step(0.5 + len(made) / MOST / 2, f"Choosing picture {len(made) + 1}")
        best = int(np.sum([t.alike() for t in told if not t.done], axis=0).argmin())
        more = [t.take(best) for t in told]
        if not any(more):
            break  # no picture would tell more
        made.append(best)
    return pool[made]
