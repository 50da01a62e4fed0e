"""A paper as PDF, in the shipped faces, or as CSV for a spreadsheet."""

from __future__ import annotations

import csv
import io
import locale
import os
from html import escape
from typing import Any

from isthmus.papers.since import GONE, NEW, OTHER
from isthmus.papers.table import Column, Group, Mark, Paper
from isthmus.sheets.files import register_fonts

SIZES = ("A4", "Letter")
# where paper is cut in inches: by territory of the locale
INCHES = {"US", "CA", "MX", "PH", "CO", "CL", "VE", "GT", "CR", "PA", "DO"}
MARGIN, FOOT, ROOM = 36.0, 24.0, 90.0  # points
PAD = 6.0  # points that ReportLab leaves at each side of what it sets
PLAIN, BOLD, FIGURES = "IBMPlexSans-Regular", "IBMPlexSans-SemiBold", "IBMPlexMono-Regular"


def usual_size() -> str:
    """The paper size of this computer's locale."""
    said = os.environ.get("LC_ALL") or os.environ.get("LC_PAPER") or locale.getlocale()[0] or ""
    return "Letter" if said.split(".")[0].rpartition("_")[2] in INCHES else "A4"


def as_csv(paper: Paper) -> str:
    """One table: what a row is grouped under stands in its first column."""
    grouped = any(group.title for group in paper.groups)
    marked = any(group.marks for group in paper.groups)
    out = io.StringIO()
    writer = csv.writer(out)
    heads = [c.words for c in paper.columns]
    writer.writerow([*(["Change"] * marked), *(["Under"] * grouped), *heads])
    for group in paper.groups:
        for at, row in enumerate(group.rows):
            change = _change(paper, group.marks.get(at, Mark()))
            writer.writerow([*([change] * marked), *([group.title] * grouped), *row])
    return out.getvalue()


def _change(paper: Paper, mark: Mark) -> str:
    """`new`, `gone`, or which columns are other."""
    names = [paper.columns[at].words for at in sorted(mark.columns)]
    return mark.how if mark.how != OTHER else f"other: {', '.join(names)}"


def as_pdf(paper: Paper, size: str = "A4") -> bytes:
    """Upright where the columns have room for it, else across. The headings of the columns are on
    each page, a row is never split, pages are numbered. Raises FileFault where a face is damaged.
    """
    from reportlab.lib.pagesizes import A4, landscape, letter
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.pdfbase.pdfmetrics import registerFontFamily
    from reportlab.platypus import CondPageBreak, Paragraph, SimpleDocTemplate, Spacer

    register_fonts((PLAIN, BOLD, FIGURES))
    for face in (PLAIN, BOLD, FIGURES):  # each is a family of its own: nothing is bold within it
        registerFontFamily(face, face, face, face, face)
    page = letter if size == "Letter" else A4
    wanted = sum(column.width for column in paper.columns) * 72 / 25.4
    if wanted > page[0] - 2 * MARGIN:
        page = landscape(page)
    share = (page[0] - 2 * MARGIN - 2 * PAD) / wanted

    def style(face: str, size: float, **more: Any) -> ParagraphStyle:
        return ParagraphStyle(
            f"{face}{size}", fontName=face, fontSize=size, leading=1.3 * size, **more
        )

    title, heading = style(BOLD, 16), style(BOLD, 11, spaceBefore=10)
    plain, about = style(PLAIN, 8.5), style(PLAIN, 8.5, spaceAfter=4)
    story: list[Any] = [Paragraph(escape(paper.title), title), Spacer(1, 4)]
    if paper.about:
        story += [Paragraph(escape(paper.about), about), Spacer(1, 6)]
    for group in paper.groups:
        story.append(CondPageBreak(ROOM))  # a heading has some of its rows below it
        if group.title:
            story.append(Paragraph(escape(group.title), heading))
        if group.about:
            story.append(Paragraph(escape(group.about), plain))
        if group.rows:
            story.append(_table(paper.columns, group, share, plain))
    out = io.BytesIO()
    doc = SimpleDocTemplate(
        out,
        pagesize=page,
        title=paper.title,
        author="Isthmus",
        leftMargin=MARGIN,
        rightMargin=MARGIN,
        topMargin=MARGIN,
        bottomMargin=MARGIN + FOOT,
    )
    doc.build(story, canvasmaker=_numbered(paper.title))
    return out.getvalue()


def _table(columns: Any, group: Group, share: float, plain: Any) -> Any:
    from reportlab.lib.enums import TA_RIGHT
    from reportlab.platypus import Paragraph, Table

    figures = plain.clone("figures", fontName=FIGURES, alignment=TA_RIGHT)
    head = plain.clone("head", fontName=BOLD)
    heads = head.clone("heads", alignment=TA_RIGHT)

    def cell(column: Column, words: str, one: Any, other: Any) -> Any:
        return Paragraph(words, other if column.figures else one)

    lines = [[cell(c, escape(c.words), head, heads) for c in columns]]
    for at, row in enumerate(group.rows):
        gone = group.marks.get(at, Mark()).how == GONE
        words = [f"<strike>{escape(text)}</strike>" if gone else escape(text) for text in row]
        lines.append([cell(c, w, plain, figures) for c, w in zip(columns, words, strict=True)])
    return Table(
        lines,
        colWidths=[c.width * 72 / 25.4 * share for c in columns],
        repeatRows=1,
        style=[
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("LINEBELOW", (0, 0), (-1, 0), 0.8, "#000000"),
            ("LINEBELOW", (0, 1), (-1, -1), 0.25, "#888888"),
            ("LEFTPADDING", (0, 0), (-1, -1), 5),
            ("RIGHTPADDING", (0, 0), (-1, -1), 4),
            ("TOPPADDING", (0, 0), (-1, -1), 2),
            ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
            *_marks(group),
        ],
    )


def _marks(group: Group) -> list[tuple[Any, ...]]:
    """What is new or other has a ground, what is gone a line through it."""
    found: list[tuple[Any, ...]] = []
    for at, mark in group.marks.items():
        line = at + 1  # below the headings
        if mark.how == GONE:
            found.append(("BACKGROUND", (0, line), (-1, line), "#e4e4e4"))
            continue
        places = [(0, -1)] if mark.how == NEW else [(column, column) for column in mark.columns]
        found += [("BACKGROUND", (a, line), (b, line), "#ffe08a") for a, b in places]
    return found


def _numbered(title: str) -> Any:
    """A canvas that knows how many pages there are when it writes their numbers."""
    from reportlab.pdfgen.canvas import Canvas

    class Numbered(Canvas):
        def __init__(self, *given: Any, **named: Any) -> None:
            super().__init__(*given, **named)
            self._pages: list[dict[str, Any]] = []

        def showPage(self) -> None:
            self._pages.append(dict(self.__dict__))
            self._startPage()  # type: ignore[attr-defined]

        def save(self) -> None:
            for number, page in enumerate(self._pages, 1):
                self.__dict__.update(page)
                self.setFont(PLAIN, 8)
                wide, _ = self._pagesize  # type: ignore[attr-defined]
                self.drawString(MARGIN + PAD, MARGIN, title)
                self.drawRightString(wide - MARGIN - PAD, MARGIN, f"{number} of {len(self._pages)}")
                super().showPage()
            super().save()

    return Numbered
