"""A show's outputs as rows of a frame and routes for the engine.

The rows are the compiled universes; after them come those that are dark or held, and the priorities
by address.
"""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from isthmus.engine import DMX, SACN, SACN_PRIORITY, Engine, Identity, Route
from isthmus.output.claims import Claims, Sender, place_of
from isthmus.output.compile import Compiled
from isthmus.output.live import Live
from isthmus.output.masters import Masters
from isthmus.output.rows import Extra, Plan
from isthmus.patch.index import index_of
from isthmus.show.records import SLOTS, Output, Sending, Show
from isthmus.wire import sacn

PRIORITY = "priority"
LOCAL_BROADCAST = "127.255.255.255"
_NAMESPACE = uuid.UUID("6d1c2c0e-5a53-4f1f-9d7b-0b6a5f0e1157")
Asking = Mapping[int, Sequence[str]]  # port-address → hosts of the nodes that said they want it


def identity(show: Show) -> Identity:
    """Which device sends. A show without a CID has one made from what it is, the same each time."""
    cid = bytes.fromhex(show.sending.cid) if len(show.sending.cid) == 32 else b""
    if not cid:
        first = show.units[0].id if show.units else ""
        cid = uuid.uuid5(_NAMESPACE, f"{show.name}/{show.venue}/{first}").bytes
    return Identity(cid, show.sending.source or show.name)


def set_pace(engine: Engine, sending: Sending) -> None:
    """Let an engine send as a show does."""
    engine.pace(
        sending.artnet_rate,
        sending.sacn_rate,
        sending.changed_only,
        sending.artnet_sync,
        sending.dmx_rate,
    )


def hosts_of(output: Output, asking: Asking, broadcast: str) -> tuple[str, ...]:
    """The addresses an output's packets go to."""
    if output.delivery == "multicast":
        return (sacn.multicast(output.number),)
    if output.delivery == "broadcast":
        return (broadcast or LOCAL_BROADCAST,)
    return (
        tuple(asking.get(output.port_address, ())) if output.delivery == "asked" else output.hosts
    )


def routes_of(output: Output, row: int, asking: Asking, broadcast: str) -> list[Route]:
    if output.protocol == "dmx":
        return [Route(row, output.device, output.number, 0, DMX)]
    hosts = hosts_of(output, asking, broadcast)
    if output.protocol == "artnet":
        return [Route(row, host, output.port_address) for host in hosts]
    options = sacn.PREVIEW if output.preview else 0
    return [
        Route(row, host, output.number, sacn.PORT, SACN, output.priority, output.sync, options)
        for host in hosts
    ]


def engine_routes(
    show: Show, compiled: Compiled, asking: Asking | None = None, broadcast: str = ""
) -> list[Route]:
    """Routes of each output that is on, live."""
    rows = {universe: row for row, universe in enumerate(compiled.universes)}
    return [
        r
        for o in show.outputs
        if o.enabled and o.universe in rows
        for r in routes_of(o, rows[o.universe], asking or {}, broadcast)
    ]


class Composer:
    """Frame and routes of one show after another. With claims, what another process of this
    computer sends to is left out; `left` are those universes, and their senders.
    """

    def __init__(self, masters: Masters, claims: Claims | None = None) -> None:
        self.masters, self.claims = masters, claims
        self.left: dict[int, Sender] = {}
        self.asking: Asking = {}
        self.broadcast = ""

    def compose(self, show: Show, live: Live) -> tuple[NDArray[np.uint8], list[Route]]:
        """(flat frame, routes)."""
        plan = self.plan(show, live)
        frame = plan.fill(live.frame, live.dark_frame, live.bounds, self.masters.rows)
        return frame, list(plan.routes)

    def plan(self, show: Show, live: Live) -> Plan:
        """What is sent of the universes, as the masters say."""
        rows = {universe: row for row, universe in enumerate(live.compiled.universes)}
        on = [o for o in show.outputs if o.enabled and o.universe in rows]
        extra: dict[tuple[str, int, int], Extra] = {}

        def row(kind: str, universe: int, priority: int = 0) -> int:
            key = kind, universe, priority
            if key not in extra:
                data = priorities(show, universe, priority).tobytes() if priority else b""
                extra[key] = Extra(kind, universe, rows[universe], data)
            return len(rows) + list(extra).index(key)

        routes: list[Route] = []
        universes: list[int] = []  # of each route
        for output in on:
            state = self.masters.of(output)
            source = row(state, output.universe) if state else rows[output.universe]
            routes += routes_of(output, source, self.asking, self.broadcast)
            if output.per_address and output.protocol == "sacn":
                mine = row(PRIORITY, output.universe, output.priority)
                routes += [
                    Route(
                        mine,
                        host,
                        output.number,
                        sacn.PORT,
                        SACN_PRIORITY,
                        output.priority,
                        output.sync,
                    )
                    for host in hosts_of(output, self.asking, self.broadcast)
                ]
            universes += [output.universe] * (len(routes) - len(universes))
        return Plan(tuple(extra.values()), self._shared(routes, universes))

    def _shared(self, routes: list[Route], universes: list[int]) -> tuple[Route, ...]:
        if self.claims is None:
            return tuple(routes)
        ours, left = tuple(self.claims.share(routes)), self.claims.left
        pairs = zip(universes, routes, strict=True) if left else ()
        self.left = {u: left[place] for u, r in pairs if (place := place_of(r)) in left}
        return ours


def priorities(show: Show, universe: int, priority: int) -> NDArray[np.uint8]:
    """The priority for slots units listen to, 0 elsewhere: those are left to others."""
    made = np.zeros(SLOTS, np.uint8)
    for span in index_of(show).universe(universe).spans:
        made[max(0, span.start - 1) : span.end] = priority
    return made
