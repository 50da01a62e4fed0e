"""A show of which some records cannot be: those are left out and told by their place, the rest is
taken. Also the bounds of a show.json as a whole, looked at before anything is made of it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import Any, get_type_hints

import msgspec

from isthmus.errors import FileFault
from isthmus.plural import begun
from isthmus.show.records import UNITS, Record, Show
from isthmus.show.shapes import SHAPES

MAX_JSON = 64 * 1024 * 1024
MAX_RECORDS = 600_000  # opening brackets: each may become an object of some hundred bytes
MAX_VALUES = 4_000_000
MAX_DEPTH = 60
MOST_TOLD = 40
_ONE = {
    "views": "saved view",
    "rounds": "round of roll call",
    "media": "picture brought in",
    "cue_lists": "cue list",
    "layer_sets": "layer set",
    "earlier_papers": "earlier hang list",
    "beside": "part of an MVR file",
    "patch": "address",
}
_HINTS = get_type_hints(Show, include_extras=True)
_PATH = re.compile(r"^(.*?)(?: - at `\$([^`]*)`)?$", re.DOTALL)
_STEP = re.compile(r"\.([A-Za-z_]\w*)|\[(\d+|\.\.\.)\]")


def within_bounds(text: bytes, where: str) -> None:
    """Raises FileFault for a show.json that would take far more room than its own length."""
    brackets, values = text.count(b"{") + text.count(b"["), text.count(b",")
    if brackets > MAX_RECORDS or values > MAX_VALUES:
        what = f"{brackets:,} records" if brackets > MAX_RECORDS else f"{values:,} figures"
        raise FileFault(
            f"it holds {what.replace(',', ' ')}, more than any rig has.",
            where=where,
            do="Such a file is not opened.",
        )


def not_too_deep(raw: Any, where: str) -> None:
    """Raises FileFault where lists and members lie deeper in each other than a show's ever do."""
    level: list[Any] = [raw]
    for _ in range(MAX_DEPTH):
        level = [
            inner
            for outer in level
            for inner in (outer.values() if isinstance(outer, dict) else outer)
            if isinstance(inner, (dict, list))
        ]
        if not level:
            return
    raise FileFault(
        "its show.json has members inside members without end.",
        where=where,
        do="Such a file is not opened.",
    )


def taken(members: dict[str, Any], told: list[str]) -> Show:
    """The show these members of the present format make, without the records that cannot be, of
    which `told` gets a sentence each.
    """
    left: list[str] = []
    kept: dict[str, Any] = {}
    for name, value in members.items():
        record = SHAPES[Show].get(name)
        if record is not None and isinstance(value, list):
            kept[name] = _those(value, record, name, left, "")
            continue
        try:
            msgspec.convert(value, _HINTS.get(name, Any))
            kept[name] = value
        except msgspec.ValidationError as error:
            left.append(f"{name.replace('_', ' ')} of the show: {_wrong(error, value)}")
    if len(kept.get("units", ())) > UNITS:
        left.append(f"{len(kept['units']) - UNITS} units beyond the {UNITS}th")
        kept["units"] = kept["units"][:UNITS]
    told += [f"{begun(words)} is left out." for words in left[:MOST_TOLD]]
    if len(left) > MOST_TOLD:
        told.append(f"{len(left) - MOST_TOLD} more records are left out.")
    return msgspec.convert(kept, Show)


def _those(
    rows: list[Any], record: type[Record], member: str, left: list[str], where: str
) -> list[Any]:
    """The rows that make such a record, each without those inside it that make none."""
    one = _ONE.get(member) or member.rstrip("s").replace("_", " ")
    ids: dict[str | None, int] = {}
    found = []
    for at, row in enumerate(rows, 1):
        place = f"{where}{one} {at} of {len(rows)}"
        if isinstance(row, dict):
            inside = {
                name: _those(inner, kind, name, left, f"{place}, ")
                for name, kind in SHAPES[record].items()
                if kind is not None and isinstance(inner := row.get(name), list)
            }
            row = {**row, **inside}
        try:
            msgspec.convert(row, record)
        except msgspec.ValidationError as error:
            left.append(f"{place} ({_wrong(error, row)})")
            continue
        name: str | None = row.get("id") if isinstance(row, dict) else None
        wrong = _turned_to_nothing(row) or (
            f"it has the id of number {ids[name]}" if name in ids else ""
        )
        if wrong:
            left.append(f"{place} ({wrong})")
            continue
        if name is not None:
            ids[name] = at
        found.append(row)
    return found


def _turned_to_nothing(row: dict[str, Any]) -> str:
    turn = row.get("rotation")
    if turn is not None and not 0.25 <= sum(part * part for part in turn) <= 4:
        return "its rotation is none"
    return ""


def beyond_types(show: Show) -> bool:
    """Whether something no type forbids cannot be: two records with one id, a rotation that is
    none.
    """
    for name in SHAPES[Show]:
        rows = getattr(show, name)
        if isinstance(rows, tuple) and rows and hasattr(rows[0], "id"):
            if len({row.id for row in rows}) < len(rows):
                return True
            if hasattr(rows[0], "rotation") and any(_off(row.rotation) for row in rows):
                return True
    return False


def _off(turn: Sequence[float]) -> bool:
    w, x, y, z = turn
    return not 0.25 <= w * w + x * x + y * y + z * z <= 4


def _wrong(error: msgspec.ValidationError, row: Any) -> str:
    """What of a record cannot be: the member and what stands there."""
    said, path = _PATH.match(str(error)).groups()  # type: ignore[union-attr]
    value, words = row, []
    for step in _steps(path or ""):
        if isinstance(step, str):
            words.append(step.replace("_", " "))
        value = _at(value, step)
    if "missing" in said:
        return said[said.rindex(" ") + 1 :].strip("`").replace("_", " ") + " is missing"
    return f"{' '.join(words) or 'it'} {_shown(value)}".strip()


def _steps(path: str) -> Iterator[str | int]:
    for name, at in _STEP.findall(path):
        yield name or (-1 if at == "..." else int(at))


def _at(value: Any, step: str | int) -> Any:
    if isinstance(value, dict) and isinstance(step, str):
        return value.get(step)
    if isinstance(value, list) and isinstance(step, int) and 0 <= step < len(value):
        return value[step]
    return None


def _shown(value: Any) -> str:
    if isinstance(value, str):
        return f"“{value[:40]}”"
    if isinstance(value, (int, float)) and not isinstance(value, bool):
        return f"{value:.6g}".replace("-", "−")
    return ""
