"""A cause: how some units would really be, how likely that is beforehand, how it is said, and what
fixes it. Each kind is a class; those of units are in `unit_causes`, those of lines in
`line_causes`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from math import log
from typing import TYPE_CHECKING, ClassVar

from isthmus.check.findings.model import Model, State

if TYPE_CHECKING:
    from isthmus.check.findings.fixes import Fix
    from isthmus.check.matched import Match

# faults of a State: listens at an unknown address; lights whatever is called; somebody else has a
# hand in what it does
ELSEWHERE, ALWAYS, MIXED = "elsewhere", "lit", "mixed"
KNOWN = 6.0  # what a node or a discovered device says itself, as a logarithm of odds


@dataclass(frozen=True)
class Cause:
    """`states` is how each unit it concerns would be; `about` what tells causes of a kind apart;
    `prior` the logarithm of its chance beforehand.

    `RARITY` is how often it happens to one unit, port, node or hang: from what the trade meets,
    and it only settles near ties.
    """

    KIND: ClassVar[str] = ""
    RARITY: ClassVar[float] = 1.0
    DEVICES_TELL: ClassVar[bool] = False  # discovery would settle it
    HUNT_TELLS: ClassVar[bool] = False  # a hunt for the address would settle it

    states: Mapping[str, State] = field(compare=False)
    about: tuple[object, ...]
    prior: float = field(compare=False)

    @classmethod
    def odds(cls, share: float = 1.0) -> float:
        """The prior of one that makes up a share of its kind."""
        return log(cls.RARITY * share)

    @property
    def kind(self) -> str:
        return self.KIND

    @property
    def units(self) -> tuple[str, ...]:
        return tuple(self.states)

    @property
    def unit(self) -> str:
        """The unit it is about, where it is about one."""
        return str(self.about[0])

    @property
    def elsewhere(self) -> bool:
        """Whether it says that units listen at addresses that are not known yet."""
        return any(state.fault == ELSEWHERE for state in self.states.values())

    def say(self, model: Model) -> str:
        """The cause in one sentence."""
        raise NotImplementedError

    def advice(self, model: Model) -> str:
        """What to do by hand, in words."""
        return "Say so in the patch, or fix it at the unit."

    def fixes(self, model: Model, matches: Sequence[Match] = ()) -> list[Fix]:
        """What could be done about it from here, the edit of the show first."""
        return []
