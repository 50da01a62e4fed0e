"""Verdicts: what was seen of each unit, kept with the show; whether they still hold; rounds and how
they compare.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Collection, Iterable, Sequence

from msgspec.structs import replace

from isthmus.check.ways import WRONG_IN, in_words, kept_how, known_how
from isthmus.errors import EntryFault
from isthmus.patch.index import index_of
from isthmus.recent import Recent
from isthmus.routes import way_key
from isthmus.show.records import CallRound, Output, Show, Unit, Verdict

RESULTS = ("works", "wrong", "silent", "skipped")
MAX_NOTE, MAX_ROUNDS = 500, 50


def now() -> str:
    return time.strftime("%Y-%m-%dT%H:%M:%S")


_OUTPUTS: Recent[dict[int, list[Output]]] = Recent()


def _outputs_of(show: Show) -> dict[int, list[Output]]:
    """Universe → its outputs that are on, in order; the same as long as the show's outputs are."""
    return _OUTPUTS.get((show.outputs,), lambda _: _by_universe(show.outputs))


def _by_universe(outputs: Iterable[Output]) -> dict[int, list[Output]]:
    made: dict[int, list[Output]] = {}
    for output in sorted(outputs, key=lambda o: (o.universe, o.host, o.number)):
        if output.enabled and not output.role:
            made.setdefault(output.universe, []).append(output)
    return made


def rests_on(show: Show, unit: Unit) -> str:
    """What a verdict rests on: profile, mode, addresses and where their universes go."""
    ways = _outputs_of(show)
    outputs = [
        o for universe in sorted({p.universe for p in unit.patch}) for o in ways.get(universe, ())
    ]
    return "|".join(
        [
            unit.profile,
            unit.mode,
            *(f"{p.block}:{p.universe}.{p.address}" for p in unit.patch),
            *map(way_key, outputs),
        ]
    )


def holds(show: Show, verdict: Verdict) -> bool:
    """False when the unit has since been changed, so that the verdict is out of date."""
    unit = index_of(show).by_id.get(verdict.unit)
    return unit is not None and verdict.proven == rests_on(show, unit)


def mark(
    show: Show,
    unit_id: str,
    result: str,
    note: str = "",
    at: str | None = None,
    what: Collection[str] = (),
    others: Sequence[str] = (),
    acts: Sequence[str] = (),
    by: str = "",
    how: Collection[str] = (),
) -> Show:
    """Keep a verdict, in place of an earlier one, whose picture stays. `how` says more of ways that
    are marked. Raises EntryFault for an unknown unit, result or way of being wrong.
    """
    unit = show.unit(unit_id)
    if unit is None:
        raise EntryFault("That unit is no longer in the show.")
    if result not in RESULTS:
        raise EntryFault(f"“{result[:20]}” is not a verdict.", do=f"Use {', '.join(RESULTS)}.")
    unknown = [w for w in what if w not in WRONG_IN]
    if unknown:
        raise EntryFault(
            f"“{unknown[0][:20]}” is not a way of being wrong.", do=f"Use {', '.join(WRONG_IN)}."
        )
    strange = [h for h in how if not known_how(h)]
    if strange:
        raise EntryFault(f"“{strange[0][:20]}” does not say how something is wrong.")
    known = index_of(show).by_id
    verdict = Verdict(
        unit=unit_id,
        result=result,
        note=note.strip()[:MAX_NOTE],
        at=at or now(),
        proven=rests_on(show, unit),
        what=tuple(w for w in WRONG_IN if w in what),
        how=kept_how(what, how),
        others=tuple(dict.fromkeys(u for u in others if u in known and u != unit_id)),
        acts=tuple(acts),
        by=by.strip()[:60],
        picture=next((v.picture for v in show.verdicts if v.unit == unit_id), ""),
    )
    return replace(
        show,
        verdicts=(*(v for v in show.verdicts if v.unit != unit_id), verdict),
        answers=_still(show, unit_id),
    )


def unmark(show: Show, unit_id: str) -> Show:
    return replace(
        show,
        verdicts=tuple(v for v in show.verdicts if v.unit != unit_id),
        answers=_still(show, unit_id),
    )


def outdate(show: Show, units: Collection[str]) -> Show:
    """These units were set again at the rig: what was seen of them, or of others while they lit, no
    longer holds.
    """
    gone = set(units)
    old = {
        v.unit
        for v in show.verdicts
        if v.proven and (v.unit in gone or gone.intersection(v.others))
    }
    if not old:
        return show
    verdicts = tuple(replace(v, proven="") if v.unit in old else v for v in show.verdicts)
    return replace(
        show, verdicts=verdicts, answers=tuple(a for a in show.answers if a.unit not in old)
    )


def _still(show: Show, unit_id: str):
    """Looks at a unit that is marked again no longer count."""
    kept = tuple(a for a in show.answers if a.unit != unit_id)
    return show.answers if len(kept) == len(show.answers) else kept


def say(show: Show, verdict: Verdict) -> str:
    """A verdict in words: `wrong: colour, another unit lights (104)`."""
    ways = [in_words(w, verdict.how) for w in verdict.what if w in WRONG_IN]
    if verdict.others:
        by_id = index_of(show).by_id
        numbers = ", ".join(str(by_id[u].number) for u in verdict.others if u in by_id)
        ways = [
            w.replace("another unit", numbers) if w in (WRONG_IN["other"], WRONG_IN["too"]) else w
            for w in ways
        ] or [f"{numbers} lights too"]
    said = [verdict.result + (f": {', '.join(ways)}" if ways else "")]
    return "; ".join([*said, verdict.note] if verdict.note else said)


def new_round(show: Show, name: str = "") -> Show:
    """Save the verdicts as a round of their own and begin again. Raises EntryFault when there
    are none.
    """
    if not show.verdicts:
        raise EntryFault("There are no verdicts yet, so this is already a new round.")
    name = name.strip()[:60] or f"Round {len(show.rounds) + 1}"
    last = max(v.at for v in show.verdicts)
    return replace(
        show,
        rounds=(*show.rounds, CallRound(name=name, at=last, verdicts=show.verdicts))[-MAX_ROUNDS:],
        verdicts=(),
        answers=(),
    )


def tally(show: Show, units: Collection[str] | None = None) -> Counter[str]:
    """How many units are at each result; `left` have none that holds, `stale` are among those
    left.
    """
    held = {v.unit: v for v in show.verdicts}
    out: Counter[str] = Counter()
    for unit in show.units:
        if units is not None and unit.id not in units:
            continue
        verdict = held.get(unit.id)
        if verdict and verdict.result != "skipped" and holds(show, verdict):
            out[verdict.result] += 1
        else:
            out["left"] += 1
            out["stale"] += verdict is not None and not holds(show, verdict)
            out["skipped"] += verdict is not None and verdict.result == "skipped"
    return out


def tally_words(count: Counter[str]) -> str:
    """`3 work, 1 wrong, 2 silent`; `1 works`."""
    works = "1 works" if count["works"] == 1 else f"{count['works']} work"
    return f"{works}, {count['wrong']} wrong, {count['silent']} silent"


def by_place(show: Show, kind: str = "position") -> list[tuple[str, Counter[str]]]:
    """The tally of each position, or of each universe."""
    parts: dict[str, set[str]] = {}
    for unit in show.units:
        names = (
            [unit.hangs_on or "nowhere yet"]
            if kind == "position"
            else [f"universe {p.universe}" for p in unit.patch] or ["no address"]
        )
        for name in names:
            parts.setdefault(name, set()).add(unit.id)
    return [(name, tally(show, ids)) for name, ids in sorted(parts.items())]


def changes(show: Show) -> list[tuple[Unit, list[str]]]:
    """Units whose verdicts differ between rounds: what each round said of them, the present one
    last; "" where nothing.
    """
    rounds = [{v.unit: v.result for v in r.verdicts} for r in show.rounds] + [
        {v.unit: v.result for v in show.verdicts}
    ]
    rows = [
        (unit, [r.get(unit.id, "") for r in rounds])
        for unit in sorted(show.units, key=lambda u: u.number)
    ]
    return [(unit, said) for unit, said in rows if len(set(said) - {""}) > 1]
