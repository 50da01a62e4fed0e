"""The show as plain members, as show.json has them. What this version does not know rides along
in `Record.extra`.
"""

from __future__ import annotations

from typing import Any

import msgspec

from isthmus.show.checked import beyond_types, taken
from isthmus.show.decoding import decoded
from isthmus.show.migrations import migrate
from isthmus.show.records import FORMAT, Record, Show
from isthmus.show.shapes import SHAPES


def _fold(raw: Any, record: type[Record]) -> Any:
    """Move members `record` does not know into its `extra`, all the way down."""
    if isinstance(raw, list):
        return [_fold(item, record) for item in raw]
    if not isinstance(raw, dict):
        return raw
    shape = SHAPES[record]
    known: dict[str, Any] = {}
    extra: dict[str, Any] = {}
    for name, value in raw.items():
        if name == "extra" or name not in shape:
            extra[name] = value
        else:
            known[name] = _fold(value, shape[name]) if shape[name] else value
    if extra:
        known["extra"] = extra
    return known


def _unfold(raw: Any, record: type[Record]) -> Any:
    """The reverse of `_fold`."""
    if isinstance(raw, (list, tuple)):
        return [_unfold(item, record) for item in raw]
    if not isinstance(raw, dict):
        return raw
    shape = SHAPES[record]
    extra = raw.pop("extra", {})
    return {
        name: _unfold(value, shape[name]) if shape.get(name) else value
        for name, value in raw.items()
    } | extra


def without_data(show: Show) -> Show:
    """The show without bytes: those are members of their own."""
    return msgspec.structs.replace(
        show,
        profiles=tuple(msgspec.structs.replace(kept, data=b"") for kept in show.profiles),
        files=tuple(msgspec.structs.replace(kept, data=b"") for kept in show.files),
        kept={},
    )


def members_of(show: Show) -> dict[str, Any]:
    """The members of show.json, as `show_of` takes them: those of a show and of the same read from
    its file are alike, to the last byte (a whole number of metres is 2 or 2.0 until then).
    """
    text = msgspec.json.encode(without_data(show))
    slim = decoded(text, kind=Show)
    if b'"extra":{' in text:  # members of a newer program
        return {"format": show.format} | _unfold(msgspec.to_builtins(slim), Show)
    usual = Show()
    members = {name: getattr(slim, name) for name in Show.__struct_fields__ if name != "extra"}
    return {n: x for n, x in members.items() if n == "format" or x != getattr(usual, n)}


def show_of(raw: dict[str, Any], told: list[str]) -> Show:
    """The records that members of a show.json of any format make; those that cannot be are left
    out and told. Raises what msgspec raises.
    """
    members = _fold(migrate(raw), Show)
    try:
        show = msgspec.convert(members, Show)
    except msgspec.ValidationError:
        return taken(members, told)
    return taken(members, told) if beyond_types(show) else show


def text_of(show: Show) -> bytes:
    """show.json: always the same text for the same show."""
    slim = without_data(show)
    text = msgspec.json.encode(slim)
    if b'"extra":{' in text:  # members of a newer program
        raw = _unfold(msgspec.to_builtins(slim), Show)
        text = msgspec.json.encode({"format": show.format} | raw)
    elif not text.startswith(b'{"format":'):  # the usual format, left out as all that is usual
        text = b'{"format":%d%s%s' % (show.format, b"," if len(text) > 2 else b"", text[1:])
    return msgspec.json.format(text, indent=1)


def just_as_saved(text: bytes) -> Show | None:
    """The show, when the text is what this version would write for it: nothing is then unknown, and
    nothing is folded.
    """
    try:
        show = decoded(text, kind=Show)
    except msgspec.MsgspecError:
        return None
    same = show.format == FORMAT and text_of(show) == text
    return show if same and not beyond_types(show) else None
