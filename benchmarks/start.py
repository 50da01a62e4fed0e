"""Start to first picture: the application with the demo show, against a bare Qt window; both as
whole processes.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator

RUNS = 7
BARE = """
from PySide6.QtWidgets import QApplication, QWidget
class Window(QWidget):
    def paintEvent(self, event):
        print("painted", flush=True)
app = QApplication([]); window = Window(); window.resize(1280, 800); window.show(); app.exec()
"""
OURS = """
from isthmus.app.shell.main import make_application
app = make_application(["isthmus-app"])
from isthmus.app.shell.window import Window
from isthmus.demo import lantern_tide
class First(Window):
    def paintEvent(self, event):
        super().paintEvent(event)
        print("painted", flush=True)
window = First(lantern_tide()); window.show(); app.exec()
"""


def first_paint(code: str) -> float:
    """Seconds from starting the process to its first paint."""
    with tempfile.TemporaryDirectory() as state:
        import os

        started = time.perf_counter()
        with subprocess.Popen(
            [sys.executable, "-c", code],
            stdout=subprocess.PIPE,
            text=True,
            env={**os.environ, "ISTHMUS_CONFIG": state, "ISTHMUS_STATE": state},
        ) as process:
            assert process.stdout
            process.stdout.readline()
            took = time.perf_counter() - started
            process.kill()
    return took


def run() -> Iterator[tuple[str, float, float, str, str]]:
    first_paint(OURS)  # warm the disk for both
    first_paint(BARE)
    # in turn, so that a machine that slows down for a while slows both
    pairs = sorted(
        ((first_paint(OURS), first_paint(BARE)) for _ in range(RUNS)),
        key=lambda pair: pair[0] / pair[1],
    )
    ours, bare = pairs[len(pairs) // 2]
    yield "start to first picture / bare Qt window", ours * 1e3, bare * 1e3, "ms", "within 4×"
