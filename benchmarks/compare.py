"""Two shows of 20 000 units told apart and joined, against comparing them by Python's `==`."""

from __future__ import annotations

import random
import time
from collections.abc import Callable, Iterator

from msgspec.structs import replace

from isthmus.compare import difference, merge
from isthmus.compare.references import renamed_show
from isthmus.show.container import decode_show, encode_show
from isthmus.show.records import Patched, Show, Unit

UNITS = 20_000


def rig(seed: int) -> Show:
    dice = random.Random(seed)
    return Show(
        units=tuple(
            Unit(
                id=f"u{i}",
                number=1 + i,
                name=f"Wash {i}",
                profile="Halyard Optics Lapwing 19",
                mode="Wide",
                patch=(Patched(universe=1 + i // 20, address=1 + 25 * (i % 20)),),
                hangs_on=f"Truss {i // 50}",
                position=(dice.uniform(-20, 20), dice.uniform(-10, 10), 6.0),
            )
            for i in range(UNITS)
        )
    )


def edited(show: Show, seed: int) -> Show:
    dice = random.Random(seed)
    units = list(show.units)
    for at in dice.sample(range(UNITS), 200):
        units[at] = replace(units[at], purpose=f"look {dice.randrange(9)}")
    del units[dice.randrange(UNITS)]
    return replace(show, units=tuple(units))


def best(run: Callable[[], object], times: int = 5) -> float:
    taken = []
    for _ in range(times):
        begun = time.process_time()
        run()
        taken.append(time.process_time() - begun)
    return 1000 * min(taken)


def run() -> Iterator[tuple[str, float, float, str, str]]:
    base = rig(1)
    mine, theirs = edited(base, 2), edited(base, 3)
    read = decode_show(encode_show(mine), "bench")  # from a file: no record is the very same
    there = {u.id: u for u in read.units}
    plain = best(lambda: [u == there.get(u.id) for u in base.units])
    what = "what differs, 20 000 units read from two files / `==` of each"
    yield what, best(lambda: difference(base, read)), plain, "ms", "300"
    what = "…joined, two copies edited in 200 places"
    yield what, best(lambda: merge(base, mine, theirs)), plain, "ms", ""
    ids = {"units": {u.id: f"x{i}" for i, u in enumerate(read.units)}}
    other = renamed_show(read, ids)
    what = "…with ids of their own, found by number"
    yield what, best(lambda: difference(base, other)), plain, "ms", ""
