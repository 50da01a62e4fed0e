"""What phones are told: the stop, what should be seen, the plan, the stops around it. And what their marks make of a show."""

from __future__ import annotations

import hashlib
import time
from typing import Any

from msgspec.structs import replace

from isthmus.check.calls import numbers_of
from isthmus.check.rollcall import RollCall, sentence
from isthmus.check.verdicts import WAYS, holds, mark, say, tally
from isthmus.errors import EntryFault
from isthmus.patch.cells import addresses
from isthmus.phone.server import Op
from isthmus.show.records import Show, StoredFile

AROUND = 4
STALE_STEP = 8.0  # seconds: a step that comes later is no longer meant
MAX_PICTURES = 200


def state_of(show: Show, call: RollCall | None) -> dict[str, Any]:
    held = {v.unit: v.result for v in show.verdicts if holds(show, v)}
    plan = [[u.id, round(u.position[0], 2), round(u.position[1], 2), held.get(u.id, "")] for u in show.units if u.position]
    state: dict[str, Any] = {"show": show.name, "on": call is not None, "plan": plan, "ways": WAYS}
    if call is None:
        return state
    stop = call.call
    unit = show.unit(call.unit) if call.unit else None
    verdict = next((v for v in show.verdicts if unit and v.unit == unit.id), None)
    first = max(0, min(call.at - 1, len(call.calls) - 2 * AROUND))
    rows = []
    for at, other in enumerate(call.calls[first : first + 2 * AROUND], first):
        one = show.unit(other.units[0]) if len(other.units) == 1 else None
        rows.append(
            [other.units[0], str(one.number) if one else "", one.name if one else other.title, held.get(other.units[0], ""), at == call.at]
        )
    return state | {
        "stop": f"{call.at}:{stop.title}:{stop.cell}",
        "units": list(stop.units) if not stop.slot else [],
        "number": str(unit.number) if unit else "",
        "title": (unit.name or str(unit.number)) if unit else stop.title,
        "where": f"{unit.hangs_on or 'nowhere yet'}, {addresses(unit)}" if unit else numbers_of(show, stop.units),
        "see": sentence(call, show),
        "verdict": say(show, verdict) if verdict else "",
        "left": tally(show, call.order)["left"],
        "next": rows,
    }


def take_mark(show: Show, op: Op, acts: tuple[str, ...] = ()) -> Show:
    """A mark from a phone, of the units it showed. An older one never hides a newer: it is added to the note.

    Raises EntryFault for units or words nobody knows.
    """
    units, result, note = op.data.get("units"), str(op.data.get("result", "")), str(op.data.get("note", ""))
    what = [str(w) for w in op.data.get("what", ()) if isinstance(w, str)] if isinstance(op.data.get("what", []), list) else []
    if not isinstance(units, list) or not 1 <= len(units) <= 512:
        raise EntryFault("That mark is for no unit.")
    at = time.strftime("%Y-%m-%dT%H:%M:%S", time.localtime(time.time() - op.ago))
    for unit in units:
        have = next((v for v in show.verdicts if v.unit == unit), None)
        newer_there = have is not None and (have.at > at or (have.at == at and op.ago > 0.3))  # times are whole seconds
        if have is not None and newer_there and holds(show, have):
            if have.result != result or note:
                added = f"{op.phone} {at[11:16]}: {result}{f', {note}' if note else ''}"
                newer = replace(have, note="; ".join(x for x in (have.note, added) if x)[:500])
                show = replace(show, verdicts=tuple(newer if v is have else v for v in show.verdicts))
        else:
            picture = have.picture if have else ""
            show = mark(show, str(unit), result, note, at, what, (), acts, op.phone, picture)
    return show


def take_picture(show: Show, op: Op) -> Show:
    """A picture to the verdict of a unit, kept with the show. Raises EntryFault without a verdict to put it to."""
    have = next((v for v in show.verdicts if v.unit == op.data.get("unit")), None)
    if have is None:
        raise EntryFault("Mark the unit first, then add a picture to it.")
    if sum(bool(v.picture) for v in show.verdicts) >= MAX_PICTURES:
        raise EntryFault(f"The show keeps {MAX_PICTURES} pictures at most.")
    key = f"seen-{hashlib.sha256(op.picture).hexdigest()[:16]}.jpg"
    files = show.files if any(f.name == key for f in show.files) else (*show.files, StoredFile(name=key, data=op.picture))
    return replace(show, files=files, verdicts=tuple(replace(v, picture=key) if v is have else v for v in show.verdicts))
