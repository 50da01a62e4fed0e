"""A rig: as the paper has it, and as it really stands.

The paper becomes a show. What really stands is what is told here of each unit, of the cables, nodes
and whoever else sends; where the two differ is a `Truth`.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from benchmarks.stands.kinds import BLACK, BY_NAME, Look, stored
from isthmus.show.records import Node, Output, Patched, Show, Unit

Universe = np.ndarray  # (512,) bytes
Sent = Mapping[int, Universe]


@dataclass(frozen=True)
class Standing:
    """One unit as it stands. `wrong` is what is broken in it, as a word and perhaps a figure."""

    id: str
    number: int
    kind: str
    mode: str
    hang: str
    address: int
    line: tuple[str, int]  # node and port, from 0
    wrong: tuple[str, ...] = ()
    figure: float = 0.0


@dataclass(frozen=True)
class NodeStands:
    """A node as it stands: the number each port listens to, and which ports put nothing out."""

    name: str
    ip: str
    numbers: tuple[int, ...]
    on: bool = True
    answers: bool = True
    dead: tuple[int, ...] = ()


@dataclass(frozen=True)
class Foreign:
    """Another sender of a universe: which slots it holds up, and whether it goes above ours (then
    all of the universe is its own), beside it (the highest counts) or above it only where it
    has slots.
    """

    universe: int
    slots: Mapping[int, int]
    rank: str = "beside"
    seen: bool = True  # whether the network view shows it


@dataclass(frozen=True)
class Truth:
    """One thing that is wrong. `says` tells whether a cause (its kind, the units it concerns, what
    it is about) says it.
    """

    kind: str
    units: frozenset[str]
    says: Callable[[str, Collection[str], tuple[object, ...]], bool] = field(compare=False)


@dataclass(frozen=True)
class Rig:
    """`paper` is the show; `cut` are units nothing comes to, wherever their line goes."""

    paper: Show
    units: Mapping[str, Standing]
    nodes: Mapping[str, NodeStands]
    foreign: tuple[Foreign, ...] = ()
    cut: frozenset[str] = frozenset()
    truths: tuple[Truth, ...] = ()

    def unit(self, number: int) -> Standing:
        return self.units[f"u{number}"]

    def with_unit(self, unit: Standing) -> Rig:
        return replace(self, units={**self.units, unit.id: unit})

    def with_node(self, node: NodeStands) -> Rig:
        return replace(self, nodes={**self.nodes, node.name: node})

    def with_truth(self, truth: Truth) -> Rig:
        return replace(self, truths=(*self.truths, truth))

    # ------------------------------------------------------------ what comes where

    def universe_at(self, line: tuple[str, int]) -> int | None:
        """Which universe of ours comes out of a port; None when nothing does."""
        node = self.nodes[line[0]]
        if not node.on or line[1] in node.dead:
            return None
        number = node.numbers[line[1]]
        for output in self.paper.outputs:
            if output.enabled and output.host == node.ip and output.port_address == number:
                return output.universe
        return None

    def comes(self, unit: Standing, sent: Sent) -> Universe | None:
        """(512,) what reaches a unit."""
        universe = self.universe_at(unit.line)
        if universe is None or unit.id in self.cut:
            return None
        out = sent[universe]
        for other in self.foreign:
            if other.universe != universe:
                continue
            theirs = np.zeros(512, np.uint8)
            for slot, value in other.slots.items():
                theirs[slot - 1] = value
            if other.rank == "above":
                out = theirs
            elif other.rank == "beside":
                out = np.maximum(out, theirs)
            else:
                out = np.where(theirs > 0, theirs, out)
        return out

    def look(self, unit: Standing, sent: Sent) -> Look:
        """How a unit looks while this is sent."""
        wrong = set(unit.wrong)
        if "dead" in wrong:
            return BLACK
        _, physics = BY_NAME[unit.kind].of(unit.mode)
        size, _ = BY_NAME[unit.kind].of(unit.mode)
        if "by itself" in wrong:
            return replace(physics([255] * size), pan=0.0, tilt=0.0, wide=0.5, picture=0)
        reach = self.comes(unit, sent)
        if reach is None:
            return BLACK
        slots = [
            int(reach[unit.address - 1 + i]) if 0 <= unit.address - 1 + i < 512 else 0
            for i in range(size)
        ]
        look = physics(slots)
        if not self._has_head(unit):
            look = replace(look, pan=0.0, tilt=0.0)
        return self._spoilt(look, wrong, unit.figure)

    def _has_head(self, unit: Standing) -> bool:
        return BY_NAME[unit.kind].body == "mover"

    def _spoilt(self, look: Look, wrong: set[str], figure: float) -> Look:
        pan, tilt = look.pan, look.tilt
        if "swapped" in wrong:
            pan, tilt = 2 * tilt, pan / 2
        pan = -pan if "pan inverted" in wrong else 0.0 if "pan stuck" in wrong else pan
        tilt = -tilt if "tilt inverted" in wrong else 0.0 if "tilt stuck" in wrong else tilt
        cells, tints = list(look.cells), list(look.tints)
        if "lamp" in wrong:
            cells = [0.0] * len(cells)
        if "held" in wrong:
            cells = [min(c, figure) for c in cells]
        if "cell" in wrong:
            cells[int(figure)] = 0.0
        if "emitter" in wrong:
            for at, tint in enumerate(tints):
                gone = [x * (i != int(figure)) for i, x in enumerate(tint)]
                part = (0.2, 0.7, 0.1)[int(figure)]
                whole = 0.2 * tint[0] + 0.7 * tint[1] + 0.1 * tint[2]
                cells[at] *= max(0.0, 1 - part * tint[int(figure)] / max(whole, 1e-6))
                most = max(gone)
                tints[at] = tuple(x / most for x in gone) if most else (1.0, 1.0, 1.0)  # type: ignore
                cells[at] *= most > 0
        return replace(look, cells=tuple(cells), tints=tuple(tints), pan=pan, tilt=tilt)


# ---------------------------------------------------------------- as the paper has it


@dataclass(frozen=True)
class Hung:
    """Units of a kind side by side: how many, where, on which universe and from which address, so
    many slots apart (0: close).
    """

    where: str
    kind: str
    mode: str
    count: int
    universe: int
    address: int
    apart: int = 0


def stand(nodes: Mapping[str, tuple[int, ...]], hung: Collection[Hung]) -> Rig:
    """A rig as the paper has it. `nodes` are the universes of each node's ports, in order; a
    universe's port-address is the node's sixteen and the port.
    """
    outputs, papers, real = [], [], {}
    first: dict[int, tuple[str, int]] = {}
    for at, (name, universes) in enumerate(nodes.items()):
        ip, numbers = f"127.0.0.{at + 2}", tuple(16 * at + i + 1 for i in range(len(universes)))
        papers.append(Node(id=f"n{at}", name=name, ip=ip, ports=numbers))
        real[name] = NodeStands(name, ip, numbers)
        for port, universe in enumerate(universes):
            outputs.append(
                Output(id=f"o{at}.{port}", universe=universe, host=ip, port_address=numbers[port])
            )
            first.setdefault(universe, (name, port))
    units, standing = [], {}
    count: dict[int, int] = {}
    for place, part in enumerate(hung):
        size, _ = BY_NAME[part.kind].of(part.mode)
        for i in range(part.count):
            count[part.universe] = count.get(part.universe, 0) + 1
            number = 100 * part.universe + count[part.universe]
            address = part.address + i * (part.apart or size)
            uid = f"u{number}"
            units.append(
                Unit(
                    id=uid,
                    number=number,
                    profile=stored()[part.kind].key,
                    mode=part.mode,
                    patch=(Patched(universe=part.universe, address=address),),
                    hangs_on=part.where,
                    position=(float(i), float(place), 5.0),
                )
            )
            standing[uid] = Standing(
                uid, number, part.kind, part.mode, part.where, address, first[part.universe]
            )
    show = Show(
        name="Lantern Tide",
        profiles=tuple(stored().values()),
        units=tuple(units),
        nodes=tuple(papers),
        outputs=tuple(outputs),
    )
    return Rig(show, standing, real)
