"""The watch and the hub: what is heard, from whom, whether anything was lost; nodes found and set over real sockets."""

from __future__ import annotations

import json
import os
import random
import shutil
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from helpers.tools import OWN_NETWORK, ip, until
from isthmus.demo import lantern_tide
from isthmus.engine import SACN, Engine, Identity, Route
from isthmus.errors import FileFault
from isthmus.net import Hub, compare
from isthmus.net.setting import PortWish, Wish, left_undone, packets
from isthmus.routes import edits as route_edits
from isthmus.snags import SnagBook
from isthmus.sockets import Outlets
from isthmus.standin import RigClient
from isthmus.watch import Playing, Watch, read_capture
from isthmus.watch.hearing import Hearing
from isthmus.watch.shared import MAX_SOURCES, T_FULL, SharedTable
from isthmus.wire import artnet, pcapng, sacn

CID = bytes(range(16))
multicast = pytest.mark.skipif(
    not OWN_NETWORK, reason="needs a network namespace of its own (root)"
)


@pytest.fixture(autouse=True)
def impatient(monkeypatch: pytest.MonkeyPatch) -> None:
    """A node counts as silent sooner: still more than one poll."""
    monkeypatch.setattr("isthmus.net.found.SILENT", 4.0)


class Ear:
    """A hearing with a table, fed packet by packet."""

    def __init__(self) -> None:
        self.others: list[bytes] = []
        self.hearing = Hearing(SharedTable(), lambda data, ip, port: self.others.append(data))
        self.now = 100.0

    def say(self, packet: bytes, ip: int = 0x7F000001) -> None:
        self.hearing.take(memoryview(packet), ip, 6454, self.now)

    def rows(self) -> list[dict]:
        self.hearing.flush(self.now)
        rows = self.hearing.table.rows
        return [
            {name: rows[at][name] for name in rows.dtype.names or ()}
            | {"level": int(self.hearing.table.levels[at, 0])}
            for at in np.flatnonzero(rows["kind"])
        ]


def test_more_sources_than_there_is_room_for_are_counted_and_come_in_when_others_fall_silent() -> (
    None
):
    ear = Ear()
    for more in range(MAX_SOURCES + 700):
        ear.now += 0.001
        ear.say(artnet.encode_dmx(1, 3, bytes(512)), 0x7F010000 + more)
    assert len(ear.rows()) == MAX_SOURCES and ear.hearing.words[T_FULL] == 700
    ear.now += 31.0
    ear.say(artnet.encode_dmx(1, 3, bytes([9]) * 512), 0x7F020000)
    assert any(row["level"] == 9 for row in ear.rows())


def test_every_source_is_kept_apart_with_its_name_priority_rate_and_what_it_lost() -> None:
    ear = Ear()
    for turn in range(120):
        ear.now += 1 / 40
        if turn % 10:  # every tenth is lost
            ear.say(artnet.encode_dmx(turn % 255 + 1, 3, bytes([turn % 7]) * 512))
        ear.say(artnet.encode_dmx(0, 3, bytes(2)), ip=0x7F000009)  # does not count its packets
        ear.say(
            sacn.encode_data(sacn.Data(CID, "Quay desk", 3, turn & 255, bytes([9]) * 512, 120, 7))
        )
    by = {(int(r["kind"]), int(r["ip"])): r for r in ear.rows()}
    assert len(by) == 3
    first, silent, quay = by[1, 0x7F000001], by[1, 0x7F000009], by[2, 0x7F000001]
    assert (first["lost"], silent["lost"], quay["lost"]) == (11, 0, 0) and first["level"] == 119 % 7
    assert (quay["name"], quay["priority"], quay["sync"], bytes.fromhex(quay["cid"].decode())) == (
        b"Quay desk",
        120,
        7,
        CID,
    )
    assert quay["rate"] == pytest.approx(40, rel=0.1) and first["rate"] == pytest.approx(
        36, rel=0.1
    )
    ear.say(
        sacn.encode_data(
            sacn.Data(CID, "Quay desk", 3, 200, bytes(512), 130, options=sacn.TERMINATED)
        )
    )
    assert next(r for r in ear.rows() if r["kind"] == 2)["ended"] == 1


def test_broken_and_hostile_packets_are_counted_and_dropped_and_the_table_never_overflows() -> None:
    ear, dice = Ear(), random.Random(5)
    good = [
        artnet.encode_dmx(1, 3, bytes(512)),
        sacn.encode_data(sacn.Data(CID, "x", 3, 1, bytes(512))),
        artnet.encode_poll(),
        *sacn.encode_discovery(CID, "x", (1,)),
    ]
    for _ in range(20_000):
        packet = bytearray(dice.choice(good))
        for _ in range(dice.randrange(4)):
            packet[dice.randrange(len(packet))] = dice.randrange(256)
        ear.say(
            bytes(packet[: dice.choice((len(packet), dice.randrange(len(packet) + 1)))]),
            dice.randrange(1 << 32),
        )
        ear.now += 1e-4
    ear.hearing.flush(ear.now)
    counts = ear.hearing.table.words
    assert (
        counts[1] == 20_000
        and counts[2] > 1000
        and len(ear.hearing.sources) <= MAX_SOURCES
        and counts[5] > 0
    )  # some found no room
    ear.now += 60
    ear.say(good[0], 77)  # the longest silent one makes way
    assert (77, 3) in ear.hearing.sources


def test_a_capture_plays_back_in_its_own_time_and_what_is_none_is_told(tmp_path: Path) -> None:
    file = tmp_path / "evening.pcapng"
    sent = [
        pcapng.Captured(
            1000 + t, ("127.0.0.1", 6454), ("127.0.0.5", 6454), artnet.encode_dmx(1, n, bytes(2))
        )
        for n, t in enumerate((0, 0.5, 0.6, 90))
    ]
    sent.insert(
        1, pcapng.Captured(1000.1, ("127.0.0.1", 6454), ("127.0.0.5", 6454), artnet.encode_poll())
    )  # no levels: passed over
    file.write_bytes(pcapng.encode_head() + b"".join(map(pcapng.encode_packet, sent)))
    clock = [0.0]
    playing = Playing(read_capture(file), "127.0.0.9", lambda: clock[0])
    heard = []
    for at in (0.0, 0.49, 0.55, 0.65, 5.0, 5.65):  # a pause of minutes is cut to five seconds
        clock[0] = at
        heard.append(
            [artnet.decode(p).port_address for p, to in playing.due() if to == ("127.0.0.9", 6454)]
        )
    assert heard == [[0], [], [1], [2], [], [3]] and playing.done
    bare = pcapng.encode_head()
    for data, says in (
        (b"", "not a pcapng"),
        (bare, "no levels"),
        (file.read_bytes()[:-3], "cut short"),
    ):
        file.write_bytes(data)
        with pytest.raises(FileFault, match=says):
            read_capture(file)
    with pytest.raises(FileFault, match="no such file"):
        read_capture(tmp_path / "gone.pcapng")


@pytest.mark.network
def test_engine_to_watch_over_real_sockets_loses_nothing_captures_and_both_survive_being_killed(
    tmp_path: Path,
) -> None:
    outlets, engine, watch = Outlets.open(), Engine(), Watch()
    try:
        engine.use(outlets)
        engine.start()
        watch.start()
        watch.use(list(outlets.sockets.values()))
        routes = [Route(n, "127.0.0.1", n) for n in range(130)]
        frame = np.repeat(np.arange(130, dtype=np.uint8), 512)
        engine.publish(frame, routes, Identity(CID, "Lantern Tide"))
        engine.enable(True)
        assert until(lambda: engine.beat() or len(watch.sources()) == 130)
        watch.capture(str(tmp_path / "c.pcapng"))
        assert until(lambda: engine.beat() or watch.counts().captured > 2000)
        watch.capture("")
        assert until(
            lambda: engine.beat() or [m for m in watch.messages() if getattr(m, "count", 0)]
        )
        sources = watch.sources()
        assert sum(s.lost for s in sources) == 0 and all(
            (watch.levels(s) == s.number).all() for s in sources
        )
        played = read_capture(tmp_path / "c.pcapng")
        assert {artnet.decode(p.payload).port_address for p in played} == set(
            range(130)
        ) and played[0].target == ("127.0.0.1", 6454)
        for pid, check in ((engine.stats().pid, engine.check), (watch.pid, watch.check)):
            os.kill(pid, signal.SIGKILL)
            assert until(check, 8)
        before = watch.counts().packets
        assert until(
            lambda: (
                engine.beat()
                or (watch.counts().alive and watch.counts().packets not in (before, 0))
            ),
            8,
        )
        watch.capture(str(tmp_path / "gone" / "c.pcapng"))
        assert until(lambda: [m for m in watch.messages() if getattr(m, "error", "")])
    finally:
        engine.stop()
        watch.stop()
        outlets.close()


@pytest.fixture
def hub() -> Iterator[Hub]:
    made = Hub()
    show = lantern_tide()
    made.want(expected=[n.ip for n in show.nodes])
    made.start()
    yield made
    made.stop()


def test_nodes_are_found_told_apart_set_and_read_back(rig: RigClient, hub: Hub) -> None:
    show = lantern_tide()
    rig.do("node", name="Ferry B", ports=[16, 17, 18, 19, 40], inputs=[5])
    hub.look(True)
    assert until(lambda: len(hub.view.nodes) == 2) and until(lambda: hub.view.looked)
    a, b = hub.view.nodes
    assert (a.name, [p.number for p in b.ports], b.ports[4].direction) == (
        "Ferry A",
        [16, 17, 18, 19, 40],
        "in",
    )
    assert hub.view.asking == {
        0: ("127.0.0.2",),
        1: ("127.0.0.2",),
        16: ("127.0.0.3",),
        17: ("127.0.0.3",),
        18: ("127.0.0.3",),
        19: ("127.0.0.3",),
    }
    assert until(
        lambda: hub.view.nodes[0].mask == "255.0.0.0"
    )  # asked apart: the poll does not tell it
    wish = Wish("Skiff", "", (PortWish(1, number=5, merge="ltp"),), "127.0.0.8", "255.0.0.0")
    for packet in packets(a, wish):
        hub.send(packet, a.ip)
    hub.poll_soon()
    assert until(lambda: not left_undone(hub.view.nodes, a, wish))
    assert any(d.kind == "missing" for d in compare(show, hub.view.nodes)) or until(
        lambda: any(n.silent for n in hub.view.nodes), 12
    )
    rig.do("node", name="Ferry B", twin=True)
    assert until(lambda: any(len(n.macs) > 1 for n in hub.view.nodes))
    rig.do(
        "node", name="Ferry B", twin=False, restart=1.0
    )  # a node that flaps is not lost for a moment's silence
    time.sleep(1.5)
    assert not next(n for n in hub.view.nodes if n.ip == "127.0.0.3").silent


def test_snags_of_the_network_speak_while_their_trouble_lasts_and_end_with_it(
    rig: RigClient, hub: Hub
) -> None:
    show = lantern_tide()
    node = show.nodes[1]
    book = SnagBook()

    def rules(now=show) -> set[str]:
        return {s.rule for s in book.update(now, hub.view).snags if s.page == "Routes"}

    hub.look(True)
    assert until(lambda: hub.view.looked) and rules() == {"no-route"}
    rig.do("send", protocol="artnet", number=0, to="127.0.0.1", level=40)
    assert until(lambda: "second-sender" in rules())
    told = next(s for s in book.update(show, hub.view).snags if s.rule == "second-sender").text
    assert "Lantern Tide" in told and "127.0.0.99" in told  # both names
    merged = route_edits.change_output(show, "o1", merge="house lights come from the quay")
    assert {
        s.severity for s in book.update(merged, hub.view).snags if s.rule == "second-sender"
    } == {"note"}
    rig.do("quiet")
    assert until(lambda: "second-sender" not in rules(), 8)
    sacn_show = route_edits.change_output(
        show, "o1", protocol="sacn", delivery="unicast", host="127.0.0.1", sacn=1
    )
    rig.do("send", protocol="sacn", number=1, to="127.0.0.1", priority=150)
    assert until(lambda: "priority-lower" in rules(sacn_show))
    fix = next(s for s in book.update(sacn_show, hub.view).snags if s.rule == "priority-lower").fix
    assert fix and "priority-lower" not in rules(fix.edit(sacn_show))
    rig.do("node", name="Ferry B", on=False)
    assert until(lambda: "node-missing" in rules(), 12)
    text = next(s.text for s in book.update(show, hub.view).snags if s.rule == "node-missing")
    assert "Ferry B" in text and "universe 3" in text and node.ip in text
    mirrored = route_edits.mirror(show, "ferry-b", "ferry-a")
    assert any(
        "Ferry B" in s.text and "Its mirror carries on" in s.text
        for s in book.update(mirrored, hub.view).snags
    )
    asked = route_edits.change_output(show, "o1", delivery="asked", host="", port_address=9)
    assert "no-listener" in rules(asked)
    moved = route_edits.change_node(show, "ferry-b", ip="10.0.0.9")
    assert "outside" in rules(moved)


def test_a_flood_of_answers_is_counted_and_the_desk_goes_on(rig: RigClient, hub: Hub) -> None:
    hub.look(True)
    assert until(lambda: len(hub.view.nodes) == 2)
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as flood:
        flood.bind(("127.0.0.66", 0))
        for n in range(20_000):  # as fast as this computer can, each from another node
            reply = artnet.reply_for(
                f"10.{n >> 16}.{n >> 8 & 255}.{n & 255}", f"liar {n}", "", (n & 15,)
            )
            flood.sendto(artnet.encode_poll_reply(reply), ("127.0.0.1", artnet.PORT))
    assert until(lambda: 2 < len(hub.view.nodes) <= 1000)
    rig.do("node", name="Ferry A", ports=[7, 8])
    assert until(
        lambda: any(n.name == "Ferry A" and n.ports[0].number == 7 for n in hub.view.nodes)
    )  # those it knew are still heard
    hub.forget()
    assert until(lambda: [n.name for n in hub.view.nodes] == ["Ferry A", "Ferry B"])


@multicast
def test_multicast_goes_out_by_the_chosen_adapter_and_is_heard_with_discovery(
    rig: RigClient, hub: Hub
) -> None:
    rig.do("node", name="Ferry A", ip="127.0.0.22", protocol="sacn", ports=[7, 8])
    hub.want({"sacn": "127.0.0.1"}, {}, [], [7])
    engine = Engine()
    engine.use(hub.outlets)
    engine.start()
    try:
        engine.publish(
            np.full(512, 44, np.uint8),
            [Route(0, sacn.multicast(7), 7, sacn.PORT, SACN, 111)],
            Identity(CID, "Lantern Tide"),
        )
        engine.enable(True)
        assert until(
            lambda: (
                engine.beat()
                or any(
                    s.number == 7 and s.name == "Lantern Tide" and s.priority == 111
                    for s in hub.view.sources
                )
            )
        )
        assert until(
            lambda: (
                engine.beat()
                or any(s.universes == (7,) and s.name == "Lantern Tide" for s in hub.view.sacn)
            )
        )
        port = next(p for p in rig.ask("state")["ports"] if p["port_address"] == 7)
        assert port["highest"] == 44 and port["packets"] > 5 and engine.stats().errors == 0
        engine.stop()
        assert until(lambda: all(s.silent for s in hub.view.sources if s.number == 7))
    finally:
        engine.stop()


def test_a_port_another_program_has_is_told_with_its_name(hub: Hub) -> None:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as taken:
        taken.bind(("127.0.0.60", artnet.PORT))
        from isthmus.sockets import open_sender

        sock, trouble = open_sender("127.0.0.60", artnet.PORT)
        sock.close()
        assert "Port 6454 of 127.0.0.60 is taken" in trouble


# ---------------------------------------------------------------- a network with another machine on it

FAR = """
import json, select, socket, subprocess, sys, threading, time
sys.path.insert(0, "src")
from isthmus.standin.node import Node
from isthmus.standin.scenario import SimNode
from isthmus.wire import artnet, sacn
print("ready", flush=True)
sys.stdin.readline()
for words in ("addr add 2.0.0.10/8 dev quay1", "link set quay1 up"):
    subprocess.run(["ip", *words.split()], check=True)
node = Node(SimNode(name="Far shore", ip="2.0.0.10", ports=(3, 4)))
socks = []
for to in ("2.0.0.10", "2.255.255.255"):
    sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    sock.bind((to, 6454))
    socks.append(sock)
told, asked = 0, False
threading.Thread(target=lambda: [globals().update(asked=True) for _ in sys.stdin], daemon=True).start()
out = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
out.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
out.bind(("2.0.0.10", 0))
out.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_IF, socket.inet_aton("2.0.0.10"))
while True:
    if asked:
        out.sendto(artnet.encode_dmx(0, 9, bytes(512)), ("2.255.255.255", 6454))
        out.sendto(artnet.encode_dmx(0, 8, bytes(512)), ("2.0.0.5", 6454))
        out.sendto(sacn.encode_data(sacn.Data(bytes(16), "far", 5, 1, bytes(512))), ("239.255.0.5", 5568))
    for sock in select.select(socks, [], [], 0.1)[0]:
        data, sender = sock.recvfrom(2048)
        for packet, host in node.handle(data, sender[0], time.monotonic()):
            socks[0].sendto(packet, (host, sender[1]))
    if time.monotonic() - told > 0.1:
        told = time.monotonic()
        port = node.ports[0]
        print(json.dumps({"packets": port.packets, "level": int(port.slots[0]), "lost": port.lost, "from": port.sender}), flush=True)
"""


class FarShore:
    """A machine of its own at the other end of a cable, with a node on 2.0.0.10."""

    def __init__(self) -> None:
        self.process = subprocess.Popen(
            ["unshare", "--net", sys.executable, "-c", FAR],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            cwd=Path(__file__).parents[2],
        )
        assert (
            self.process.stdout
            and self.process.stdin
            and self.process.stdout.readline() == "ready\n"
        )
        ip("link add quay0 type veth peer name quay1")
        ip(f"link set quay1 netns {self.process.pid}")
        self.plug()
        self.tell("")
        self.last: dict = {"packets": 0}
        threading.Thread(target=self._read, daemon=True).start()

    def _read(self) -> None:
        assert self.process.stdout
        for line in self.process.stdout:
            self.last = json.loads(line)

    def tell(self, words: str) -> None:
        assert self.process.stdin
        self.process.stdin.write(words + "\n")
        self.process.stdin.flush()

    def plug(self) -> None:
        ip("addr add 2.0.0.5/8 dev quay0")
        ip("link set quay0 up")

    def unplug(self) -> None:
        ip("addr del 2.0.0.5/8 dev quay0")
        ip("link set quay0 down")

    def close(self) -> None:
        self.process.kill()
        self.process.wait()
        for pipe in (self.process.stdin, self.process.stdout):
            pipe.close() if pipe else None
        subprocess.run(["ip", "link", "del", "quay0"], capture_output=True, check=False)


@pytest.fixture
def far_shore() -> Iterator[FarShore]:
    if not OWN_NETWORK or not shutil.which("ip"):
        pytest.skip("needs root, a network namespace of its own and the ip command")
    made = FarShore()
    yield made
    made.close()


def test_a_node_beyond_a_cable_is_found_sent_to_and_comes_back_after_the_cable_was_out(
    far_shore: FarShore,
) -> None:
    engine = Engine()
    hub = Hub(opened=engine.use)
    show = route_edits.add_output(replace(lantern_tide(), nodes=(), outputs=()), 1, "2.0.0.10", 3)
    hub.want(hosts={"artnet": ["2.0.0.10"]})
    hub.start()
    try:
        engine.use(hub.outlets)
        engine.start()
        assert until(
            lambda: hub.view.choices["artnet"].adapter.name == "quay0"
        )  # as soon as the far end is there
        assert hub.outlets.broadcast == "2.255.255.255"
        hub.look(True)
        assert until(
            lambda: [n.name for n in hub.view.nodes] == ["Far shore"]
        )  # by broadcast: no one told the address
        assert [d.kind for d in compare(show, hub.view.nodes)] == ["new"]
        engine.publish(np.full(512, 77, np.uint8), [Route(0, "2.0.0.10", 3)])
        engine.enable(True)
        assert until(lambda: engine.beat() or far_shore.last.get("level") == 77)
        assert far_shore.last["from"] == "2.0.0.5" and engine.stats().source_port == 6454
        pid = engine.stats().pid
        far_shore.unplug()
        assert until(lambda: engine.beat() or hub.view.choices["artnet"].adapter.local)
        assert until(lambda: engine.beat() or engine.stats().errors)
        assert "outside" in {s.rule for s in SnagBook().update(show, hub.view).snags}
        before = far_shore.last["packets"]
        far_shore.plug()
        engine.publish(np.full(512, 99, np.uint8), [Route(0, "2.0.0.10", 3)])
        assert until(
            lambda: (
                engine.beat()
                or (far_shore.last["packets"] > before + 20 and far_shore.last["level"] == 99)
            )
        )
        assert engine.stats().pid == pid and engine.restarts == 0  # nothing was started again
    finally:
        engine.stop()
        hub.stop()
    assert until(lambda: far_shore.last["level"] == 0)  # and it ended dark


def test_an_adapter_that_nothing_is_sent_by_can_be_listened_on(far_shore: FarShore) -> None:
    hub = Hub()
    hub.want(listen="quay0", universes=[5])
    hub.start()
    try:
        assert hub.view.choices["artnet"].adapter.local and "artnet out" not in hub.outlets.sockets
        far_shore.tell("level")  # the far shore has a hub of its own, too

        def heard() -> set[tuple[str, int, str]]:
            return {(s.protocol, s.number, s.ip) for s in hub.view.sources}

        assert until(
            lambda: (
                heard()
                == {("artnet", 9, "2.0.0.10"), ("artnet", 8, "2.0.0.10"), ("sacn", 5, "2.0.0.10")}
            )
        )
        hub.want(universes=[6])  # and no longer, with another group
        assert until(lambda: all(s.silent for s in hub.view.sources))
    finally:
        hub.stop()
