"""The memory the interface and the engine share, and the engine's own small decisions."""

from __future__ import annotations

import time

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from isthmus.engine import Route
from isthmus.engine import shared as sh
from isthmus.engine.process import DARK_FRAMES, STALE, Sender
from isthmus.wire import artnet

ROUTES = st.lists(
    st.builds(Route, row=st.integers(0, 7), host=st.sampled_from(["127.0.0.5", "127.9.8.7"]), port_address=st.integers(0, 0x7FFF)),
    max_size=6,
)


@given(st.lists(st.tuples(ROUTES, st.integers(0, 255)), min_size=1, max_size=8))
@settings(max_examples=30, deadline=None)
def test_what_is_written_is_what_is_read_frame_and_routes_together(steps: list[tuple[list[Route], int]]) -> None:
    writer = sh.SharedFrames()
    reader = sh.SharedFrames(writer.fd)
    for routes, value in steps:
        frame = np.full(8 * 512, value, np.uint8)
        writer.write_routes(routes, frame)
        read = reader.read_routes()
        assert read is not None
        generation, found = read
        seen = reader.read_frame(generation)
        assert found == routes and seen is not None and (seen[: len(frame)] == value).all()
        assert reader.read_frame(generation - 1) is None
        writer.write_frame(np.full(8 * 512, 255 - value, np.uint8))
        newer = reader.read_frame(generation)
        assert newer is not None and newer[0] == 255 - value


def test_routes_being_written_are_not_read() -> None:
    frames = sh.SharedFrames()
    frames.words[sh.W_ROUTE_SEQ] = 3
    assert frames.read_routes() is None


class Wire:
    """A socket that keeps what is sent."""

    def __init__(self) -> None:
        self.sent: list[tuple[int, int, int]] = []

    def sendto(self, packet: bytes, to: tuple[str, int]) -> None:
        found = artnet.decode(bytes(packet))
        assert isinstance(found, artnet.ArtDmx)
        self.sent.append((found.port_address, found.sequence, found.slots[0]))


@pytest.fixture
def sender() -> Sender:
    frames = sh.SharedFrames()
    frames.words[sh.W_HOLD_MS] = 2000
    made = Sender(frames, "127.0.0.1")
    made.sockets = {True: Wire(), False: Wire()}  # type: ignore[dict-item]
    return made


def beat(sender: Sender, ago: float = 0.0) -> float:
    now = time.monotonic()
    sender.words[sh.W_HEARTBEAT] = int((now - ago) * 1e9)
    return now


def test_states_follow_the_switch_and_the_heartbeat(sender: Sender) -> None:
    sender.frames.write_routes([Route(0, "127.0.0.5", 3)], np.full(512, 9, np.uint8))
    wire = sender.sockets[True]
    sender.tick(beat(sender))
    assert wire.sent == [] and sender.state == sh.IDLE  # type: ignore[attr-defined]
    sender.words[sh.W_ENABLED] = 1
    for ago, state in ((0.0, sh.SENDING), (STALE + 0.1, sh.HOLDING), (STALE + 2.1, sh.DARK), (0.0, sh.SENDING)):
        sender.tick(beat(sender, ago))
        assert sender.state == state
    assert [level for _, _, level in wire.sent] == [9, 9, 0, 9]  # type: ignore[attr-defined]
    sender.words[sh.W_ENABLED] = 0
    for _ in range(6):
        sender.tick(beat(sender))
    assert [level for _, _, level in wire.sent][4:] == [0] * DARK_FRAMES  # type: ignore[attr-defined]


def test_sequences_go_round_without_zero_and_live_on_when_routes_change(sender: Sender) -> None:
    sender.words[sh.W_ENABLED] = 1
    a, b = Route(0, "127.0.0.5", 3), Route(0, "127.0.0.5", 4)
    sender.frames.write_routes([a], np.zeros(512, np.uint8))
    for _ in range(300):
        sender.tick(beat(sender))
    wire = sender.sockets[True]
    numbers = [n for _, n, _ in wire.sent]  # type: ignore[attr-defined]
    assert numbers == [i % 255 + 1 for i in range(300)]
    sender.frames.write_routes([b, a], np.zeros(512, np.uint8))
    sender.tick(beat(sender))
    assert [(p, n) for p, n, _ in wire.sent[-2:]] == [(4, 1), (3, 300 % 255 + 1)]  # type: ignore[attr-defined]


def test_an_address_that_cannot_be_sent_to_is_counted_and_the_others_go_on(sender: Sender) -> None:
    class Broken:
        def sendto(self, packet: bytes, to: tuple[str, int]) -> None:
            raise OSError(101, "Network is unreachable")

    sender.sockets[False] = Broken()  # type: ignore[assignment]
    sender.words[sh.W_ENABLED] = 1
    sender.frames.write_routes([Route(0, "2.0.0.9", 1), Route(0, "127.0.0.5", 2)], np.zeros(512, np.uint8))
    sender.tick(beat(sender))
    assert (sender.words[sh.S_ERRORS], sender.words[sh.S_ERRNO], sender.words[sh.S_PACKETS]) == (1, 101, 1)
