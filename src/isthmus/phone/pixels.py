"""What phones show of grids: test pictures, and the wiring check with its picture."""

from __future__ import annotations

import base64
from collections.abc import Mapping
from typing import Any

import numpy as np

from isthmus.check.prove_picture import RUN
from isthmus.check.wiring import Check, Look
from isthmus.pixels.wiring_pictures import PICTURES
from isthmus.profiles.colour import encode_srgb
from isthmus.show.records import Show

MOST = 200_000  # bytes of a picture with all its steps; of a larger one the first is shown


def grids_of(show: Show) -> dict[str, Any] | None:
    """What can be shown; None without a grid."""
    grids = sorted(show.grids, key=lambda grid: grid.number)
    if not grids:
        return None
    names = [[grid.id, grid.name or f"Grid {grid.number}"] for grid in grids]
    return {"grids": names, "pictures": list(PICTURES)}


def check_of(
    check: Check | None, look: Look | None, marks: Mapping[str, str], step: int
) -> dict[str, Any] | None:
    """The question that is open with its picture, or what was found; None while nothing is
    checked.
    """
    if check is None:
        return None
    panels = check.panels
    told: dict[str, Any] = {
        "grid": panels.grid.id,
        "size": [panels.grid.width, panels.grid.height],
        "panels": [
            [unit, str(number), *box]
            for unit, number, box in zip(
                panels.units, panels.numbers, panels.boxes.tolist(), strict=True
            )
        ],
    }
    if look is None:
        return told | {"found": check.told(), "fixes": check.likely()[0].fault.mends_grid}
    steps = [_codes(check, light) for light in look.steps(panels)]
    if sum(map(len, steps)) > MOST:
        steps = steps[:1]
    return told | {
        "asks": f"{len(check.answers) + 1}. {look.asks}",
        "answers": list(look.answers),
        "marks": dict(marks),
        "steps": steps,
        "step": step % len(steps),
        "seconds": RUN,
    }


def _codes(check: Check, light: np.ndarray) -> str:
    """A picture row by row, three bytes each, in base 64; places without a cell are dark."""
    grid = check.panels.grid
    picture = np.zeros((grid.height, grid.width, 3), np.uint8)
    x, y = check.panels.at.T
    picture[y, x] = (255 * encode_srgb(np.asarray(light, np.float64)) + 0.5).astype(np.uint8)
    return base64.b64encode(picture.tobytes()).decode()
