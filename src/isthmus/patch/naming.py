"""A name proposed for something made of selected units: what they have in common, or numbers."""

from __future__ import annotations

from collections.abc import Sequence

from isthmus.patch.numbers import write_numbers
from isthmus.show.records import Show, Unit

MOST = 40  # letters


def name_for(show: Show, units: Sequence[Unit], taken: Sequence[str] = ()) -> str:
    """The position all of them have, else their purpose or model, else their numbers; with a number
    behind it when that name is taken. Empty for no units.
    """
    if not units:
        return ""
    own = _in_common([u.hangs_on for u in units]) or _in_common([u.purpose for u in units])
    own = own or _in_common([u.profile for u in units]) or write_numbers([u.number for u in units])
    name, count = own[:MOST], 1
    while name in taken:
        count += 1
        name = f"{own[: MOST - 4]} {count}"
    return name


def _in_common(values: Sequence[str]) -> str:
    return values[0] if len(set(values)) == 1 else ""
