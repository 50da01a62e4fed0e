"""How long findings take: after one more mark in a large show, and where many units look wrong at
once. Whether they are right is told by `judged`.
"""

from __future__ import annotations

import time
from collections.abc import Iterator

from msgspec import structs

from benchmarks.patch import large_show
from benchmarks.stands.faults import crossed
from benchmarks.stands.judge import Round
from benchmarks.stands.people import careful
from benchmarks.stands.rig import Hung, stand
from isthmus.check.findings.model import SEEN_ACTS
from isthmus.check.findings.told import findings_of
from isthmus.check.verdicts import rests_on
from isthmus.show.records import Verdict

Row = tuple[str, float, float, str, str]


def _another_mark(count: int) -> tuple[float, float]:
    """Seconds of the findings after one more mark, and of the first ones, with three silent units
    among many.
    """
    show = large_show(count)
    verdicts = [
        Verdict(unit=u.id, result="works", at="", proven=rests_on(show, u), acts=SEEN_ACTS)
        for u in show.units
    ]
    for at in (5, 100, 333):
        verdicts[at] = structs.replace(verdicts[at], result="silent")
    took = []
    for kept in (verdicts[:-1], verdicts):
        before = time.perf_counter()
        found, _ = findings_of(structs.replace(show, verdicts=tuple(kept)))
        took.append(time.perf_counter() - before)
        assert len(found) == 3
    return took[1], took[0]


def _crossed(count: int) -> tuple[float, float]:
    """Seconds of processor of the findings of a rig in which both nodes have two cables exchanged,
    and of the round of calls that marked it.
    """
    kinds = (
        *(("Swell 300", "Short", 11), ("Heron 700", "Basic", 10)),
        *(("Tidepool 4", "Five", 5), ("Breakwater 6", "Cells", 18)),
    )
    hung = []
    for universe in (1, 2, 3, 4):
        address = 1
        for at, (kind, mode, size) in enumerate(kinds):
            some = count // 16
            hung.append(Hung(f"Hang {universe}{at}", kind, mode, some, universe, address))
            address += some * size
    rig = stand({"Ferry A": (1, 2), "Ferry B": (3, 4)}, hung)
    for node in ("Ferry A", "Ferry B"):
        rig = crossed(node, 0, 1)(rig)
    began = time.process_time()
    show = Round(rig, careful(3)).marked()
    marked = time.process_time()
    found, _ = findings_of(show)
    took = time.process_time() - marked
    assert [f.kind for f in found] == ["ports exchanged"] * 2
    return took, marked - began


def run() -> Iterator[Row]:
    for large in (1000, 5000):
        again, first = _another_mark(large)
        yield (
            f"findings of {large} units after another mark, against the first",
            again,
            first,
            "s",
            "",
        )
    for count, aim in ((64, "1 s"), (176, "3 s")):
        took, round_ = _crossed(count)
        yield f"findings of {count} units behind crossed ports, the round", took, round_, "s", aim
