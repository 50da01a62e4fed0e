"""A test of limits: units move slowly through everything they can do, and past what their limits
leave of it.

What is asked goes from one end to the other and back; what is sent stops where the limit is. Both
are said, so that a person who looks at the unit sees whether the limit is the right one.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from isthmus.check.prove import Proof
from isthmus.errors import EntryFault
from isthmus.output import Live
from isthmus.output.bounds import limited
from isthmus.output.compile import Key
from isthmus.output.live import Asked, highlight
from isthmus.output.turns import Step
from isthmus.profiles import light_program, profiles_of
from isthmus.profiles.attributes import plain
from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.natural import write_level
from isthmus.show.records import Limit, Show

SWEEP = 12.0  # seconds from one end to the other and back


@dataclass(frozen=True)
class Through:
    """One limited channel of one unit."""

    unit: str
    number: int
    limit: Limit
    item: ChartChannel

    @property
    def key(self) -> Key:
        return self.unit, self.item.cell, self.item.attribute


@dataclass(frozen=True)
class Beside:
    """What is asked of a limited channel now, and what is sent."""

    number: int
    attribute: str
    asked: str
    sent: str
    held: bool


class ProveLimits(Proof):
    """One limit after the other; all units that have it together, lit as far as their limits leave
    it.
    """

    def __init__(self, show: Show, live: Live, now: float, units: Sequence[str]) -> None:
        """Raises EntryFault when none of the units has a limit and an address."""
        super().__init__(show, live, now)
        profiles = profiles_of(show)
        self._lit: Asked = {}
        by_attribute: dict[str, list[Through]] = {}
        for unit in (u for u in show.units if u.id in set(units) and u.limits and u.patch):
            mode = profiles.mode_of(unit)
            if mode is None:
                continue
            program = light_program(*mode)
            self._lit |= highlight(program, unit.id, 1.0)
            for limit in unit.limits:
                for item, _, _ in limited(limit, program.chart.channels):
                    by_attribute.setdefault(limit.attribute, []).append(
                        Through(unit.id, unit.number, limit, item)
                    )
        if not by_attribute:
            raise EntryFault(
                "None of these units has a limit and an address.",
                do="Select units that are limited.",
            )
        self._each = list(by_attribute.values())
        self.words = "Limits are tested."

    def _steps(self) -> Sequence[Step]:
        """Each limit in turn, from one end to the other and back."""
        return [
            Step(
                SWEEP / 2,
                self._lit | {t.key: low for t in through},
                to={t.key: 1 - low for t in through},
            )
            for through in self._each
            for low in (0.0, 1.0)
        ]

    def _tell(self, at: int) -> None:
        self._now = through = self._each[at // 2]
        held = [b for b in self.beside() if b.held]
        self.words = f"Testing limits of {plain(through[0].limit.attribute)}: " + (
            f"{len(held)} of {len(through)} held back." if held else f"{len(through)} inside."
        )

    _now: Sequence[Through] = ()

    def beside(self) -> list[Beside]:
        """What is asked and what is sent, for each channel that is tested now."""
        found = []
        for t in self._now:
            asked = self.live.level(t.unit, t.item.attribute, t.item.cell) or 0.0
            sent = self.live.sent_level(t.unit, t.item.attribute, t.item.cell)
            held = sent is not None and abs(sent - asked) > 1 / t.item.top
            cell = f", cell {t.item.cell}" if t.item.cell else ""
            words = write_level(t.item, sent) if sent is not None else "no address"
            found.append(
                Beside(
                    t.number,
                    f"{plain(t.item.attribute)}{cell}",
                    write_level(t.item, asked),
                    words,
                    held,
                )
            )
        return found
