"""Which units a paper is about: as units are called up everywhere, or those behind a node."""

from __future__ import annotations

import re

from isthmus.patch.choose import complete, read_choice
from isthmus.routes.reach import Reach
from isthmus.show.records import Show


def units_for(show: Show, text: str) -> set[str] | None:
    """Ids; None where nothing is typed. A part may be the name of a node: the units whose universes
    reach it. Raises EntryFault.
    """
    nodes = {node.name.lower(): node.id for node in show.nodes if node.name}
    rest, found = [], set()
    for part in re.split(r"[,;\n]", text):
        if part.strip().lower() in nodes:
            found |= _behind(show, nodes[part.strip().lower()])
        elif part.strip():
            rest.append(part)
    if not text.strip():
        return None
    return found | (set(read_choice(show, ",".join(rest)).ids) if rest else set())


def _behind(show: Show, node: str) -> set[str]:
    reach = Reach(show)
    universes = {
        output.universe
        for output in show.outputs
        if any(port.node.id == node for port in reach.of_output.get(output.id, ()))
    }
    return {unit.id for unit in show.units if any(p.universe in universes for p in unit.patch)}


def complete_for(show: Show, text: str) -> list[str]:
    """The text with its last word completed, nodes among what it may be."""
    begun, comma, word = text.rpartition(",")
    low = word.strip().lower()
    nodes = [node.name for node in show.nodes if low and node.name.lower().startswith(low)]
    pad = f"{begun}{comma} " if comma else ""
    return [*complete(show, text), *(f"{pad}{name}" for name in nodes)]
