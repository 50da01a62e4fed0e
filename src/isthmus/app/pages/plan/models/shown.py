"""What a filter of the plan lets through: what can be called up by name, a universe, a verdict, a
structure.
"""

from __future__ import annotations

import re

from isthmus.errors import EntryFault
from isthmus.patch.choose import read_choice
from isthmus.show.records import Show

VERDICTS = ("works", "wrong", "silent", "none")
_UNIVERSE = re.compile(r"^universe\s+(\d+)$", re.IGNORECASE)
_VERDICT = re.compile(r"^verdict\s+(\w+)$", re.IGNORECASE)


def read_filter(show: Show, text: str) -> set[str]:
    """Ids of the units a filter shows. Raises EntryFault for what names nothing."""
    if match := _UNIVERSE.match(text):
        return {u.id for u in show.units if any(p.universe == int(match[1]) for p in u.patch)}
    if match := _VERDICT.match(text):
        wanted = match[1].lower()
        if wanted not in VERDICTS:
            raise EntryFault(
                f"“{wanted[:20]}” is not a verdict.", do=f"Write {', '.join(VERDICTS)}."
            )
        given = {v.unit: v.result for v in show.verdicts}
        return {u.id for u in show.units if given.get(u.id, "none") == wanted}
    on = [s.id for s in show.structures if s.name.lower() == text.strip().lower()]
    if on:
        return {u.id for u in show.units if u.structure in on}
    return set(read_choice(show, text).ids)
