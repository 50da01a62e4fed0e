"""The show compiled to flat NumPy arrays, and a frame rendered from levels.

A *parameter* is one DMX channel of one unit or cell; its level is a float 0…1 over its DMX range.
Parameters are stored in order of their resolution (1 to 4 bytes), so that a frame is, for each
resolution, one multiplication and one scatter a byte, with no gather.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from isthmus.show.records import SLOTS, Show

if TYPE_CHECKING:
    from isthmus.profiles.chart import ChartChannel

Levels = NDArray[np.float32]
Index = NDArray[np.int64]
Key = tuple[str, int, str]  # unit, cell, attribute
RESOLUTIONS = (1, 2, 3, 4)


@dataclass(frozen=True)
class Group:
    """Parameters of one resolution: `levels[first:last]`, each byte to `slots[byte][k]` of the flat
    frame.
    """

    resolution: int
    first: int
    last: int
    slots: tuple[Index, ...]


class _Template:
    """The channels of one block of a mode, by resolution, in the order of the chart: the same for
    all its units.
    """

    def __init__(self, items: Sequence[tuple[ChartChannel, tuple[int, ...]]]) -> None:
        """`items` are channels with their offsets in the block, from 1."""
        self.items = items
        self.reach = max((max(offsets) for _, offsets in items), default=0)
        self.offsets: dict[int, Index] = {}
        self.defaults: dict[int, Levels] = {}
        self.found: dict[
            tuple[int, str], list[tuple[int, int, ChartChannel]]
        ] = {}  # cell, attribute → resolution, place in it
        for resolution in RESOLUTIONS:
            mine = [(item, offsets) for item, offsets in items if len(offsets) == resolution]
            self.offsets[resolution] = (
                np.array([offsets for _, offsets in mine], np.int64).reshape(len(mine), resolution)
                - 1
            )
            self.defaults[resolution] = np.array(
                [item.default_level for item, _ in mine], np.float32
            )
            for place, (item, _) in enumerate(mine):
                self.found.setdefault((item.cell, item.attribute), []).append(
                    (resolution, place, item)
                )
        self.dimmers = self._where(lambda name: name == "Dimmer")
        self.emitters = self._where(lambda name: name.startswith("ColorAdd_"))

    def _where(self, wanted: Callable[[str], bool]) -> list[tuple[int, int]]:
        """(resolution, place in it) of the channels with such an attribute."""
        return [
            (r, at) for (_, name), some in self.found.items() if wanted(name) for r, at, _ in some
        ]

    def within(self, address: int) -> _Template:
        """What of it lies inside a universe when it starts there."""
        return _Template(
            [
                (i, o)
                for i, o in self.items
                if address + min(o) - 1 >= 1 and address + max(o) - 1 <= SLOTS
            ]
        )


class Places:
    """Where the parameters of a unit are: (unit, cell, attribute) → indices, several with several
    addresses.
    """

    def __init__(self, entries: Mapping[str, Sequence[tuple[_Template, dict[int, int]]]]) -> None:
        # unit → for each stretch of slots: its template, and by resolution its first parameter
        self._entries = entries

    def get(self, key: Key) -> list[int]:
        """The parameters of (unit, cell, attribute), ascending; [] where there is none."""
        unit, cell, attribute = key
        entries = self._entries.get(unit, ())
        return [
            starts[r] + at
            for template, starts in entries
            for r, at, _ in template.found.get((cell, attribute), ())
        ]

    def of_unit(self, unit: str) -> Iterator[tuple[int, str, int, ChartChannel]]:
        """(cell, attribute, parameter, channel) of everything a unit has."""
        for template, starts in self._entries.get(unit, ()):
            for (cell, attribute), found in template.found.items():
                for resolution, at, item in found:
                    yield cell, attribute, starts[resolution] + at, item

    def light(self) -> Iterator[int]:
        """The parameters that are how bright units are: dimmers, or colours where a unit has
        none.
        """
        for entries in self._entries.values():
            dimmed = any(template.dimmers for template, _ in entries)
            for template, starts in entries:
                for resolution, at in template.dimmers if dimmed else template.emitters:
                    yield starts[resolution] + at

    def __iter__(self) -> Iterator[Key]:
        for unit in self._entries:
            yield from dict.fromkeys(
                (unit, cell, attribute) for cell, attribute, _, _ in self.of_unit(unit)
            )


@dataclass(frozen=True)
class Compiled:
    """universes: row → universe number. `frame` is (rows, 512) bytes, flattened; defaults: (p,)
    levels at home.
    """

    universes: tuple[int, ...]
    groups: tuple[Group, ...]
    defaults: Levels
    places: Places

    @property
    def slots(self) -> int:
        """Bytes of a frame: 512 for each universe."""
        return len(self.universes) * SLOTS

    @cached_property
    def light(self) -> Index:
        """The parameters that are how bright units are."""
        return np.array(list(self.places.light()), np.int64)

    def frame(self) -> NDArray[np.uint8]:
        """An empty frame, (slots,) bytes."""
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
    """Compile the patch. Slots past the end of a universe are left out; where units overlap the
    later one wins.

    Python walks over the stretches of slots only; their parameters are laid out by NumPy, all units
    of a mode at once.
    """
    from isthmus.profiles import chart, profiles_of  # who only renders needs none

    profiles = profiles_of(show)
    if universes is None:
        universes = tuple(
            sorted(
                {p.universe for unit in show.units for p in unit.patch}
                | {o.universe for o in show.outputs}
            )
        )
    row = {universe: index for index, universe in enumerate(universes)}
    templates: dict[tuple[str, str, int], _Template] = {}
    owners: list[str] = []
    used: list[_Template] = []
    bases: list[int] = []
    for unit in show.units:
        for patched in unit.patch:  # one number may have several addresses
            at = row.get(patched.universe)
            if at is None:
                continue
            key = unit.profile, unit.mode, patched.block
            template = templates.get(key)
            if template is None:
                mode = profiles.mode_of(unit)
                channels = chart(*mode).channels if mode else ()
                mine = [c for c in channels if c.slots and c.slots[0][0] == patched.block]
                template = templates[key] = _Template(
                    [(c, tuple(offset for _, offset in c.slots)) for c in mine]
                )
            if patched.address < 1 or patched.address + template.reach - 1 > SLOTS:
                template = template.within(patched.address)
            if template.items:
                owners.append(unit.id)
                used.append(template)
                bases.append(at * SLOTS + patched.address - 1)
    return _laid_out(universes, owners, used, np.array(bases, np.int64))


def _laid_out(
    universes: tuple[int, ...], owners: list[str], used: list[_Template], bases: Index
) -> Compiled:
    """Parameters by resolution, within it in the order of the stretches."""
    kinds: dict[int, list[int]] = {}
    for index, template in enumerate(used):
        kinds.setdefault(id(template), []).append(index)
    groups: list[Group] = []
    defaults: list[Levels] = []
    firsts: dict[int, list[int]] = {}
    total = 0
    for resolution in RESOLUTIONS:
        counts = np.array([len(template.offsets[resolution]) for template in used], np.int64)
        starts = total + np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
        firsts[resolution] = starts[:-1].tolist()
        size = int(starts[-1]) - total
        columns, home = np.zeros((size, resolution), np.int64), np.zeros(size, np.float32)
        for indices in kinds.values():
            template = used[indices[0]]
            many = len(template.offsets[resolution])
            if many:
                at = (starts[indices][:, None] - total + np.arange(many)).ravel()
                columns[at] = (
                    bases[indices][:, None, None] + template.offsets[resolution]
                ).reshape(-1, resolution)
                home[at] = np.tile(template.defaults[resolution], len(indices))
        if size:
            slots = tuple(np.ascontiguousarray(columns[:, byte]) for byte in range(resolution))
            groups.append(Group(resolution, total, total + size, slots))
        defaults.append(home)
        total += size
    entries: dict[str, list[tuple[_Template, dict[int, int]]]] = {}
    for index, (owner, template) in enumerate(zip(owners, used, strict=True)):
        entries.setdefault(owner, []).append((template, {r: firsts[r][index] for r in RESOLUTIONS}))
    return Compiled(universes, tuple(groups), np.concatenate(defaults), Places(entries))
