"""Fifty versions of a show of 5 000 units: what they take in the file, and of a save."""

from __future__ import annotations

import random
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from msgspec.structs import replace

from benchmarks.compare import rig
from isthmus.show.container import encode_show, save_show
from isthmus.show.records import Patched, Show
from isthmus.show.versions import shown, with_version, without_versions

UNITS, VERSIONS, TOGETHER = 5_000, 50, 60


def worked_on(show: Show, seed: int) -> Show:
    """Between two versions: a truss of units gets another purpose and place; every tenth time all
    get other addresses.
    """
    dice = random.Random(seed)
    units = list(show.units)
    first = dice.randrange(len(units) - TOGETHER)
    for at in range(first, first + TOGETHER):
        place = (round(dice.uniform(-20, 20), 2), round(dice.uniform(-10, 10), 2), 6.0)
        units[at] = replace(units[at], purpose=f"look {dice.randrange(99)}", position=place)
    if seed % 10 == 9:
        units = [
            replace(
                unit,
                patch=tuple(
                    Patched(universe=p.universe + 1, address=1 + (p.address + 30) % 480)
                    for p in unit.patch
                ),
            )
            for unit in units
        ]
    return replace(show, units=tuple(units))


def taken(run: Callable[[], object], times: int = 9) -> float:
    """The median, in milliseconds: a disk is slower at times."""
    found = []
    for _ in range(times):
        begun = time.perf_counter()
        run()
        found.append(time.perf_counter() - begun)
    return 1000 * sorted(found)[times // 2]


def run() -> Iterator[tuple[str, float, float, str, str]]:
    whole = rig(1)
    show = bare = replace(whole, units=whole.units[:UNITS])
    making = []
    for seed in range(VERSIONS):
        begun = time.perf_counter()
        show = with_version(worked_on(show, seed), show, f"v{seed}")
        making.append(1000 * (time.perf_counter() - begun))
    bare = without_versions(show)
    more = (len(encode_show(show)) - len(encode_show(bare))) / 1e6
    yield (
        "50 versions of 5 000 units in the file / the show alone",
        more,
        len(encode_show(bare)) / 1e6,
        "MB",
        "10",
    )
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "bench.isthmus"
        alone = taken(lambda: save_show(bare, file))
        yield (
            "…saved, against a save without them",
            taken(lambda: save_show(show, file)),
            alone,
            ("ms"),
            "1.3 times",
        )
    encoding = taken(lambda: encode_show(bare))
    yield "…the last one made / bare encoding", sorted(making)[VERSIONS // 2], encoding, "ms", ""
    yield (
        "…one of them looked at / bare encoding",
        taken(lambda: shown(show, show.versions[20])),
        encoding,
        "ms",
        "",
    )
