"""Which members of a record hold records themselves."""

from __future__ import annotations

import types
import typing
from typing import Any

from isthmus.show.records import Record, Show


def element_type(annotation: Any) -> Any:
    """The record type inside `tuple[Record, ...]`, `Record | None` or `Record`; None for plain
    values.
    """
    if isinstance(annotation, type) and issubclass(annotation, Record):
        return annotation
    if typing.get_origin(annotation) in (tuple, list, typing.Union, types.UnionType):
        return next(
            (found for part in typing.get_args(annotation) if (found := element_type(part))), None
        )
    return None


def _shapes(record: type[Record], seen: dict[type, dict[str, Any]]) -> dict[type, dict[str, Any]]:
    if record not in seen:
        hints = typing.get_type_hints(record)
        seen[record] = {name: element_type(hints[name]) for name in record.__struct_fields__}
        for inner in seen[record].values():
            if inner:
                _shapes(inner, seen)
    return seen


SHAPES = _shapes(Show, {})
