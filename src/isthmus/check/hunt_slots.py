"""What a hunt may send: of each slot a byte for lit and one for dark, safe for who stands there.

The unit that is hunted may listen anywhere, so no slot gets a byte that is dangerous to any of its
channels. Of the others each guards the slots it is patched at, channel by channel.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.check.safe import column_bytes
from isthmus.check.sights import DARK
from isthmus.patch.index import index_of
from isthmus.profiles import light_program, profiles_of
from isthmus.profiles.colour import LUMINANCE
from isthmus.profiles.light import LightProgram
from isthmus.show.records import SLOTS, Show

VISIBLE = 1.5 * DARK
Bytes = NDArray[np.uint8]


def levels(program: LightProgram, windows: Bytes) -> NDArray[np.float64]:
    """(k,) light of a unit for each row of slots (k, width)."""
    return (program.read(windows).rgb @ LUMINANCE).max(axis=1, initial=0.0)


def half_light(program: LightProgram, value: int) -> float:
    """Half of the light a unit gives with this byte in all its slots."""
    return float(levels(program, np.full((1, program.width), value, np.uint8))[0]) / 2


def brightest(wanted: Sequence[LightProgram], everybody: Iterable[LightProgram]) -> int:
    """The byte that, in every slot, makes the dimmest of these modes brightest and is safe for
    everybody; 0 when none lights them.
    """
    light = np.where(_safe(everybody), np.inf, 0.0)
    for program in wanted:
        every = np.repeat(np.arange(256, dtype=np.uint8)[:, None], program.width, axis=1)
        light = np.minimum(light, levels(program, every))
    best = int(light.argmax())
    return best if wanted and light[best] > VISIBLE else 0


def _safe(programs: Iterable[LightProgram]) -> NDArray[np.bool_]:
    """(256,) which bytes no slot of any of them minds."""
    allowed = np.ones(256, bool)
    for program in programs:
        allowed &= column_bytes(program).all(axis=0)
    return allowed


@dataclass(frozen=True)
class SlotBytes:
    """Of each slot of some universes, (universes, 512): what it gets when it is lit, and when it is
    dark. `value` is what most get when lit.
    """

    lit: Bytes
    dark: Bytes
    value: int

    def of(self, mask: NDArray[np.bool_]) -> Bytes:
        """(universes, 512) of which slots are lit."""
        return np.where(mask, self.lit, self.dark)


def slot_bytes(
    show: Show, universes: Sequence[int], wanted: Sequence[LightProgram]
) -> SlotBytes | None:
    """The lit byte is the one that makes the dimmest of the modes wanted brightest; where it is
    dangerous to who stands at a slot, the nearest that is not. None where no byte lights them.
    """
    value = brightest(wanted, wanted)
    if not value:
        return None
    allowed = np.stack([_allowed(show, universe) for universe in universes]) & _safe(wanted)
    # A slot that several units claim may have no byte that is safe for all: it stays as it rests.
    bare = ~allowed.any(axis=2)
    allowed[bare, 0] = True
    return SlotBytes(_nearest(allowed, value), _nearest(allowed, 0), value)


def _allowed(show: Show, universe: int) -> NDArray[np.bool_]:
    """(512, 256): the bytes that are safe for who is patched at each slot."""
    allowed = np.ones((SLOTS, 256), bool)
    for span in index_of(show).universe(universe).spans:
        unit = show.unit(span.unit)
        found = profiles_of(show).mode_of(unit) if unit else None
        if found is None:
            continue
        program = light_program(*found)
        first = program.block_starts.get(span.block)
        if first is not None:
            size = min(span.length, SLOTS - span.start + 1)
            columns = column_bytes(program)[first : first + size]
            allowed[span.start - 1 : span.start - 1 + len(columns)] &= columns
    return allowed


def _nearest(allowed: NDArray[np.bool_], wish: int) -> Bytes:
    """(universes, 512): of each slot the allowed byte nearest to a wish."""
    apart = np.abs(np.arange(256) - wish)
    return np.where(allowed, apart, 999).argmin(axis=2).astype(np.uint8)
