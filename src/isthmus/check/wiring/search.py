"""Which fault the answers speak for, and which picture tells most next."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from msgspec.structs import replace

from isthmus.check.wiring.faults import DARK, Fault, faults_of
from isthmus.check.wiring.panels import Panels
from isthmus.check.wiring.pictures import AS_SHOWN, PICTURES, Look, Seen, Traces
from isthmus.show.records import PixelGrid

MOST_LOOKS = 4
TOLD = 3  # causes
SURE = 0.97  # of one fault: no more looks are needed
SLIP = 0.04  # of a panel being told wrongly
MISSED = 0.02  # of a panel that differs not being marked


@dataclass(frozen=True)
class Likely:
    """A fault and how likely it is, 0…1."""

    fault: Fault
    share: float


@dataclass
class Check:
    """One check of one grid. `answers` are pictures with what was said of the panels that differ
    (unit → words); of panels not named one saw what was on screen.
    """

    panels: Panels
    answers: list[tuple[str, Mapping[str, str]]] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.faults = faults_of(self.panels)
        weights = np.array([fault.weight for fault in self.faults])
        self._before = np.log(weights / weights.sum())
        self._traces = Traces(self.panels)
        self._touched = [self._traces.of(fault) for fault in self.faults]
        self._told: dict[str, np.ndarray] = {}

    def _codes(self, look: Look) -> np.ndarray:
        """(faults, panels): which answer each fault leads to, 0 for as on screen."""
        if look.name not in self._told:
            number = {words: at for at, words in enumerate((AS_SHOWN, *look.answers))}
            seen = Seen(self._traces, look)
            codes = np.zeros((len(self.faults), len(self.panels.units)), np.int16)
            for row, touched in enumerate(self._touched):
                for unit, words in seen(touched).items():
                    codes[row, unit] = number[words]
            self._told[look.name] = codes
        return self._told[look.name]

    def answer(self, picture: str, told: Mapping[str, str]) -> None:
        """What was seen; the last answer to a picture counts."""
        self.answers = [one for one in self.answers if one[0] != picture]
        self.answers.append((picture, dict(told)))

    def likely(self) -> list[Likely]:
        """All faults, the likeliest first."""
        log = self._log()
        share = np.exp(log - log.max())
        share /= share.sum()
        order = np.argsort(-share, kind="stable")
        return [Likely(self.faults[i], float(share[i])) for i in order]

    def told(self) -> list[str]:
        """What the answers speak for, in lines; what else may be."""
        best, *others = self.likely()
        lines = [f"{best.fault.words} ({100 * best.share:.0f} %)"]
        if best.fault.cable:
            lines.append(f"At the rig: {best.fault.cable}.")
        rest = [one for one in others[: TOLD - 1] if one.share >= 0.02]
        return lines + [f"Or: {one.fault.words} ({100 * one.share:.0f} %)" for one in rest]

    def _log(self) -> np.ndarray:
        log = self._before.copy()
        for picture, told in self.answers:
            look = PICTURES[picture]
            codes = self._codes(look)
            words = (AS_SHOWN, *look.answers)
            said = np.array(
                [words.index(told[u]) if told.get(u) in words else 0 for u in self.panels.units],
                np.int16,
            )
            others = len(words) - 2
            apart = codes != said
            missed = apart & (said == 0)
            log += np.where(
                missed, np.log(MISSED), np.where(apart, np.log(SLIP / others), np.log(1 - SLIP))
            ).sum(axis=1)
        return log

    def next(self) -> str:
        """The picture that tells most; "" when enough is known."""
        log = self._log()
        share = np.exp(log - log.max())
        share /= share.sum()
        asked = {picture for picture, _ in self.answers}
        if len(asked) >= MOST_LOOKS or (asked and share.max() >= SURE):
            return ""
        best, most = "", 0.02
        for look in PICTURES.values():
            if look.name in asked:
                continue
            _, back = np.unique(self._codes(look), axis=0, return_inverse=True)
            mass = np.bincount(back.ravel(), share)
            mass = mass[mass > 0]
            told = float(-(mass * np.log2(mass)).sum())
            if told > most:
                best, most = look.name, told
        return best

    def fixed(self, fault: Fault) -> PixelGrid:
        """The grid as it is wired: each cell where its light really comes out."""
        cells = self.panels.grid.cells
        made = [
            cell if at == DARK else replace(cell, x=cells[at].x, y=cells[at].y, at=cells[at].at)
            for cell, at in zip(cells, fault.lights.tolist(), strict=True)
        ]
        return replace(self.panels.grid, cells=tuple(made))
