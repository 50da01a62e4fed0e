"""The next best look: of everything one could look at, what tells the likeliest causes apart
soonest.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import log2

from isthmus.check.findings.chances import (
    AXIS,
    EVERYTHING,
    LINE,
    MOVES,
    UNIVERSE,
    ZERO,
    chance_of_yes,
)
from isthmus.check.findings.model import Model
from isthmus.check.findings.reason import Finding

WORTH = 0.08  # bits


@dataclass(frozen=True)
class Look:
    """One thing to look at: `name` is what an answer is kept under, `question` is answered yes or
    no about `unit`.
    """

    name: str
    unit: str
    question: str
    bits: float


QUESTIONS = {
    UNIVERSE: "With every address of its universe at full: does {n} light?",
    EVERYTHING: "With every address of every universe at full: does {n} light?",
    ZERO: "With every address of every universe at 0: does {n} still light?",
    MOVES: "While {n} is called and swings: does it move at all, lit or not?",
    AXIS: "While {n} swings and nods: does the axis that is wrong move at all?",
}


def entropy(p: float) -> float:
    return 0.0 if p <= 0 or p >= 1 else -p * log2(p) - (1 - p) * log2(1 - p)


def next_look(
    model: Model, finding: Finding, answered: Sequence[tuple[str, str]] = ()
) -> Look | None:
    """The look with the most to tell about a finding, in bits; None when none tells its causes
    apart.
    """
    best: Look | None = None
    for unit in _asked_of(finding):
        number = model.units[unit].number
        for name, question in _questions(model, finding, unit).items():
            if (name, unit) in answered:
                continue
            yes, inside, whole = 0.0, 0.0, 0.0
            for ranked in finding.ranked:
                chance = chance_of_yes(
                    model, name, unit, ranked.cause.states.get(unit, model.expected(unit))
                )
                if chance is None:
                    continue
                yes += ranked.chance * chance
                inside += ranked.chance * entropy(chance)
                whole += ranked.chance
            if whole < 0.5:
                continue
            bits = entropy(yes / whole) - inside / whole
            if bits > (best.bits + 1e-9 if best else WORTH):
                best = Look(name, unit, question.format(n=number), bits)
    return best


def _questions(model: Model, finding: Finding, unit: str) -> dict[str, str]:
    """What may be asked about a unit; of other lines, those it might hang on."""
    own = {universe for _, universe, _ in model.expected(unit).places}
    others = {
        universe
        for ranked in finding.ranked
        if unit in ranked.cause.states
        for _, universe, _ in ranked.cause.states[unit].places
    }
    some = sorted(others - own - {0})[:4]
    lines = {
        f"{LINE}{u}": f"With every address of universe {u} at full: does {{n}} light?" for u in some
    }
    return QUESTIONS | lines


def _asked_of(finding: Finding) -> list[str]:
    """A few units that stand for the finding: those its rivals disagree about, too."""
    seen = dict.fromkeys(
        u for ranked in finding.ranked[:3] for u in (ranked.cause.units[0], ranked.cause.units[-1])
    )
    return list(seen)[:4]
