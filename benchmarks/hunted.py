"""Hunts of units whose light, and the people who watch it, are written by hand: how they end, and
in how many looks. `ISTHMUS_HUNTS` says how many of each kind (60).
"""

from __future__ import annotations

import os
import time
from collections import Counter
from collections.abc import Iterator, Mapping

import numpy as np
from msgspec.structs import replace

from benchmarks.watchers import (
    Physics,
    Watcher,
    colours_first,
    curved,
    dimmed_twice,
    of_three,
    plain,
)
from isthmus.check.hunt import Hunt
from isthmus.check.hunt_asked import NO, YES
from isthmus.profiles.gdtf import write_gdtf
from isthmus.profiles.make import Channel, ModePlan, compose
from isthmus.profiles.make.bodies import Body
from isthmus.profiles.make.channels import Band
from isthmus.profiles.store import stored_of
from isthmus.show import Show
from isthmus.show.records import Patched, Unit

Row = tuple[str, float, float, str, str]
SLIPS = 15  # one answer in so many is the wrong one
DIMMED = (Channel("Dimmer", 2), *(Channel(f"ColorAdd_{c}") for c in "RGB"), Channel("Pan", 2))
KINDS = {
    "three": ((Channel("ColorAdd_R"), Channel("ColorAdd_G"), Channel("ColorAdd_B")), of_three),
    "dimmed": (DIMMED, dimmed_twice),
    "curved": (DIMMED, curved),
    "last": (
        (
            *(Channel(f"ColorAdd_{c}") for c in "RGB"),
            Channel(
                "Shutter1",
                1,
                (
                    Band(0, 9, "Open", "Shutter1"),
                    Band(10, 200, "Strobe", "Shutter1Strobe"),
                    Band(201, 255, "Open", "Shutter1"),
                ),
            ),
            Channel("Dimmer"),
        ),
        colours_first,
    ),
    "plain": ((Channel("Dimmer"),), plain),
}


def rig_of(kind: str) -> Show:
    """A unit of a kind, patched at 1.001."""
    channels, _ = KINDS[kind]
    profile = compose("Reed and Oar", kind, Body("can"), [ModePlan("Own", channels)])
    stored = stored_of(profile, write_gdtf(profile))
    unit = Unit(
        id="u1", number=1, profile=stored.key, mode="Own", patch=(Patched(universe=1, address=1),)
    )
    return replace(Show(), profiles=(stored,), units=(unit,))


def hunted(hunt: Hunt, physics: Physics, watcher: Watcher, at: tuple[int, int] | None) -> str:
    """How a hunt ends for a unit that listens at a universe and address, or is dead."""
    where = None

    def light(slots: Mapping[tuple[int, int], int]) -> float:
        if at is None:
            return 0.0
        return physics([slots.get((at[0], at[1] + i), 0) for i in range(8)])

    while (look := hunt.look()) is not None and hunt.used <= 60:
        if look.flashes:
            moments = [light(s) for seconds, s in look.steps for _ in range(round(seconds * 20))]
            hunt.answer(look, watcher.counts(moments))
        else:
            hunt.answer(look, YES if watcher.says(light(look.slots), look.words) else NO)
    if hunt.dark:
        where = [None]
    elif not hunt.contradicts:
        where = [(place.universe, place.address) for place in hunt.found]
    if where is None or not where:
        return "contradicts"
    return "wrong" if at not in where else "right" if len(where) == 1 else "remain"


def run() -> Iterator[Row]:
    count = int(os.environ.get("ISTHMUS_HUNTS", "60"))
    chance = np.random.default_rng(7)
    for slips, flashing in ((0, False), (0, True), (SLIPS, False), (SLIPS, True)):
        ends: Counter[str] = Counter()
        looks: list[int] = []
        begun = time.perf_counter()
        for kind, (_, physics) in KINDS.items():
            show = rig_of(kind)
            for one in range(count):
                hunt = Hunt(show, "u1", lies=int(bool(slips)), flashing=flashing)
                at = 1, int(chance.integers(1, 505))
                ends[hunted(hunt, physics, Watcher(chance, slips, one % 2 > 0), at)] += 1
                looks.append(hunt.used)
        took = (time.perf_counter() - begun) / sum(looks)
        total = sum(ends.values())
        asked = "flashes" if flashing else "yes or no"
        who = f"{asked}, {f'1 answer in {slips} wrong' if slips else 'no answer wrong'}"
        honest = ends["right"] + ends["remain"]
        yield f"hunts that end right or with what remains, {who}", honest, total, "", "99 %"
        yield f"…that name a wrong address / {total}", ends["wrong"], total, "", "0.2 %"
        yield f"…looks at the median / halving 505 addresses, {who}", *_median(looks), "", "9"
        yield "…seconds a look", took, 1.0, "s", "0.1"


def _median(looks: list[int]) -> tuple[float, float]:
    return float(np.median(looks)), float(np.log2(505))
