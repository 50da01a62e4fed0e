"""Sheets and rolls of labels: where each label is, in millimetres from the top left of the page."""

from __future__ import annotations

import re
from dataclasses import dataclass

from isthmus.errors import EntryFault

SMALLEST, LARGEST = 8.0, 500.0


@dataclass(frozen=True)
class LabelSheet:
    """`wide` and `high` of one label; `left` and `top` are where the first begins; `pitch` is from
    one to the next, across and down. A roll is a page for each label.
    """

    name: str
    page: tuple[float, float]
    across: int
    down: int
    wide: float
    high: float
    left: float = 0.0
    top: float = 0.0
    pitch: tuple[float, float] = (0.0, 0.0)

    @property
    def count(self) -> int:
        return self.across * self.down

    def corner(self, at: int) -> tuple[float, float]:
        """Left and top of the label with this number on its page, from 0, row by row."""
        x, y = at % self.across, at // self.across
        dx, dy = self.pitch[0] or self.wide, self.pitch[1] or self.high
        return self.left + x * dx, self.top + y * dy


def _centred(
    page: tuple[float, float],
    across: int,
    down: int,
    wide: float,
    high: float,
    gaps: tuple[float, float] = (0.0, 0.0),
) -> LabelSheet:
    """In the middle of the page, with gaps between labels."""
    dx, dy = wide + gaps[0], high + gaps[1]
    paper = {A4: "A4", LETTER: "Letter"}[page]
    return LabelSheet(
        f"{across} × {down} on {paper}, {wide:g} × {high:g} mm",
        page,
        across,
        down,
        wide,
        high,
        (page[0] - across * dx + gaps[0]) / 2,
        (page[1] - down * dy + gaps[1]) / 2,
        (dx, dy),
    )


def roll(wide: float, high: float) -> LabelSheet:
    return LabelSheet(f"Roll, {wide:g} × {high:g} mm", (wide, high), 1, 1, wide, high)


A4, LETTER = (210.0, 297.0), (215.9, 279.4)
SHEETS = (
    _centred(A4, 3, 8, 70.0, 37.0),
    _centred(A4, 3, 8, 70.0, 35.0),
    _centred(A4, 3, 7, 63.5, 38.1, (2.5, 0.0)),
    _centred(A4, 2, 7, 99.1, 38.1, (2.5, 0.0)),
    _centred(A4, 2, 4, 99.1, 67.7, (2.5, 0.0)),
    _centred(A4, 4, 10, 52.5, 29.7),
    _centred(LETTER, 3, 10, 66.7, 25.4, (3.2, 0.0)),
    _centred(LETTER, 2, 10, 101.6, 25.4, (4.8, 0.0)),
    _centred(LETTER, 2, 5, 101.6, 50.8, (4.8, 0.0)),
    roll(89.0, 36.0),
    roll(62.0, 29.0),
    roll(54.0, 25.0),
)
_PAGES = {"a4": A4, "letter": LETTER}


def read_sheet(text: str) -> LabelSheet:
    """One of those by name or number; `3x8 70x37 A4`, with margins `left 5 top 7` and gaps `gaps 2
    0` where labels do not fill the page from its middle; `roll 62x29`. Raises EntryFault.
    """
    plain = text.strip().lower().replace("×", "x")
    if plain.isdecimal() and 1 <= int(plain) <= len(SHEETS):
        return SHEETS[int(plain) - 1]
    for sheet in SHEETS:
        if sheet.name.lower().replace("×", "x") == plain:
            return sheet
    n = r"(\d+(?:\.\d+)?)"
    if found := re.fullmatch(rf"roll\D*{n}\s*x\s*{n}(?:\s*mm)?", plain):
        return _checked(roll(float(found[1]), float(found[2])))
    found = re.fullmatch(
        rf"(\d+)\s*x\s*(\d+)\s+{n}\s*x\s*{n}(?:\s*mm)?\s+(a4|letter)"
        rf"(?:\s+left\s+{n}\s+top\s+{n})?(?:\s+gaps\s+{n}\s+{n})?",
        plain,
    )
    if not found:
        raise EntryFault(
            f"“{text.strip()[:60]}” is not a sheet of labels.",
            do="Write 3x8 70x37 A4, with left 5 top 7 or gaps 2 0 behind it; or roll 62x29.",
        )
    gaps = float(found[8] or 0), float(found[9] or 0)
    across, down = int(found[1]), int(found[2])
    if not (1 <= across <= 20 and 1 <= down <= 50):
        raise EntryFault("A sheet has 1 to 20 labels across and 1 to 50 down.")
    made = _centred(_PAGES[found[5]], across, down, float(found[3]), float(found[4]), gaps)
    if found[6]:
        made = LabelSheet(
            made.name, made.page, across, down, made.wide, made.high,
            float(found[6]), float(found[7]), made.pitch,
        )  # fmt: skip
    return _checked(made)


def _checked(sheet: LabelSheet) -> LabelSheet:
    if not (SMALLEST <= sheet.wide <= LARGEST and SMALLEST <= sheet.high <= LARGEST):
        raise EntryFault(f"A label measures {SMALLEST:g} to {LARGEST:g} mm.")
    x, y = sheet.corner(sheet.count - 1)
    if min(sheet.left, sheet.top) < -0.01 or (
        x + sheet.wide > sheet.page[0] + 0.01 or y + sheet.high > sheet.page[1] + 0.01
    ):
        raise EntryFault(
            f"{sheet.across} × {sheet.down} labels of {sheet.wide:g} × {sheet.high:g} mm do not "
            f"fit on {sheet.page[0]:g} × {sheet.page[1]:g} mm."
        )
    return sheet
