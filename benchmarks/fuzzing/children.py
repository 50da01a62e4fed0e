"""Cases read in a process apart: `python -m benchmarks.fuzzing.children NAME FIRST END`.

It says each batch before it begins and what it cost after, so that the one that killed or held it
is known.
"""

from __future__ import annotations

import json
import os
import random
import resource
import select
import subprocess
import sys
import time
import traceback
from dataclasses import dataclass, field

from isthmus.errors import IsthmusError

HANGS = 2.0  # seconds
WAITED = 30.0  # for one that hangs
ENDED = 10**12  # a case that never comes
MEMORY = 1 << 31  # bytes of its own after which it fails


@dataclass
class Tally:
    cases: int = 0
    refused: int = 0
    worst: float = 0.0  # seconds of one case
    memory: float = 0.0  # MB one batch took beside what was held
    crashes: list[str] = field(default_factory=list)
    hangs: list[str] = field(default_factory=list)


def tried(name: str, first: int, cases: int) -> Tally:
    """Read so many cases, in as many processes as it takes."""
    tally, end = Tally(), first + cases
    while first < end:
        command = [sys.executable, "-m", "benchmarks.fuzzing.children", name, str(first), str(end)]
        first = _followed(command, name, tally, first)
    return tally


def _followed(command: list[str], name: str, tally: Tally, first: int) -> int:
    """Count what one process says until it ends; the case to go on with."""
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL) as process:
        assert process.stdout is not None
        begun, left = -1, b""
        while True:
            ready, _, _ = select.select([process.stdout], [], [], WAITED)
            got = os.read(process.stdout.fileno(), 1 << 16) if ready else b""
            if not ready:
                process.kill()
                tally.hangs.append(f"{name} {begun}")
                return begun + 1 if begun >= 0 else ENDED
            if not got:
                break
            *lines, left = (left + got).split(b"\n")
            for line in lines:
                said = json.loads(line)
                begun = said["next"]
                tally.cases += said.get("cases", 0)
                tally.refused += said.get("refused", 0)
                tally.worst = max(tally.worst, said.get("worst", 0.0))
                tally.memory = max(tally.memory, said.get("memory", 0.0))
                tally.crashes += said.get("crashes", [])
                if said.get("worst", 0.0) > HANGS:
                    tally.hangs.append(f"{name} {said['at']}")
    if process.returncode:
        tally.crashes.append(f"{name} {begun}: the process ended with {process.returncode}")
        return begun + 1 if begun >= 0 else ENDED
    return ENDED


def _peak() -> float:
    """The most memory held since it was last set back, in MB."""
    with open("/proc/self/status", encoding="ascii") as status:
        return next(int(line.split()[1]) for line in status if line.startswith("VmHWM")) / 1024


def _set_back() -> float:
    with open("/proc/self/clear_refs", "w", encoding="ascii") as refs:
        refs.write("5")
    return _peak()


def main() -> int:
    from benchmarks.fuzzing.readers import READERS

    name, first, end = sys.argv[1], int(sys.argv[2]), int(sys.argv[3])
    resource.setrlimit(resource.RLIMIT_DATA, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    reader = READERS[name]
    one = reader.make()
    for begin in range(first, end, reader.batch):
        print(json.dumps({"next": begin}), flush=True)
        held = _set_back()
        told = {"cases": 0, "refused": 0, "worst": 0.0, "at": begin}
        crashes: list[str] = []
        for case in range(begin, min(end, begin + reader.batch)):
            rng = random.Random(f"{name} {case}")
            started = time.perf_counter()
            try:
                one(rng)
            except IsthmusError:
                told["refused"] += 1
            except BaseException:
                crashes.append(f"{name} {case}: {traceback.format_exc(limit=-3)[-700:]}")
            seconds = time.perf_counter() - started
            told["cases"] += 1
            if seconds > told["worst"]:
                told |= {"worst": seconds, "at": case}
        more = {"next": begin + reader.batch, "memory": _peak() - held, "crashes": crashes[:3]}
        print(json.dumps(told | more), flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
