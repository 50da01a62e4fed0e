"""What of a unit is hunted: all of a mode, or one block of its addresses (a DMX break) while the
others stay lit.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.check.hunt_slots import SlotBytes, levels, slot_bytes
from isthmus.errors import EntryFault
from isthmus.profiles import light_program, profiles_of
from isthmus.profiles.light import LightProgram
from isthmus.show.records import SLOTS, Show, Unit


def scattered(program: LightProgram) -> bool:
    """Whether a mode listens at several addresses at once."""
    return len(program.chart.footprints) > 1


@dataclass(frozen=True)
class Part:
    """A mode, or a block of it (0: all of it). The rest of it gets the byte `value`."""

    program: LightProgram
    block: int
    value: int

    @property
    def width(self) -> int:
        """How many slots are hunted."""
        return self.program.chart.span(self.block) if self.block else self.program.width

    def levels(self, windows: NDArray[np.uint8]) -> NDArray[np.float64]:
        """(k,) the light of the brightest cell for k windows of slots (k, width)."""
        if not self.block:
            return levels(self.program, windows)
        whole = np.full((len(windows), self.program.width), self.value, np.uint8)
        first = self.program.block_starts[self.block]
        whole[:, first : first + self.width] = windows
        return levels(self.program, whole)

    def needed(self, most: float) -> int:
        """How many slots from its start must be lit until it gives so much of its light."""
        steps = np.arange(self.width) < np.arange(self.width + 1)[:, None]
        light = self.levels(np.where(steps, self.value, 0).astype(np.uint8))
        return int(np.argmax(light >= most * light[-1]))

    def first_needed(self, most: float) -> int:
        """How many slots from its start may be dark while it still gives so much of its light."""
        steps = np.arange(self.width) >= np.arange(self.width + 1)[:, None]
        light = self.levels(np.where(steps, self.value, 0).astype(np.uint8))
        return int(np.flatnonzero(light >= most * light[0])[-1])


@dataclass(frozen=True)
class Aside:
    """Where the other blocks of a unit are held lit: slots of the universes hunted in
    (universes, 512), and what is sent to other universes.
    """

    held: NDArray[np.bool_]
    slots: dict[tuple[int, int], int]


def aside(
    show: Show, unit: Unit, block: int, universes: Sequence[int], programs: Sequence[LightProgram]
) -> Aside:
    """In a universe hunted in, the others are lit where the patch has them; another universe is lit
    from end to end, wherever they are in it. Nothing where the whole unit is hunted.
    """
    held = np.zeros((len(universes), SLOTS), bool)
    slots: dict[tuple[int, int], int] = {}
    for patched in unit.patch if block else ():
        if patched.block == block:
            continue
        if patched.universe in universes:
            size = max(program.chart.span(patched.block) for program in programs)
            row = list(universes).index(patched.universe)
            held[row, patched.address - 1 : patched.address - 1 + size] = True
        else:
            found: SlotBytes | None = slot_bytes(show, [patched.universe], programs)
            lit = found.lit[0] if found else np.zeros(SLOTS, np.uint8)
            slots |= {(patched.universe, at + 1): int(byte) for at, byte in enumerate(lit)}
    return Aside(held, slots)


def hunted_modes(
    show: Show, unit_id: str, any_mode: bool, block: int = 0
) -> tuple[Unit, dict[str, LightProgram]]:
    """A unit, and by name its mode, or every mode of its profile, whose light tells at which
    address it listens, as a whole or with a block of it.

    Raises EntryFault where there is none.
    """
    unit = show.unit(unit_id)
    found = profiles_of(show).mode_of(unit) if unit else None
    if unit is None or found is None:
        number = unit.number if unit else "A unit that is not there"
        raise EntryFault(
            f"{number} has no profile, so it cannot be hunted.", do="Give it a profile first."
        )
    profile, own = found
    programs = {m.name: light_program(profile, m) for m in (profile.modes if any_mode else [own])}
    together = {
        name: p
        for name, p in programs.items()
        if (block in p.block_starts if block else not scattered(p))
    }
    if not together:
        raise EntryFault(
            f"{unit.number} listens at several addresses at once, so its light does not tell "
            "which of them it heard.",
            do="Hunt one DMX break of it at a time.",
        )
    lit = {name: p for name, p in together.items() if p.assembly.beams}
    if not lit:
        raise EntryFault(
            f"{unit.number} gives no light, so light does not tell where it listens.",
            do="Read its address at the unit.",
        )
    return unit, lit


def hunted_universes(unit: Unit, universes: Sequence[int], block: int = 0) -> list[int]:
    """Where to look: these, or the unit's own. Raises EntryFault where there are none."""
    found = sorted(
        dict.fromkeys(universes or [p.universe for p in unit.patch if block in (0, p.block)])
    )
    if not found:
        raise EntryFault(
            f"{unit.number} has no address, so there is nowhere to start.",
            do="Choose universes to hunt in.",
        )
    return found
