"""Routes proposed from the patch: by where nodes are and units hang, or by how many ports are
free.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict

from isthmus.errors import EntryFault
from isthmus.routes.edits import add, to_port
from isthmus.routes.reach import Port, Reach, universes_in_use
from isthmus.show.records import Show

BY_POSITION, BY_CAPACITY = "position", "capacity"


def propose(show: Show, by: str = BY_POSITION) -> Show:
    """Give every universe that has units and no output a free port. Raises EntryFault when none is
    missing or none is free.

    By position each universe goes to the node whose place has most words in common with where its
    units hang; by capacity to the ports in order, first those of nodes with most of them free. A
    node's own limit is used.
    """
    have = {o.universe for o in show.outputs}
    missing = [u for u in universes_in_use(show) if u not in have]
    if not missing:
        raise EntryFault("Every universe with units has an output already.")
    spare = _within_cap(show, Reach(show).free())
    if not spare:
        raise EntryFault(
            "No expected node has a free port.",
            do="Add a node, or type an address and a port-address.",
        )
    return add(
        show,
        *(
            to_port(u, p)
            for u, p in (
                _by_position(show, missing, spare)
                if by == BY_POSITION
                else _by_capacity(missing, spare)
            )
        ),
    )


def _within_cap(show: Show, free: list[Port]) -> list[Port]:
    reach = Reach(show)
    left: dict[str, int] = {}
    for node in show.nodes:
        used = sum(1 for p in reach.ports if p.node.id == node.id and reach.of_port.get(p.key))
        left[node.id] = node.cap - used if node.cap else len(node.ports)
    taken: Counter[str] = Counter()
    found = []
    for port in free:
        taken[port.node.id] += 1
        if taken[port.node.id] <= left[port.node.id]:
            found.append(port)
    return found


def _by_capacity(missing: list[int], spare: list[Port]) -> list[tuple[int, Port]]:
    many = Counter(port.node.id for port in spare)
    order = sorted(spare, key=lambda p: -many[p.node.id])
    return list(zip(missing, order, strict=False))


def _words(text: str) -> set[str]:
    return set(re.findall(r"\w{3,}", text.casefold())) - {"the", "and", "behind", "foot"}


def _by_position(show: Show, missing: list[int], spare: list[Port]) -> list[tuple[int, Port]]:
    """The likeliest pair first, then the next; what is like nothing goes in order."""
    hung: dict[int, Counter[str]] = defaultdict(Counter)
    for unit in show.units:
        for patched in unit.patch:
            hung[patched.universe].update(_words(unit.hangs_on))
    pairs = []
    for x, port in enumerate(spare):
        place = _words(f"{port.node.place} {port.node.name}")
        for y, universe in enumerate(missing):
            likeness = sum(hung[universe][word] for word in place) / (
                sum(hung[universe].values()) or 1
            )
            pairs.append((-likeness, y, x))
    found: dict[int, int] = {}
    taken: set[int] = set()
    for _, y, x in sorted(pairs):
        if y not in found and x not in taken:
            found[y] = x
            taken.add(x)
    return [(missing[y], spare[x]) for y, x in sorted(found.items())]
