"""What is known: verdicts as observations, looks answered, nodes and ports as they answer, devices
discovered, senders.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from isthmus.check.hunt_asked import Place
from isthmus.check.verdicts import holds
from isthmus.output import identity
from isthmus.routes import routed
from isthmus.show.records import Show, Verdict

if TYPE_CHECKING:
    from isthmus.net import View

WORKS, SILENT, UNKNOWN = "works", "silent", ""


@dataclass(frozen=True)
class Told:
    """What discovery or a hunt says of one unit: where it stands there, or that it is not there
    while others of its kind are.
    """

    address: int = 0
    mode: str = ""
    universe: int = 0  # whose data its port carries, 0 when unknown
    there: bool = True
    uid: str = ""
    # what a hunt could not tell from the first: (address, mode or "" of any)
    also: tuple[tuple[int, str], ...] = ()
    # (address of the node, number of the port) that it answers behind
    behind: tuple[str, int] | None = None
    dark: bool = False  # a hunt that lit all of its universe never saw it light

    @property
    def places(self) -> tuple[tuple[int, str], ...]:
        """(address, mode) of all that remains; mode "" is any."""
        return ((self.address, self.mode), *self.also)


def told_by_hunt(places: Sequence[Place], any_mode: bool) -> Told | None:
    """What a hunt says that ends with these places; a mode that was not asked about says nothing.
    None where they are of several universes.
    """
    modes = [place.mode if any_mode else "" for place in places]
    rest = dict.fromkeys(zip((p.address for p in places), modes, strict=True))
    if not rest or len({p.universe for p in places}) > 1:
        return None
    (address, mode), *also = rest
    return Told(address, mode, places[0].universe, also=tuple(also))


@dataclass(frozen=True)
class Evidence:
    """verdicts: of units called. ports: (node id, port) → the number it says it has. told:
    by unit.
    """

    verdicts: Mapping[str, Verdict] = field(default_factory=dict)
    answers: Mapping[tuple[str, str], bool] = field(default_factory=dict)  # (look, unit)
    nodes: Mapping[str, str] = field(default_factory=dict)
    ports: Mapping[tuple[str, int], int] = field(default_factory=dict)
    senders: Mapping[int, tuple[str, ...]] = field(default_factory=dict)
    told: Mapping[str, Told] = field(default_factory=dict)
    looked: bool = False  # whether senders were watched for

    def others(self, unit: str) -> tuple[str, ...]:
        """Who else lit when a unit was called; one that only moved did not."""
        verdict = self.verdicts[unit]
        moved = "moves" in verdict.what and not {"other", "too"} & set(verdict.what)
        return () if moved else verdict.others

    def lit(self, unit: str) -> set[str]:
        """Which units lit when a unit was called."""
        verdict = self.verdicts[unit]
        dark = verdict.result == "silent" or {"other", "dark"} & set(verdict.what)
        return {*self.others(unit), *(() if dark else (unit,))}

    def ways(self, unit: str) -> frozenset[str]:
        """In which ways the unit's own call looked wrong, as `sights.ways_wrong` says it."""
        verdict = self.verdicts[unit]
        if verdict.result == "silent" or "other" in verdict.what:
            return frozenset(("silent",))
        return frozenset(verdict.what) - {"too"}


def gather(
    show: Show, network: View | None = None, told: Mapping[str, Told] | None = None
) -> Evidence:
    """Everything known about a show: its verdicts that hold, looks answered, and the network as it
    is seen.
    """
    looked = network if network is not None and network.looked else None
    nodes, ports = _nodes_seen(show, looked) if looked else ({}, {})
    return Evidence(
        {v.unit: v for v in show.verdicts if v.result != "skipped" and holds(show, v)},
        {(a.look, a.unit): a.answer == "yes" for a in show.answers if a.answer in ("yes", "no")},
        nodes,
        ports,
        _others_sending(show, looked) if looked else {},
        dict(told or {}),
        looked is not None,
    )


def _nodes_seen(show: Show, network: View) -> tuple[dict[str, str], dict[tuple[str, int], int]]:
    """Whether each node that can be asked answers, and the number each port of it says."""
    from isthmus.net.found import pair  # here: a roll call without a network needs none of it

    pairs = pair(show, network.nodes)
    nodes = {
        node.id: WORKS if node.id in pairs else SILENT
        for node in show.nodes
        if node.protocol == "artnet"
    }
    ports = {
        (node.id, port.index): port.number
        for node in show.nodes
        if (real := pairs.get(node.id))
        for port in real.ports
    }
    return nodes, ports


def _others_sending(show: Show, network: View) -> dict[int, tuple[str, ...]]:
    """Universe → who else sends it."""
    from isthmus.net import is_own

    sent = routed(show)
    by_number = {
        (o.protocol, o.number): o.universe for o in show.outputs if o.enabled and o.universe in sent
    }
    own = identity(show).cid.hex()
    others: dict[int, list[str]] = {}
    for source in network.sources:
        universe = by_number.get((source.protocol, source.number))
        if universe and not source.silent and not is_own(source, network, own):
            others.setdefault(universe, []).append(source.name or source.ip)
    return {u: tuple(dict.fromkeys(names)) for u, names in others.items()}
