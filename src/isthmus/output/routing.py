"""A show's outputs as rows of the compiled frame."""

from __future__ import annotations

from isthmus.engine import Route
from isthmus.output.compile import Compiled
from isthmus.show.records import Show


def engine_routes(show: Show, compiled: Compiled) -> list[Route]:
    """One route for each output that is on."""
    rows = {universe: row for row, universe in enumerate(compiled.universes)}
    return [Route(rows[o.universe], o.host, o.port_address) for o in show.outputs if o.enabled and o.universe in rows]
