"""Damaged shows in a real window: each that opens is looked at on every page and view, saved, and
opened again. Asked for by name: `./run bench seen`; `ISTHMUS_FUZZ` says how many (300),
`ISTHMUS_FROM` the first.

`python -m benchmarks.seen FROM COUNT` is one window with some of them, a process apart.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

SHOWS, EACH = 300, 30
SLOWEST = 180.0  # seconds a window may take for its share


def _looked_at(first: int, count: int) -> None:
    """Tells of each show, as a line of JSON, whether it opened, what went wrong, and the longest
    that one page took.
    """
    from PySide6.QtCore import QEventLoop
    from PySide6.QtWidgets import QApplication

    from benchmarks.fuzzing.shows import mangled_show
    from isthmus.app.shell.main import make_application
    from isthmus.app.shell.window import Window
    from isthmus.errors import FileFault
    from isthmus.show import open_show

    home = tempfile.mkdtemp()
    for name in ("CONFIG", "STATE", "DATA"):
        os.environ[f"ISTHMUS_{name}"] = home
    app = make_application(["bench"])
    window = Window(None, ahead=False)
    window.resize(1280, 800)
    window.show()
    wrong: list[str] = []
    window.crash.happened.connect(wrong.append)
    for seed in range(first, first + count):
        wrong.clear()
        longest = 0.0
        path = Path(home, "show.isthmus")
        path.write_bytes(mangled_show(seed))
        try:
            window.bench.open(path)
        except FileFault:
            print(json.dumps([seed, False, "", 0.0]), flush=True)
            continue
        for name, page in window.pages.items():
            begun = time.perf_counter()
            window.go(name)
            for view in page.views or ("",):
                if view:
                    page.show_view(view)
                window.bench.selection.select([u.id for u in window.bench.show.units[:3]])
                app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 20)
            longest = max(longest, time.perf_counter() - begun)
            for box in QApplication.topLevelWidgets():
                if box is not window and box.isModal():
                    box.close()
        shown = window.bench.show
        window.bench.save(path)
        if not wrong and open_show(path) != shown:
            wrong.append("it is another show when it is saved and opened again")
        last = wrong[0].strip().splitlines()[-1] if wrong else ""
        print(json.dumps([seed, True, last, longest]), flush=True)
    window.close()


def run() -> Iterator[tuple[str, float, float, str, str]]:
    wanted = int(os.environ.get("ISTHMUS_FUZZ") or SHOWS)
    begin = int(os.environ.get("ISTHMUS_FROM", "0"))
    opened, failed, longest = 0, 0, 0.0
    for first in range(begin, begin + wanted, EACH):
        count = min(EACH, begin + wanted - first)
        command = [sys.executable, "-m", "benchmarks.seen", str(first), str(count)]
        try:
            done = subprocess.run(command, capture_output=True, text=True, timeout=SLOWEST)
            told, ended = done.stdout, done.returncode
        except subprocess.TimeoutExpired as late:
            told, ended = (late.stdout or b"").decode(), 1
        rows = [json.loads(line) for line in told.splitlines() if line.startswith("[")]
        if len(rows) < count or ended:
            failed += 1
            print(f"the window ended after {len(rows)} of {count} from {first}", file=sys.stderr)
        for seed, fine, wrong, slowest in rows:
            opened += fine
            longest = max(longest, slowest)
            if wrong:
                failed += 1
                print(f"{seed}: {wrong}", file=sys.stderr)
    yield f"damaged shows that open, of {wanted}: seen on every page", opened, 0.0, "", ""
    yield "    of them not seen, saved or opened again", failed, 0.0, "", "0"
    yield "    longest that the views of one page took", longest, 0.0, "s", ""


if __name__ == "__main__":
    _looked_at(int(sys.argv[1]), int(sys.argv[2]))
