"""Who was seen to light in which call, and how that differs from where a unit would have lit."""

from __future__ import annotations

from collections import defaultdict

import numpy as np
from numpy.typing import NDArray

from isthmus.check.findings.evidence import Evidence
from isthmus.check.findings.model import Model

Flags = NDArray[np.bool_]


class Seen:
    """The calls that have a verdict, in order. `callers` says for each unit in whose calls it lit
    although it was not called.
    """

    def __init__(self, model: Model, evidence: Evidence) -> None:
        called = [u for u in evidence.verdicts if u in model.place]
        self.at = {u: i for i, u in enumerate(called)}
        self._places = np.array([model.place[u] for u in called], np.int64)
        self.callers: dict[str, list[str]] = defaultdict(list)
        for caller in called:
            for other in evidence.verdicts[caller].others:
                if other != caller:
                    self.callers[other].append(caller)

    def differs(self, unit: str, lit: Flags) -> tuple[int, int]:
        """`lit` (calls of the model,) is where a unit would light. In how many calls of others it
        would have and was not seen to, and in how many it was seen to and would not have."""
        seen = np.zeros(len(self._places), bool)
        seen[[self.at[c] for c in self.callers.get(unit, ())]] = True
        wanted = lit[self._places]
        if unit in self.at:  # its own call says more than light, and is weighed apart
            seen[self.at[unit]] = wanted[self.at[unit]]
        return int((wanted & ~seen).sum()), int((seen & ~wanted).sum())
