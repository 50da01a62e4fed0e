"""A sheet on paper: pages of plain marks in millimetres, at a true scale, with title block, scale
bar, key and underlay.

What is drawn here is put to paper by `sheet_svg` and `sheet_pdf`; neither decides anything.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from isthmus.errors import EntryFault
from isthmus.gels import colour_of
from isthmus.profiles import light_program, profiles_of
from isthmus.profiles.colour import encode_srgb
from isthmus.sheets import labels
from isthmus.sheets.outlines import outline
from isthmus.sheets.sheets import Measure, measures, points_of
from isthmus.sheets.symbols import NAMES, SHAPES, kind_of
from isthmus.sheets.together import label_for, together
from isthmus.sheets.widths import broken, wide_of
from isthmus.show.records import Sheet, Show, Underlay, Unit
from isthmus.stage.mount import mount_of

PAPERS = {"A4": (297.0, 210.0), "A3": (420.0, 297.0), "A2": (594.0, 420.0), "A1": (841.0, 594.0)}
SCALES = (10, 20, 25, 33, 50, 75, 100, 150, 200, 500)
MARGIN, COLUMN, OVERLAP = 10.0, 52.0, 5.0
MOST_PAGES = 120
ON_ONE_SPOT = 1.0  # mm between units that carry one label
LABEL_SIZE = 2.1
LABEL_CELL = 6.0  # mm
RINGS, STEP = 30, 2.6  # how far off a label may stand, in steps of mm
SMALLEST = 2.2  # mm a symbol takes at least
FLAT = ("hull", "deck")  # what others stand and hang over
Named = tuple[str, labels.Wish]  # words, and where they may stand
INK, SOFT, FAINT, GROUND, WASH = "#16242a", "#51636a", "#b9c4c6", "#ffffff", "#eef2f1"


@dataclass(frozen=True)
class Poly:
    points: tuple[tuple[float, float], ...]
    closed: bool = False
    fill: str = ""
    stroke: str = INK
    width: float = 0.18


@dataclass(frozen=True)
class Words:
    x: float
    y: float  # the base line
    text: str
    size: float = 2.4
    bold: bool = False
    mono: bool = False
    colour: str = INK
    anchor: str = "start"


@dataclass(frozen=True)
class Image:
    """A kept picture: the middle, width and height in mm, degrees anticlockwise, strength, and
    shares cropped.
    """

    file: str
    x: float
    y: float
    wide: float
    high: float
    turn: float
    light: float
    crop: tuple[float, float, float, float]


Mark = Poly | Words | Image


@dataclass
class PaperPage:
    """One page: its size in mm; `inside` is clipped to `frame` (left, top, right, bottom), `around`
    is not.
    """

    wide: float
    high: float
    frame: tuple[float, float, float, float]
    inside: list[Mark] = field(default_factory=list)
    around: list[Mark] = field(default_factory=list)


def fitting_scale(show: Show, one: Sheet, paper: str) -> int:
    """The largest usual scale at which a sheet fits on one page."""
    x0, y0, x1, y1 = extent(show, one)
    wide, high = _room(paper)
    need = max((x1 - x0) * 1000 / wide, (y1 - y0) * 1000 / high)
    return next((s for s in SCALES if s >= need), SCALES[-1])


def _room(paper: str) -> tuple[float, float]:
    if paper not in PAPERS:
        raise EntryFault(f"There is no paper “{paper}”.", do=f"Choose {', '.join(PAPERS)}.")
    wide, high = PAPERS[paper]
    return wide - 2 * MARGIN - COLUMN, high - 2 * MARGIN


def extent(show: Show, one: Sheet) -> tuple[float, float, float, float]:
    """What a sheet takes up, metres: left, bottom, right, top, with a little room around."""
    points = list(points_of(show, one).values())
    if one.kind != "free":
        points += [p for s in show.structures for path in outline(s, one.kind) for p in path.points]
    points += [(n.x, n.y) for n in one.notes]
    if not points:
        return -5.0, -3.0, 5.0, 3.0
    low, high = np.min(points, axis=0), np.max(points, axis=0)
    return float(low[0]) - 0.8, float(low[1]) - 0.8, float(high[0]) + 0.8, float(high[1]) + 0.8


def pages(
    show: Show, one: Sheet, scale: int, paper: str = "A4", only: Sequence[str] | None = None
) -> list[PaperPage]:
    """The sheet at 1:scale over as many pages as it takes. Raises EntryFault for a scale or paper
    that makes none.
    """
    if not 1 <= scale <= 5000:
        raise EntryFault(f"1:{scale} is not a scale.", do="Write 1:10 to 1:5000.")
    wide, high = _room(paper)
    x0, y0, x1, y1 = extent(show, one)
    per = 1000.0 / scale  # mm on paper for a metre
    whole_w, whole_h = (x1 - x0) * per, (y1 - y0) * per
    columns = max(1, math.ceil((whole_w - OVERLAP) / (wide - OVERLAP)))
    rows = max(1, math.ceil((whole_h - OVERLAP) / (high - OVERLAP)))
    if columns * rows > MOST_PAGES:
        raise EntryFault(
            f"1:{scale} takes {columns * rows} pages of {paper}.",
            do="Choose a smaller scale or larger paper.",
        )
    marks, used = _drawing(show, one, per, only)
    made = []
    step_w, step_h = wide - OVERLAP, high - OVERLAP
    spare_w = (wide - whole_w) / 2 if columns == 1 else 0.0
    spare_h = (high - whole_h) / 2 if rows == 1 else 0.0
    for row in range(rows):
        for column in range(columns):
            page = PaperPage(*PAPERS[paper], (MARGIN, MARGIN, MARGIN + wide, MARGIN + high))
            dx = MARGIN + spare_w - column * step_w - x0 * per
            dy = MARGIN + spare_h - row * step_h + y1 * per
            page.inside = [_moved(m, dx, dy) for m in marks]
            left, top, right, bottom = page.frame
            page.around.append(
                Poly(
                    ((left, top), (right, top), (right, bottom), (left, bottom)), True, "", INK, 0.3
                )
            )
            page.around += _column(
                show, one, page, scale, per, used, row * columns + column + 1, columns * rows
            )
            made.append(page)
    return made


def _moved(mark: Mark, dx: float, dy: float) -> Mark:
    if isinstance(mark, Poly):
        return Poly(
            tuple((x + dx, y + dy) for x, y in mark.points),
            mark.closed,
            mark.fill,
            mark.stroke,
            mark.width,
        )
    if isinstance(mark, Words):
        return Words(
            mark.x + dx,
            mark.y + dy,
            mark.text,
            mark.size,
            mark.bold,
            mark.mono,
            mark.colour,
            mark.anchor,
        )
    return Image(
        mark.file, mark.x + dx, mark.y + dy, mark.wide, mark.high, mark.turn, mark.light, mark.crop
    )


def _drawing(
    show: Show, one: Sheet, per: float, only: Sequence[str] | None
) -> tuple[list[Mark], list[str]]:
    """Everything of a sheet in mm, y downwards, and the kinds of symbols it uses."""
    marks: list[Mark] = [] if one.underlay is None else [_underlay(one.underlay, per)]
    named: list[Named] = []
    if one.kind != "free":
        lines, named = _structures(show, one, per)
        marks += lines
    marks += [Words(n.x * per, -n.y * per, n.text, 3.2, True) for n in one.notes]
    bodies, used, texts, taken = _units(show, one, per, only)
    marks += bodies
    free = labels.Labels(cell=LABEL_CELL)
    for box in taken:
        free.block(box)
    for words, wish in texts:
        left, top, led = _placed(free, wish)
        if led is not None:
            marks.append(Poly((led, (wish.x, wish.y)), False, "", SOFT, 0.1))
        marks.append(Words(left, top + 1.9, words, LABEL_SIZE, mono=True))
    for words, wish in named:
        place = free.place(wish)
        if place is not None:
            marks.append(Words(place[0], place[1] + 1.6, words, 1.9, colour=SOFT))
    return marks, used


def _placed(
    free: labels.Labels, wish: labels.Wish
) -> tuple[float, float, tuple[float, float] | None]:
    """Left and top of a label: beside its mark where there is room, else as near as there is, with
    the point a thin line leads from.
    """
    place = free.place(wish)
    if place is not None:
        return *place, None
    for ring in range(1, RINGS):
        off = wish.off + ring * STEP
        place = free.place(labels.Wish(wish.x, wish.y, off, wish.wide, wish.high))
        if place is not None:
            left, top = place
            x = min(max(wish.x, left), left + wish.wide)
            return left, top, (x, top if wish.y < top else top + wish.high)
    return wish.x - wish.wide / 2, wish.y + wish.off, None


def _underlay(u: Underlay, per: float) -> Image:
    x, y, wide = u.middle[0] * per, -u.middle[1] * per, u.width * per
    return Image(u.file, x, y, wide, wide * u.aspect, u.turn, u.light, u.crop)


def _structures(show: Show, one: Sheet, per: float) -> tuple[list[Mark], list[Named]]:
    """Their outlines, what is flat and low below the others, and where their names may stand."""
    marks: list[Mark] = []
    named: list[Named] = []
    flat_first = sorted(show.structures, key=lambda s: (s.kind not in FLAT, s.position[2]))
    for s in flat_first:
        paths = outline(s, one.kind)
        for path in paths:
            points = tuple((x * per, -y * per) for x, y in path.points)
            fill = WASH if s.kind in FLAT and path.closed else ""
            marks.append(Poly(points, path.closed, fill, SOFT, 0.25 if path.heavy else 0.12))
        if s.name:
            at = np.array([p for path in paths for p in path.points]) * per
            x, y = float(at[:, 0].mean()), -float(at[:, 1].max())
            named.append((s.name, labels.Wish(x, y, 0.6, len(s.name) * 1.05, 2.0)))
    return marks, named


def _units(
    show: Show, one: Sheet, per: float, only: Sequence[str] | None
) -> tuple[list[Mark], list[str], list[Named], list[labels.Box]]:
    """The symbols, the kinds of them, where their labels may stand, and the room they take."""
    marks: list[Mark] = []
    used: list[str] = []
    laid: list[tuple[float, float, Unit, float]] = []  # where each unit lies, and its label begins
    taken: list[labels.Box] = []
    places, profiles, sizes = points_of(show, one), profiles_of(show), measures(show)
    chosen = set(only) if only is not None else places.keys()
    for unit in (u for u in show.units if u.id in places and u.id in chosen):
        found = profiles.mode_of(unit)
        kind = kind_of(found, light_program(*found) if found else None)
        if kind not in used:
            used.append(kind)
        x, y = places[unit.id][0] * per, -places[unit.id][1] * per
        long, wide = body_on_sheet(kind, sizes[unit.id], per, SMALLEST)
        turn = math.radians(mount_of(unit.rotation).turn) if one.kind != "free" else 0.0
        gel = colour_of(show.gels, unit.gel) if unit.gel else None
        fill = _hex(gel) if gel is not None else GROUND
        marks += symbol_marks(kind, x, y, long, wide, turn, fill)
        # a long strip turned would claim a square of empty paper
        half = (max(long, wide) if long < 3 * wide else wide) / 2
        taken.append((x - half, y - half, x + half, y + half))
        laid.append((x, y, unit, max(long, wide) / 2 + 0.4))
    return marks, used, _unit_labels(one, laid), taken


def _unit_labels(one: Sheet, laid: Sequence[tuple[float, float, Unit, float]]) -> list[Named]:
    """What is written at units and where: at those on one spot once for all of them."""
    texts: list[Named] = []
    for heap in together([(x, y) for x, y, _, _ in laid], ON_ONE_SPOT):
        x, y, _, _ = laid[heap[0]]
        words = label_for([laid[i][2] for i in heap], one.labels)
        if words:
            off = max(laid[i][3] for i in heap)
            wide = wide_of(words, LABEL_SIZE, mono=True) + 0.4
            texts.append((words, labels.Wish(x, y, off, wide, 2.4)))
    return texts


def symbol_marks(
    kind: str, x: float, y: float, long: float, wide: float, turn: float, fill: str
) -> list[Mark]:
    """A symbol with its middle at (x, y) mm, y downwards."""
    c, s = math.cos(turn), math.sin(turn)
    made: list[Mark] = []
    for index, stroke in enumerate(SHAPES[kind]):
        points = tuple(
            (x + (px * long * c - py * wide * s), y - (px * long * s + py * wide * c))
            for px, py in stroke.points
        )
        made.append(
            Poly(points, stroke.closed, fill if stroke.closed and not index else "", INK, 0.2)
        )
    return made


def body_on_sheet(kind: str, size: Measure, per: float, smallest: float) -> tuple[float, float]:
    """How long and wide a symbol is drawn: as the body is, what is round is round, and never too
    small to see.
    """
    long, wide = (
        max(size.length * per, smallest),
        max(size.width * per, smallest * (0.4 if kind == "strip" else 1.0)),
    )
    return (max(long, wide), max(long, wide)) if kind.endswith("head") else (long, wide)


def _hex(rgb: np.ndarray) -> str:
    r, g, b = (round(255 * float(v)) for v in np.clip(encode_srgb(np.asarray(rgb)), 0, 1))
    return f"#{r:02x}{g:02x}{b:02x}"


def _column(
    show: Show,
    one: Sheet,
    page: PaperPage,
    scale: int,
    per: float,
    used: list[str],
    number: int,
    count: int,
) -> list[Mark]:
    """Key above, scale bar and title block below, at the right of the drawing."""
    left, right = page.wide - MARGIN - COLUMN + 3, page.wide - MARGIN
    top, bottom = MARGIN, page.high - MARGIN
    marks: list[Mark] = [Words(left, top + 3, "Key", 3.0, True)]
    y = top + 9.0
    for kind in used:
        marks += symbol_marks(
            kind, left + 4, y, 5.0, 5.0 if kind not in ("strip",) else 2.0, 0.0, GROUND
        )
        marks.append(Words(left + 10, y + 0.8, NAMES[kind], 2.2))
        y += 7.0
    block = _title_block(show, one, page, scale, f"page {number} of {count}")
    over = bottom - max(36.0, sum(size + 2.2 for _, size, _ in block) + 2.0)
    if one.kind == "plan":
        marks.append(
            Poly(
                ((left + 2, over - 24), (left + 6, over - 24), (left + 4, over - 19)),
                True,
                SOFT,
                SOFT,
                0.1,
            )
        )
        marks.append(Words(left + 10, over - 21, "towards the audience", 2.2, colour=SOFT))
    length = next((s for s in (50, 20, 10, 5, 2, 1, 0.5, 0.2, 0.1) if s * per <= COLUMN - 12), 0.1)
    for i in range(4):
        x = left + i * length * per / 4
        box = (
            (x, over - 10),
            (x + length * per / 4, over - 10),
            (x + length * per / 4, over - 8.6),
            (x, over - 8.6),
        )
        marks.append(Poly(box, True, INK if i % 2 == 0 else GROUND, INK, 0.15))
    marks.append(Words(left, over - 12, f"{length:g} m", 2.2, mono=True))
    y = over
    marks.append(Poly(((left, y), (right, y)), False, "", INK, 0.3))
    for words, size, bold in block:
        y += size + 2.2
        marks.append(Words(left, y, words, size, bold))
    return marks


def _title_block(
    show: Show, one: Sheet, page: PaperPage, scale: int, number: str
) -> list[tuple[str, float, bool]]:
    """Its lines with their size and weight; what is longer than the column goes on in the next
    one.
    """
    paper = next(name for name, size in PAPERS.items() if size[0] == page.wide)
    revision = f"hang list {show.paper.revision}" if show.paper.revision else ""
    lines = [
        (show.name, 3.6, True),
        (show.venue, 2.3, False),
        (one.name, 3.0, True),
        (f"1:{scale} on {paper}", 2.3, False),
        (revision, 2.3, False),
        (number, 2.3, False),
    ]
    return [
        (part, size, bold)
        for words, size, bold in lines
        for part in broken(words, COLUMN - 3, size, bold)
    ]
