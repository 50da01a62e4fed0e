"""Panels whose cells are wired otherwise than their profile says."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from isthmus.profiles.light import LightProgram


@lru_cache(64)
def _table(program: LightProgram) -> NDArray[np.int64]:
    """Cell numbers as they lie, rows from the top (n, m); (0, 0) for a unit whose cells fill no
    rectangle.
    """
    cells, places = [], []
    for beam in program.assembly.beams:
        if beam.cell and beam.cell not in cells:
            whole = np.eye(4)
            for link in beam.chain:
                whole = whole @ link.matrix
            cells.append(beam.cell)
            places.append(whole[:2, 3])
    if not cells:
        return np.zeros((0, 0), np.int64)
    x, y = np.round(np.array(places), 4).T
    columns, rows = np.unique(x), np.unique(-y)
    if len(columns) * len(rows) != len(cells):
        return np.zeros((0, 0), np.int64)
    table = np.zeros((len(rows), len(columns)), np.int64)
    table[np.searchsorted(rows, -y), np.searchsorted(columns, x)] = cells
    return table


def rewired(program: LightProgram, how: str, slots: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The slots (width,) as the cells of such a panel have them."""
    table = _table(program)
    if not table.size:
        return slots
    order = np.sort(table.ravel())
    if how == "turned round":
        meant, lit = table, table[::-1, ::-1]
    elif how == "mirrored":
        meant, lit = table, table[:, ::-1]
    elif how == "flipped":
        meant, lit = table, table[::-1]
    elif how == "backwards":
        meant, lit = order, order[::-1]
    else:  # the order of data runs through the panel another way, from where it begins
        first = np.argwhere(table == order[0])[0] > 0
        seen = table[:: -1 if first[0] else 1, :: -1 if first[1] else 1]
        if how == "zigzag":
            seen = seen.copy()
            seen[1::2] = seen[1::2, ::-1]
        meant, lit = order, (seen.T if how == "columns" else seen).ravel()
    out = slots.copy()
    columns = _columns(program)
    for sent, cell in zip(meant.ravel().tolist(), lit.ravel().tolist(), strict=True):
        for name, to in columns.get(cell, {}).items():
            out[list(to)] = slots[list(columns[sent][name])]
    return out


@lru_cache(64)
def _columns(program: LightProgram) -> dict[int, dict[str, Sequence[int]]]:
    """Cell → attribute → its slots, from 0."""
    found: dict[int, dict[str, Sequence[int]]] = {}
    for channel in program.chart.channels:
        if channel.cell:
            found.setdefault(channel.cell, {})[channel.attribute] = program.columns_of(channel)
    return found
