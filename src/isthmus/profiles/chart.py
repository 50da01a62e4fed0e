"""A mode laid flat: its channels with the cells written out, and its footprint block by block.

A channel of a geometry that is referred to several times (a cell) stands once for each reference,
its offsets counted from the reference's break (DIN SPEC 15800, GeometryReference). Where a profile
draws its heads side by side instead, each as geometries of its own with the same attributes, every
such branch of the tree is a cell as well: `isthmus.profiles.branches`.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass

from isthmus.profiles.branches import branches, names_in
from isthmus.profiles.keep import KeptByMode
from isthmus.profiles.records import ChannelFunction, DmxChannel, Geometry, Mode, Profile

MAX_CHANNELS = 8192
MAX_NESTED = 6


@dataclass(frozen=True)
class ChartChannel:
    """One channel of one geometry instance. `slots` are (block, offset) from coarse to fine,
    offsets from 1.
    """

    channel: DmxChannel
    attribute: str
    slots: tuple[tuple[int, int], ...]
    instance: str  # the geometry, or the reference that draws it
    cell: int  # 0 for the unit itself, 1… for its cells

    @property
    def top(self) -> int:
        return 256**self.channel.resolution - 1

    @property
    def functions(self) -> tuple[ChannelFunction, ...]:
        """Of all its logical channels."""
        return tuple(f for logical in self.channel.logical for f in logical.functions)

    @property
    def default(self) -> int:
        first = self.channel.first
        return min(first.default, self.top) if first else 0

    @property
    def default_level(self) -> float:
        return self.default / self.top


@dataclass(frozen=True)
class Chart:
    channels: tuple[ChartChannel, ...]
    footprints: tuple[tuple[int, int], ...]  # (block, slots), by block
    cells: int

    @property
    def footprint(self) -> int:
        """Slots of all blocks together."""
        return sum(size for _, size in self.footprints)

    def span(self, block: int) -> int:
        return dict(self.footprints).get(block, 0)


def _references(geometry: Geometry) -> list[Geometry]:
    found = [geometry] if geometry.kind == "Reference" else []
    for child in geometry.children:
        found.extend(_references(child))
    return found


# references from the outermost in: a panel's row, the row's cell; or a branch alone
Chain = tuple[Geometry, ...]


def _chains(profile: Profile, geometry: Geometry, above: Chain = ()) -> Iterator[Chain]:
    """Every way down through references. Rings and endless nesting are cut."""
    for reference in _references(geometry):
        chain = (*above, reference)
        target = profile.geometry(reference.refers_to)
        ring = (
            target is None
            or any(r.refers_to == reference.refers_to for r in above)
            or len(chain) > MAX_NESTED
        )
        yield chain
        if target is not None and not ring:
            yield from _chains(profile, target, chain)


def cells_of(profile: Profile, mode: Mode) -> list[Chain]:
    """The cells of a mode in their order, each as the references that lead to it, or as the branch
    of the tree it is.

    A reference within a cell is a cell of its own where channels are said of what it refers to;
    else it is a part of the cell around it. One that only holds such cells is none.
    """
    root = profile.geometry(mode.geometry)
    used = {channel.geometry for channel in mode.channels}
    chains = list(itertools.islice(_chains(profile, root) if root else (), MAX_CHANNELS))
    targets = {id(c[-1]): profile.geometry(c[-1].refers_to) for c in chains}
    with_channels = {key for key, target in targets.items() if target and names_in(target) & used}
    holding = {id(c[0]) for c in chains if len(c) > 1 and id(c[-1]) in with_channels}
    beside = branches(root, mode.channels) if root else []
    return [(branch,) for branch in beside] + [
        c for c in chains if id(c[-1]) in with_channels or (len(c) == 1 and id(c[0]) not in holding)
    ]


def lay_flat(profile: Profile, mode: Mode) -> Chart:
    """The chart of a mode, computed now; see `chart` for the kept one."""
    inside: dict[str, list[tuple[int, Chain]]] = {}
    cells = cells_of(profile, mode)
    for number, chain in enumerate(cells, 1):
        branch = chain[-1].kind != "Reference"
        target = chain[-1] if branch else profile.geometry(chain[-1].refers_to)
        for name in names_in(target) if target else ():
            if branch:  # branches stand from the outside in: the innermost has the channel
                inside[name] = [(number, chain)]
            else:
                inside.setdefault(name, []).append((number, chain))
    channels: list[ChartChannel] = []
    spans: dict[int, int] = {}
    for channel in mode.channels:
        attribute = channel.logical[0].attribute if channel.logical else ""
        for cell, chain in inside.get(channel.geometry, [(0, ())]):
            block, start = max(1, channel.block), 1
            # each counts from where the one around it begins; a branch counts nothing
            for reference in chain:
                # the last break serves channels whose own break is "Overwrite"
                found = (
                    (reference.breaks[-1] if reference.breaks else None)
                    if channel.block == 0
                    else next((b for b in reference.breaks if b.block == channel.block), None)
                )
                if found is not None:
                    block, start = max(1, found.block), start + found.offset - 1
            slots = tuple((block, start + offset - 1) for offset in channel.offsets)
            channels.append(
                ChartChannel(
                    channel, attribute, slots, chain[-1].name if chain else channel.geometry, cell
                )
            )
            for slot_block, offset in slots:
                spans[slot_block] = max(spans.get(slot_block, 0), offset)
            if len(channels) >= MAX_CHANNELS:
                break
    channels.sort(key=lambda c: c.slots[0] if c.slots else (99, 0))
    return Chart(tuple(channels), tuple(sorted(spans.items())), len(cells))


_KEPT: KeptByMode[Chart] = KeptByMode(2048)


def chart(profile: Profile, mode: Mode) -> Chart:
    """The DMX chart of a mode; computed once for each profile object (hashing a whole profile would
    cost more).
    """
    return _KEPT.get(profile, mode, lay_flat)
