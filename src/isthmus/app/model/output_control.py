"""The output as the window sees it: switches it, feeds the engine, watches it, and says how
it is.
"""

from __future__ import annotations

import time

from PySide6.QtCore import QObject, QTimer, Signal

from isthmus.app.model.net_link import NetLink
from isthmus.app.model.workbench import Workbench
from isthmus.engine import Engine, EngineStats, PortStats
from isthmus.errors import IsthmusError
from isthmus.looks.playback import Act
from isthmus.net.serial_ports import said
from isthmus.output import Composer, identity
from isthmus.output.claims import Claims, Sender, told_of
from isthmus.output.routing import set_pace
from isthmus.patch.numbers import write_numbers
from isthmus.player import Front, PlayerLink, State, Telling
from isthmus.plural import many
from isthmus.show.recovery import recovery_folder

BEAT_MS = 200
ENDING = 0.3  # seconds in which the ends of all streams are out
STUCK = 3.0  # seconds without a packet after which a DMX port counts as stuck


class OutputControl(QObject):
    changed = Signal()

    def __init__(self, bench: Workbench, net: NetLink, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._bench, self._net = bench, net
        self.engine = Engine(note=recovery_folder().parent / "engine.pid")
        self.player = PlayerLink(
            self.engine.frames, lambda: State(dict(bench.playing.playback.positions))
        )
        self.telling = Telling(self.player)
        self.claims = Claims(bench.show.name)
        self.composer = Composer(bench.levels.masters, self.claims)
        self.on = False
        self._started = False
        self._said_port = False
        self._errors = 0
        self._ports: dict[str, str] = {}  # DMX port → how it last was
        self._routes = 0
        self._off = 0.0  # when it was last switched
        self._left: dict[int, Sender] = {}  # universe → who sends there
        self._moved: dict[str, tuple[int, float]] = {}  # packets it had sent, and since when
        self.stats: EngineStats = self.engine.stats()
        bench.levels.changed.connect(self.publish)
        bench.playing.acted.connect(self._act)
        net.outlets.connect(self.engine.use)
        net.changed.connect(self._asked)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._watch)
        self._timer.start(BEAT_MS)

    def switch(self, on: bool) -> None:
        """Raises NetworkFault when the engine cannot be started."""
        if on:
            self.claims.begin()
            self.publish()  # what others send to is left out from the first packet on
        if on and not self._started:
            hub = self._net.start()
            if self.engine.send_home():  # of a run that was killed: it held the last look until now
                hub.reopen()
            self.engine.use(hub.outlets)
            self.engine.keep = self.claims.handles
            self.engine.start()
            try:
                self.player.start()
            except IsthmusError:
                self.engine.stop()
                self.claims.close()
                raise
            self._started = True
        self.on, self._off = on, time.monotonic()
        if on:
            self._net.look_if_asked()
            self.publish()
        self.engine.enable(on)
        self._bench.levels.sending = on
        self._bench.levels.sending_changed.emit()
        self._watch()

    def publish(self) -> None:
        """What is wanted, told to the player; while there is none, the frame itself to the
        engine.
        """
        show, live = self._bench.show, self._bench.levels.live
        self.claims.name = show.name
        set_pace(self.engine, show.sending)
        try:
            if not self._started:
                frame, routes = self.composer.compose(show, live)
                self._routes = len(routes)
                self.engine.publish(frame, routes, identity(show))
                return
            plan, bench = self.composer.plan(show, live), self._bench
            self._routes = len(plan.routes)
            self.engine.know(plan.routes)
            pictures = bench.playing.picturing
            asked = Front(bench.levels.alone(), bench.turns, pictures.in_front())
            running = bench.playing.running
            self.telling.tell(
                live, plan, identity(show), running, asked, pictures.pictures(running)
            )
        except IsthmusError as error:
            self._bench.tell("fault", str(error))

    def _act(self, act: Act) -> None:
        """Something asked of a list; the player must know the list before."""
        if self._started:
            self.publish()
            self.player.act(act)

    def _asked(self) -> None:
        """Nodes have said what they want."""
        view = self._net.view
        broadcast = self._net.hub.outlets.broadcast if self._net.hub else ""
        if (view.asking, broadcast) != (self.composer.asking, self.composer.broadcast):
            self.composer.asking, self.composer.broadcast = view.asking, broadcast
            self.publish()

    def _watch(self) -> None:
        """The heartbeat: it stops when the interface hangs, and the engine then knows."""
        self.engine.beat()
        try:
            if self._started and self.engine.check():
                self._bench.tell(
                    "attention",
                    "The output engine had stopped and was restarted at "
                    f"{self.engine.stats().returned_at}.",
                )
            if self._started and self.player.check():
                self._bench.tell("attention", "The player had stopped and was started again.")
        except IsthmusError as error:
            self.player.stop()  # from here on the window writes the frames itself
            self._started = self.on = self._bench.levels.sending = False
            self._bench.levels.sending_changed.emit()
            self._bench.tell("fault", str(error))
        self.stats = self.engine.stats()
        if self.on and self.stats.source_port not in (0, 6454) and not self._said_port:
            self._said_port = True
            told = [words for words in self._net.view.trouble if words.startswith("Port ")]
            why = told[0] if told else "Port 6454 is taken by another program."
            self._bench.tell(
                "note", f"{why} Sending from port {self.stats.source_port}; nodes take it anyway."
            )
        if self.stats.errors > self._errors:
            if self._errors == 0:
                self._bench.tell(
                    "fault",
                    f"Packets cannot be sent. {self.stats.error} See Network on the Routes page.",
                )
            self._errors = self.stats.errors
        self._watch_ports()
        self._watch_others()
        self.changed.emit()

    def _watch_ports(self) -> None:
        """DMX ports that go away while they are sent to, and come back."""
        now = {port.device: self._state_of(port) for port in self.stats.ports} if self.on else {}
        if now == self._ports:
            return
        for device, state in now.items():
            before = self._ports.get(device)
            if state not in ("off", "sending") and state != before:
                self._bench.tell("fault", f"DMX port {device}: {said(state, device)}.")
            elif state == "sending" and before not in (None, "off", "sending"):
                self._bench.tell("ok", f"DMX port {device} is back and sends.")
        self._ports = now
        self._bench.known.see_ports(now)

    def _watch_others(self) -> None:
        """Universes that another window sends to, and that are ours once it has stopped. Those of
        an output that is off are free for others when the ends of its streams are out.
        """
        if not self.on and self.claims.sending and time.monotonic() - self._off > ENDING:
            self.claims.release()
            self.publish()
        if self.claims.again():
            self.publish()
        left = dict(self.composer.left) if self.on else {}
        if left.keys() != self._left.keys() and self.on:
            wanted = {o.universe for o in self._bench.show.outputs if o.enabled}
            self._bench.tell(*told_of(left, wanted & (self._left.keys() - left.keys())))
        self._left = left

    def _state_of(self, port: PortStats) -> str:
        """A port that says it sends, but counts no further, is stuck."""
        sent, since = self._moved.get(port.device, (-1, 0.0))
        if port.state != "sending" or port.packets != sent:
            self._moved[port.device] = port.packets, time.monotonic()
            return port.state
        return "stuck" if time.monotonic() - since > STUCK else port.state

    def words(self) -> list[tuple[str, bool]]:
        """The output sign, as (text, is a number)."""
        if not self.on:
            return [("Output off", False)]
        if self._bench.proving.past_numbers:
            return [
                ("Beyond the limits of ", False),
                (write_numbers(self._bench.proving.past_numbers), True),
            ]
        stats, state = self.stats, self._bench.levels.masters.everything
        if stats.state == "gone":
            return [("Output is starting…", False)]
        if state:
            return [("Blackout" if state == "dark" else "Output held", False)]
        left = len(self._left)
        if self._routes == 0:
            why = "another window sends there" if left else "no universe is routed"
            return [(f"On, but {why}", False)]
        universes = len({o.universe for o in self._bench.show.outputs if o.enabled}) - left
        return [
            ("Sending ", False),
            (str(universes), True),
            (f" universe{'s' * (universes != 1)}, ", False),
            (f"{stats.rate or 44:.0f}", True),
            (" Hz, " if left else " Hz", False),
            *([(str(left), True), (" left out", False)] if left else []),
        ]

    def details(self) -> str:
        """For the sign's tool tip."""
        s = self.stats
        if not self.on:
            return "Nothing is sent. Click, or press Ctrl+Return, to send."
        parts = [
            f"{s.packets} packets to {s.routes} outputs, {s.errors} errors",
            f"{s.rate:.1f} Hz, 99 % of packets within {s.spread_ms:.1f} ms of their time",
        ]
        if self._left:
            parts.append(told_of(self._left)[1].rstrip("."))
        if s.restarts:
            parts.append(
                f"the engine was started again {many(s.restarts, 'time')}, last at {s.returned_at}"
            )
        if s.error:
            parts.append(f"last error: {s.error}")
        parts.append(
            "when the window hangs or dies, the last frame is held for 30 s, then the rig goes dark"
        )
        return ".\n".join(p[0].upper() + p[1:] for p in parts) + "."

    def stop(self) -> None:
        self._timer.stop()
        self.player.stop()
        self.engine.stop()
        self.claims.close()
