"""Every reader of foreign things against broken and hostile input: cases, crashes, hangs over two
seconds, the longest, and the most memory. `./run bench fuzz --quick` tries a fiftieth of it.

`ISTHMUS_FUZZ` says how many cases a reader (3000, `--quick` 60), `ISTHMUS_FROM` the first (0), and
`ISTHMUS_ONLY` which readers, by a part of their name.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor

from benchmarks.fuzzing.children import tried
from benchmarks.fuzzing.readers import READERS

CASES, QUICK = 3000, 60
AIM = "0 crashes, 0 hangs, 2000 ms, 300 MB"


def run() -> Iterator[tuple[str, float, float, str, str]]:
    cases = int(os.environ.get("ISTHMUS_FUZZ") or (QUICK if "--quick" in sys.argv else CASES))
    first, only = int(os.environ.get("ISTHMUS_FROM", "0")), os.environ.get("ISTHMUS_ONLY", "")
    names = [name for name in READERS if only in name]
    with ThreadPoolExecutor(2) as pool:  # each waits for a process
        counts = [max(20, round(cases * READERS[name].share)) for name in names]
        for name, tally in zip(
            names, pool.map(tried, names, [first] * len(names), counts), strict=True
        ):
            for words in (*tally.crashes[:5], *tally.hangs[:5]):
                print(words, file=sys.stderr)
            told = f"{name}, {tally.cases}: {len(tally.crashes)} crashes, {len(tally.hangs)} hangs"
            yield f"{told}, {tally.memory:.0f} MB; longest", tally.worst * 1e3, 0.0, "ms", AIM
