"""All routes of one protocol: their packets are laid out once; a tick copies slots and numbers in,
and sends them.

Routes go in bunches at fixed phases of the period, so that a receiver's buffer is not flooded while
the spacing of each universe stays what it is.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from isthmus.engine import shared as sh
from isthmus.sockets import Sender
from isthmus.wire import artnet, sacn

BUNCH = 64
KEEP_ALIVE = 0.9  # seconds: E1.31 6.6.1 asks 0.8 to 1.0, Art-Net at most 4
SETTLED = 3  # a changed universe goes out three times before it may rest (E1.31 6.6.1)
ENDINGS = (
    3  # packets with Stream_Terminated (E1.31 6.2.6), or dark ones: one may be lost, three hardly
)
ARTNET_SEQUENCE, ARTNET_SLOTS, SACN_SLOTS = 12, artnet.DMX_HEADER, sacn.HEADER

# packets, which rows, and the side of each: this computer, out by the adapter, or a group (which
# needs an adapter only if there is one)
Post = Callable[[Sender, NDArray[np.int64], NDArray[np.int8]], None]
LOCAL, OUT, GROUP = range(3)


class Lane:
    def __init__(
        self,
        routes: list[sh.Route],
        who: sh.Identity,
        counts: NDArray[np.uint8],
        before: Lane | None = None,
    ) -> None:
        """`counts` (as many as there are streams at least) holds the sequence numbers, in memory
        that outlives the process.
        """
        self.routes = routes
        self.is_sacn = bool(routes) and routes[0].kind != sh.ARTNET
        self.slots_at = SACN_SLOTS if self.is_sacn else ARTNET_SLOTS
        count = len(routes)
        self.packets = np.zeros((count, 640), np.uint8)
        sizes = []
        for at, route in enumerate(routes):
            packet = self._packet(route, who)
            self.packets[at, : len(packet)] = np.frombuffer(packet, np.uint8)
            sizes.append(len(packet))
        self.sender = Sender(self.packets, sizes, [(r.host, r.port) for r in routes])
        self.rows = np.array([r.row for r in routes], np.int64)
        self.side = np.array([side_of(r.host) for r in routes], np.int8)
        self.streams = list(dict.fromkeys((r.host, r.number) for r in routes))
        places = {key: at for at, key in enumerate(self.streams)}
        self.stream = np.array([places[r.host, r.number] for r in routes], np.int64)
        self.resting = np.zeros(count, np.int64)  # how often it went out unchanged
        self.sent_at = np.zeros(count)
        slow = np.array([r.kind == sh.SACN_PRIORITY for r in routes], bool)
        self.always = ~slow
        if before is not None:
            before.sequence = before.sequence.copy()  # it still ends what is gone
            old = dict(zip(before.streams, before.sequence.tolist(), strict=True))
            counts[: len(self.streams)] = [old.get(key, 0) for key in self.streams]
        self.sequence = counts[: len(self.streams)]
        self.sent = False  # anything since the last synchronization
        # priorities first: a stream goes once in a bunch, so that its numbers stay in order
        order = [
            indices for indices in (np.flatnonzero(slow), np.flatnonzero(~slow)) if len(indices)
        ]
        self.bunches = [
            part for indices in order for part in np.array_split(indices, -(-len(indices) // BUNCH))
        ]

    @staticmethod
    def _packet(route: sh.Route, who: sh.Identity) -> bytes:
        if route.kind == sh.ARTNET:
            return artnet.encode_dmx(1, route.number, bytes(sh.SLOTS))
        start = sacn.PER_ADDRESS_PRIORITY if route.kind == sh.SACN_PRIORITY else 0
        return sacn.encode_data(
            sacn.Data(
                who.cid,
                who.source,
                route.number,
                0,
                bytes(sh.SLOTS),
                route.priority,
                route.sync,
                route.options,
                start,
            )
        )

    def _count_on(self, rows: NDArray[np.int64]) -> None:
        streams = self.stream[rows]
        if self.is_sacn:
            self.sequence[streams] = (self.sequence[streams] + 1) & 0xFF  # 6.7.2
            self.packets[rows, sacn.SEQUENCE_AT] = self.sequence[streams]
        else:
            self.sequence[streams] = self.sequence[streams] % 255 + 1  # 0 would turn ordering off
            self.packets[rows, ARTNET_SEQUENCE] = self.sequence[streams]

    def send(
        self, bunch: int, frame: NDArray[np.uint8], now: float, changed_only: bool, post: Post
    ) -> None:
        """One bunch, from a frame of (rows, 512)."""
        rows = self.bunches[bunch]
        fresh = frame[self.rows[rows]]
        if changed_only or not self.always[rows[0]]:
            same = ~(fresh != self.packets[rows, self.slots_at : self.slots_at + sh.SLOTS]).any(
                axis=1
            )
            self.resting[rows] = np.where(same, self.resting[rows] + 1, 0)
            due = (self.resting[rows] < SETTLED) | (now - self.sent_at[rows] >= KEEP_ALIVE)
            rows, fresh = rows[due], fresh[due]
            if not len(rows):
                return
        self.packets[rows, self.slots_at : self.slots_at + sh.SLOTS] = fresh
        self._count_on(rows)
        self.sent_at[rows] = now
        self.sent = True
        post(self.sender, rows, self.side[rows])

    def end(self, post: Post, keys: set[tuple[str, int]] | None = None) -> None:
        """One ending packet for each stream (of these keys): terminated for sACN, dark for
        Art-Net.
        """
        for bunch in self.bunches:
            rows = bunch[self.always[bunch]]
            if keys is not None:
                rows = rows[[self.streams[s] in keys for s in self.stream[rows]]]
            if not len(rows):
                continue
            if self.is_sacn:
                self.packets[rows, sacn.OPTIONS_AT] |= sacn.TERMINATED
            self.packets[rows, self.slots_at : self.slots_at + sh.SLOTS] = 0
            self._count_on(rows)
            post(self.sender, rows, self.side[rows])
            if self.is_sacn:
                self.packets[rows, sacn.OPTIONS_AT] &= 0xFF ^ sacn.TERMINATED
        self.resting[:] = 0


def side_of(host: str) -> int:
    return LOCAL if host.startswith("127.") else GROUP if host.startswith("239.") else OUT
