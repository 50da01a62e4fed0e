"""Every paper of a show in one PDF, the sheets of its plan behind them."""

from __future__ import annotations

from collections.abc import Callable

from isthmus.papers.all_papers import RIG
from isthmus.papers.drawn import Plan, as_set, block_of
from isthmus.papers.rig import Only
from isthmus.plural import many
from isthmus.sheets.marks import PAPERS, fitting_scale, pages
from isthmus.sheets.sheets import points_of, sheets_of
from isthmus.show.records import Show

Step = Callable[[float, str], None]
READABLE, LARGEST = 100, "A1"  # 1:100; the page for all that is larger still
MADE = 0.2  # the share of the work until all tables are there


def whole_set(
    show: Show, size: str, only: Only = None, step: Step = lambda share, words: None
) -> bytes:
    """`only`: ids of units, None for all; sheets are then left out, for they are of the whole rig.
    `step` hears how far it is and may raise Cancelled.
    """
    parts = []
    for at, (words, make) in enumerate(RIG.values()):
        step(MADE * at / len(RIG), words)
        parts.append(make(show, only))
    drawn = plans(show) if only is None else []
    return as_set(
        [*parts, *drawn],
        size,
        block_of(show),
        lambda share, words: step(MADE + (1 - MADE) * share, words),
    )


def plans(show: Show) -> list[Plan]:
    """The sheets that hold units, each on one page: the smallest on which it can be read."""
    made = []
    for one in sheets_of(show):
        points = points_of(show, one)
        if points:
            scales = {paper: fitting_scale(show, one, paper) for paper in PAPERS}
            paper = next((one for one, scale in scales.items() if scale <= READABLE), LARGEST)
            told = f"1:{scales[paper]} on {paper}, {many(len(points), 'unit')}."
            drawn = pages(show, one, scales[paper], paper)
            made.append(Plan(f"{show.name}: {one.name}", told, show, drawn))
    return made
