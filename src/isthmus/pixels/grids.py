"""Grids of cells: proposed from where the rig has them, and turned and moved by hand."""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from isthmus.errors import EntryFault
from isthmus.patch.naming import name_for
from isthmus.pixels.lattice import Lattice, find_lattice
from isthmus.pixels.places import ABOVE, FRONT, Cells, Plane, best_plane, cells_in_space
from isthmus.plural import many
from isthmus.show.records import GridCell, PixelGrid, Show, new_id
from isthmus.stage.camera import Camera

VIEWS = ("best", "front", "above")  # and the saved views of a show by name
MOST = 100_000  # places of a grid
LONGEST = 40  # letters of a name


def fits(width: int, height: int) -> None:
    """Raises EntryFault for a size that no grid has."""
    if not (0 < width <= MOST and 0 < height <= MOST and width * height <= MOST):
        raise EntryFault(f"A grid has {MOST:,} places at most.".replace(",", "\u202f"))


def read_size(text: str) -> tuple[int, int]:
    """`20x10`: columns and rows. Raises EntryFault."""
    try:
        width, height = map(int, text.lower().replace("×", "x").split("x"))
    except ValueError:
        raise EntryFault(f"“{text}” cannot be a size.", do="Write 20x10.") from None
    fits(width, height)
    return width, height


@dataclass(frozen=True)
class Proposal:
    """A grid that the rig suggests, as it would be taken."""

    cells: Cells
    plane: Plane
    lattice: Lattice | None  # None: cells are left where they truly are
    grid: PixelGrid

    def in_words(self) -> str:
        """`16 × 25, 400 of 400 cells on the lattice, pitch 62.5 mm`, and what is odd about it."""
        found = self.lattice
        if found is None:
            size = f"{self.grid.width} × {self.grid.height} places"
            return f"{many(len(self.grid.cells), 'cell')} where they truly are, over {size}"
        on = int(found.fits.sum())
        across, down = (1000 * p for p in found.pitch)
        pitch = (
            _length(across) if abs(across - down) < 0.5 else f"{_length(across)} × {_length(down)}"
        )
        told = [
            f"{found.width} × {found.height}",
            f"{on} of {many(len(found.places), 'cell')} on the lattice",
            f"pitch {pitch}",
        ]
        turn = math.degrees(found.turn)
        told += [f"turned {turn:.1f}°"] if abs(turn) >= 0.5 else []
        told += [f"{many(found.missing, 'place')} empty"] if found.missing else []
        told += [f"{many(found.doubled, 'cell')} at a place of another"] if found.doubled else []
        return ", ".join(told)


def _length(millimetres: float) -> str:
    return f"{millimetres:.1f} mm" if millimetres < 1000 else f"{millimetres / 1000:.2f} m"


def _plane(show: Show, cells: Cells, view: str) -> Plane:
    """Raises EntryFault for a view there is not."""
    if view == "best":
        return best_plane(cells.at)
    if view in (planes := {"front": FRONT, "above": ABOVE}):
        return planes[view]
    kept = next((v for v in show.views if v.name.casefold() == view.strip().casefold()), None)
    if kept is None:
        names = ", ".join((*VIEWS, *(v.name for v in show.views)))
        raise EntryFault(f"There is no view “{view}”.", do=f"There are {names}.")
    axes = Camera(kept.target, kept.distance, kept.bearing, kept.height, kept.fov).view()
    return Plane(axes[0, :3], axes[1, :3])


def propose(
    show: Show, units: Collection[str], view: str = "best", true_places: bool = False
) -> Proposal:
    """The grid of these units' cells, seen from the front, from above, from a saved view of the
    show, or on the plane that fits them best; on their lattice, or where they truly are. Raises
    EntryFault when none of them has a place, or they lie on no lattice.
    """
    cells = cells_in_space(show, units)
    if not cells.names:
        raise EntryFault(
            "None of these units gives light and has a place.", do="Place them on the plan first."
        )
    plane = _plane(show, cells, view)
    if true_places:
        return _as_they_are(show, units, cells, plane)
    found = find_lattice(plane.on(cells.at))
    if found.width * found.height > min(MOST, 4 * len(cells.names) + 60):
        raise EntryFault(
            f"These {many(len(cells.names), 'cell')} lie on no lattice: it would take "
            f"{found.width} × {found.height} places.",
            do="Look from another side, take fewer units, or leave them at their true places.",
        )
    placed = tuple(
        GridCell(unit=unit, cell=cell, x=int(x), y=int(y))
        for (unit, cell), (x, y) in zip(cells.names, found.places, strict=True)
    )
    return Proposal(cells, plane, found, _grid(show, units, placed, found.width, found.height))


def _grid(
    show: Show, units: Collection[str], cells: tuple[GridCell, ...], width: int, height: int
) -> PixelGrid:
    held = set(units)
    name = name_for(
        show, [u for u in show.units if u.id in held], [grid.name for grid in show.grids]
    )
    return PixelGrid(
        id="", number=next_number(show), name=name, width=width, height=height, cells=cells
    )


def _as_they_are(show: Show, units: Collection[str], cells: Cells, plane: Plane) -> Proposal:
    """Places as far apart as cells next to each other usually are."""
    from scipy.spatial import KDTree

    points = plane.on(cells.at)
    near = 1.0
    if len(points) > 1:
        apart = np.asarray(KDTree(points).query(points, 2)[0])[:, 1]
        near = float(np.median(apart[apart > 1e-6])) if (apart > 1e-6).any() else 1.0
    low, high = points.min(axis=0), points.max(axis=0)
    size = np.maximum(1, np.ceil((high - low) / near - 1e-6).astype(int) + 1)
    if size.prod() > MOST:
        raise EntryFault(
            f"These {many(len(points), 'cell')} are too far apart for one picture.",
            do="Take fewer units.",
        )
    room = size - (high - low) / near  # half of it on each side
    at = np.stack([points[:, 0] - low[0], high[1] - points[:, 1]], axis=1) / near + room / 2
    placed = tuple(
        GridCell(unit=unit, cell=cell, x=int(x), y=int(y), at=(round(x, 4), round(y, 4)))
        for (unit, cell), (x, y) in zip(cells.names, at.tolist(), strict=True)
    )
    grid = _grid(show, units, placed, int(size[0]), int(size[1]))
    return Proposal(cells, plane, None, grid)


def next_number(show: Show) -> int:
    return 1 + max((grid.number for grid in show.grids), default=0)


def put_grid(show: Show, grid: PixelGrid) -> tuple[Show, str]:
    """A grid added, or changed when its id is there. Raises EntryFault for a number that is taken,
    or cells beside it.
    """
    name = grid.name.strip()
    if len(name) > LONGEST:
        raise EntryFault(f"A name has {LONGEST} letters at most.")
    if any(g.number == grid.number and g.id != grid.id for g in show.grids):
        raise EntryFault(f"Grid {grid.number} is there already.", do="Take another number.")
    if any(not (0 <= c.x < grid.width and 0 <= c.y < grid.height) for c in grid.cells):
        raise EntryFault("Some cells would lie beside the grid.", do="Make it wider or higher.")
    made = replace(grid, id=grid.id or new_id(), name=name)
    others = tuple(made if g.id == made.id else g for g in show.grids)
    fresh = all(g.id != made.id for g in show.grids)
    return replace(show, grids=(*others, made) if fresh else others), made.id


SHOWN = {  # how pictures are shown on a grid: words, unit, how often larger it is said, least, most
    "gamma": ("Gamma", "", 1.0, 0.2, 5.0),
    "white": ("White", " K", 1.0, 1000.0, 20_000.0),
    "limit": ("Limit", " %", 100.0, 1.0, 100.0),
}


def say_shown(grid: PixelGrid, name: str) -> str:
    """`2200 K`; nothing for the white of the picture."""
    _, unit, by, _, _ = SHOWN[name]
    value = getattr(grid, name)
    return f"{value * by:.4g}{unit}" if value else ""


def read_shown(grid: PixelGrid, name: str, text: str) -> PixelGrid:
    """The grid with what was typed about how pictures are shown. Raises EntryFault."""
    words, unit, by, least, most = SHOWN[name]
    plain = text.strip().removesuffix(unit.strip()).strip().replace(",", ".")
    if name == "white" and not plain:
        return replace(grid, white=0.0)
    try:
        value = float(plain)
    except ValueError:
        value = math.nan
    if not least <= value <= most:
        raise EntryFault(
            f"{words}: “{text.strip()}” cannot be.", do=f"Write {least:g} to {most:g}{unit}."
        )
    return replace(grid, **{name: value / by})


def places_of(grid: PixelGrid) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Column and row of each cell (n,); what a file has beside the grid is at its edge."""
    at = np.array([(cell.x, cell.y) for cell in grid.cells], np.int64).reshape(-1, 2)
    return np.clip(at[:, 0], 0, grid.width - 1), np.clip(at[:, 1], 0, grid.height - 1)


def grid_named(show: Show, text: str) -> PixelGrid:
    """By its number or name. Raises EntryFault."""
    plain = text.strip().casefold()
    for grid in show.grids:
        if plain in (str(grid.number), grid.name.casefold()):
            return grid
    raise EntryFault(f"There is no grid “{text}”.")
