"""Findings as they are told: sentence, rivals, evidence, next look, fixes; and those the patch
tells before any call.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from msgspec.structs import replace

from isthmus.check.findings.evidence import Evidence, Told, gather
from isthmus.check.findings.fixes import Fix
from isthmus.check.findings.line_causes import Sender
from isthmus.check.findings.looks import Look, next_look
from isthmus.check.findings.model import Model, Models
from isthmus.check.findings.reason import Finding, reason
from isthmus.check.findings.unit_causes import Unknown
from isthmus.check.findings.words import evidence_for, headline
from isthmus.check.matched import Match, told_of
from isthmus.check.verdicts import now
from isthmus.errors import EntryFault
from isthmus.plural import many
from isthmus.routes.edits import change_output
from isthmus.show.records import Answer, Show

if TYPE_CHECKING:
    from isthmus.net import View

LIKELY, RIVALS = 0.02, 4


@dataclass(frozen=True)
class Rival:
    kind: str
    words: str
    chance: float


@dataclass(frozen=True)
class FindingTold:
    """One finding for people. `hunt` is the unit whose address only a hunt would tell, or ""."""

    units: tuple[str, ...]
    title: str
    words: str
    chance: float
    kind: str
    evidence: tuple[str, ...]
    rivals: tuple[Rival, ...]
    look: Look | None
    hunt: str
    fixes: tuple[Fix, ...]
    do: str
    open: bool = False  # it cannot be told yet; the words say what is likeliest
    devices_tell: bool = False  # discovery would settle it


def findings_of(
    show: Show,
    network: View | None = None,
    matches: Sequence[Match] = (),
    hunted: Mapping[str, Told] | None = None,
    models: Models | None = None,
) -> tuple[list[FindingTold], Evidence]:
    """Everything that can be concluded now. `hunted` is what hunts have found, by unit; `models`
    keeps what was worked out for the next time.
    """
    told: dict[str, Told] = told_of(show, matches) | dict(hunted or {})
    evidence = gather(show, network, told)
    out = _off(show)
    if not evidence.verdicts and not told:
        return out, evidence
    model = (models or Models()).of(show)
    for finding in reason(model, evidence):
        out.append(tell(model, evidence, finding, matches))
    return out, evidence


def tell(
    model: Model, evidence: Evidence, finding: Finding, matches: Sequence[Match]
) -> FindingTold:
    cause = finding.cause
    rivals = tuple(
        Rival(r.cause.kind, r.cause.say(model), r.chance)
        for r in finding.ranked[1:]
        if r.chance > LIKELY or (isinstance(r.cause, Sender) and evidence.senders)
    )[:RIVALS]
    look = (
        next_look(model, finding, list(evidence.answers))
        if finding.ranked[0].chance < 0.95
        else None
    )
    open_still = look is None and rivals and cause.HUNT_TELLS
    hunt = finding.units[0] if cause.elsewhere or open_still else ""
    words = cause.say(model)
    if finding.open and cause.kind != Unknown.KIND:
        words = f"Cannot be told yet; likeliest: {words[0].lower()}{words[1:]}"
    return FindingTold(
        finding.units,
        headline(model, finding.units),
        words,
        finding.ranked[0].chance,
        cause.kind,
        tuple(evidence_for(model, evidence, cause)),
        rivals,
        look,
        hunt,
        tuple(cause.fixes(model, matches)),
        _tells_more(look, hunt, cause.DEVICES_TELL) if finding.open else cause.advice(model),
        finding.open,
        cause.DEVICES_TELL,
    )


def _tells_more(look: Look | None, hunt: str, devices: bool) -> str:
    """What to do while it cannot be told."""
    if look is not None:
        return "Answer the question below: it tells most."
    if hunt:
        return "Hunt its address."
    if devices:
        return "Ask the devices, or look at it from near."
    return "Call it again, and say more exactly what is wrong."


def _off(show: Show) -> list[FindingTold]:
    """Outputs that are off while units wait behind them: certain, whoever was called."""
    on = {o.universe for o in show.outputs if o.enabled and not o.role}
    out = []
    for output in show.outputs:
        if output.enabled or output.role or output.universe in on:
            continue
        units = tuple(
            u.id for u in show.units if any(p.universe == output.universe for p in u.patch)
        )
        if units:
            words = (
                f"The output of universe {output.universe} is off, so "
                f"{many(len(units), 'unit')} cannot "
                "answer."
            )
            fix = Fix(
                f"Switch the output of universe {output.universe} on",
                lambda s, o=output.id: change_output(s, o, enabled=True),
            )
            out.append(
                FindingTold(
                    units,
                    f"Universe {output.universe}",
                    words,
                    1.0,
                    "output off",
                    (),
                    (),
                    None,
                    "",
                    (fix,),
                    "Switch it on.",
                )
            )
    return out


def answer(show: Show, look: str, unit: str, said: str) -> Show:
    """Keep what a person saw when they looked. Raises EntryFault for anything but yes and no."""
    if said not in ("yes", "no"):
        raise EntryFault(f"“{said[:20]}” is not an answer.", do="Say yes or no.")
    rest = tuple(a for a in show.answers if (a.look, a.unit) != (look, unit))
    return replace(show, answers=(*rest, Answer(look=look, unit=unit, answer=said, at=now())))
