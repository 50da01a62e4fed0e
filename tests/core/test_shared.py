"""The memory the interface and the engine share, and the engine's own small decisions."""

from __future__ import annotations

import errno
import random
import socket
import time

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from isthmus.engine import SACN, SACN_PRIORITY, Identity, Route
from isthmus.engine import shared as sh
from isthmus.engine.lane import ENDINGS
from isthmus.engine.process import STALE, Engine
from isthmus.wire import artnet, sacn

CID = bytes(range(16))
ROUTES = st.lists(
    st.builds(
        Route,
        row=st.integers(0, 7),
        host=st.sampled_from(["127.0.0.5", "127.9.8.7"]),
        number=st.integers(0, 0x7FFF),
        kind=st.sampled_from([0, SACN]),
        sync=st.integers(0, 9),
    ),
    max_size=6,
)


@given(st.lists(st.tuples(ROUTES, st.integers(0, 255)), min_size=1, max_size=8))
@settings(max_examples=8)
def test_what_is_written_is_what_is_read_frame_and_routes_together(
    steps: list[tuple[list[Route], int]],
) -> None:
    writer = sh.SharedFrames()
    reader = sh.SharedFrames(writer.fd)
    for routes, value in steps:
        frame = np.full(8 * 512, value, np.uint8)
        writer.write_routes(routes, frame, Identity(CID, "é" * value))
        read = reader.read_routes()
        assert read is not None
        generation, found, who = read
        assert who.cid == CID and "é" * 20 in who.source + "é" * 20
        seen = reader.read_frame(generation, 8)
        assert found == routes and seen is not None and (seen == value).all()
        assert reader.read_frame(generation - 1, 8) is None
        writer.write_frame(np.full(8 * 512, 255 - value, np.uint8))
        newer = reader.read_frame(generation, 1)
        assert newer is not None and (newer == 255 - value).all()


def test_routes_being_written_are_not_read() -> None:
    frames = sh.SharedFrames()
    frames.words[sh.W_ROUTE_SEQ] = 3
    assert frames.read_routes() is None


def test_routes_and_the_frame_laid_out_for_them_are_taken_together_while_others_are_written(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """However the writing falls between the steps of reading: each row holds the number of the route that reads it."""
    engine = Engine(sh.SharedFrames())
    writer = sh.SharedFrames(engine.frames.fd)
    chance = np.random.default_rng(7)

    def write() -> None:
        rows = chance.permutation(8)[:5].tolist()
        frame = np.zeros((8, 512), np.uint8)
        frame[rows] = np.arange(1, 6)[:, None]
        writer.write_routes(
            [Route(row, "127.0.0.5", number + 1) for number, row in enumerate(rows)],
            frame.reshape(-1),
        )

    def between(name: str) -> None:
        plain = getattr(sh.SharedFrames, name)

        def read(self: sh.SharedFrames, *given: int) -> object:
            found = plain(self, *given)
            if chance.random() < 0.5:
                write()
            return found

        monkeypatch.setattr(sh.SharedFrames, name, read)

    write()
    between("read_routes")
    between("read_frame")
    taken = set()
    for _ in range(200):
        engine.take()
        lane = engine.lanes[0]
        assert lane is None or [engine.frame[r.row, 0] for r in lane.routes] == [
            r.number for r in lane.routes
        ]
        taken.add(engine.generation)
    assert len(taken) > 20  # and it does get on


@pytest.mark.slow
@given(
    st.lists(st.integers(0, 3), min_size=8, max_size=8),
    st.randoms(use_true_random=False),
    st.booleans(),
)
@settings(max_examples=15)
def test_whatever_order_another_core_sees_the_writing_in_a_mixture_is_never_taken(
    frames: list[int], chance: random.Random, new_routes: bool
) -> None:
    """What one write changes in the memory becomes visible eight bytes at a time, in any order."""
    writer = sh.SharedFrames()
    routes = [Route(row, "127.0.0.5", row + 1) for row in range(8)]
    writer.write_routes(routes, np.repeat(np.arange(8, dtype=np.uint8), 512), Identity(CID, "A"))
    before = np.frombuffer(bytes(writer.map), np.uint64).copy()
    frame = np.repeat(np.array(frames, np.uint8), 512)
    if new_routes:
        writer.write_routes(routes[::-1], frame, Identity(CID, "B"))
    else:
        writer.write_frame(frame)
    after = np.frombuffer(bytes(writer.map), np.uint64).copy()
    changed = np.flatnonzero(before != after).tolist()
    chance.shuffle(changed)
    seen = sh.SharedFrames()
    memory = np.frombuffer(seen.map, np.uint64)
    memory[:] = before
    taken = 0
    for start in range(0, len(changed) + 1, max(1, len(changed) // 24)):
        memory[:] = before
        memory[changed[:start]] = after[changed[:start]]
        read = seen.read_routes()
        if read is not None:
            assert (read[1], read[2].source) in ((routes, "A"), (routes[::-1], "B"))
            found = seen.read_frame(read[0], 8)
            if found is not None:
                rows = found[:, 0].tolist()
                assert rows in (list(range(8)), frames) and (found == found[:, :1]).all()
                assert not new_routes or (rows == frames) == (read[2].source == "B")
                taken += 1
    memory[:] = after
    assert taken and seen.read_frame(int(after[sh.W_ROUTE_GENERATION]), 8) is not None


class Wire:
    """Keeps what an engine sends instead of sending it."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self.sent: list[artnet.ArtDmx | sacn.Data] = []
        self.others: list[tuple[object, str]] = []
        engine.post = self.post  # type: ignore[method-assign]
        engine._post_one = lambda packet, host, port: self.others.append(
            (artnet.decode(packet) or sacn.decode(packet), host)
        )  # type: ignore[method-assign]
        engine.words[sh.W_HOLD_MS] = 2000
        engine.words[sh.W_RATE_ARTNET] = engine.words[sh.W_RATE_SACN] = 44000

    def post(self, sender, rows, local) -> None:
        for row in rows:
            packet = bytes(sender.buffers[row])
            found = artnet.decode(packet) or sacn.decode(packet)
            assert found
            self.sent.append(found)

    def tick(self, ago: float = 0.0, at: float | None = None) -> list[artnet.ArtDmx | sacn.Data]:
        """One whole tick of both protocols, `ago` seconds after the interface was last heard of."""
        now = time.monotonic() if at is None else at
        self.engine.words[sh.W_HEARTBEAT] = int((now - ago) * 1e9)
        before = len(self.sent)
        for lane in (0, 1):
            self.engine.tick(lane, 0, now)
            for bunch in range(
                1, len(self.engine.lanes[lane].bunches) if self.engine.lanes[lane] else 0
            ):
                self.engine.tick(lane, bunch, now)
        return self.sent[before:]


@pytest.fixture
def wire() -> Wire:
    made = Wire(Engine(sh.SharedFrames()))
    made.engine.words[sh.W_ENABLED] = 1
    return made


def lay(wire: Wire, routes: list[Route], level: int = 9, rows: int = 1) -> None:
    wire.engine.frames.write_routes(
        routes, np.full(512 * rows, level, np.uint8), Identity(CID, "Lantern Tide")
    )


def test_states_follow_the_switch_and_the_heartbeat(wire: Wire) -> None:
    lay(wire, [Route(0, "127.0.0.5", 3)])
    wire.engine.words[sh.W_ENABLED] = 0
    assert wire.tick() == [] and wire.engine.state == sh.IDLE
    wire.engine.words[sh.W_ENABLED] = 1
    for ago, state, levels in (
        (0.0, sh.SENDING, [9]),
        (STALE + 0.1, sh.HOLDING, [9]),
        (STALE + 2.1, sh.DARK, [0]),
        (0.0, sh.SENDING, [9]),
    ):
        assert [p.slots[0] for p in wire.tick(ago)][:1] == levels and wire.engine.state == state
    wire.engine.words[sh.W_ENABLED] = 0
    assert [p.slots[0] for _ in range(6) for p in wire.tick()] == [0] * ENDINGS


def test_sequences_go_round_live_on_when_routes_change_and_what_is_left_behind_goes_dark(
    wire: Wire,
) -> None:
    a, b, s = (
        Route(0, "127.0.0.5", 3),
        Route(0, "127.0.0.5", 4),
        Route(0, "127.0.0.5", 7, sacn.PORT, SACN, 120),
    )
    lay(wire, [a, s])
    sent = [p for _ in range(300) for p in wire.tick()]
    assert [p.sequence for p in sent if isinstance(p, artnet.ArtDmx)] == [
        i % 255 + 1 for i in range(300)
    ]  # never 0: that means no order
    numbers = [p.sequence for p in sent if isinstance(p, sacn.Data)]
    assert numbers == [(i + 1) % 256 for i in range(300)] and {
        (p.cid, p.source, p.priority) for p in sent if isinstance(p, sacn.Data)
    } == {(CID, "Lantern Tide", 120)}
    lay(wire, [b, a])
    after = [wire.tick() for _ in range(5)]
    assert [(p.port_address, p.sequence) for p in after[0] if isinstance(p, artnet.ArtDmx)] == [
        (4, 1),
        (3, 300 % 255 + 1),
    ]
    ended = [p for tick in after for p in tick if isinstance(p, sacn.Data)]
    assert len(ended) == ENDINGS and all(
        p.terminated and not any(p.slots) for p in ended
    )  # E1.31, 6.2.6
    lay(wire, [b])
    left = [p for _ in range(5) for p in wire.tick() if p.port_address == 3]
    assert len(left) == ENDINGS and not any(any(p.slots) for p in left)


def test_what_does_not_change_rests_and_is_kept_alive(wire: Wire) -> None:
    wire.engine.words[sh.W_CHANGED_ONLY] = 1
    lay(wire, [Route(0, "127.0.0.5", 3), Route(1, "127.0.0.5", 4)], rows=2)
    times: dict[int, list[int]] = {3: [], 4: []}
    for turn in range(220):  # five seconds
        if turn == 100:
            wire.engine.frames.write_frame(np.repeat(np.array([9, 50], np.uint8), 512))
        for packet in wire.tick(at=1000 + turn / 44):
            times[packet.port_address].append(turn)
    assert 6 <= len(times[3]) <= 10 and max(np.diff(times[3])) <= 44
    assert 100 in times[4] and 9 <= len(times[4]) <= 14


def test_priorities_by_address_sync_and_discovery(wire: Wire) -> None:
    group = sacn.multicast(7)
    routes = [
        Route(0, group, 7, sacn.PORT, SACN, 100, 40),
        Route(1, group, 7, sacn.PORT, SACN_PRIORITY),
        Route(0, "127.0.0.5", 3),
    ]
    wire.engine.words[sh.W_ARTNET_SYNC] = 1
    wire.engine.frames.write_routes(
        routes, np.repeat(np.array([9, 100], np.uint8), 512), Identity(CID, "Lantern Tide")
    )
    sent = [
        p for turn in range(88) for p in wire.tick(at=1000 + turn / 44) if isinstance(p, sacn.Data)
    ]
    slow = [p for p in sent if p.start_code == sacn.PER_ADDRESS_PRIORITY]
    assert (
        3 <= len(slow) <= 6
        and set(slow[0].slots) == {100}
        and [p.sequence for p in sent] == [(i + 1) & 0xFF for i in range(len(sent))]
    )
    syncs = [(p, host) for p, host in wire.others if isinstance(p, sacn.Sync)]
    assert len(syncs) == 88 and syncs[1] == (sacn.Sync(CID, 40, 1), sacn.multicast(40))
    told = [(p, host) for p, host in wire.others if isinstance(p, sacn.Discovery)]
    assert told == [
        (sacn.Discovery(CID, "Lantern Tide", 0, 0, (7,)), "239.255.250.214")
    ]  # one in ten seconds
    assert (
        "127.255.255.255" in {host for p, host in wire.others if isinstance(p, artnet.ArtSync)}
    ) is True


def test_an_address_that_cannot_be_sent_to_is_counted_and_the_others_go_on() -> None:
    engine = Engine(sh.SharedFrames())
    engine.words[sh.W_ENABLED], engine.words[sh.W_HEARTBEAT] = 1, time.monotonic_ns()
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as local:
        engine.sockets = {"artnet local": local.fileno()}
        engine.frames.write_routes(
            [Route(0, "2.0.0.9", 1), Route(0, "127.0.0.5", 2)], np.zeros(512, np.uint8)
        )
        engine.tick(0, 0, time.monotonic())
    assert (engine.words[sh.S_ERRORS], engine.words[sh.S_ERRNO], engine.words[sh.S_PACKETS]) == (
        1,
        errno.ENETUNREACH,
        1,
    )
