"""The DMX ports of this computer that are sent to: opened, fed and closed as the routes say."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from isthmus.engine import shared as sh
from isthmus.engine.dmx_port import DmxPort

_END = 0.6  # seconds they are waited for at the end


class DmxPorts:
    """One thread for each device; what it does is told in the words the interface reads."""

    def __init__(self, words: NDArray[np.int64]) -> None:
        self._words = words
        self._rows: dict[str, int] = {}  # device → row of the frame
        self._ports: dict[str, DmxPort] = {}

    def lay_out(self, routes: Sequence[sh.Route]) -> None:
        """One universe a device: the first that is led there."""
        rows: dict[str, int] = {}
        for route in routes:
            rows.setdefault(route.host, route.row)
        for device in self._ports.keys() - rows.keys():
            self._ports.pop(device).stop()
        self._words[sh.S_PORT_STATE : sh.S_PORT_STATE + sh.MAX_DEVICES] = 0
        for device in rows.keys() - self._ports.keys():
            self._ports[device] = port = DmxPort(device, self._rate, self._teller(device))
            port.start()
        self._rows = rows

    def _rate(self) -> float:
        return int(self._words[sh.W_RATE_DMX]) / 1000

    def _teller(self, device: str):
        def tell(state: int, sent: int) -> None:
            at = next((i for i, name in enumerate(self._rows) if name == device), -1)
            if at >= 0:
                self._words[sh.S_PORT_STATE + at] = state
                self._words[sh.S_PORT_PACKETS + at] = sent

        return tell

    def feed(self, frame: NDArray[np.uint8], on: bool) -> None:
        """The newest frame (rows, 512), and whether it is sent."""
        for device, row in self._rows.items():
            port = self._ports[device]
            if row < len(frame):
                port.levels = frame[row].tobytes()
            port.on = on

    def end(self) -> None:
        """Dark packets, then quiet."""
        for port in self._ports.values():
            port.stop()
        for port in self._ports.values():
            port.join(_END)
