"""Pages of marks as files: SVG written out, PDF by ReportLab. Both in millimetres, to scale."""

from __future__ import annotations

import base64
import io
from collections.abc import Iterable, Sequence
from functools import cache
from typing import TYPE_CHECKING
from xml.sax.saxutils import escape, quoteattr

from isthmus import fonts
from isthmus.errors import FileFault
from isthmus.sheets.marks import Image, Mark, PaperPage, Poly, Words
from isthmus.sheets.pictures import as_png, kind_of
from isthmus.sheets.widths import FACES
from isthmus.show.records import Show

if TYPE_CHECKING:
    from reportlab.lib.colors import Color
    from reportlab.pdfgen.canvas import Canvas

POINTS = 72 / 25.4
PAGE_GAP = 8.0


def svg(show: Show, pages: Sequence[PaperPage]) -> bytes:
    """All pages in one drawing, one below the other, measured in millimetres."""
    wide = max(p.wide for p in pages)
    high = sum(p.high for p in pages) + PAGE_GAP * (len(pages) - 1)
    out = [
        (
            '<svg xmlns="http://www.w3.org/2000/svg" '
            f'xmlns:xlink="http://www.w3.org/1999/xlink" width="{wide:g}mm" '
            f'height="{high:g}mm" '
            f'viewBox="0 0 {wide:g} {high:g}" font-family="IBM Plex Sans, sans-serif" '
            'stroke-linejoin="round">'
        )
    ]
    top = 0.0
    for index, page in enumerate(pages):
        left, up, right, down = page.frame
        out.append(
            f'<g transform="translate(0 {top:g})"><rect width="{page.wide:g}" '
            f'height="{page.high:g}" fill="#ffffff"/>'
        )
        out.append(
            f'<clipPath id="frame{index}"><rect x="{left:g}" y="{up:g}" '
            f'width="{right - left:g}" height="{down - up:g}"/></clipPath>'
        )
        out.append(
            f'<g clip-path="url(#frame{index})">'
            + "".join(_svg_mark(show, m) for m in page.inside)
            + "</g>"
        )
        out.append("".join(_svg_mark(show, m) for m in page.around) + "</g>")
        top += page.high + PAGE_GAP
    return "\n".join([*out, "</svg>"]).encode()


def _svg_mark(show: Show, mark: Mark) -> str:
    if isinstance(mark, Poly):
        points = " ".join(f"{x:.3f},{y:.3f}" for x, y in mark.points)
        name = "polygon" if mark.closed else "polyline"
        return (
            f'<{name} points="{points}" fill="{mark.fill or "none"}" stroke="{mark.stroke}" '
            f'stroke-width="{mark.width:g}"/>'
        )
    if isinstance(mark, Words):
        family = ' font-family="IBM Plex Mono, monospace"' if mark.mono else ""
        weight = ' font-weight="600"' if mark.bold else ""
        return (
            f'<text x="{mark.x:.3f}" y="{mark.y:.3f}" font-size="{mark.size:g}" '
            f'fill="{mark.colour}" text-anchor="{mark.anchor}"'
            f"{family}{weight}>{escape(mark.text)}</text>"
        )
    data = _picture(show, mark)
    if data is None:
        return ""
    href = quoteattr("data:image/png;base64," + base64.b64encode(data).decode())
    return (
        f'<image x="{mark.x - mark.wide / 2:.3f}" y="{mark.y - mark.high / 2:.3f}" '
        f'width="{mark.wide:.3f}" height="{mark.high:.3f}" '
        f'opacity="{mark.light:g}" preserveAspectRatio="none" '
        f'transform="rotate({-mark.turn:g} {mark.x:.3f} {mark.y:.3f})" xlink:href={href}/>'
    )


def _picture(show: Show, mark: Image) -> bytes | None:
    """The underlay as PNG. A vector drawing cannot be put to paper without the window's drawing
    engine: left away.
    """
    data = next((f.data for f in show.files if f.name == mark.file), None)
    return (
        as_png(data, mark.crop) if data is not None and kind_of(data) in ("png", "jpeg") else None
    )


def register_fonts(names: Iterable[str] = tuple(FACES.values())) -> None:
    """Make the shipped faces known to ReportLab. Raises FileFault for one that cannot be read."""
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    for name in names:
        try:
            pdfmetrics.registerFont(TTFont(name, str(fonts.FOLDER / f"{name}.ttf")))
        except Exception as error:  # ReportLab raises its own kinds for a font it cannot read
            raise FileFault(
                f"the shipped font cannot be read: {error}.",
                where=f"{name}.ttf",
                do="Install Isthmus again.",
            ) from error


def draw_sheet(canvas: Canvas, show: Show, page: PaperPage) -> None:
    """A page on a canvas of ReportLab, whose own size it becomes."""
    canvas.setPageSize((page.wide * POINTS, page.high * POINTS))
    brush = _Brush(show, canvas)
    left, up, right, down = (edge * POINTS for edge in page.frame)
    canvas.saveState()
    clip = canvas.beginPath()
    clip.rect(left, page.high * POINTS - down, right - left, down - up)
    canvas.clipPath(clip, stroke=0, fill=0)
    for mark in page.inside:
        brush.draw(mark, page.high)
    canvas.restoreState()
    for mark in page.around:
        brush.draw(mark, page.high)


@cache
def ink_of(colour: str) -> Color:
    """Of `#rrggbb`. ReportLab takes longer to understand one than to draw a whole symbol."""
    from reportlab.lib.colors import HexColor

    return HexColor(colour)


class _Brush:
    """ReportLab measures in points with y upwards, marks in mm with y downwards."""

    def __init__(self, show: Show, canvas: Canvas) -> None:
        self.show, self.canvas = show, canvas

    def draw(self, mark: Mark, high: float) -> None:
        if isinstance(mark, Poly):
            self._poly(mark, high)
        elif isinstance(mark, Words):
            self._words(mark, high)
        else:
            self._image(mark, high)

    def _poly(self, mark: Poly, high: float) -> None:
        canvas, path = self.canvas, self.canvas.beginPath()
        for i, (x, y) in enumerate(mark.points):
            (path.lineTo if i else path.moveTo)(x * POINTS, (high - y) * POINTS)
        if mark.closed:
            path.close()
        canvas.setLineWidth(mark.width * POINTS)
        canvas.setStrokeColor(ink_of(mark.stroke))
        if mark.fill:
            canvas.setFillColor(ink_of(mark.fill))
        canvas.drawPath(path, stroke=1, fill=1 if mark.fill else 0)

    def _words(self, mark: Words, high: float) -> None:
        canvas = self.canvas
        canvas.setFillColor(ink_of(mark.colour))
        canvas.setFont(FACES[(mark.bold, mark.mono)], mark.size * POINTS)
        put = {
            "start": canvas.drawString,
            "middle": canvas.drawCentredString,
            "end": canvas.drawRightString,
        }[mark.anchor]
        put(mark.x * POINTS, (high - mark.y) * POINTS, mark.text)

    def _image(self, mark: Image, high: float) -> None:
        from reportlab.lib.utils import ImageReader

        data = _picture(self.show, mark)
        if data is None:
            return
        canvas = self.canvas
        canvas.saveState()
        canvas.setFillAlpha(mark.light)
        canvas.translate(mark.x * POINTS, (high - mark.y) * POINTS)
        canvas.rotate(mark.turn)
        w, h = mark.wide * POINTS, mark.high * POINTS
        canvas.drawImage(ImageReader(io.BytesIO(data)), -w / 2, -h / 2, w, h, mask="auto")
        canvas.restoreState()


def pdf(show: Show, pages: Sequence[PaperPage], title: str) -> bytes:
    """All pages as a PDF with the shipped fonts inside."""
    from reportlab.pdfgen.canvas import Canvas  # half a second, and only for printing

    register_fonts()
    out = io.BytesIO()
    canvas = Canvas(out, pageCompression=1, invariant=1)
    canvas.setTitle(title)
    canvas.setCreator("Isthmus")
    for page in pages:
        draw_sheet(canvas, show, page)
        canvas.showPage()
    canvas.save()
    return out.getvalue()
