"""512 universes at 44 Hz and 1 000 at 30, sent and watched; what the engine costs; finding 100
nodes; hostile packets.
"""

from __future__ import annotations

import random
import socket
import threading
import time
from collections.abc import Iterator

import numpy as np
import psutil
from msgspec.structs import replace

from benchmarks.engine import Receiver
from isthmus.engine import Engine, Route
from isthmus.net import Hub
from isthmus.sockets.opening import plain
from isthmus.standin.rig import StandInRig
from isthmus.standin.scenario import Loaded, Scenario, SimNode
from isthmus.watch import Watch
from isthmus.watch.hearing import Hearing
from isthmus.watch.shared import SharedTable
from isthmus.wire import artnet, pcapng, rdm, sacn

ELSEWHERE = "127.0.0.8"  # where the watch listens, in a process of its own
LOADED_SECONDS, COST_SECONDS = 60, 10


class Listening:
    """The watch on an address no one else has."""

    def __init__(self) -> None:
        self.sock = plain()
        self.sock.bind((ELSEWHERE, artnet.PORT))
        self.watch = Watch()
        self.watch.start()
        self.watch.use([self.sock])

    def lost(self) -> int:
        return sum(s.lost for s in self.watch.sources())

    def close(self) -> None:
        self.watch.stop()
        self.sock.close()


def loaded() -> tuple[float, float, int, int]:
    """(99 % of spacings off, worst, packets lost, ticks late) of 512 universes for a minute while
    the window works.
    """
    from benchmarks.busy import Busy
    from isthmus.engine import shared as sh
    from isthmus.show.records import Output

    busy, receiver, listening = Busy(), Receiver(), Listening()
    try:
        bench = busy.window.bench
        outputs = tuple(
            Output(
                id=f"o{n}", universe=n, host="127.0.0.9" if n == 1 else ELSEWHERE, port_address=n
            )
            for n in range(1, 513)
        )
        bench.commit("bench", replace(bench.show, outputs=outputs))
        busy.window.output.switch(True)
        busy.spin(3)
        receiver.times.clear()
        before, late = listening.lost(), int(busy.window.output.engine.frames.words[sh.S_LATE])
        busy.spin(LOADED_SECONDS)
        p99, worst = receiver.off_by()
        ticks = round((receiver.times[-1] - receiver.times[0]) * 44) - (len(receiver.times) - 1)
        return (
            p99,
            worst,
            listening.lost() - before + max(0, ticks),
            int(busy.window.output.engine.frames.words[sh.S_LATE]) - late,
        )
    finally:
        busy.close()
        receiver.close()
        listening.close()


def cost(universes: int, rate: float) -> tuple[float, float, float, int, float]:
    """(engine's CPU, watch's CPU, bare sendto's CPU for as many packets, packets lost, rate) in
    parts of a core.
    """
    engine, listening = Engine(), Listening()
    engine.start()
    try:
        engine.pace(rate, rate)
        engine.publish(
            np.arange(universes * 512).astype(np.uint8),
            [Route(n, ELSEWHERE, n) for n in range(universes)],
        )
        engine.enable(True)
        own, other = psutil.Process(engine.stats().pid), psutil.Process(listening.watch.pid)

        def cpu(process: psutil.Process) -> float:
            times = process.cpu_times()
            return times.user + times.system

        def spin(seconds: float) -> None:
            end = time.monotonic() + seconds
            while time.monotonic() < end:
                engine.beat()
                time.sleep(0.2)

        spin(2)
        start = cpu(own), cpu(other), engine.stats().packets, time.monotonic()
        spin(COST_SECONDS)
        seconds = time.monotonic() - start[3]
        packets = engine.stats().packets - start[2]
        mine, theirs = (cpu(own) - start[0]) / seconds, (cpu(other) - start[1]) / seconds
        lost, found = listening.lost(), packets / universes / seconds
        engine.enable(False)
        spin(0.5)
        bare = _bare(packets) / seconds
        return mine, theirs, bare, lost, found
    finally:
        engine.stop()
        listening.close()


def _bare(packets: int) -> float:
    """CPU seconds of sending as many packets one by one to the same place, in the bursts the engine
    sends them in.
    """
    packet = bytes(530)
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
        start = time.process_time()
        for _ in range(packets):
            sock.sendto(packet, (ELSEWHERE, artnet.PORT))
        return time.process_time() - start


def find_nodes(count: int = 100) -> float:
    """Seconds until all of them are known."""
    nodes = tuple(
        SimNode(f"Node {n}", f"127.0.1.{n + 1}", tuple(range(n * 4, n * 4 + 4)))
        for n in range(count)
    )
    rig = StandInRig(Loaded(Scenario("Many", nodes, ()), {}, ()))
    thread = threading.Thread(target=rig.serve)
    thread.start()
    hub = Hub()
    try:
        hub.want(expected=[node.ip for node in nodes])
        hub.start()
        start = time.monotonic()
        hub.look(True)
        while len(hub.view.nodes) < count and time.monotonic() - start < 20:
            time.sleep(0.01)
        return time.monotonic() - start
    finally:
        hub.stop()
        rig.stop()
        thread.join()
        rig.close()


def hostile(count: int = 100_000) -> tuple[float, float, int]:
    """(seconds for all, the longest one in ms, growth of memory in kB): whatever comes is counted
    and dropped.
    """
    dice = random.Random(7)
    cid = bytes(range(16))
    message = rdm.Message(rdm.uid(1, 2), rdm.uid(3, 4), rdm.GET, rdm.DEVICE_INFO)
    good = [
        artnet.encode_dmx(1, 3, bytes(512)),
        artnet.encode_poll_reply(artnet.reply_for("127.0.0.2", "x", "x", (0, 1))),
        artnet.encode_tod_data(artnet.ArtTodData(3, 1, 1, 2, 0, (rdm.uid(1, 2),))),
        artnet.encode_rdm(artnet.ArtRdm(3, rdm.encode(message, start_code=False))),
        sacn.encode_data(sacn.Data(cid, "x", 3, 1, bytes(512))),
        *sacn.encode_discovery(cid, "x", tuple(range(1, 600))),
        rdm.encode(message),
    ]
    hearing = Hearing(SharedTable(), lambda data, ip, port: None)
    process, grown, longest = psutil.Process(), 0, 0.0
    begin = time.perf_counter()
    for turn in range(count):
        packet = bytearray(dice.choice(good))
        for _ in range(dice.randrange(5)):
            packet[dice.randrange(len(packet))] = dice.randrange(256)
        raw = bytes(packet[: dice.choice((len(packet), dice.randrange(len(packet) + 1)))]) + bytes(
            dice.choice((0, 0, 900))
        )
        start = time.perf_counter()
        hearing.take(memoryview(raw), dice.randrange(256), 6454, turn * 1e-3)
        rdm.decode(raw)
        rdm.decode_discovery_response(raw)
        pcapng.decode_ip(0.0, raw)
        longest = max(longest, time.perf_counter() - start)
        if turn == count // 2:
            grown = process.memory_info().rss
    return time.perf_counter() - begin, longest * 1e3, (process.memory_info().rss - grown) // 1024


def run() -> Iterator[tuple[str, float, float, str, str]]:
    mine, theirs, bare, lost, rate = cost(512, 44)
    yield (
        "512 universes at 44 Hz: CPU of the engine / of bare sendto",
        mine * 100,
        bare * 100,
        "%",
        "within 3×",
    )
    yield (
        "512 universes at 44 Hz: CPU of the watch / of bare sendto",
        theirs * 100,
        bare * 100,
        "%",
        "",
    )
    yield "512 universes at 44 Hz: packets the watch lost / rate", lost, rate, "", "none"
    mine, theirs, bare, lost, rate = cost(1000, 30)
    yield (
        "1 000 universes at 30 Hz: CPU of the engine / of bare sendto",
        mine * 100,
        bare * 100,
        "%",
        "within 3×",
    )
    yield "1 000 universes at 30 Hz: packets the watch lost / rate", lost, rate, "", "none"
    yield "100 nodes found in / aim", find_nodes(), 3.0, "s", "within 3 s"
    seconds, longest, grown = hostile()
    yield "100 000 mangled packets: the longest / the mean", longest, seconds * 1e3 / 1e5, "ms", ""
    yield "growth of memory over the last 50 000 of them", grown, 1.0, "kB", "none to speak of"
    p99, worst, gone, late = loaded()
    yield (
        "512 universes, window at work, 60 s: 99 % / worst spacing off",
        p99,
        worst,
        "ms",
        "within 2 ms",
    )
    yield "512 universes, window at work, 60 s: packets lost / ticks late", gone, late, "", "none"
