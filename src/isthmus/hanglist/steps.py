"""How far apart the addresses of units beside one another stand: it hints at their mode."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from isthmus.hanglist.carried import is_ditto
from isthmus.hanglist.growth import spot_of
from isthmus.hanglist.spots import read_cell


@dataclass(frozen=True)
class Beside:
    """Model, mode, universe and address of a row as written, ditto marks and merged cells spelled
    out.
    """

    model: str
    mode: str
    universe: str
    address: str


def spelled_out(
    models: Sequence[str], modes: Sequence[str], universes: Sequence[str], addresses: Sequence[str]
) -> list[Beside]:
    """Rows with what stands above them filled in."""
    made: list[Beside] = []
    above = ("", "", "")
    for model, mode, universe, address in zip(models, modes, universes, addresses, strict=True):
        same = not model or is_ditto(model)
        above = (
            above[0] if same else model,
            above[1] if is_ditto(mode) or (same and not mode) else mode,
            universe or above[2],
        )
        made.append(Beside(*above, address))
    return made


def spots_of(rows: Sequence[Beside], way: str) -> list[tuple[str, int] | None]:
    """Where each row's only address lies, as (universe as written, slot)."""
    found: list[tuple[str, int] | None] = []
    for row in rows:
        cell = read_cell(row.address)
        spot = spot_of(cell.ones[0], way) if cell and len(cell.ones) == 1 else None
        found.append((f"{row.universe}/{spot[0]}", spot[1]) if spot else None)
    return found


def local_steps(rows: Sequence[Beside], way: str) -> list[int]:
    """How far the units around each row stand apart, those of its model and mode in its universe; 0
    where there are none, or where they do not agree: an address slipped there, or a mode changes.
    """
    spots = spots_of(rows, way)
    between: list[int] = []  # of each row and the next; 0 where they have nothing to do
    for at in range(len(rows) - 1):
        here, there = spots[at], spots[at + 1]
        alike = (rows[at].model, rows[at].mode) == (rows[at + 1].model, rows[at + 1].mode)
        near = here and there and alike and here[0] == there[0]
        between.append(there[1] - here[1] if near and there and here else 0)
    padded = [0, 0, *between, 0, 0]
    steps = []
    for at in range(len(rows)):
        around = set(padded[at : at + 4]) if len(rows) > 1 else set()
        beside = {padded[at + 1], padded[at + 2]} - {0}
        agreed = beside if len(around - {0}) == 1 else set()
        steps.append(max(agreed.pop() if agreed else 0, 0))
    return steps
