"""What a picture on a grid takes from the mains, as far as profiles tell."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.output import Live
from isthmus.pixels.colours import CellTable, table_of
from isthmus.pixels.painting import Canvas
from isthmus.profiles.light import LightProgram
from isthmus.profiles.records import Beam
from isthmus.show.records import PixelGrid

USUAL = Beam().power, Beam().lamp  # what the standard takes where a profile says nothing
# Of a filament, light goes with the voltage to the power of 3.4 and power with it to that of 1.6
# (the rating rules of lamp makers, IES Lighting Handbook)
FILAMENT = 1.6 / 3.4


@dataclass(frozen=True)
class Power:
    """Watts of a white picture: as the grid shows it, and with nothing held back. `unknown` cells
    have a profile that states none.
    """

    now: float
    full: float
    unknown: int

    def in_words(self) -> str:
        if not self.full:
            return "Profiles state no power." if self.unknown else ""
        told = f"White takes {_watts(self.now)}"
        told += f" of {_watts(self.full)}" if self.now < 0.999 * self.full else ""
        return told + (f", {self.unknown} cells unknown" if self.unknown else "")


def _watts(value: float) -> str:
    return f"{value:.0f} W" if value < 1000 else f"{value / 1000:.2f} kW"


def power_of(live: Live, grid: PixelGrid, canvas: Canvas) -> Power:
    """Emitters take power as they are driven, filaments as they glow; a discharge lamp burns on
    behind its dimmer.
    """
    kinds: dict[tuple[LightProgram, int], Power] = {}
    for cell in grid.cells:
        program = live.program(cell.unit)
        if program is not None and (program, cell.cell) not in kinds:
            kinds[program, cell.cell] = _of_cell(program, cell.cell, canvas)
    all_of = [kinds[p, c.cell] for c in grid.cells if (p := live.program(c.unit)) is not None]
    return Power(
        *(sum(getattr(one, name) for one in all_of) for name in ("now", "full", "unknown"))
    )


def _of_cell(program: LightProgram, cell: int, canvas: Canvas) -> Power:
    table = table_of(program, cell)
    if table is None:
        return Power(0.0, 0.0, 0)
    white = np.ones((4, 1), np.float32)
    driven = [_driven(table, light) for light in (canvas.corrected(white), white[:3])]
    beams = [one.beam for one in program.assembly.beams if one.cell == cell]
    stated = [beam for beam in beams if (beam.power, beam.lamp) != USUAL]
    now = full = 0.0
    for beam in stated:
        shares = [1.0, 1.0]
        if beam.lamp == "LED":
            shares = driven
        elif beam.lamp in ("Tungsten", "Halogen"):
            shares = [share**FILAMENT for share in driven]
        now += beam.power * shares[0]
        full += beam.power * shares[1]
    return Power(now, full, int(not beams or len(stated) < len(beams)))


def _driven(table: CellTable, light: NDArray[np.float32]) -> float:
    """How far a source is driven for a light (3, 1): by its dimmer, or on average its emitters."""
    levels = table.levels(light)
    rows = [i for i, name in enumerate(table.names) if name == "Dimmer"]
    return float(np.mean(levels[rows] if rows else levels))
