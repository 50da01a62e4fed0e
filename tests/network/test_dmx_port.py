"""A DMX port of the computer itself: a pseudo-terminal stands in for the adapter, and is read as a line is."""

from __future__ import annotations

import fcntl
import os
import pty
import select
import termios
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from helpers import hands
from helpers.hands import child, choose, retype
from helpers.tools import answer, until
from isthmus.app.pages.routes.dialogs.output import OutputDialog
from isthmus.demo import lantern_tide
from isthmus.engine import DMX, Engine, Route
from isthmus.errors import EntryFault
from isthmus.net.serial_ports import said, serial_ports
from isthmus.routes import edits
from isthmus.show import Show
from isthmus.show.records import Output

pytestmark = pytest.mark.network


class Line:
    """The far end of a serial port, `device` its near one; `name` outlives a pull of the plug."""

    def __init__(self, folder: Path) -> None:
        self.link = folder / "adapter"
        self.plug()

    def plug(self) -> None:
        self.far, self.near = pty.openpty()  # the near end stays open: else a far one cannot wait
        self.device = os.ttyname(self.near)
        self.link.unlink(missing_ok=True)
        self.link.symlink_to(self.device)

    def pull(self) -> None:
        self.close()
        self.link.unlink()

    def close(self) -> None:
        for end in (self.near, self.far):
            os.close(end)

    def packets(self, seconds: float) -> list[tuple[float, bytes]]:
        """(when, bytes) of the packets that come in so long; several may be read together where the
        machine was busy.
        """
        found: list[tuple[float, bytes]] = []
        end = time.monotonic() + seconds
        while (left := end - time.monotonic()) > 0:
            if select.select([self.far], [], [], left)[0]:
                now, data = time.monotonic(), os.read(self.far, 4096)
                if found and (less := 513 - len(found[-1][1])) > 0:
                    found[-1] = found[-1][0], found[-1][1] + data[:less]
                    data = data[less:]
                found += [(now, data[at : at + 513]) for at in range(0, len(data), 513)]
        return found


@pytest.fixture
def line(tmp_path: Path) -> Iterator[Line]:
    made = Line(tmp_path)
    yield made
    made.close()


def _engine(frame: bytes, device: str) -> Engine:
    engine = Engine()
    engine.start()
    engine.publish(np.frombuffer(frame, np.uint8), [Route(1, device, 2, 0, DMX)])
    engine.enable(True)
    return engine


def _state(engine: Engine) -> str:
    engine.beat()
    ports = engine.stats().ports
    return ports[0].state if ports else ""


def test_packets_are_a_zero_start_code_and_512_slots_at_the_line_rate(line: Line) -> None:
    levels = bytes(range(256)) * 2
    engine = _engine(bytes(512) + levels, line.device)
    try:
        assert until(lambda: _state(engine) == "sending", 20)
        near = os.open(line.device, os.O_RDWR | os.O_NOCTTY)
        speeds = termios.tcgetattr(near)
        os.close(near)
        assert speeds[2] & termios.CSTOPB and not speeds[2] & termios.PARENB
        assert speeds[2] & termios.CSIZE == termios.CS8
        engine.pace(dmx=20)
        line.packets(0.3)  # what waited, at the old rate
        engine.beat()
        came = line.packets(1.0)
        assert {data for _, data in came[1:-1]} == {b"\0" + levels}
        slow = len(came)
        assert slow <= 21  # never faster than asked

        def faster() -> bool:
            engine.beat()
            return slow < len(line.packets(1.0)) <= 42

        engine.pace(dmx=40)
        assert until(faster, 20)  # its own rate, as soon as the machine lets it
        engine.enable(False)
        ended = line.packets(0.8)
        assert [data for _, data in ended[-3:]] == [bytes(513)] * 3 and not line.packets(0.3)
    finally:
        engine.stop()


def test_a_port_pulled_out_is_told_and_gone_on_with_when_it_is_back(line: Line) -> None:
    engine = _engine(bytes(512) + b"\x07" * 512, str(line.link))
    try:
        assert until(lambda: _state(engine) == "sending", 20)
        line.pull()
        assert until(lambda: _state(engine) == "gone", 20)
        line.plug()
        assert until(lambda: _state(engine) == "sending", 20)
        assert b"\0" + b"\x07" * 512 in {data for _, data in line.packets(0.5)}
    finally:
        engine.stop()


def test_a_port_of_another_program_or_of_another_kind_is_told_with_what_to_do(line: Line) -> None:
    other = os.open(line.device, os.O_RDWR | os.O_NOCTTY)
    fcntl.flock(other, fcntl.LOCK_EX)
    engine = _engine(bytes(1024), line.device)
    try:
        assert until(lambda: _state(engine) == "taken", 20)
        assert "another program" in said("taken", line.device)
        fcntl.flock(other, fcntl.LOCK_UN)
        assert until(lambda: _state(engine) == "sending", 20)
        engine.publish(np.zeros(1024, np.uint8), [Route(1, "/dev/null", 2, 0, DMX)])
        assert until(lambda: _state(engine) == "unfit", 20)
    finally:
        os.close(other)
        engine.stop()


def test_who_may_not_open_a_port_is_told_which_group_to_join(
    monkeypatch: pytest.MonkeyPatch, line: Line
) -> None:
    monkeypatch.setenv("ISTHMUS_DMX_PORTS", line.device)
    assert [p.trouble for p in serial_ports() if p.device == line.device] == [""]
    monkeypatch.setattr(os, "access", lambda *_: False)
    (port,) = (p for p in serial_ports() if p.device == line.device)
    assert "join the group " in port.trouble and "usermod -aG" in port.trouble
    assert said("denied", line.device) == port.trouble


def test_one_port_sends_one_universe_and_the_command_sends_by_it(
    line: Line, tmp_path: Path
) -> None:
    show = edits.add(lantern_tide(), _output(1, line.device))
    with pytest.raises(EntryFault, match="already"):
        edits.add(show, _output(2, line.device))
    for wrong in ("", "COM3", "/etc/passwd", "/dev/../etc/passwd"):
        with pytest.raises(EntryFault):
            edits.add(show, _output(2, wrong))
    path = tmp_path / "port.isthmus"
    code, _ = answer("routes", "set", "demo", "1", "--dmx", line.device, "--save", str(path))
    assert code == 0
    code, listed = answer("routes", "list", str(path))
    assert any(o["protocol"] == "dmx" for o in listed["outputs"])
    sent = []

    def listen() -> None:
        sent.extend(data for _, data in line.packets(8))

    ear = threading.Thread(target=listen)
    ear.start()
    code, data = answer("send", str(path), "--unit", "101", "--seconds", "1.5", "--outputs", "1")
    ear.join()
    assert code == 0 and data["dmx_ports"][0]["packets"] > 5 and data["errors"] == 0
    lit = [d for d in sent if len(d) == 513 and any(d[1:])]
    assert lit and lit[0][0] == 0 and sent[-1] == bytes(513)  # dark at the end


def _output(universe: int, device: str) -> Output:
    return Output(
        id=f"o{universe}", universe=universe, protocol="dmx", delivery="serial", device=device
    )


def test_a_port_is_chosen_in_the_window_and_what_becomes_of_it_is_told(
    make_window, demo: Show, line: Line, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("ISTHMUS_DMX_PORTS", str(line.device))
    window = make_window(replace(demo, outputs=(), nodes=()), page="Routes")
    page = window.pages["Routes"]
    box = OutputDialog(window, window.bench, Output(id="new", universe=1))
    box.show()
    choose(child(box, "Protocol"), "DMX")
    assert not child(box, "Host").isEnabled() and line.device in box.told.text()
    retype(child(box, "Universe"), "1-2")
    assert "one universe" in box.told.text()
    retype(child(box, "Universe"), "1")
    assert box._act_now()
    box.close()
    (made,) = window.bench.show.outputs
    assert (made.protocol, made.delivery, made.device) == ("dmx", "serial", line.device)
    page.show_view("Network")
    window.output.switch(True)
    seen = threading.Event()

    def take() -> None:  # a line takes what comes
        while not seen.is_set():
            line.packets(0.1)

    taking = threading.Thread(target=take)
    taking.start()
    try:
        assert hands.until(lambda: window.bench.known.ports.get(line.device) == "sending", 20)
    finally:
        seen.set()
        taking.join()
    # nobody takes what is sent any more: the line is full
    assert hands.until(lambda: "does not take what is sent" in window.notice.words, 20)
    line.pull()
    assert hands.until(lambda: "plug it in," in window.notice.words, 20)
    line.plug()
