"""`python -m benchmarks [NAME …]`: one line a measure: what, the figure, its baseline, the ratio
and the aim.
"""

from __future__ import annotations

import sys

from benchmarks import (
    compare,
    dmx_port,
    engine,
    film,
    findings,
    frame,
    fuzz,
    gestures,
    hunted,
    judged,
    kill,
    leaks,
    library,
    loss,
    network,
    paper,
    papers,
    patch,
    pixels,
    plan,
    player,
    seen,
    soak,
    stage,
    start,
    versions,
    visitor,
    wiring,
)

MODULES = (
    start,
    frame,
    engine,
    compare,
    versions,
    dmx_port,
    network,
    stage,
    plan,
    player,
    gestures,
    library,
    patch,
    pixels,
    film,
    findings,
    hunted,
    judged,
    wiring,
    paper,
    papers,
    fuzz,
    seen,
    loss,
    leaks,
    soak,
    visitor,
    kill,
)
ALL = {module.__name__.split(".")[-1]: module.run for module in MODULES}
LONG = {
    "film",
    "fuzz",
    "soak",
    "findings",
    "hunted",
    "judged",
    "paper",
    "seen",
    "kill",
    "wiring",
}  # asked for by name only


def main() -> int:
    names = [name for name in sys.argv[1:] if name != "--quick"] or [
        name for name in ALL if name not in LONG
    ]
    unknown = [name for name in names if name not in ALL]
    if unknown:
        print(f"no benchmark {unknown[0]}; there are {', '.join(ALL)}", file=sys.stderr)
        return 2
    print(f"{'measure':66} {'figure':>12} {'baseline':>12} {'ratio':>7}  aim")
    for name in names:
        for what, figure, baseline, unit, aim in ALL[name]():
            ratio = f"{figure / baseline:7.2f}" if baseline else "      –"
            print(
                f"{what:66} {figure:9.2f} {unit:2} {baseline:9.2f} {unit:2} {ratio}  {aim}",
                flush=True,
            )
    return 0


if __name__ == "__main__":
    sys.exit(main())
