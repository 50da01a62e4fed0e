"""The player: what a frame of a large fade costs, packets and steps of a fade while the window is
blocked, and how long a hand control takes to the wire.
"""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Callable, Iterator

import numpy as np
import psutil
from msgspec.structs import replace
from PySide6.QtWidgets import QApplication

from benchmarks.busy import quiet_window
from benchmarks.engine import Receiver
from benchmarks.gestures import hung_show
from isthmus.app.shell.window import Window
from isthmus.demo import as_hung
from isthmus.engine import Engine
from isthmus.engine import shared as sh
from isthmus.looks import cue_edits, look_edits
from isthmus.looks.playback import Act, Playback
from isthmus.looks.programme import Programme, Timing
from isthmus.output import Composer, Live, Masters, identity
from isthmus.player import PlayerLink, State, Telling
from isthmus.show.records import Cue, CueList, Look, LookLine, Output, Show, Wish
from isthmus.wire import artnet

HERE, BARE = "127.0.0.9", "127.0.0.10"
PARAMETERS, SECONDS, BLOCKED, FADE = 4000, 8, 2.0, 8.0
UNIT = "u101"
BARE_SENDER = """
import socket, sys, time
s = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
due = time.monotonic()
while True:
    due += 1 / 44
    time.sleep(max(0, due - time.monotonic()))
    s.sendto(bytes(530), (sys.argv[1], 6454))
"""


def cost() -> tuple[float, float]:
    """Milliseconds of processor a frame: the player's, and those of the bare arithmetic here."""
    show = replace(hung_show(120), outputs=(Output(id="o", universe=1, host=HERE, port_address=1),))
    live = Live(show)
    count = min(PARAMETERS, len(live.compiled.defaults))
    index, yes = np.arange(count), np.ones(count, bool)
    targets = np.array([np.zeros(count), np.ones(count)], np.float32)
    grid, slow = np.ones((2, count), bool), Timing(1e4, 1e4, 1e4, 0, np.nan)
    keys = tuple((str(i), 0, "") for i in range(count))
    programme = Programme(
        "a", keys, index, yes, ~yes, ~yes, targets, grid, grid, ("x", "y"), (slow, slow)
    )
    playback = Playback(live.compiled.defaults, {"a": programme})
    engine = Engine()
    player = PlayerLink(engine.frames, lambda: State(dict(playback.positions)))
    try:
        engine.start()
        player.start()
        engine.enable(True)
        plan = Composer(Masters()).plan(show, live)
        Telling(player).tell(live, plan, identity(show), (programme,))
        while not player.alive:
            time.sleep(0.05)
        for cue in (0, 1):
            player.act(Act(time.monotonic(), "a", "to", cue, 0.0 if cue == 0 else np.nan))
        process, words = psutil.Process(player.pid), engine.frames.words
        time.sleep(1.0)
        first, frames = _processor(process), int(words[sh.P_FRAMES])
        time.sleep(SECONDS)
        frames = int(words[sh.P_FRAMES]) - frames
        player_ms = (_processor(process) - first) / max(1, frames) * 1e3
    finally:
        player.stop()
        engine.stop()
    begun = time.process_time()
    frame = np.zeros(live.compiled.slots, np.uint8)
    for n in range(400):
        levels = targets[0] + (targets[1] - targets[0]) * np.float32(n / 400)
        frame[:count] = (levels * 255 + 0.5).astype(np.uint8)
    return player_ms, (time.process_time() - begun) / 400 * 1e3


def _processor(process: psutil.Process) -> float:
    """Seconds of processor it has used."""
    times = process.cpu_times()
    return times.user + times.system


def faded_show() -> tuple[Show, str]:
    show = replace(as_hung(), outputs=())
    found = show.unit(UNIT)
    assert found
    output = Output(id="o", universe=found.patch[0].universe, host=HERE, port_address=1)
    show, list_id = cue_edits.put_list(replace(show, outputs=(output,)), CueList(id="", number=0))
    for level in (0.0, 1.0):
        line = LookLine(units=(UNIT,), wish=Wish(intensity=level))
        show, look = look_edits.put(show, Look(id="", number=0, lines=(line,)))
        show, _ = cue_edits.put_cue(
            show, list_id, Cue(id="", number=0, look=look, up=FADE, down=FADE)
        )
    return show, list_id


def spin(seconds: float) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.002)


def reader(show: Show) -> Callable[[bytes], float]:
    """The level of the unit in a packet."""
    unit, program = show.unit(UNIT), Live(show).program(UNIT)
    assert unit and program
    item = next(c for c in program.chart.channels if c.attribute == "Dimmer")
    slots = [artnet.DMX_HEADER + unit.patch[0].address + o - 2 for _, o in item.slots]
    return lambda data: int.from_bytes(bytes(data[s] for s in slots), "big") / item.top


def blocked(window: Window, list_id: str, wire: Receiver) -> tuple[float, float, float]:
    """Largest gap of the player's packets and of a bare sender's, seconds; largest step of the
    fade, in slopes. The window does nothing for two seconds in a fade of eight.
    """
    bare = Receiver(BARE)
    sender = subprocess.Popen([sys.executable, "-c", BARE_SENDER, BARE])
    try:
        spin(1.0)
        window.bench.playing.go(list_id)
        window.bench.playing.go(list_id)
        spin(1.0)
        begun = time.time()
        end = time.monotonic() + BLOCKED
        while time.monotonic() < end:
            sum(range(10_000))
        ended = time.time()
        spin(0.5)
    finally:
        sender.kill()
        sender.wait()
        bare.close()
    mine, theirs = wire.between(begun, ended), bare.between(begun, ended)
    read = reader(window.bench.show)
    levels = np.array([read(data) for _, data in mine])
    slope = 1 / FADE / 44
    gaps = [float(np.diff([t for t, _ in some]).max()) for some in (mine, theirs)]
    return gaps[0], gaps[1], float(np.diff(levels).max() / slope)


def latency(window: Window, wire: Receiver, times: int = 40) -> float:
    """The 95th percentile of seconds from a change of a level to its packet."""
    read, found = reader(window.bench.show), []
    rng = np.random.default_rng(1)
    for n in range(times):
        value = 0.25 + 0.5 * (n % 2)
        begun = time.time()
        window.bench.levels.change(lambda live, v=value: live.set_intensity([UNIT], v))
        spin(0.06 + float(rng.uniform(0, 0.03)))
        came = (t for t, d in wire.between(begun, time.time()) if abs(read(d) - value) < 0.01)
        found.append(next(came, begun + 1.0) - begun)
    return float(np.percentile(found, 95))


def run() -> Iterator[tuple[str, float, float, str, str]]:
    what = f"player: a frame of a fade of {PARAMETERS} / bare arithmetic"
    yield what, *cost(), "ms", "under 3 ms"
    show, list_id = faded_show()
    wire = Receiver(HERE)
    with quiet_window(show, "Patch") as window:
        window.output.switch(True)
        spin(2.0)
        gap, plain, step = blocked(window, list_id, wire)
        what = "largest gap, window blocked for 2 s / bare sender"
        yield what, gap * 1e3, plain * 1e3, "ms", "at most 2 times"
        yield "largest step of that fade / its slope", step, 1.0, "", "under 1.5 times"
        window.bench.playing.release(list_id)
        spin(4.0)
        runs = sorted(latency(window, wire) for _ in range(5))
        what = "hand to wire, 95 %, median of five / a period"
        yield what, runs[2] * 1e3, 1000 / 44, "ms", "under 40 ms"
    wire.close()
