"""A cause: how some units would really be, and how likely that is beforehand."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from isthmus.check.findings.model import State

ELSEWHERE, ALWAYS = (
    "elsewhere",
    "lit",
)  # faults of a State: listens at an unknown address; lights whatever is called
# how often each happens to one unit, port, node, hang; from what the trade meets, and they only
# settle near ties
PRIOR = {
    "dead": 0.012,
    "lamp": 0.012,
    "address": 0.03,
    "double": 0.012,
    "mode": 0.015,
    "swapped": 0.008,
    "pan inverted": 0.010,
    "tilt inverted": 0.008,
    "pan": 0.004,
    "tilt": 0.004,
    "line": 0.003,
    "exchanged": 0.006,
    "shifted": 0.010,
    "run": 0.010,
    "hang dark": 0.006,
    "port dark": 0.012,
    "node dark": 0.012,
    "port number": 0.015,
    "ports exchanged": 0.012,
    "sender": 0.003,
    "output off": 0.3,  # it is known to be off
}
KNOWN = 6.0  # what a node or a discovered device says itself, as a logarithm of odds


@dataclass(frozen=True)
class Cause:
    """`states` is how each unit it concerns would be; `about` what tells causes of a kind apart."""

    kind: str
    states: Mapping[str, State] = field(compare=False)
    about: tuple[object, ...]
    prior: float = field(compare=False)  # a logarithm

    @property
    def units(self) -> tuple[str, ...]:
        return tuple(self.states)
