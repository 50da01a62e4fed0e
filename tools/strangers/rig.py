"""The hidden rig: what really hangs there, before anybody writes it down."""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class Kind:
    """A model that can be had: its maker, its name, and the size of each of its modes."""

    maker: str
    model: str
    modes: tuple[tuple[str, int], ...]


@dataclass(frozen=True)
class Lamp:
    """One unit of the rig; `place` is its number on its position, from 1."""

    number: int
    kind: Kind
    mode: str
    feet: int
    universe: int
    address: int
    position: str
    place: int
    purpose: str
    gel: str
    weight: float
    watts: int


def make_rig(
    rng: random.Random,
    stock: Sequence[Kind],
    size: int,
    positions: Sequence[str],
    purposes: Sequence[str],
    gels: Sequence[str],
) -> list[Lamp]:
    """About `size` lamps in blocks of one model, as rigs are: numbered in hundreds, addressed one
    after another, a new universe where one is full or a position begins a new cable.
    """
    few = rng.sample(list(stock), min(len(stock), rng.randint(4, 9)))
    made: list[Lamp] = []
    universe, at = rng.choice([1, 1, 1, 2, 5, 11]), 1
    spaced = rng.random() < 0.25
    for block in range(1, 60):
        if len(made) >= size:
            break
        kind = rng.choice(few)
        mode, feet = rng.choice(kind.modes)
        position = positions[(block - 1) % len(positions)]
        if rng.random() < 0.3 and made:
            universe, at = universe + 1, 1
        step = max(feet, -(-feet // 10) * 10) if spaced else feet
        gel = rng.choice(gels) if feet <= 2 else ""
        hung = sum(lamp.position == position for lamp in made)
        purpose = rng.choice(purposes)
        weight, watts = rng.randint(20, 420) / 10, rng.choice([150, 250, 400, 575, 750, 1200])
        for n in range(rng.choice([2, 4, 6, 6, 8, 8, 12, 16])):
            if at + feet - 1 > 512:
                universe, at = universe + 1, 1
            made.append(
                Lamp(
                    100 * block + n + 1,
                    kind,
                    mode,
                    feet,
                    universe,
                    at,
                    position,
                    hung + n + 1,
                    purpose,
                    gel,
                    weight,
                    watts,
                )
            )
            at += step
    return made
