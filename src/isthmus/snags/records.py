"""A snag: one thing that is wrong or missing, with the units it concerns and, where there is one,
its fix.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from isthmus.show.records import Show

FAULT, ATTENTION, NOTE = "fault", "attention", "note"
ORDER = {FAULT: 0, ATTENTION: 1, NOTE: 2}
# the order they are told in, within a severity: what the next step rests on comes first
RULES = (
    *(
        "profile-unreadable",
        "mode-unknown",
        "overlap",
        "past-end",
        "too-wide",
        "double-number",
        "no-address",
        "no-route",
        "doubled-port",
    ),
    *(
        "outside",
        "link-down",
        "adapter-gone",
        "leads-nowhere",
        "twice",
        "mask",
        "node-missing",
        "node-moved",
        "off-by-one",
        "port-input",
    ),
    *(
        "port-direction",
        "port-universe",
        "second-sender",
        "priority-lower",
        "no-listener",
        "over-cap",
        "node-fewer",
        "stray-output",
    ),
    *(
        "node-new",
        "no-place",
        "off-structure",
        "hangs-elsewhere",
        "below-ground",
        "paper-missing",
        "paper-type",
        "paper-mode",
        "paper-address",
        "limit-home",
        "merge-mixed",
        "no-slots",
    ),
    *(
        "paper-gel",
        "paper-hangs_on",
        "paper-purpose",
        "finding",
        "silent",
        "wrong",
        "verdict-stale",
        "empty-universe",
        "room-used",
        "one-spot",
        "gel-unknown",
    ),
    *(
        "palette-reach",
        "palette-nobody",
        "look-no-address",
        "look-gone",
        "limit-cuts",
        "cue-empty",
        "starters-new",
    ),
    *(
        "grid-no-route",
        "grid-cell-gone",
        "grid-doubled",
        "grid-cell-dull",
        "layers-no-grid",
        "layer-no-media",
        "layer-coarse",
        "grid-hidden-cells",
        "grid-holes",
    ),
    *("no-position", "profile-changed", "profile-here-only"),
)
RANK = {rule: rank for rank, rule in enumerate(RULES)}


@dataclass(frozen=True)
class Fix:
    """An edit that fixes a snag; `label` says what it does."""

    label: str
    edit: Callable[[Show], Show] = field(compare=False)


@dataclass(frozen=True)
class Snag:
    """`page` is where it is looked at and fixed by hand; `step` the crossing step it holds up, or
    "".
    """

    rule: str
    severity: str
    text: str
    page: str
    units: tuple[str, ...] = ()
    step: str = ""
    fix: Fix | None = field(default=None, compare=False)
    universe: int = 0
