"""A capture played back goes through the limits of the show like everything else that is sent, and
never where another process of this computer sends.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from isthmus.engine import ARTNET, SACN, Route
from isthmus.output.bounds import Bounds
from isthmus.output.claims import Claims, Sender, place_of
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


def route_of(payload: bytes, host: str) -> Route | None:
    """Where levels lead that go to a host; None for other packets."""
    packet = artnet.decode(payload)
    if isinstance(packet, artnet.ArtDmx):
        return Route(0, host, packet.port_address, kind=ARTNET)
    data = sacn.decode(payload)
    return Route(0, host, data.universe, kind=SACN) if isinstance(data, sacn.Data) else None


class CaptureShare:
    """Which packets of a capture may go out: those to places no other process sends to. `left` are
    the universes left out, as numbered on the network, with their senders.
    """

    def __init__(self, claims: Claims, packets: Iterable[tuple[bytes, str]]) -> None:
        """The claims are begun here; whoever made them closes them. `packets` (payload, host) are
        all that will be asked about.
        """
        self._claims = claims
        self.left: dict[int, Sender] = {}
        found = (route_of(payload, host) for payload, host in packets)
        claims.begin()
        claims.share(list(dict.fromkeys(route for route in found if route is not None)))

    def may(self, payload: bytes, host: str) -> bool:
        self._claims.again()
        route = route_of(payload, host)
        sender = self._claims.left.get(place_of(route)) if route else None
        if route and sender:
            self.left[route.number] = sender
        return sender is None
