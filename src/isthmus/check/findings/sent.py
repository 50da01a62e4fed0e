"""What is sent while units are called, universe by universe: of a large show only what a question
is about is worked out.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Protocol

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from isthmus.output.compile import Compiled, compile_show
from isthmus.output.live import Asked
from isthmus.output.shape import Shaping, shape_show
from isthmus.show.records import SLOTS, Show, Unit

Bytes = NDArray[np.uint8]
Indices = NDArray[np.int64]


class Frames(Protocol):
    """Some moments, k of them, in which slots are sent."""

    def __len__(self) -> int: ...

    def part(self, universe: int, address: int, size: int) -> Bytes:
        """(k, up to size): the slots of a universe from an address on. Zeros of a universe nothing
        is sent.
        """
        ...


class Universes:
    """The patch compiled a universe at a time, when it is first asked for."""

    def __init__(self, show: Show) -> None:
        self._show = show
        self.units: dict[int, list[Unit]] = defaultdict(list)
        for unit in show.units:
            for universe in dict.fromkeys(p.universe for p in unit.patch):
                self.units[universe].append(unit)
        self.known = frozenset({*self.units, *(o.universe for o in show.outputs)})
        self._made: dict[int, tuple[Compiled, Shaping, Bytes]] = {}

    def _compiled(self, universe: int) -> tuple[Compiled, Shaping, Bytes]:
        if universe not in self._made:
            part = replace(self._show, units=tuple(self.units.get(universe, ())))
            compiled = compile_show(part, (universe,))
            shaping = shape_show(part, compiled)
            home = compiled.frame()
            compiled.render(shaping.apply(compiled.defaults), home)
            self._made[universe] = compiled, shaping, home
        return self._made[universe]

    def home(self, universe: int) -> Bytes:
        """(512,) everything at its defaults; zeros of a universe nothing is sent."""
        return self._compiled(universe)[2] if universe in self.known else np.zeros(SLOTS, np.uint8)

    def render(self, universe: int, wish: Asked, shaped: bool) -> Bytes:
        """(512,) with this wish, everything else at its defaults; without limits and curves when
        not `shaped`.
        """
        compiled, shaping, _ = self._compiled(universe)
        levels, frame = compiled.defaults.copy(), compiled.frame()
        for key, value in wish.items():
            for at in compiled.places.get(key):
                levels[at] = value
        compiled.render(shaping.apply(levels) if shaped else levels, frame)
        return frame


class Sent:
    """A wish for each moment, rendered where it is looked at. `touched` are the universes each wish
    is about.
    """

    def __init__(
        self,
        universes: Universes,
        touched: Sequence[Iterable[int]],
        wish: Callable[[int], Asked],
        shaped: bool = True,
    ) -> None:
        self._universes, self._wish, self._shaped, self._count = (
            universes,
            wish,
            shaped,
            len(touched),
        )
        self._touching: dict[int, list[int]] = defaultdict(list)
        for at, numbers in enumerate(touched):
            for universe in numbers:
                self._touching[universe].append(at)
        self._rows: dict[int, tuple[Indices, Bytes]] = {}

    def __len__(self) -> int:
        return self._count

    def of(self, universe: int) -> tuple[Indices, Bytes]:
        """The moments in which a universe is not at its defaults, and its slots then (m, 512)."""
        if universe not in self._rows:
            moments = self._touching.get(universe, [])
            rows = [
                self._universes.render(universe, self._wish(at), self._shaped) for at in moments
            ]
            self._rows[universe] = (
                np.array(moments, np.int64),
                np.array(rows, np.uint8).reshape(len(rows), SLOTS),
            )
        return self._rows[universe]

    def home(self, universe: int) -> Bytes:
        return self._universes.home(universe)

    def part(self, universe: int, address: int, size: int) -> Bytes:
        moments, rows = self.of(universe)
        out = np.repeat(
            self.home(universe)[None, address - 1 : address - 1 + size], self._count, axis=0
        )
        out[moments] = rows[:, address - 1 : address - 1 + size]
        return out

    def changed(self, universes: Iterable[int]) -> Indices:
        """The moments in which any of these universes is not at its defaults."""
        return np.array(
            sorted({at for u in universes for at in self._touching.get(u, ())}), np.int64
        )

    def moment(self, at: int, universe: int) -> Bytes:
        """(512,) of one moment."""
        moments, rows = self.of(universe)
        found = np.flatnonzero(moments == at)
        return rows[found[0]] if len(found) else self.home(universe)

    def at(self, moments: Sequence[int] | Indices) -> Frames:
        return _Chosen(self, np.asarray(moments, np.int64))


class _Chosen:
    """Some moments of what is sent."""

    def __init__(self, whole: Sent, moments: Indices) -> None:
        self._whole, self._moments = whole, moments

    def __len__(self) -> int:
        return len(self._moments)

    def part(self, universe: int, address: int, size: int) -> Bytes:
        moments, rows = self._whole.of(universe)
        out = np.repeat(
            self._whole.home(universe)[None, address - 1 : address - 1 + size], len(self), axis=0
        )
        if len(moments):
            at = np.searchsorted(moments, self._moments).clip(max=len(moments) - 1)
            mine = moments[at] == self._moments
            out[mine] = rows[at[mine], address - 1 : address - 1 + size]
        return out


class Laid:
    """One moment, laid out by hand: universe → (512,)."""

    def __init__(self, rows: Mapping[int, Bytes]) -> None:
        self._rows = rows

    @classmethod
    def of(cls, slots: Mapping[tuple[int, int], int]) -> Laid:
        """From (universe, address) → byte."""
        rows: dict[int, Bytes] = {}
        for (universe, address), value in slots.items():
            rows.setdefault(universe, np.zeros(SLOTS, np.uint8))[address - 1] = value
        return cls(rows)

    def __len__(self) -> int:
        return 1

    def part(self, universe: int, address: int, size: int) -> Bytes:
        row = self._rows.get(universe)
        if row is None:
            return np.zeros((1, max(0, min(size, SLOTS + 1 - address))), np.uint8)
        return row[None, address - 1 : address - 1 + size]


class AtRest:
    """The moment in which nothing is asked."""

    def __init__(self, universes: Universes) -> None:
        self._universes = universes

    def __len__(self) -> int:
        return 1

    def part(self, universe: int, address: int, size: int) -> Bytes:
        return self._universes.home(universe)[None, address - 1 : address - 1 + size]
