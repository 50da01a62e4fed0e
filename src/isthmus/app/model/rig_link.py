"""What the rig does: asked of the simulator some fifteen times a second, on a thread of
its own.
"""

from __future__ import annotations

import threading
from typing import Any

from PySide6.QtCore import QObject, Signal

from isthmus.errors import IsthmusError
from isthmus.standin import RigClient

PERIOD = 0.06


class RigLink(QObject):
    """`described` once, then `state` while watched; `lost` when the rig goes, and it is tried
    again.
    """

    described = Signal(object)
    state = Signal(object)
    lost = Signal(str)

    def __init__(self, address: tuple[str, int]) -> None:
        super().__init__()
        self.address = address
        self._watched = threading.Event()
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._run, name="rig link", daemon=True)
        self._thread.start()

    def watch(self, on: bool) -> None:
        if on:
            self._watched.set()
        else:
            self._watched.clear()

    def _run(self) -> None:
        while not self._ended.is_set():
            if not self._watched.wait(0.2):
                continue
            try:
                client = RigClient(self.address)
                try:
                    self._tell(self.described, client.ask("describe"))
                    while not self._ended.is_set() and self._watched.is_set():
                        self._tell(self.state, client.ask("state"))
                        self._ended.wait(PERIOD)
                finally:
                    client.close()
            except IsthmusError as error:
                self._tell(self.lost, str(error))
                self._ended.wait(1.0)

    def _tell(self, signal: Any, value: Any) -> None:
        if not self._ended.is_set():
            signal.emit(value)

    def stop(self) -> None:
        self._ended.set()
        self._watched.set()
        self._thread.join(3)
