"""Heads and cells a profile draws side by side, without references: branches of the tree that have
the same attributes as one another.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from isthmus.profiles.records import DmxChannel, Geometry


def names_in(geometry: Geometry) -> set[str]:
    """The names of a geometry and all below it; what it refers to is not below it."""
    return {part.name for part in _parts(geometry)}


def branches(root: Geometry, channels: Iterable[DmxChannel]) -> list[Geometry]:
    """The branches below `root` in the order of the tree, a branch before those within it.

    An attribute said of several geometries, none of which holds another of them, is one channel a
    branch; each branch reaches up as far as it has that attribute only once. A geometry that holds
    others with the same attribute (a dimmer above those of the heads) is the unit's own.
    """
    said: dict[str, set[str]] = {}
    for channel in channels:
        if channel.logical and channel.offsets and channel.geometry:
            said.setdefault(channel.logical[0].attribute, set()).add(channel.geometry)
    found: set[int] = set()
    for places in said.values():
        if len(places) > 1:
            found |= {id(branch) for branch in _apart(root, places)}
    return [part for part in _parts(root) if id(part) in found]


def _parts(geometry: Geometry) -> Iterator[Geometry]:
    yield geometry
    for child in geometry.children:
        yield from _parts(child)


def _apart(root: Geometry, places: set[str]) -> list[Geometry]:
    """The highest geometries that hold just one of the places, each of its own; [] when there is
    but one.
    """
    found: list[Geometry] = []

    def below(geometry: Geometry) -> int:
        """How many places end at or below here; notes the children that hold one each."""
        counts = [below(child) for child in geometry.children]
        total = sum(counts)
        if total > 1:
            both = zip(geometry.children, counts, strict=True)
            found.extend(child for child, count in both if count == 1)
        return total or int(geometry.name in places)

    below(root)
    return found
