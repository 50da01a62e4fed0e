"""The show compiled to flat NumPy arrays, and a frame rendered from levels.

A *parameter* is one DMX channel of one unit or cell; its level is a float 0…1 over its DMX range. Parameters are
stored in order of their resolution (1 to 4 bytes), so that a frame is, for each resolution, one multiplication and
one scatter a byte, with no gather.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.profiles import chart, profiles_of
from isthmus.profiles.chart import ChartChannel
from isthmus.show.records import SLOTS, Show

Levels = NDArray[np.float32]
Index = NDArray[np.int64]


@dataclass(frozen=True)
class Parameter:
    """Where a parameter comes from."""

    unit: str
    cell: int
    item: ChartChannel


@dataclass(frozen=True)
class Group:
    """Parameters of one resolution: `levels[first:last]`, each byte to `slots[byte][k]` of the flat frame."""

    resolution: int
    first: int
    last: int
    slots: tuple[Index, ...]


@dataclass(frozen=True)
class Compiled:
    """universes: row → universe number. `frame` is (rows, 512) bytes, flattened; defaults: (p,) levels at home."""

    universes: tuple[int, ...]
    parameters: tuple[Parameter, ...]
    groups: tuple[Group, ...]
    defaults: Levels
    where: dict[tuple[str, int, str], list[int]]  # (unit, cell, attribute) → parameters, several with several addresses

    @property
    def slots(self) -> int:
        return len(self.universes) * SLOTS

    def frame(self) -> NDArray[np.uint8]:
        return np.zeros(self.slots, np.uint8)

    def render(self, levels: Levels, frame: NDArray[np.uint8]) -> None:
        """Write all parameters into a flat frame of `slots` bytes. Levels must lie in 0…1."""
        for group in self.groups:
            part = levels[group.first : group.last]
            if group.resolution == 1:
                frame[group.slots[0]] = (part * np.float32(255) + np.float32(0.5)).astype(np.uint8)
                continue
            top = 256**group.resolution - 1
            if group.resolution == 2:
                whole = (part * np.float32(top) + np.float32(0.5)).astype(np.uint16)
            else:  # float32 cannot hold 24 bits and more
                whole = (part.astype(np.float64) * top + 0.5).astype(np.uint64)
            for byte, where in enumerate(group.slots):
                frame[where] = (whole >> (8 * (group.resolution - 1 - byte))).astype(np.uint8)


def compile_show(show: Show, universes: tuple[int, ...] | None = None) -> Compiled:
    """Compile the patch. Slots past the end of a universe are left out; where units overlap the later one wins."""
    profiles = profiles_of(show)
    if universes is None:
        universes = tuple(sorted({p.universe for unit in show.units for p in unit.patch} | {o.universe for o in show.outputs}))
    row = {universe: index for index, universe in enumerate(universes)}
    found: dict[int, list[tuple[Parameter, list[int]]]] = {1: [], 2: [], 3: [], 4: []}
    for unit in show.units:
        mode = profiles.mode_of(unit)
        if mode is None or not unit.patch:
            continue
        for item in chart(*mode).channels:
            for patched in unit.patch if item.slots else ():  # one number may have several addresses
                places = [patched.address + offset - 1 for _, offset in item.slots]
                if patched.block == item.slots[0][0] and patched.universe in row and min(places) >= 1 and max(places) <= SLOTS:
                    base = row[patched.universe] * SLOTS - 1
                    found[len(places)].append((Parameter(unit.id, item.cell, item), [base + place for place in places]))
    parameters: list[Parameter] = []
    groups: list[Group] = []
    for resolution, rows in found.items():
        if rows:
            columns = np.array([flat for _, flat in rows], np.int64).reshape(len(rows), resolution)
            groups.append(
                Group(
                    resolution,
                    len(parameters),
                    len(parameters) + len(rows),
                    tuple(np.ascontiguousarray(columns[:, byte]) for byte in range(resolution)),
                )
            )
            parameters.extend(parameter for parameter, _ in rows)
    where: dict[tuple[str, int, str], list[int]] = {}
    for index, parameter in enumerate(parameters):
        where.setdefault((parameter.unit, parameter.cell, parameter.item.attribute), []).append(index)
    defaults = np.array([p.item.default_level for p in parameters], np.float32)
    return Compiled(universes, tuple(parameters), tuple(groups), defaults, where)
