"""What checking has brought to light besides verdicts: devices discovered, addresses hunted, findings concluded."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer, Signal

from isthmus.app.workbench import Workbench
from isthmus.check.devices import Change, Discovered, Match, match
from isthmus.check.findings.told import FindingTold, findings_of
from isthmus.show import Show
from isthmus.snags.records import FAULT, Mend, Snag

SURE = 0.9  # from then on a finding offers its mend on Readiness
WAIT_MS = 250  # marks come in bursts; findings are worked out when there is a moment


class Checks(QObject):
    """`changed` when devices or findings are others than before. Findings are worked out when somebody looks at them."""

    changed = Signal()

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.found: Discovered | None = None
        self.matches: list[Match] = []
        self.hunted: dict[str, int] = {}
        self.done: list[Change] = []  # settings made, for undoing
        self.findings: list[FindingTold] = []
        self._seen: tuple[object, ...] = ()
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.conclude)
        bench.changed.connect(self._follow)
        bench.network_changed.connect(self.soon)

    def _follow(self, old: Show, new: Show) -> None:
        if {u.id for u in old.units} != {u.id for u in new.units}:
            self.hunted = {u: a for u, a in self.hunted.items() if new.unit(u)}
        if old.units is not new.units or old.outputs is not new.outputs:
            self._match()
        self.soon()

    def soon(self) -> None:
        """Work findings out again in a moment."""
        self._timer.start(WAIT_MS)

    def take(self, found: Discovered) -> None:
        """What discovery has found takes the place of what it found before."""
        self.found = found
        self._match()
        self.soon()
        self.changed.emit()

    def _match(self) -> None:
        if self.found is not None:
            self.matches = match(self.bench.show, self.found.devices, self.found.asked)

    def take_hunted(self, unit: str, address: int) -> None:
        self.hunted[unit] = address
        self.soon()

    def conclude(self) -> list[FindingTold]:
        """The findings of what is known now; the same again costs nothing."""
        bench = self.bench
        seen = (bench.show, bench.network, tuple(self.matches), tuple(self.hunted.items()))
        if (
            not self._seen
            or any(a is not b and a != b for a, b in zip(seen[2:], self._seen[2:], strict=True))
            or seen[:2] != self._seen[:2]
        ):
            self._seen = seen
            findings, _ = findings_of(bench.show, bench.network, self.matches, self.hunted)
            if findings != self.findings:
                self.findings = findings
                bench.concluded = [_snag(f) for f in findings if f.kind != "output off"]
                self.changed.emit()
                bench.concluded_changed.emit()
        return self.findings


def _snag(told: FindingTold) -> Snag:
    """A finding as a snag of the fifth step, with its mend where the show itself can be mended."""
    edit = next((m for m in told.mends if m.edit is not None), None)
    mend = Mend(edit.label, edit.edit) if edit is not None and edit.edit is not None and told.chance > SURE else None
    words = told.words if told.chance > SURE else f"{told.title}: probably so: {told.words[0].lower()}{told.words[1:]}"
    return Snag("finding", FAULT, words, "Roll call", told.units, "answered", mend)
