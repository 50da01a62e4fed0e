"""Every kind of fault over real UDP: a rig hangs with it, the observer calls it, findings name it, fixed all answer."""

from __future__ import annotations

import contextlib
import os
import socket
import threading
from collections.abc import Iterator

import pytest
from msgspec.structs import replace

from helpers.hands import findings_now, press, settle, until
from isthmus.app.shell.window import Window
from isthmus.check import Manner
from isthmus.check.acts import KINDS
from isthmus.check.findings.told import FindingTold, findings_of
from isthmus.demo import shipped_profiles
from isthmus.output import Live
from isthmus.output.live import highlight
from isthmus.profiles import chart, light_program, profiles_of
from isthmus.show.records import SLOTS, Show
from isthmus.standin import RigClient, StandInRig, generate
from isthmus.standin.caller import Caller
from isthmus.standin.generate import KINDS as FAULT_KINDS
from isthmus.standin.generate import Fault, MadeRig, make_rig
from isthmus.wire import artnet

BY_HAND = {
    "dead",
    "lamp",
    "double",
    "port dark",
    "node dark",
    "sender",
}  # nothing in the show fixes these


IN_THE_WINDOW = {"address", "swapped", "port number"}  # and whatever eyes alone leave open


class Wire:
    """What the show sends, as plain Art-Net from a socket of this process; and who answers polls."""

    def __init__(self) -> None:
        self.socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.socket.bind(("127.0.0.1", 0))
        self.socket.settimeout(0.1)
        self.number = 0

    def send(self, live: Live) -> None:
        for _ in range(3):
            for output in live.show.outputs:
                if output.enabled:
                    row = live.compiled.universes.index(output.universe)
                    self.number = self.number % 255 + 1
                    packet = artnet.encode_dmx(
                        self.number,
                        output.port_address,
                        live.frame[row * SLOTS : (row + 1) * SLOTS].tobytes(),
                    )
                    self.socket.sendto(packet, (output.host, artnet.PORT))


@contextlib.contextmanager
def hanging(made: MadeRig) -> Iterator[RigClient]:
    """The made-up rig on its sockets, with what is dark, off or sent by others."""
    rig = StandInRig(made.loaded)
    thread = threading.Thread(target=rig.serve, daemon=True)
    thread.start()
    client = RigClient(rig.address)
    try:
        for name in made.off:
            client.do("node", name=name, on=False)
        for name, port in made.dark:
            client.do("node", name=name, dead=[port + 1])
        for universe in made.senders:
            output = next(o for o in made.show.outputs if o.universe == universe)
            client.do(
                "send",
                number=output.port_address,
                to=output.host,
                slots=all_on(made.show, universe),
            )
        yield client
    finally:
        client.close()
        rig.stop()
        thread.join(5)
        rig.close()


def all_on(show: Show, universe: int) -> str:
    """The slots of another unit's hub that has everything of a universe on."""
    live = Live(show)
    for unit in show.units:
        found = profiles_of(show).mode_of(unit)
        assert found
        live.ask(highlight(light_program(*found), unit.id, 1.0))
    row = live.compiled.universes.index(universe)
    return live.frame[row * SLOTS : (row + 1) * SLOTS].tobytes().hex()


def called(show: Show, client: RigClient, wire: Wire) -> Show:
    caller = Caller(show, client, wire.send)
    caller.warm_up()
    return caller.round(Manner(kinds=KINDS))


def by_hand(fault: Fault, made: MadeRig, client: RigClient) -> None:
    """What only hands fix, at the unit, the port, the node, or the other desk."""
    client.do("quiet")
    for node in made.show.nodes:
        client.do(
            "node", name=node.name, on=False
        )  # what it merged is forgotten at once, and not after ten seconds
        client.do("node", name=node.name, on=True)
        client.do("node", name=node.name, dead=[])
    for unit in fault.units:
        patched = made.show.unit(unit)
        assert patched is not None
        client.do("unit", label=str(patched.number), faults=[], address=patched.patch[0].address)


def apart(made: MadeRig) -> bool:
    """Whether no two units of the rig really hang on the same slots: then it can answer as a whole."""
    taken: set[tuple[str, int, int]] = set()
    for unit, mode in zip(made.loaded.scenario.units, made.loaded.modes, strict=True):
        width = chart(made.loaded.profiles[unit.profile][0], mode).footprint
        mine = {(unit.node, unit.port, unit.address + i) for i in range(width)}
        if taken & mine:
            return False
        taken |= mine
    return True


# one of each way to the rig and back; with ISTHMUS_LONG=1 every kind
SOME = (
    *("dead", "address", "mode", "run", "swapped", "pan inverted"),
    *("port number", "ports exchanged", "sender", "node dark"),
)


@pytest.mark.network
@pytest.mark.parametrize("kind", FAULT_KINDS if os.environ.get("ISTHMUS_LONG") else SOME)
def test_a_rig_with_this_fault_is_called_told_and_fixed(
    kind: str, make_window, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(generate, "SIZE", (4, 4) if kind == "run" else (2, 3))
    monkeypatch.setattr(
        "isthmus.net.talk.PAUSE", 0.0
    )  # simulated lines need no breath between questions
    rigs = (make_rig(seed, shipped_profiles(), 1, (kind,)) for seed in range(900, 2000))
    made = next(
        m for m in rigs if m.faults and len(m.show.units) < 15 and (kind == "double" or apart(m))
    )
    fault, wire = made.faults[0], Wire()
    with wire.socket, hanging(made) as client:
        show = called(made.show, client, wire)
        fixed = None if kind in IN_THE_WINDOW else fixed_at_once(show, fault)
        if fixed is None:
            fixed = fixed_in_the_window(make_window(show, page="Roll call"), fault)
        if kind in BY_HAND:
            by_hand(fault, made, client)
        settle(0.3)  # what is set at a node is set there by then
        again = called(replace(fixed, verdicts=()), client, wire)
    left = {v.unit: (v.result, v.what) for v in again.verdicts if v.result != "works"}
    assert not left, (kind, left)


def fixed_at_once(show: Show, fault: Fault) -> Show | None:
    """The show fixed by its first finding; None when that does not name the fault for sure."""
    told = next((t for t in findings_of(show)[0] if set(t.units) & set(fault.units)), None)
    if told is None or told.kind != fault.kind:
        return None
    if fault.kind in BY_HAND:
        return show
    edit = next((fix.edit for fix in told.fixes if fix.edit), None)
    return edit(show) if edit else None


def fixed_in_the_window(window: Window, fault: Fault) -> Show:
    """The show as a person leaves it who looks at the findings and presses what they offer."""
    kind = fault.kind
    page, bench = window.pages["Roll call"], window.bench
    press(page, "view Findings")
    assert until(lambda: bench.known.network.looked, 20)

    def told() -> FindingTold:
        findings_now(page.checks)
        page.findings.choose(fault.units[0])
        found = page.findings._shown
        assert found is not None and set(found.units) & set(fault.units), page.checks.findings
        return found

    assert kind in {told().kind, *(r.kind for r in told().rivals)}, (told(), fault)
    if told().kind != kind or (kind == "address" and not told().fixes):
        press(page, "ask devices")  # eyes alone leave a choice here
        assert until(lambda: page.checks.found is not None and page.discovery.task is None, 60)
        press(page, "back to finding")
        shown = page.findings._shown
        assert page.view == "Findings" and shown is not None and fault.units[0] in shown.units
    assert told().kind == kind, (told(), fault)
    if kind not in BY_HAND:
        press(page, "fix")
    window.net.look(False)
    return bench.show
