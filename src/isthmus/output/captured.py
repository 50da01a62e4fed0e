"""A capture played back goes through the limits of the show like everything else that is sent."""

from __future__ import annotations

import numpy as np

from isthmus.output.bounds import Bounds
from isthmus.output.compile import compile_show
from isthmus.show.records import SLOTS, Show
from isthmus.wire import artnet, sacn

ARTDMX_HEADER = 18  # Art-Net 4, ArtDmx: the slots come after the length


class CaptureLimits:
    """Holds packets of levels inside the limits of the universes a show sends under their
    numbers.
    """

    def __init__(self, show: Show) -> None:
        self._bounds = Bounds(show, compile_show(show))
        self._universes: dict[tuple[str, int], list[int]] = {}
        for output in show.outputs:
            self._universes.setdefault((output.protocol, output.number), []).append(output.universe)
        self.held = 0  # packets that were changed

    def hold(self, payload: bytes) -> bytes:
        """The packet as it may go out; anything but levels goes as it is."""
        if not self._bounds:
            return payload
        packet = artnet.decode(payload)
        if isinstance(packet, artnet.ArtDmx):
            key, slots, at = ("artnet", packet.port_address), packet.slots, ARTDMX_HEADER
        else:
            data = sacn.decode(payload)
            if not isinstance(data, sacn.Data) or data.start_code:
                return payload
            key, slots, at = ("sacn", data.universe), data.slots, sacn.HEADER
        row = np.zeros(SLOTS, np.uint8)
        row[: len(slots)] = np.frombuffer(slots, np.uint8)
        for universe in self._universes.get(key, ()):
            row = self._bounds.hold_row(universe, row)
        inside = row[: len(slots)].tobytes()
        if inside == slots:
            return payload
        self.held += 1
        return payload[:at] + inside + payload[at + len(slots) :]
