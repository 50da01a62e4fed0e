"""The library with 40 000 generated profiles: opening, asking, near misses, building, and
memory.
"""

from __future__ import annotations

import json
import multiprocessing
import random
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np

from isthmus.library.columns import Columns
from isthmus.library.facts import Facts, facts_of, sheet_of, unpack
from isthmus.library.index import FileSeen, Index
from isthmus.library.search import Query, search
from isthmus.library.shelf import Shelf
from isthmus.library.sources import Source
from isthmus.profiles.gdtf import Gdtf, write_gdtf
from isthmus.profiles.make.plausible import plausible_profiles

PROFILES = 40_000
FILES = 1_500
_SLICES = 40


def _facts(seed: int) -> list[bytes]:
    import msgspec

    return [
        msgspec.msgpack.encode(facts_of(Gdtf(profile, ())))
        for profile in plausible_profiles(PROFILES // _SLICES, seed)
    ]


def build(path: Path) -> list[Facts]:
    """An index of generated profiles, and the same facts as parsed records for the plain scan."""
    index = Index(path)
    kept: list[Facts] = []
    with multiprocessing.get_context("fork").Pool(2) as pool:
        for seed, packed in enumerate(pool.imap(_facts, range(_SLICES))):
            facts = [unpack(item) for item in packed]
            kept.extend(facts)
            index.put(
                "own", [(FileSeen(f"/{seed}/{i}.gdtf", 1, 1), item) for i, item in enumerate(facts)]
            )
    index.close()
    return kept


def queries(columns: Columns, count: int = 120) -> Iterator[Query]:
    """Questions of every kind, asked as a person types: prefixes, slips, facts, facts and words."""
    rng = random.Random(7)
    words = [word for word in columns.vocabulary if len(word) > 4]
    attributes = [name for name in columns.attributes if name]
    for number in range(count):
        word = rng.choice(words)
        slip = word[:2] + word[3] + word[2] + word[4:]
        on = tuple((rng.randint(1, 16), rng.choice(attributes)) for _ in range(rng.randint(1, 3)))
        kind, size = number % 6, rng.randint(4, 30)
        if kind == 0:
            yield Query(text=word[: rng.randint(2, 6)])
        elif kind == 1:
            yield Query(text=slip)
        elif kind == 2:
            yield Query(footprint=(size, size), on=on)
        elif kind == 3:
            yield Query(on=on, without=(rng.choice(attributes),), having=(rng.choice(attributes),))
        elif kind == 4:
            yield Query(text=f"{rng.choice(words)[:4]} {rng.choice(words)[:3]}", footprint=(10, 40))
        else:
            yield Query(cells=(4, 16), wheel=False, having=("Dimmer",))


def plain_scan(records: list[Facts], query: Query) -> int:
    """What a plain program does: walk every record of every mode and test each fact."""
    found = 0
    for profile in records:
        for mode in profile.modes:
            if query.footprint and not query.footprint[0] <= mode.footprint <= query.footprint[1]:
                continue
            first = {line[1][0]: line[0] for line in mode.lines if line[1]}
            have = {line[0] for line in mode.lines}
            if (
                all(first.get(slot) == attribute for slot, attribute in query.on)
                and have.issuperset(query.having)
                and not have & set(query.without)
            ):
                found += 1
    return found


def column_scan(columns: Columns, query: Query) -> int:
    """One pass of NumPy over the same columns, for the first fact alone."""
    slot, attribute = query.on[0]
    hit = (columns.seq_attr == columns.attribute_id[attribute]) & (columns.seq_slot == slot)
    return int(
        np.count_nonzero(np.add.reduceat(hit, np.minimum(columns.seq_start[:-1], len(hit) - 1)))
    )


def timed(run: Callable[[], Any], times: int = 1) -> list[float]:
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        run()
        taken.append(time.perf_counter() - start)
    return taken


_OPEN = """
import json, sys, time
from pathlib import Path
from isthmus.library.shelf import Shelf
from isthmus.library.search import Query
start = time.perf_counter()
shelf = Shelf(Path(sys.argv[1]))
answer = shelf.search(Query("corden 400"))
first = time.perf_counter() - start
shelf.search(Query(on=((4, "Dimmer"),)))
shelf.columns.sequences
# the peak of this process alone; getrusage inherits its parent's
status = Path("/proc/self/status").read_text()
peak = next(line for line in status.splitlines() if line.startswith("VmHWM"))
print(json.dumps([first, len(shelf.columns), int(peak.split()[1]) / 1024]))
"""


def build_rate(folder: Path, workers: int) -> float:
    """Real GDTF files read into an index, profiles a second."""
    files = folder / f"files{workers}"
    files.mkdir()
    for number, profile in enumerate(plausible_profiles(FILES, 99)):
        (files / f"{number}.gdtf").write_bytes(write_gdtf(profile))
    index = Index(folder / f"built{workers}.sqlite")
    source = Source(id=f"folder:{files}", kind="folder", name="files", path=str(files))
    start = time.perf_counter()
    outcome = index.update([source], workers=workers)
    index.close()
    assert outcome.read == FILES and not outcome.faults
    return FILES / (time.perf_counter() - start)


def run() -> Iterator[tuple[str, float, float, str, str]]:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        records = build(folder / "library.sqlite")
        first, modes, memory = json.loads(
            subprocess.check_output([sys.executable, "-c", _OPEN, str(folder / "library.sqlite")])
        )
        shelf = Shelf(folder / "library.sqlite")
        columns = shelf.columns
        asked = list(queries(columns))
        for query in asked[:6]:
            search(columns, shelf.db, query)
        taken = sorted(
            t
            for query in asked
            for t in timed(lambda query=query: search(columns, shelf.db, query))
        )
        facts = [query for query in asked if query.on]
        ours = float(
            np.median(
                [timed(lambda query=query: search(columns, shelf.db, query), 3) for query in facts]
            )
        )
        plain = float(
            np.median(
                [timed(lambda query=query: plain_scan(records, query)) for query in facts[:4]]
            )
        )
        scan = float(
            np.median(
                [timed(lambda query=query: column_scan(columns, query), 3) for query in facts]
            )
        )
        rng = random.Random(3)
        likes = []
        for _ in range(24):
            mode = rng.choice(rng.choice(records).modes)
            likes.append(
                Query(like=sheet_of(mode.name, [line for line in mode.lines if rng.random() > 0.1]))
            )
        search(columns, shelf.db, likes[0])
        near = sorted(
            t
            for query in likes
            for t in timed(lambda query=query: search(columns, shelf.db, query))
        )
        alone, rate = build_rate(folder, 1), build_rate(folder, 2)
        p95 = taken[int(0.95 * len(taken))]
        near95 = near[int(0.95 * len(near))]
    yield f"{modes} modes: opened and first answer", first * 1e3, 0, "ms", "within 1000"
    yield "any question, 95 % / median", p95 * 1e3, float(np.median(taken)) * 1e3, "ms", "within 30"
    yield (
        "near misses of a chart, 95 % / median",
        near95 * 1e3,
        float(np.median(near)) * 1e3,
        "ms",
        "within 150",
    )
    yield "facts asked / plain scan of the records", ours * 1e3, plain * 1e3, "ms", "100 × faster"
    yield "facts asked / one column scan", ours * 1e3, scan * 1e3, "ms", "within 10×"
    yield "files indexed by two workers / by one", rate, alone, "/s", "500 a second or more"
    yield "memory of the open index", memory, 0, "MB", "under 300"
