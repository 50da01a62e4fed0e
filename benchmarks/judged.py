"""Findings judged by rigs and people that share nothing with the program (`stands/`): hand-written
stories, and rigs made up by chance.

`ISTHMUS_MADE` says how many of those (40), `ISTHMUS_PEOPLE` who watches (careful, hasty, far away,
colour-blind; all), `ISTHMUS_TELL` prints each miss.
"""

from __future__ import annotations

import os
import sys
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator

from benchmarks.stands.judge import Outcome, Round
from benchmarks.stands.made import made
from benchmarks.stands.people import PEOPLE
from benchmarks.stands.rig import Rig
from benchmarks.stands.stories import STORIES

Row = tuple[str, float, float, str, str]
AIMS = {"careful": ("95 %", "99 %", "5 %"), "hasty": ("85 %", "95 %", "")}


def rigs() -> Iterator[tuple[str, Rig]]:
    part = os.environ.get("ISTHMUS_STORIES", "")
    stories = [s for i, s in enumerate(STORIES) if part in ("", "odd" if i % 2 else "even")]
    for story in stories:
        yield story.words, story.as_it_stands()
    first, _, count = os.environ.get("ISTHMUS_MADE", "0:40").rpartition(":")
    for seed in range(int(first or 0), int(first or 0) + int(count)):
        yield f"made {seed}", made(seed)


def judged(person: str, some: Iterable[tuple[str, Rig]]) -> Iterator[tuple[str, Rig, Outcome]]:
    for at, (words, rig) in enumerate(some):
        yield words, rig, Round(rig, PEOPLE[person](at)).judged()


def run() -> Iterator[Row]:
    for person in os.environ.get("ISTHMUS_PEOPLE", ",".join(PEOPLE)).split(","):
        yield from _rows(person)


def _rows(person: str) -> Iterator[Row]:
    count: Counter[str] = Counter()
    kinds: dict[str, list[int]] = defaultdict(list)
    said: list[tuple[float, bool]] = []
    seconds = 0.0
    for words, _, out in judged(person, rigs()):
        count["rigs"] += 1
        count["visible"] += len(out.visible)
        count["first"] += len(out.first)
        count["three"] += len(out.three)
        count["seen"] += bool(out.visible)
        count["whole"] += bool(out.visible) and len(out.first) == len(out.visible)
        count["false"] += len(out.false)
        count["named"] += len(out.said)
        count["open"] += out.open
        count["looks"] += out.looks
        count["hunts"] += out.hunts
        said += out.said
        seconds += out.seconds
        for truth in out.visible:
            kinds[truth.kind].append(int(truth in out.first))
        if os.environ.get("ISTHMUS_TELL"):
            _tell(words, out)
    visible, named = count["visible"], max(1, count["named"])
    aims = AIMS.get(person, ("", "", ""))
    rate = lambda what, of: 100 * count[what] / max(1, of)  # noqa: E731
    who = f"{person}, {visible} faults seen in {count['rigs']} rigs"
    yield f"first cause right, {who}", rate("first", visible), 100.0, "%", aims[0]
    yield "    among the first three", rate("three", visible), 100.0, "%", aims[1]
    yield "    rigs with all of it named", rate("whole", count["seen"]), 100.0, "%", ""
    yield "    causes named that are not so", rate("false", named), 100.0, "%", aims[2]
    yield "    findings that cannot tell yet", float(count["open"]), float(visible), "", ""
    looks, hunts = (count[what] / count["rigs"] for what in ("looks", "hunts"))
    yield "    looks a rig, and hunts", looks, hunts, "", ""
    yield "    seconds of processor a rig", seconds / count["rigs"], 1.0, "s", ""
    for low, high in ((0.0, 0.5), (0.5, 0.8), (0.8, 0.95), (0.95, 1.01)):
        part = [so for chance, so in said if low <= chance < high]
        if part:
            mean = sum(c for c, _ in said if low <= c < high) / len(part)
            right = 100 * sum(part) / len(part)
            yield (
                f"    right of {len(part)} said with {low:.0%} to {min(high, 1):.0%}",
                right,
                100 * mean,
                "%",
                "as said",
            )
    for kind, rights in sorted(kinds.items()):
        yield f"    {kind}, {len(rights)} times", 100 * sum(rights) / len(rights), 100.0, "%", ""


def _tell(words: str, out: Outcome) -> None:
    missed = [t for t in out.visible if t not in out.first]
    if not missed and not out.false:
        return
    print(f"-- {words}", file=sys.stderr)
    for truth in missed:
        print(f"   missed {truth.kind} {sorted(truth.units)[:12]}", file=sys.stderr)
    for finding in out.found:
        ranks = " | ".join(
            f"{r.cause.kind} {r.cause.about} {r.chance:.2f}" for r in finding.ranked[:3]
        )
        mark = "FALSE" if finding in out.false else "     "
        print(f"   {mark} {sorted(finding.units)[:10]} {ranks}"[:230], file=sys.stderr)
