"""The heads of a unit: what turns together, with its own pan and tilt or those it shares."""

from __future__ import annotations

from dataclasses import dataclass

from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.geometry import BeamInstance
from isthmus.profiles.light import LightProgram

AXES = ("Pan", "Tilt")


@dataclass(frozen=True)
class Head:
    """`nth` counts from 1, 0 where the unit has but one; `beams` are indices of the assembly."""

    nth: int
    beams: tuple[int, ...]
    pan: ChartChannel | None
    tilt: ChartChannel | None

    @property
    def axes(self) -> dict[str, ChartChannel | None]:
        """The channels that turn it, by attribute."""
        return {"Pan": self.pan, "Tilt": self.tilt}

    @property
    def middle(self) -> int:
        """The beam it is aimed by: the middle one of those it has."""
        return self.beams[len(self.beams) // 2]


def heads_of(program: LightProgram) -> tuple[Head, ...]:
    """The heads of a mode that turn, in the order of its beams; where nothing turns, the unit as
    one; () without light.
    """
    items = {(c.attribute, c.cell): c for c in program.chart.channels if c.slots}
    turned: dict[tuple[ChartChannel | None, ...], list[int]] = {}
    channels: dict[tuple[int, ...], tuple[ChartChannel | None, ...]] = {}
    for index, beam in enumerate(program.assembly.beams):
        pair = tuple(_axis(items, beam, name) for name in AXES)
        key = tuple(map(id, pair))
        turned.setdefault(channels.setdefault(key, pair), []).append(index)
    moving = {pair: beams for pair, beams in turned.items() if any(pair)} or turned
    many = len(moving) > 1
    return tuple(
        Head(nth if many else 0, tuple(beams), *pair)
        for nth, (pair, beams) in enumerate(moving.items(), 1)
    )


def _axis(
    items: dict[tuple[str, int], ChartChannel], beam: BeamInstance, name: str
) -> ChartChannel | None:
    """The first channel of this name from the base outwards that turns a beam."""
    return next((items[key] for key in beam.axes if key[0] == name and key in items), None)
