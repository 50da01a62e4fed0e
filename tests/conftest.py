"""What tests share: the demo show, a simulator on real sockets, and a window that must not misbehave quietly."""

from __future__ import annotations

import atexit
import contextlib
import gc
import logging
import os
import shutil
import sqlite3
import subprocess
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings

from helpers.tools import OWN_NETWORK, running_rig, until
from isthmus.demo import lantern_tide
from isthmus.library.sources import data_folder
from isthmus.show.records import Show
from isthmus.standin import RigClient

# No deadline: this computer stops for a while at times. Other cases come in every run, so that fewer in each find the same in the end.
settings.register_profile("patient", deadline=None, max_examples=10)
settings.load_profile("patient")
# The whole interface stands in memory, and Python would look through all of it far too often.
gc.set_threshold(50_000, 20, 20)


@pytest.fixture(autouse=True)
def own_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """No test reads or writes the person's settings and autosaved work."""
    monkeypatch.setenv("ISTHMUS_CONFIG", str(tmp_path / "config"))
    monkeypatch.setenv("ISTHMUS_DATA", str(tmp_path / "data"))
    monkeypatch.setenv("ISTHMUS_STATE", str(tmp_path / "state"))


class _Lines(logging.Handler):
    def __init__(self) -> None:
        super().__init__(logging.WARNING)
        self.lines: list[str] = []

    def emit(self, record: logging.LogRecord) -> None:
        self.lines.append(record.getMessage())


@pytest.fixture(autouse=True)
def quiet_log(request: pytest.FixtureRequest) -> Iterator[None]:
    """A test fails on a line of the log it does not expect (mark it `logs` when it means to)."""
    heard = _Lines()
    log = logging.getLogger("isthmus")
    log.addHandler(heard)
    yield
    log.removeHandler(heard)
    assert not heard.lines or request.node.get_closest_marker("logs"), heard.lines


@pytest.fixture
def demo() -> Show:
    return lantern_tide()


@pytest.fixture
def rig() -> Iterator[RigClient]:
    with running_rig() as client:
        yield client


# in other folders than `network`: they start the simulator, or a window that listens
NETWORK = {"test_app", "test_from_nothing", "test_layout", "test_properties", "test_walk"}
LONG = {"test_walk", "test_layout", "test_from_nothing", "test_closed_loop"}


@pytest.hookimpl(tryfirst=True)  # before xdist reads the marks
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What listens on the simulator's addresses is marked; where workers share a network it runs in one of them, one by one."""
    for item in items:
        if (
            item.path.parent.name == "network"
            or item.path.stem in NETWORK
            or "rig" in getattr(item, "fixturenames", ())
        ):
            item.add_marker("network")
        if item.get_closest_marker("network") and not OWN_NETWORK:
            item.add_marker(pytest.mark.xdist_group("network"))
        elif (
            item.path.stem == "test_dmx_port"
        ):  # a number of a port pulled out is given to the next who asks, in whatever network
            item.add_marker(pytest.mark.xdist_group("ports"))
    items.sort(
        key=lambda item: item.path.stem not in LONG
    )  # begun first, so that no worker is left alone with them at the end


def _own_display() -> None:
    """A worker gets an X server of its own: windows of two workers would take the focus and the clipboard from each other."""
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24", "-nolisten", "tcp"],
        pass_fds=[write],
        stderr=subprocess.DEVNULL,
    )
    atexit.register(server.terminate)
    os.close(write)
    with os.fdopen(read) as told:
        os.environ["DISPLAY"] = f":{told.readline().strip()}"


if os.environ.get("PYTEST_XDIST_WORKER") and os.environ.get("DISPLAY"):
    _own_display()
os.environ.setdefault("QT_QPA_PLATFORM", "xcb" if os.environ.get("DISPLAY") else "offscreen")


@pytest.fixture
def make_window(qtbot, monkeypatch: pytest.MonkeyPatch):
    """Windows with a real size on a real display; a crash, or a thread or process left behind, fails the test."""
    from PySide6.QtWidgets import QApplication

    from isthmus.app.shell.main import make_application
    from isthmus.app.shell.window import Window

    make_application(["isthmus-test"])
    made: list[Window] = []
    threads = {t.name for t in threading.enumerate()}

    def make(
        show: Show | None = None, rig: tuple[str, int] | None = None, page: str = ""
    ) -> Window:
        window = Window(show, rig, ahead=False)  # most tests need one page
        window.crash.happened.connect(lambda text: made_crash.append(text))
        window.resize(1280, 800)
        window.show()
        qtbot.waitExposed(window)
        window.activateWindow()
        with_keys = QApplication.focusWidget()
        assert (
            with_keys is None or with_keys.isVisible()
        )  # a page made behind the first takes no keys from it
        if page:
            window.go(page)
        qtbot.wait(50)
        made.append(window)
        return window

    made_crash: list[str] = []
    yield make
    for window in made:
        window._closing = True
        window.close()
        window.deleteLater()
    qtbot.wait(20)
    assert not made_crash
    left = {t.name for t in threading.enumerate() if t.name == "rig link"} - threads
    assert not left


@pytest.fixture
def page(make_window, demo: Show, tmp_path_factory: pytest.TempPathFactory):
    """The Profiles page of the demo show, its library built by the builder's own process: once, then it is brought up to date."""
    built = tmp_path_factory.getbasetemp() / "library.sqlite"
    mine = data_folder() / built.name
    if built.exists():
        mine.parent.mkdir(parents=True)
        shutil.copy(built, mine)
    found = make_window(demo, page="Profiles").pages["Profiles"]
    assert until(lambda: len(found.link.shelf.columns) > 500 and not found.link.busy, 40, _pause)
    found.library.search()
    if not built.exists():
        with (
            contextlib.closing(sqlite3.connect(mine)) as here,
            contextlib.closing(sqlite3.connect(built)) as there,
        ):
            here.backup(there)
    return found


def _pause(seconds: float) -> None:
    """Wait while the window goes on."""
    from helpers.hands import settle

    settle(seconds)
