"""Datagrams in batches, clocks of two protocols, sockets handed on, and engines that outlive their interface."""

from __future__ import annotations

import errno
import os
import socket
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from helpers.tools import until
from isthmus.engine import SACN, Engine, Route
from isthmus.engine import shared as sh
from isthmus.engine.lane import BUNCH, Lane
from isthmus.engine.process import Clock
from isthmus.engine.process import Engine as Sending
from isthmus.errors import EntryFault, NetworkFault
from isthmus.net import Hub
from isthmus.sockets import Outlets, Receiver, Sender, open_sender, receive_message, send_message


def bound(address: str = "127.0.0.71", port: int = 0) -> socket.socket:
    sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    sock.bind((address, port))
    sock.setblocking(False)
    return sock


@given(st.lists(st.binary(min_size=1, max_size=640), min_size=1, max_size=40), st.data())
@settings(max_examples=10)
def test_what_is_sent_in_a_batch_arrives_whole_in_order_with_its_sender(
    payloads: list[bytes], data: st.DataObject
) -> None:
    rows = data.draw(st.lists(st.integers(0, len(payloads) - 1), min_size=1, max_size=60))
    with bound() as target, bound("127.0.0.72") as source:
        buffers = np.zeros((len(payloads), 640), np.uint8)
        for at, payload in enumerate(payloads):
            buffers[at, : len(payload)] = np.frombuffer(payload, np.uint8)
        sender = Sender(buffers, [len(p) for p in payloads], [target.getsockname()] * len(payloads))
        assert sender.send(source.fileno(), np.array(rows)) == (len(rows), 0, 0)
        receiver = Receiver(batch=7)
        found: list[tuple[bytes, int, int]] = []
        while len(found) < len(rows):
            found += [(bytes(view), ip, port) for view, ip, port in receiver.take(target.fileno())]
        assert [payload for payload, _, _ in found] == [payloads[row] for row in rows]
        assert {(ip, port) for _, ip, port in found} == {(0x7F000048, source.getsockname()[1])}
        assert list(receiver.take(target.fileno())) == []  # nothing waits


def test_one_that_cannot_be_sent_is_left_out_and_the_rest_go() -> None:
    with bound() as target, bound("127.0.0.72") as source:
        targets = [
            target.getsockname(),
            ("255.255.255.255", 9),
            target.getsockname(),
        ]  # broadcasting is not allowed on this socket
        sender = Sender(np.ones((3, 8), np.uint8), [8, 8, 8], targets)
        assert sender.send(source.fileno(), np.arange(3)) == (2, 1, errno.EACCES)
        assert len(list(Receiver().take(target.fileno()))) == 2


def test_sockets_and_words_go_to_another_process_and_its_end_is_noticed() -> None:
    mine, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
    with bound() as target:
        send_message(mine, {"kind": "sockets", "names": ["a"]}, [target.fileno()])
        message, handles = receive_message(theirs) or ({}, [])
        assert message == {"kind": "sockets", "names": ["a"]} and len(handles) == 1
        with socket.socket(fileno=handles[0]) as other:
            assert other.getsockname() == target.getsockname()
    mine.close()
    assert receive_message(theirs) is None
    theirs.close()


def test_a_taken_port_gives_way_and_an_address_of_nobody_is_refused() -> None:
    first, trouble = open_sender("127.0.0.73", 6454)
    second, told = open_sender("127.0.0.73", 6454)
    assert (
        not trouble
        and first.getsockname()[1] == 6454 != second.getsockname()[1]
        and "6454 of 127.0.0.73 is taken" in told
    )
    first.close()
    second.close()
    with pytest.raises(NetworkFault, match="nothing can be sent from it"):
        open_sender("203.0.113.9", 6454)
    outlets = Outlets.open("203.0.113.9", "127.0.0.1")
    assert (
        "artnet local" in outlets.sockets
        and "artnet out" not in outlets.sockets
        and any("203.0.113.9" in words for words in outlets.trouble)
    )
    outlets.close()


@given(st.integers(1, 400), st.integers(0, 200))
@settings(max_examples=8)
def test_every_route_is_in_one_bunch_and_a_stream_once_in_each(
    universes: int, prioritised: int
) -> None:
    routes = [Route(n, "127.0.0.5", n + 1, 5568, SACN) for n in range(universes)]
    routes += [
        Route(0, "127.0.0.5", n + 1, 5568, sh.SACN_PRIORITY)
        for n in range(min(prioritised, universes))
    ]
    lane = Lane(routes, sh.Identity(), np.zeros(sh.MAX_ROUTES, np.uint8))
    assert sorted(np.concatenate(lane.bunches).tolist()) == list(range(len(routes)))
    for bunch in lane.bunches:
        assert len(bunch) <= BUNCH and len(set(lane.stream[bunch].tolist())) == len(bunch)


def test_each_protocol_ticks_at_its_own_rate_and_a_new_rate_holds_at_once(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    now = [1000.0]
    monkeypatch.setattr(time, "monotonic", lambda: now[0])
    monkeypatch.setattr(time, "sleep", lambda seconds: now.__setitem__(0, now[0] + seconds))
    engine = Sending(sh.SharedFrames())
    ticks: list[tuple[int, float]] = []
    engine.tick = lambda at, bunch, when: ticks.append((at, when)) if bunch == 0 else None  # type: ignore[method-assign]
    engine.words[sh.W_RATE_ARTNET], engine.words[sh.W_RATE_SACN] = 40_000, 10_000
    clock = Clock(engine)

    def count(seconds: float) -> tuple[int, int]:
        ticks.clear()
        end = now[0] + seconds
        while now[0] < end:
            clock.step()
        return sum(at == 0 for at, _ in ticks), sum(at == 1 for at, _ in ticks)

    assert count(2.0) == (pytest.approx(80, abs=2), pytest.approx(20, abs=2))
    engine.words[sh.W_RATE_SACN] = 44_000
    assert count(2.0)[1] == pytest.approx(88, abs=6)
    now[0] += 3600.0  # the machine slept
    many = count(1.0)
    assert (
        many[0] <= 42 and engine.words[sh.S_LATE] >= 1
    )  # it goes on from here rather than catch up
    spacing = np.diff([when for at, when in ticks if at == 0])
    assert np.allclose(spacing, 1 / 40, atol=1e-6)


@pytest.mark.network
def test_an_engine_left_over_by_a_killed_interface_is_sent_home_by_the_next_one(
    tmp_path: Path,
) -> None:
    note = tmp_path / "engine.pid"
    code = (
        "import time, sys, numpy as np; from pathlib import Path; from isthmus.engine import Engine, Route\n"
        "e = Engine(60, Path(sys.argv[1])); e.start(); e.publish(np.full(512, 50, np.uint8), [Route(0, '127.0.0.9', 1)]); e.enable(True)\n"
        "print(e.stats().pid, flush=True)\nwhile True: e.beat(); time.sleep(0.1)"
    )
    with subprocess.Popen(
        [sys.executable, "-c", code, str(note)], stdout=subprocess.PIPE, text=True
    ) as owner:
        assert owner.stdout
        pid = int(owner.stdout.readline())
        time.sleep(0.5)
        owner.kill()
    assert Path(f"/proc/{pid}").exists() and note.read_text().split()[0] == str(
        pid
    )  # it holds the last look
    fresh, hub = Engine(1, note), Hub()
    hub.start()
    try:
        assert hub.outlets.source_port != 6454 and any(
            "is taken" in words for words in hub.view.trouble
        )
        assert fresh.send_home() and not fresh.send_home()
        hub.reopen()
        fresh.use(hub.outlets)
        fresh.start()
        assert until(lambda: not Path(f"/proc/{pid}").exists(), 3)
        assert note.read_text().split() == [str(fresh.stats().pid), str(os.getpid())]
        assert (
            fresh.outlets and fresh.outlets.source_port == 6454 and not hub.view.trouble
        )  # and gave the port back
    finally:
        fresh.stop()
        hub.stop()
    assert not note.exists()


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("drop=0.2", {"drop": 0.2}),
        ("ports=[0,5], merge=ltp", {"ports": [0, 5], "merge": "ltp"}),
        ("ip=127.0.0.7 ,twin=true", {"ip": "127.0.0.7", "twin": True}),
        ("", {}),
    ],
)
def test_changes_of_the_stand_in_are_read_as_they_are_typed(text: str, found: dict) -> None:
    from isthmus.app.pages.routes.views.rig import read_changes

    assert read_changes(text) == found
    with pytest.raises(EntryFault, match="says nothing"):
        read_changes(text + ", nonsense")
