"""What phones are told: the stop, what should be seen, the plan, the stops around it. And what
their marks make of a show.
"""

from __future__ import annotations

import hashlib
import re
import time
from typing import Any

from msgspec.structs import replace

from isthmus.check.calls import Call, numbers_of
from isthmus.check.rollcall import RollCall, sentence
from isthmus.check.slots import mark_slot
from isthmus.check.verdicts import holds, mark, say, tally
from isthmus.check.ways import HOW, WRONG_IN, known_how, read_phrases
from isthmus.errors import EntryFault
from isthmus.patch.cells import addresses
from isthmus.phone.server import Op
from isthmus.show.records import Show, StoredFile, Verdict

AROUND = 4
OFF = "Output is off at the computer: nothing leaves it, so no unit can answer."
STALE_STEP = 8.0  # seconds: a step that comes later is no longer meant
MAX_PICTURES = 200


def state_of(show: Show, call: RollCall | None, sending: bool = True) -> dict[str, Any]:
    """What a phone shows: always the plan with its verdicts, and the stop that is called."""
    held = {v.unit: v.result for v in show.verdicts if holds(show, v)}
    state: dict[str, Any] = {
        "show": show.name,
        "on": call is not None,
        "sending": sending,
        "plan": [
            [u.id, round(u.position[0], 2), round(u.position[1], 2), held.get(u.id, "")]
            for u in show.units
            if u.position
        ],
        "ways": WRONG_IN,
        "how": HOW,
    }
    return state if call is None else state | _stop_of(show, call, sending, held)


def _stop_of(show: Show, call: RollCall, sending: bool, held: dict[str, str]) -> dict[str, Any]:
    stop = call.stop
    unit = show.unit(call.unit) if call.unit else None
    verdict = next((v for v in show.verdicts if unit and v.unit == unit.id), None)
    first = max(0, min(call.at - 1, len(call.calls) - 2 * AROUND))
    near = enumerate(call.calls[first : first + 2 * AROUND], first)
    of_unit = {
        "number": str(unit.number) if unit else "",
        "title": (unit.name or str(unit.number)) if unit else stop.title,
        "where": f"{unit.hangs_on or 'nowhere yet'}, {addresses(unit)}"
        if unit
        else numbers_of(show, stop.units),
    }
    return of_unit | {
        "stop": f"{call.at}:{stop.title}:{stop.cell}",
        "units": list(stop.units),
        "slot": stop.slot,
        "see": sentence(call, show) if sending else OFF,
        "verdict": say(show, verdict) if verdict else "",
        "left": tally(show, call.order)["left"],
        "next": [[*_line_of(show, other, held), at == call.at] for at, other in near],
    }


def _line_of(show: Show, other: Call, held: dict[str, str]) -> list[str]:
    """A stop among those around the one called: unit, number, title, verdict."""
    first = other.units[0]
    one = show.unit(first) if len(other.units) == 1 else None
    named = [str(one.number), one.name] if one else ["", other.title]
    return [first, *named, held.get(first, "")]


def take_mark(show: Show, op: Op, acts: tuple[str, ...] = ()) -> Show:
    """A mark from a phone, of the units it showed. An older one never hides a newer: it is added to
    the note.

    Raises EntryFault for unknown units or words.
    """
    units, slot = op.data.get("units"), op.data.get("slot")
    result, note = str(op.data.get("result", "")), str(op.data.get("note", ""))
    what, how = _strings(op.data.get("what")), _strings(op.data.get("how"))
    if result == "wrong":
        ways, more = read_phrases(note)
        what, how = [*what, *ways], [h for h in how if known_how(h)] + more
    if isinstance(slot, list) and len(slot) == 2 and all(isinstance(x, int) for x in slot):
        return mark_slot(show, (slot[0], slot[1]), result, note, what, op.phone)
    if not isinstance(units, list) or not 1 <= len(units) <= 512:
        raise EntryFault("That mark is for no unit.")
    others, strange = _lit_instead(show, str(op.data.get("others", ""))[:200])
    if strange:
        note = "; ".join(x for x in (note, f"lit: {strange}, which no unit has") if x)
    if (others or strange) and result == "wrong" and not {"other", "too", "moves"} & set(what):
        what.append("other")
    at = time.strftime("%Y-%m-%dT%H:%M:%S", time.localtime(time.time() - op.ago))
    seen = Verdict(
        unit="",
        at=at,
        result=result,
        what=tuple(what),
        how=tuple(how),
        others=tuple(others),
        note=note,
    )
    for unit in units:
        show = _marked(show, replace(seen, unit=str(unit)), op, acts)
    return show


def _strings(data: object) -> list[str]:
    return [x for x in data if isinstance(x, str)] if isinstance(data, list) else []


def _marked(show: Show, seen: Verdict, op: Op, acts: tuple[str, ...]) -> Show:
    have = next((v for v in show.verdicts if v.unit == seen.unit), None)
    if have is None or not _stands(show, have, seen.at, op.ago):
        return mark(
            *(show, seen.unit, seen.result, seen.note, seen.at),
            *(seen.what, seen.others, acts, op.phone, seen.how),
        )
    if have.result != seen.result or seen.note:
        return _noted(show, have, f"{op.phone} {seen.at[11:16]}: {say(show, seen)}")
    return show


def _stands(show: Show, have: Verdict, at: str, ago: float) -> bool:
    """Whether a verdict is newer than a mark made at a time, which came `ago` seconds late. Times
    are whole seconds. One that comes as it is made is newer than all there is, whatever the clock
    says: it may have been set back.
    """
    newer = ago > 0.3 and have.at >= at
    return have.result != "skipped" and newer and holds(show, have)


def _noted(show: Show, verdict: Verdict, words: str) -> Show:
    note = "; ".join(x for x in (verdict.note, words) if x)[:500]
    newer = replace(verdict, note=note)
    return replace(show, verdicts=tuple(newer if v is verdict else v for v in show.verdicts))


def _lit_instead(show: Show, text: str) -> tuple[list[str], str]:
    """Units by the numbers typed, and the numbers no unit has."""
    by_number = {str(u.number): u.id for u in show.units}
    typed = list(dict.fromkeys(re.findall(r"\d+", text)))
    return [by_number[n] for n in typed if n in by_number], ", ".join(
        n for n in typed if n not in by_number
    )


def is_stop(stop: Call, op: Op) -> bool:
    """Whether a mark is about the stop that is called now."""
    return list(stop.units) == op.data.get("units") and (
        list(stop.slot) if stop.slot else None
    ) == op.data.get("slot")


def unit_called(show: Show, op: Op) -> str:
    """The unit a phone wants to be called, by its id or its number. Raises EntryFault when no unit
    has that number.
    """
    if "unit" in op.data:
        return str(op.data["unit"])
    number = str(op.data.get("number", "")).strip()[:12]
    found = next((u.id for u in show.units if str(u.number) == number), None)
    if found is None:
        raise EntryFault(f"No unit has the number “{number}”.")
    return found


def take_picture(show: Show, op: Op) -> Show:
    """A picture to the verdict of a unit, kept with the show; a unit without one counts as skipped
    until it is marked.

    Raises EntryFault for an unknown unit, or when the show keeps as many pictures as it may.
    """
    unit = str(op.data.get("unit", ""))
    if sum(bool(v.picture) for v in show.verdicts) >= MAX_PICTURES:
        raise EntryFault(f"The show keeps {MAX_PICTURES} pictures at most.")
    if all(v.unit != unit for v in show.verdicts):
        show = mark(show, unit, "skipped", by=op.phone)
    key = f"seen-{hashlib.sha256(op.picture).hexdigest()[:16]}.jpg"
    files = (
        show.files
        if any(f.name == key for f in show.files)
        else (*show.files, StoredFile(name=key, data=op.picture))
    )
    return replace(
        show,
        files=files,
        verdicts=tuple(replace(v, picture=key) if v.unit == unit else v for v in show.verdicts),
    )
