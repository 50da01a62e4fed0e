"""Address labels: what is stuck on a unit, with its switches as they are to be set, and a code that
opens roll call at it on a phone.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from isthmus.errors import EntryFault
from isthmus.papers.label_sheets import LabelSheet
from isthmus.papers.laid import MM, wrapped
from isthmus.papers.naming import type_of
from isthmus.papers.rig import Only, hung
from isthmus.papers.settings import menu_words
from isthmus.papers.widths import BOLD, FIGURES, PLAIN, width_of
from isthmus.profiles import profiles_of
from isthmus.show.address import write_address
from isthmus.show.records import Show, Unit

SWITCHES = 9  # of a bank; the tenth, where there is one, is for something else
EDGE = 2.0  # millimetres that stay free within a label


@dataclass(frozen=True)
class Labels:
    """`first` is the label to begin with on a used sheet, from 1. `url` is where the page for
    phones will be (http://10.0.0.5:8462/); empty, no code. `switches`: draw them.
    """

    sheet: LabelSheet
    first: int = 1
    url: str = ""
    switches: bool = True


def switches_of(address: int) -> tuple[bool, ...]:
    """Which of the nine switches are on for an address 1…512: the first is worth 1, the last 256.
    For 512 all of them are off.
    """
    return tuple(bool(address & (1 << bit)) for bit in range(SWITCHES))


def labelled(show: Show, only: Only = None) -> list[tuple[Unit, int]]:
    """Units in hanging order, each with the DMX address to be set; one label for each start
    address, so that a unit of several blocks apart has several. 0: no address.
    """
    return [
        (unit, at)
        for _, units in hung(show, only)
        for unit, _ in units
        for at in ([p.address for p in unit.patch] or [0])
    ]


def labels_pdf(show: Show, wanted: Labels, only: Only = None) -> bytes:
    """Raises EntryFault for a first label that is not on the sheet, or an address of the page that
    is none.
    """
    import io

    from reportlab.pdfgen.canvas import Canvas

    sheet = wanted.sheet
    if not 1 <= wanted.first <= sheet.count:
        raise EntryFault(f"The sheet has labels 1 to {sheet.count}.")
    if wanted.url and not wanted.url.startswith(("http://", "https://")):
        raise EntryFault(
            f"“{wanted.url[:60]}” is not an address of a page.", do="Write http://10.0.0.5:8462/"
        )
    width_of("", PLAIN, 1)  # the faces are there from now on
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=(sheet.page[0] * MM, sheet.page[1] * MM))
    canvas.setTitle(f"{show.name}: address labels")
    canvas.setAuthor("Isthmus")
    at = wanted.first - 1
    units = labelled(show, only)
    for index, (unit, address) in enumerate(units):
        if at == sheet.count:
            canvas.showPage()
            at = 0
        left, top = sheet.corner(at)
        _label(canvas, show, unit, address, wanted, left, sheet.page[1] - top)
        at += 1
        if index == len(units) - 1:
            canvas.showPage()
    if not units:
        canvas.showPage()
    canvas.save()
    return out.getvalue()


def code_of(url: str, number: int) -> str:
    """What the code of a unit says."""
    return f"{url.rstrip('/')}/?unit={number}"


def _label(
    canvas: Any, show: Show, unit: Unit, address: int, wanted: Labels, left: float, top: float
) -> None:
    """Within its edges: number and address, name, position, type and mode; the switches below them
    where there is room, the code at the right. `left`, `top`: millimetres from the bottom left.
    """
    sheet = wanted.sheet
    high, wide = sheet.high - 2 * EDGE, sheet.wide - 2 * EDGE
    x, y = left + EDGE, top - EDGE
    bank = min(0.3 * high, 9.0) if wanted.switches and address and high >= 20 else 0.0
    side = min(high, 0.34 * wide, 24.0) if wanted.url else 0.0
    if side >= 9:
        _code(canvas, code_of(wanted.url, unit.number), x + wide - side, y - side, side)
    else:
        side = 0.0
    room = wide - side - (1.5 if side else 0.0)
    lines = _lines(show, unit, address)
    text_high = high - (bank if bank else 0.0)
    scale = min(text_high / sum(size for _, size in lines), 1.6)
    at = y
    for parts, size in lines:
        at -= size * scale
        points = size * scale * MM * 0.78
        _line(canvas, parts, x * MM, (at + 0.28 * size * scale) * MM, room * MM, points)
    if bank:
        half = (room - 3.0) / 2
        for place, order in enumerate((1, -1)):
            _bank(
                canvas, switches_of(address), order, x + place * (half + 3.0), y - high, half, bank
            )


Parts = list[tuple[str, str]]  # words with their face


def _lines(show: Show, unit: Unit, address: int) -> list[tuple[Parts, float]]:
    """What stands in each line, and how many millimetres high it is at full size."""
    profile = profiles_of(show).profiles.get(unit.profile)
    found = next((p for p in unit.patch if p.address == address), None)
    spot = write_address(found.universe, found.address) if found else "none"
    block = f" block {found.block}" if found and len({p.block for p in unit.patch}) > 1 else ""
    return [
        ([(f"{unit.number}   ", BOLD), (spot, FIGURES), (block, PLAIN)], 5.4),
        ([(unit.name, BOLD)], 4.0),
        ([(unit.hangs_on or "nowhere yet", PLAIN)], 3.6),
        ([(f"{type_of(show, unit)}, {menu_words(profile, unit.mode)}", PLAIN)], 3.6),
    ]


def _line(canvas: Any, parts: Parts, x: float, y: float, room: float, points: float) -> None:
    """Smaller where it is too wide, to two thirds; ended by … where that is not enough."""
    wide = sum(width_of(words, face, points) for words, face in parts)
    points = max(points * min(1.0, room / max(wide, 1e-6)), points * 0.66)
    for words, face in parts:
        shown = _fitted(words, room, face, points) if words else ""
        canvas.setFont(face, points)
        canvas.drawString(x, y, shown)
        taken = width_of(shown, face, points)
        x, room = x + taken, room - taken


def _fitted(words: str, room: float, face: str, size: float) -> str:
    """The words, ended by … where there is no room for all."""
    if width_of(words, face, size) <= room:
        return words
    cut = wrapped(words, max(room - width_of("…", face, size), 0.0), face, size)[0]
    return f"{cut}…"


def _code(canvas: Any, text: str, left: float, bottom: float, side: float) -> None:
    """A QR code (ISO/IEC 18004) with its quiet zone of four modules."""
    import segno

    matrix = segno.make(text, error="m", micro=False).matrix
    step = side / (len(matrix) + 8)
    path = canvas.beginPath()
    for row, line in enumerate(matrix):
        start = None
        for column, dark in enumerate([*line, 0]):
            if dark and start is None:
                start = column
            elif not dark and start is not None:
                y = bottom + side - (row + 5) * step
                path.rect(
                    (left + (start + 4) * step) * MM,
                    y * MM,
                    (column - start) * step * MM,
                    step * MM,
                )
                start = None
    canvas.drawPath(path, stroke=0, fill=1)


def _bank(
    canvas: Any,
    on: Sequence[bool],
    order: int,
    left: float,
    bottom: float,
    wide: float,
    high: float,
) -> None:
    """Nine switches beside each other, the first at the left (`order` 1) or at the right: a lever
    at the top is on. Below each, its number.
    """
    step = wide / SWITCHES
    digits = 2.4
    tall = high - digits - 0.6
    for place, bit in enumerate(range(SWITCHES)[::order]):
        x = left + place * step
        canvas.setLineWidth(0.4)
        canvas.rect(
            (x + 0.12 * step) * MM, (bottom + digits) * MM, 0.76 * step * MM, tall * MM, 1, 0
        )
        y = bottom + digits + (tall / 2 if on[bit] else 0.0)
        canvas.rect((x + 0.12 * step) * MM, y * MM, 0.76 * step * MM, tall / 2 * MM, 0, 1)
        canvas.setFont(FIGURES, 5.0)
        canvas.drawCentredString((x + step / 2) * MM, (bottom + 0.5) * MM, str(bit + 1))


__all__ = ["Labels", "code_of", "labelled", "labels_pdf", "switches_of"]
