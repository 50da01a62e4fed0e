"""Who was seen to light in which call, and how that differs from where a unit would have lit."""

from __future__ import annotations

from collections import defaultdict

import numpy as np
from numpy.typing import NDArray

from isthmus.check.findings.evidence import Evidence
from isthmus.check.findings.model import Model
from isthmus.show.records import Verdict

Flags = NDArray[np.bool_]


def _lit_unnamed(verdict: Verdict) -> bool:
    return bool({"other", "too"} & set(verdict.what)) and not verdict.others


class Seen:
    """The calls that have a verdict, in order. `callers` says for each unit in whose calls it lit
    although it was not called.
    """

    def __init__(self, model: Model, evidence: Evidence) -> None:
        called = [u for u in evidence.verdicts if u in model.place]
        self.at = {u: i for i, u in enumerate(called)}
        self._places = np.array([model.place[u] for u in called], np.int64)
        self._unnamed = np.array([_lit_unnamed(evidence.verdicts[u]) for u in called], bool)
        named = [len(evidence.others(u)) for u in called]
        some = [n for n in named if n]
        self._most_named = max(some) if len(some) > 2 else 0
        self._named_some = np.zeros(len(model.ids), bool)
        self._named_some[self._places[np.array(named, np.int64) > 0]] = True
        self.callers: dict[str, list[str]] = defaultdict(list)
        for caller in called:
            for other in evidence.others(caller):
                if other != caller:
                    self.callers[other].append(caller)

    @property
    def calls(self) -> int:
        return len(self._places)

    def named(self, unit: str) -> int:
        """In how many calls of others a unit was seen to light."""
        return len(set(self.callers.get(unit, ())))

    @property
    def unnamed(self) -> int:
        """In how many of them some other unit lit, without a number."""
        return int(self._unnamed.sum())

    @property
    def names_one(self) -> bool:
        """Whether whoever marks names one other unit and no more."""
        return self._most_named == 1

    def crowded(self, unit: str, where: Flags) -> int:
        """In how many of the calls `where` holds others were named, and this unit was not."""
        return self.counts(unit, where & self._named_some)[1]

    def counts(self, unit: str, where: Flags) -> tuple[int, int]:
        """Of the calls `where` (calls of the model,) holds: in how many the unit was named, and in
        how many it was not, though whoever lit was. Its own call says more, and is left out.
        """
        seen = np.zeros(len(self._places), bool)
        seen[[self.at[c] for c in self.callers.get(unit, ())]] = True
        here = where[self._places]
        if unit in self.at:
            here[self.at[unit]] = False
        return int((seen & here).sum()), int((~seen & here & ~self._unnamed).sum())
