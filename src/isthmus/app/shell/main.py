"""The application's start: arguments, fonts and theme, the window, the simulator of the demo.

Order: arguments → QApplication → fonts, theme → show → window → recovered work → event loop → shut
down.
"""

from __future__ import annotations

import argparse
import json
import os
import signal
import socket
import subprocess
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QApplication, QStyleFactory

from isthmus.app.kit import settings
from isthmus.app.kit.log import Log
from isthmus.app.kit.theme import font, load_fonts, theme
from isthmus.app.model.workbench import Workbench
from isthmus.app.shell.display import no_display
from isthmus.app.shell.memory import keep_still
from isthmus.app.shell.window import Window
from isthmus.demo import SCENARIO, WALL, whole_demo
from isthmus.show.recovery import left_behind, recovery_folder

FRAME_MS = (0, 120, 500)  # a window manager puts its frame round a window when it pleases
PULSE_MS = 200


class _Beside:
    """A stand-in as a process beside the application; `answer` is its first line, `trouble` why it
    did not start.
    """

    def __init__(self, *arguments: str) -> None:
        self.trouble = ""
        command = [sys.executable, "-m", "isthmus.cli", *arguments, "--json", "--with-parent"]
        self._process = subprocess.Popen(
            command,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            stdin=subprocess.PIPE,
            text=True,
        )

    def answer(self) -> dict[str, object]:
        assert self._process.stdout is not None
        try:
            answer: dict[str, object] = json.loads(self._process.stdout.readline())
        except ValueError:
            answer = {"error": "it did not start"}
        if not answer.get("ready"):
            where, error, do = (answer.get(key, "") for key in ("where", "error", "do"))
            self.trouble = f"{where}: {error} {do}".strip(": ")
        return answer

    def ask_to_end(self) -> None:
        if self._process.poll() is None:
            self._process.terminate()

    def stop(self) -> None:
        if self._process.poll() is None:
            self._process.terminate()
            try:
                self._process.wait(3)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()
        for pipe in (self._process.stdout, self._process.stdin):
            if pipe:
                pipe.close()


class DemoRig(_Beside):
    """The simulator of the demo."""

    def __init__(self) -> None:
        super().__init__("rig", "--scenario", str(SCENARIO), "--scenario", str(WALL))
        answer = self.answer()
        self.address = (
            (str(answer["host"]), int(str(answer["port"]))) if answer.get("ready") else None
        )


class DemoExchange(_Beside):
    """The stand-in exchange of the demo, on a port of its own; asked where it listens when a person
    wants to know.
    """

    def __init__(self) -> None:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        os.environ["ISTHMUS_EXCHANGE"] = f"http://127.0.0.1:{port}"
        super().__init__("exchange", "serve", "--port", str(port))


def make_application(
    arguments: list[str], told: Callable[[str], object] = lambda words: None
) -> QApplication:
    """The application with our fonts and theme; once a process. Damaged settings are `told`."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(arguments)
    app.setApplicationName("Isthmus")
    app.setStyle(QStyleFactory.create("Fusion"))
    app.setAttribute(Qt.ApplicationAttribute.AA_DontShowIconsInMenus)
    load_fonts()
    app.setFont(font("body"))
    theme.set(settings.load(told).theme)
    return app


def read_arguments(arguments: Sequence[str]) -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="isthmus-app", description="Prepare a show's rig.")
    parser.add_argument(
        "show", nargs="?", help="a .isthmus file; without one the last show is opened"
    )
    parser.add_argument(
        "--demo", action="store_true", help="the demo show, with the simulator beside it"
    )
    parser.add_argument("--new", action="store_true", help="an empty show")
    parser.add_argument("--rig", metavar="HOST:PORT", help="a simulator to watch")
    parser.add_argument(
        "--rig-window",
        metavar="HOST:PORT",
        help="only a window on a simulator, to see and break it",
    )
    parser.add_argument(
        "--shots", metavar="DIR", help="save a picture of every main view of the demo, then end"
    )
    parser.add_argument(
        "--only", nargs="+", default=(), metavar="NAME", help="with --shots: only these pictures"
    )
    return parser.parse_args(arguments)


def read_place(text: str) -> tuple[str, int] | None:
    """`127.0.0.1:4242`, or a port of this computer."""
    host, _, port = text.rpartition(":")
    return (host or "127.0.0.1", int(port)) if port.isdigit() else None


def ends_on_signals(app: QApplication) -> QTimer:
    """A signal ends the application when its loop comes round, never in the middle of a painting,
    and asks nothing: what is not saved is in the journal and is offered at the next start. (`quit`
    would have the window ask.)

    Signals count from now on, also those that come before the loop begins. The timer is the
    caller's to keep; it also lets Python see a signal while nothing else happens.
    """
    asked_to_end: list[int] = []
    for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        if signal.getsignal(number) != signal.SIG_IGN:  # as `nohup` wants it
            signal.signal(number, lambda got, _frame: asked_to_end.append(got))
    pulse = QTimer()
    pulse.timeout.connect(lambda: app.exit(0) if asked_to_end else None)
    pulse.start(PULSE_MS)
    return pulse


def rig_window(app: QApplication, place: str) -> int:
    """The simulator in a window of its own, beside whatever is tried on it."""
    from isthmus.app.pages.routes.views.rig import RigView

    bench = Workbench()
    view = RigView(bench, read_place(place))
    bench.told.connect(lambda severity, words: view.told.setText(words))
    view.setWindowTitle("Simulator — Isthmus")
    view.setContentsMargins(16, 12, 16, 12)
    view.resize(1120, 680)
    view.show()
    view.entered()
    try:
        return app.exec()
    finally:
        view.left()
        view.close()


def begin(window: Window, path: str, asked: bool) -> None:
    """What is shown first: a file, or the last one; then what a crash left."""
    bench = window.bench
    if path and not asked and not Path(path).exists():
        bench.tell(
            "attention",
            f"The last show, {path}, is not there any more. Is a drive not connected, or was "
            "it moved?",
        )
    elif path:
        bench.guard(lambda: window.open_path(Path(path)))
    found, unread = left_behind(recovery_folder())
    for words in unread:
        bench.tell("attention", words)
    if found:
        window.offer_recovered(found)


def main(arguments: Sequence[str] | None = None) -> int:
    given = list(sys.argv if arguments is None else arguments)
    options = read_arguments(given[1:])
    if missing := no_display(os.environ):
        print(f"isthmus-app: {missing}", file=sys.stderr)
        return 3
    log = Log()
    news: list[str] = []
    app = make_application(given[:1], news.append)
    if options.shots:
        from isthmus.app.shell.shots import take_shots

        return take_shots(app, Path(options.shots), options.only)
    _pulse = ends_on_signals(app)  # before anything runs beside it
    if options.rig_window:
        return rig_window(app, options.rig_window)
    try:
        return run(app, options, news)
    finally:
        log.end()


def run(app: QApplication, options: argparse.Namespace, news: Sequence[str] = ()) -> int:
    """The window from its beginning to its end, with what the demo runs beside it. `news` is told
    when it is there.
    """
    rig = DemoRig() if options.demo else None
    exchange = DemoExchange() if options.demo and not os.environ.get("ISTHMUS_EXCHANGE") else None
    address = read_place(options.rig) if options.rig else rig.address if rig else None
    window = Window(whole_demo() if options.demo else None, address)
    window.crash.install()
    keep_still(window.bench)
    if rig and rig.trouble:
        window.bench.tell("attention", f"The simulator is not running. {rig.trouble}")
    for words in news:
        window.bench.tell("attention", words)
    window.show()
    path = options.show or ("" if options.demo or options.new else window.settings.last_show)
    for wait in FRAME_MS:
        QTimer.singleShot(wait, window.fit)
    QTimer.singleShot(0, lambda: begin(window, path, asked=bool(options.show)))
    try:
        return app.exec()
    finally:
        if not window._closing:  # a signal: what is not saved is offered at the next start
            window.end_processes()
            window.files.end(forget=False)
        started = [beside for beside in (rig, exchange) if beside]
        for beside in started:  # all at once, then each is waited for
            beside.ask_to_end()
        for beside in started:
            beside.stop()


if __name__ == "__main__":
    sys.exit(main())
