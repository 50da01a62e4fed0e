"""The background drawing of a sheet, as edits."""

from __future__ import annotations

import math

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.sheets.sheets import keep
from isthmus.show.records import Sheet, Show, StoredFile, Underlay

Point = tuple[float, float]
NARROWEST, WIDEST = 0.05, 2000.0


def with_picture(
    show: Show, one: Sheet, stored: StoredFile, aspect: float, low: Point, high: Point
) -> Show:
    """Lay a kept picture beneath a sheet, as wide as what is drawn there; the file is kept once."""
    if all(f.name != stored.name for f in show.files):
        show = replace(show, files=(*show.files, stored))
    middle = ((low[0] + high[0]) / 2, (low[1] + high[1]) / 2)
    return keep(
        show,
        replace(
            one,
            underlay=Underlay(
                file=stored.name, middle=middle, width=max(high[0] - low[0], 2.0), aspect=aspect
            ),
        ),
    )


def scaled_by(under: Underlay, a: Point, b: Point, length: float) -> Underlay:
    """Scaled about the first of two points so that they lie `length` metres apart. Raises
    EntryFault for points or a length that say nothing."""
    now = math.dist(a, b)
    if under.pinned:
        raise EntryFault("The background drawing is locked.", do="Unlock it first.")
    if not math.isfinite(now) or now < 1e-3:
        raise EntryFault("Those two points are one.", do="Click two that lie apart.")
    if not math.isfinite(length) or length <= 0:
        raise EntryFault("That is not a length.", do="Write metres, such as 12.5.")
    factor = length / now
    width = under.width * factor
    if not NARROWEST <= width <= WIDEST:
        raise EntryFault(
            f"The drawing would be {width:.2f} m wide.", do="Check the points and the length."
        )
    x, y = (p + (m - p) * factor for p, m in zip(a, under.middle, strict=True))
    return replace(under, width=width, middle=(x, y))
