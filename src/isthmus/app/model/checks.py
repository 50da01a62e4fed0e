"""What checking has brought to light besides verdicts: devices discovered, addresses hunted,
findings concluded.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence

from PySide6.QtCore import QObject, QTimer, Signal

from isthmus.app.kit.tasks import Task
from isthmus.app.model.workbench import Workbench
from isthmus.check.devices import Discovered
from isthmus.check.findings.evidence import Told, gather, told_by_hunt
from isthmus.check.findings.model import Models
from isthmus.check.findings.told import FindingTold, findings_of
from isthmus.check.hunt_asked import Place
from isthmus.check.matched import Match, match
from isthmus.check.setting import Change
from isthmus.check.verdicts import outdate
from isthmus.show import Show
from isthmus.snags.records import FAULT, Fix, Snag

SURE = 0.9  # from then on a finding offers its fix on Readiness
WAIT_MS, CALLED_MS = (
    250,
    1500,
)  # marks come in bursts; findings are worked out when there is a moment, in a call a longer one


class Checks(QObject):
    """`changed` when devices or findings are others than before. Findings are worked out when
    a person looks at them.
    """

    changed = Signal()

    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self.found: Discovered | None = None
        self.matches: list[Match] = []
        self.hunted: dict[str, Told] = {}
        self.done: list[Change] = []  # settings made, for undoing
        self.findings: list[FindingTold] = []
        self._seen: tuple[object, ...] = ()
        self._models = Models()
        self._waiting: list[Callable[[list[FindingTold]], object]] = []
        self._task: Task | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._think)
        bench.changed.connect(self._follow)
        bench.known.network_changed.connect(self.soon)

    def _follow(self, old: Show, new: Show) -> None:
        if {u.id for u in old.units} != {u.id for u in new.units}:
            self.hunted = {u: a for u, a in self.hunted.items() if new.unit(u)}
        if old.units is not new.units or old.outputs is not new.outputs:
            self._match()
        self.soon()

    def soon(self) -> None:
        """Work findings out again in a moment."""
        self._timer.start(WAIT_MS if self.bench.session.call is None else CALLED_MS)

    def now(self) -> None:
        """A person looks at them: no long wait, whether units are called or not."""
        self._timer.start(WAIT_MS)

    def take(self, found: Discovered) -> None:
        """What discovery has found takes the place of what it found before."""
        self.found = found
        self._match()
        self.soon()
        self.changed.emit()

    def set_anew(self, units: Collection[str]) -> None:
        """Something was set at the rig that changes what these units do: they are to be called
        again.
        """
        show = outdate(self.bench.show, units)
        if show is not self.bench.show:
            self.bench.commit("verdicts of what was set are out of date", show)

    def _match(self) -> None:
        if self.found is not None:
            self.matches = match(self.bench.show, self.found.devices, self.found.asked)

    def take_dark(self, unit: str) -> None:
        """That a hunt never saw a unit light, whatever was lit in its universe."""
        self.hunted[unit] = Told(dark=True)
        self.soon()

    def forget_hunted(self, unit: str) -> None:
        """What a hunt said ends with the answer it rests on being taken back."""
        if self.hunted.pop(unit, None) is not None:
            self.soon()

    def take_hunted(self, unit: str, places: Sequence[Place], any_mode: bool) -> None:
        """Where a unit was found to listen, or what remains; a mode no one asked about says
        nothing.
        """
        told = told_by_hunt(places, any_mode)
        if told is None:
            return
        self.hunted[unit] = told
        self.soon()

    def _ground(self) -> tuple[object, ...]:
        """What findings rest on. Of the network only what they look at: ages and counters change
        all the time.
        """
        evidence = gather(self.bench.show, self.bench.known.network)
        network = (
            tuple(evidence.nodes.items()),
            tuple(evidence.ports.items()),
            tuple(evidence.senders.items()),
            evidence.looked,
        )
        return self.bench.show, network, tuple(self.matches), tuple(self.hunted.items())

    def _think(self) -> None:
        """Off the interface thread: a large rig takes a while. What has changed meanwhile is
        thought about next.
        """
        ground = self._ground()
        if self._task is not None or ground == self._seen:
            return
        show, network, matches, hunted = (
            self.bench.show,
            self.bench.known.network,
            list(self.matches),
            dict(self.hunted),
        )
        models = self._models  # of the one task that runs
        self._task = Task(lambda step: findings_of(show, network, matches, hunted, models)[0], self)
        self._task.done.connect(lambda findings: self._take(ground, findings))
        self._task.failed.connect(
            lambda error: self.bench.tell("fault", f"Findings could not be worked out: {error}")
        )
        self._task.ended.connect(lambda: self._thought(ground))
        self._task.start()

    def _thought(self, ground: tuple[object, ...]) -> None:
        self._task = None
        self._seen = ground  # also when it failed: the same again would fail again
        if self._ground() == ground:
            waiting, self._waiting = self._waiting, []
            for then in waiting:
                then(self.findings)
        elif self._waiting:
            self._think()
        else:
            self.soon()

    def _take(self, ground: tuple[object, ...], findings: list[FindingTold]) -> None:
        self._seen = ground
        if findings != self.findings:
            self.findings = findings
            self.bench.known.concluded = [_snag(f) for f in findings if f.kind != "output off"]
            self.changed.emit()
            self.bench.known.concluded_changed.emit()

    def conclude(self, then: Callable[[list[FindingTold]], object]) -> None:
        """Call `then` with the findings of what is known now: at once where they are there, else
        as soon as they are worked out.
        """
        if self._task is None and self._ground() == self._seen:
            then(self.findings)
            return
        self._waiting.append(then)
        self._timer.stop()
        self._think()

    def shut_down(self) -> None:
        self._timer.stop()
        self._waiting = []
        if self._task is not None:
            self._task.wait()


def _snag(told: FindingTold) -> Snag:
    """A finding as a snag of the fifth step, with its fix where the show itself can be fixed."""
    edit = next((m for m in told.fixes if m.edit is not None), None)
    fix = (
        Fix(edit.label, edit.edit)
        if edit is not None and edit.edit is not None and told.chance > SURE
        else None
    )
    words = (
        told.words
        if told.chance > SURE
        else f"{told.title}: probably so: {told.words[0].lower()}{told.words[1:]}"
    )
    return Snag("finding", FAULT, words, "Roll call", told.units, "answered", fix)
