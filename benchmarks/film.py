"""A minute of a film on 2 016 cells from a window that is at work: is any frame late?"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from benchmarks.busy import quiet_window
from benchmarks.engine import Receiver
from benchmarks.pixels import film, wall
from isthmus.pixels.layer_edits import add_layer, put_set
from isthmus.pixels.media import bring, longest_for, put_media
from isthmus.show.records import LayerSet, Output, Show
from isthmus.wire import artnet

HERE, SECONDS = "127.0.0.9", 60.0
MARK = artnet.DMX_HEADER + 1  # red of the first cell of the first panel, behind its dimmer
BARE = """
import os, sys, time
try:
    os.sched_setscheduler(0, os.SCHED_FIFO, os.sched_param(10))
except OSError:
    pass
late, due, end = 0, time.monotonic() + 0.1, time.monotonic() + float(sys.argv[1])
while due < end:
    time.sleep(max(0, due - 0.006 - time.monotonic()))
    begun = time.monotonic()
    while time.monotonic() < begun + 0.0015:
        pass
    late += time.monotonic() > due
    due += 1 / 44
print(late)
"""  # wakes 6 ms before each frame and works for 1.5 ms, as the player does
LONG = 2.0  # seconds the mark rises, and falls: over five steps of a byte each frame


def made(path: Path) -> tuple[Show, str]:
    """The film on every panel; on the first a mark before it that is brighter each frame."""
    show = wall(12, 7)
    grid = show.grids[0]
    show, media = put_media(show, bring(path, longest_for(grid.width, grid.height)))
    one = add_layer(LayerSet(id="", number=1, grid="g"), "media", media=media)
    box = {"x": 3 / grid.width, "y": 2 / grid.height, "width": 6 / grid.width}
    has = {"seconds": LONG, "soft": 1.0}
    box |= {"height": 4 / grid.height, "behind": "#000000"}
    one = add_layer(one, "wipe", units=("p0",), settings=has, **box)
    universes = sorted({p.universe for unit in show.units for p in unit.patch})
    outputs = tuple(Output(id=f"o{u}", universe=u, host=HERE, port_address=u) for u in universes)
    return put_set(replace(show, outputs=outputs), one)


def late(packets: list[tuple[float, bytes]], port: int) -> tuple[int, int]:
    """Frames in which the mark should have moved; those in which it stood still."""
    codes = np.array([d[MARK] for _, d in packets if d[14] == port], int)
    before, after = codes[:-1], codes[1:]
    moving = (before > 20) & (before < 235) & (after > 12) & (after < 243)
    return int(moving.sum()), int((moving & (before == after)).sum())


def run() -> Iterator[tuple[str, float, float, str, str]]:
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_CACHE_HOME"] = folder
        path = Path(folder, "film.mp4")
        film(path)
        show, name = made(path)
        wire = Receiver(HERE)
        with quiet_window(show, "Pixels") as window:
            window.pages["Pixels"].show_view("Layers")
            bench = window.bench
            window.output.switch(True)
            bench.levels.change(lambda live: live.set_intensity([u.id for u in show.units], 1.0))
            bench.playing.show_set(name)
            work = QTimer()
            work.timeout.connect(lambda: sum(range(1_000_000)))  # some 20 ms, a fifth of its time
            work.start(80)
            begun = time.time() + 2.0
            command = [sys.executable, "-c", BARE, str(SECONDS)]
            bare = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
            while time.time() < begun + SECONDS:
                QApplication.processEvents()
                time.sleep(0.001)
            work.stop()
        port = show.outputs[0].port_address
        moved, stood = late(wire.between(begun, begun + SECONDS), port)
        share = moved / (44 * SECONDS)  # of all frames, in which the mark can be read
        missed = share * float(bare.communicate(timeout=30)[0])
        what = f"film: frames of {moved} that came one later / a bare sleeper's"
        yield what, stood, missed, "", "none"
        wire.close()
