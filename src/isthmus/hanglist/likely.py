"""A misspelled model that can be no other: one letter away from one name only, its figures the
same, its modes those of that profile, and the addresses beside it growing by their footprints.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Sequence

from rapidfuzz.distance import OSA

from isthmus.hanglist.modes import Models
from isthmus.hanglist.steps import Beside, local_steps
from isthmus.patch.models import names_of, plain

SHORTEST = 6  # letters of a name in which one may be wrong
STEPS, EXACT = 2, 0.6  # of the steps between such units, and the part that is a footprint


def close_names(models: Models, text: str) -> set[str]:
    """Profiles whose name is one slip away: a letter wrong, missing, too many, or two swapped."""
    wanted = plain(text)
    if len(wanted.replace(" ", "")) < SHORTEST:
        return set()
    figures = re.findall(r"\d+", wanted)
    found = set()
    for key, profile in models.library.profiles.profiles.items():
        for name in names_of(profile):
            if (
                re.findall(r"\d+", name) == figures
                and OSA.distance(wanted, name, score_cutoff=1) <= 1
            ):
                found.add(key)
    return found


def proven_names(models: Models, rows: Sequence[Beside], way: str) -> dict[str, str]:
    """Written models that are proven to be one profile, by key."""
    groups: dict[str, list[int]] = defaultdict(list)
    for at, row in enumerate(rows):
        told = models.model(row.model) if row.model else None
        if told is not None and not told.sure:
            groups[told.text or row.model].append(at)
    steps = local_steps(rows, way) if groups else []
    made: dict[str, str] = {}
    for text, places in groups.items():
        keys = close_names(models, text)
        if len(keys) == 1 and _fits(models, next(iter(keys)), rows, steps, places):
            made[text] = next(iter(keys))
    return made


def _fits(
    models: Models, key: str, rows: Sequence[Beside], steps: Sequence[int], places: Sequence[int]
) -> bool:
    """Whether the modes and the growth of the addresses say that it is this profile."""
    tried = exact = 0
    for at in places:
        mode = models.mode(key, rows[at].mode or models.model(rows[at].model).rest, "")
        if not mode.sure:
            return False
        if steps[at]:
            tried += 1
            exact += steps[at] == models.feet(key)[mode.key]
    return tried >= STEPS and exact >= EXACT * tried
