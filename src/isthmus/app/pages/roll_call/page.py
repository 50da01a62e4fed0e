"""The Roll call page: calling, findings, discovery, the hunt, phones, and the record."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt

from isthmus.app.kit.actions import Action
from isthmus.app.kit.widgets import PageView, bind, bind_seen, button
from isthmus.app.model.checks import Checks
from isthmus.app.model.house import House
from isthmus.app.pages.base import Page
from isthmus.app.pages.roll_call.actions import actions_of
from isthmus.app.pages.roll_call.views.call import CallView
from isthmus.app.pages.roll_call.views.discovery import DiscoveryView
from isthmus.app.pages.roll_call.views.findings import FindingsView
from isthmus.app.pages.roll_call.views.hunt import HuntView
from isthmus.app.pages.roll_call.views.phones import PhonesView
from isthmus.app.pages.roll_call.views.record import RecordView
from isthmus.check.calls import callable_units
from isthmus.net.setting import PortWish, Wish, packets
from isthmus.routes import Reach
from isthmus.snags import Snag

ALSO = ("Patch", "Plan", "Stage")  # pages that show who is called: one stays there
VIEWS = ("Call", "Findings", "Discovery", "Hunt", "Phones", "Report")


class RollCallPage(Page):
    title = "Roll call"
    context = (
        *("call.begin", "call.hand", "call.jump", "call.end", ""),
        *("call.works", "call.wrong", "call.silent", "call.skip", "call.clear", "", "rdm.identify"),
    )

    def __init__(self, house: House) -> None:
        super().__init__(house)
        bench, actions, net, over = house.bench, house.actions, house.net, house.over
        self.net = net
        self.checks = Checks(bench)
        self._asked_for = ""  # whose finding led to another view
        self.back = button("", "quiet", self._back, 26, "back to finding")
        self.back.setVisible(False)
        self.column.addWidget(self.back, 0, Qt.AlignmentFlag.AlignLeft)
        self.add_switches(VIEWS)
        self.call = CallView(bench, actions)
        self.findings = FindingsView(bench, self.checks, net)
        self.discovery = DiscoveryView(bench, actions, self.checks, net, over)
        self.hunt = HuntView(bench, self.checks)
        self.phones = PhonesView(bench, self.call, house.focus, over)
        self.record = RecordView(bench, self.checks, over)
        made: tuple[PageView, ...] = (
            self.call,
            self.findings,
            self.discovery,
            self.hunt,
            self.phones,
            self.record,
        )
        self.take_views(dict(zip(VIEWS, made, strict=True)))
        self.findings.hunt_wanted.connect(self._hunt)
        self.findings.discover_wanted.connect(self._discover)
        self.findings.fix_devices.connect(self.discovery.offer)
        self.findings.fix_port.connect(self._set_port)
        bind_seen(bench.changed, self, self._say)
        bind(self.checks.changed, self, self._say)
        self._say()

    def actions(self) -> list[Action]:
        return actions_of(self)

    # ------------------------------------------------------------ views

    def visit(self, snag: Snag) -> None:
        if snag.units and snag.rule == "finding":
            self.show_finding(snag.units[0])
        elif snag.units:
            self.show_unit(snag.units[0])

    def show_view(self, name: str) -> None:
        super().show_view(name)
        self._asked_for = ""
        self.back.hide()

    def _lead(self, unit: str) -> None:
        """From a finding to the view just shown, and a way back."""
        found = self.bench.show.unit(unit)
        self._asked_for = unit
        self.back.setText(
            f"← Back to the finding of {found.number}" if found else "← Back to the findings"
        )
        self.back.show()

    def _back(self) -> None:
        self.show_finding(self._asked_for)

    def left(self) -> None:
        if self.view != "Call":  # a call goes on while one looks at other pages
            super().left()

    def begin(self, only: Sequence[str] | None = None) -> None:
        """Begin calling, and go where it can be seen. Raises EntryFault when nothing can be
        called.
        """
        self.call.begin(only)
        if self.house.current() not in ALSO:
            self.here("Call")

    def show_finding(self, unit: str) -> None:
        """The finding that is about a unit."""
        self.show_view("Findings")
        self.checks.conclude(lambda _: self.findings.choose(unit))

    def show_unit(self, unit: str) -> None:
        """The row of a unit in the call."""
        self.show_view("Call")
        self.call.find(unit)

    def shut_down(self) -> None:
        self.checks.shut_down()
        self.discovery.shut_down()
        self.phones.shut_down()

    def _say(self) -> None:
        called, left = callable_units(self.bench.show)
        parts = [str(len(called)), "units to call"]
        parts += [str(len(left)), "left out"] if left else []
        count = len(self.checks.findings)
        parts += [str(count), "finding" if count == 1 else "findings"] if count else []
        self.head.say(*parts)

    # ------------------------------------------------------------ acts

    def _discover(self, unit: str) -> None:
        self.acts.trigger("rdm.discover")
        self._lead(unit)

    def _hunt(self, unit: str, any_mode: bool) -> None:
        self.show_view("Hunt")
        self._lead(unit)
        self.hunt.take(unit)
        self.hunt.any_mode.setChecked(any_mode)
        self.hunt.begin()

    def _set_port(self, port: tuple[str, int, int]) -> None:
        """Set a port of a node back to the number the show expects."""
        node_id, index, number = port
        node = next((n for n in self.bench.show.nodes if n.id == node_id), None)
        found = next((f for f in self.net.view.nodes if node and f.ip == node.ip), None)
        if node is None or found is None:
            self.bench.tell("fault", "That node does not answer: set it at the node itself.")
            return

        def go() -> None:
            hub = self.net.start()
            for packet in packets(found, Wish(ports=(PortWish(index, number=number),))):
                hub.send(packet, found.ip)
            hub.poll_soon()
            fed = {o.universe for o in Reach(self.bench.show).of_port.get((node_id, index), ())}
            self.checks.set_anew(
                {u.id for u in self.bench.show.units if any(p.universe in fed for p in u.patch)}
            )
            self.bench.tell(
                "ok", f"Port {index} of {node.name} is set back. Call its units again to prove it."
            )

        self.bench.guard(go)
