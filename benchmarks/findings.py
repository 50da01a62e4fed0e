"""Findings over made-up rigs: how often the first-ranked cause is right, how many looks it takes,
and how long.

The baseline is what a person guesses without reasoning: a silent unit is dead, one that moves has
no lamp, any other is in another mode. `ISTHMUS_RIGS` says how many rigs (500).
"""

from __future__ import annotations

import os
import time
from collections import Counter
from collections.abc import Iterator

from msgspec import structs

from benchmarks.patch import large_show
from isthmus.check.findings.model import SEEN_ACTS
from isthmus.check.findings.told import findings_of
from isthmus.check.verdicts import rests_on
from isthmus.demo import shipped_profiles
from isthmus.show.records import Verdict
from isthmus.standin.generate import KINDS, MadeRig, make_rig
from isthmus.standin.trial import Trial

Row = tuple[str, float, float, str, str]
CARELESS = 0.1


def guessed(rig: MadeRig, trial: Trial) -> int:
    """How many faults the guess names."""
    verdicts, right = trial.call(), 0
    for fault in rig.faults:
        verdict = verdicts.get(fault.units[0])
        guess = (
            "dead"
            if verdict is None or verdict.result == "silent"
            else "lamp"
            if "dark" in verdict.what
            else "mode"
        )
        right += guess == fault.kind
    return right


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
    count = int(os.environ.get("ISTHMUS_RIGS", "500"))
    for careless, words in (
        (0.0, "who misses nothing"),
        (CARELESS, f"who misses {CARELESS:.0%} of what is wrong"),
    ):
        rigs = count if not careless else max(20, count // 5)
        places: Counter[int] = Counter()
        by_kind: dict[str, list[int]] = {kind: [] for kind in KINDS}
        looks = hunted = guesses = units = 0
        began = time.perf_counter()
        spent = 0.0
        for seed in range(rigs):
            rig = make_rig(seed, shipped_profiles())
            trial = Trial(rig, careless, seed)
            if not careless:
                before = time.perf_counter()
                guesses += guessed(rig, trial)
                spent += time.perf_counter() - before
            outcome = trial.run()
            places.update(outcome.places.values())
            for fault, place in outcome.places.items():
                by_kind[fault.kind].append(place)
            looks, hunted, units = (
                looks + outcome.looks,
                hunted + outcome.hunted,
                units + outcome.units,
            )
        seconds = time.perf_counter() - began - spent
        total = places.total()
        three = places[1] + places[2] + places[3]
        guess = 100 * guesses / total
        aims = ("", "") if careless else ("90 %", "98 %")
        told = f"right cause first, {total} faults in {rigs} rigs, an observer {words}"
        yield told, 100 * places[1] / total, guess, "%", aims[0]
        yield "    right cause among the first three", 100 * three / total, guess, "%", aims[1]
        yield (
            f"    looks a rig beside the roll call ({units / rigs:.0f} units)",
            looks / rigs,
            0.0,
            "",
            "",
        )
        yield "    looks a rig of hunts", hunted / rigs, 0.0, "", ""
        yield (
            "    seconds a rig, against the roll call and the guess alone",
            seconds / rigs,
            spent / rigs,
            "s",
            "",
        )
        if not careless:
            for kind, found in by_kind.items():
                yield (
                    f"    {kind}, {len(found)} times",
                    100 * sum(p == 1 for p in found) / max(1, len(found)),
                    0.0,
                    "%",
                    "",
                )
