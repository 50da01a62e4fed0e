"""A paper as PDF, in the shipped faces, or as CSV for a spreadsheet."""

from __future__ import annotations

import csv
import io
import locale
import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from isthmus.papers.laid import MARGIN, Page, pages_of, wrapped
from isthmus.papers.since import OTHER
from isthmus.papers.table import Column, Group, Mark, Paper
from isthmus.papers.widths import PLAIN, width_of
from isthmus.sheets.files import POINTS, draw_sheet, ink_of, register_fonts
from isthmus.sheets.marks import PaperPage
from isthmus.show.handovers import standing
from isthmus.show.records import Show

SIZES = ("A4", "Letter")
# where paper is cut in inches: by territory of the locale
INCHES = {"US", "CA", "MX", "PH", "CO", "CL", "VE", "GT", "CR", "PA", "DO"}
Step = Callable[[float, str], None]  # the share that is done, and of what


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


@dataclass(frozen=True)
class Block:
    """The title block at the foot of each page."""

    show: str = ""
    venue: str = ""
    revision: str = ""


NO_BLOCK = Block()


@dataclass(frozen=True)
class Plan:
    """Pages of a sheet, drawn to scale with a title block of their own."""

    title: str
    about: str
    show: Show
    pages: Sequence[PaperPage]


def block_of(show: Show) -> Block:
    """Of a show as it is today: its revision, or what came after one."""
    told = standing(show)
    today = "" if told.startswith("revision") else f"as of {date.today():%Y-%m-%d}"
    return Block(show.name, show.venue, ", ".join(words for words in (told, today) if words))


def as_pdf(paper: Paper, size: str = "A4", block: Block = NO_BLOCK) -> bytes:
    """Upright where the columns have room for it, else across. The headings of the columns are on
    each page, a row is never split, pages are numbered. Raises FileFault where a face is damaged.
    """
    return as_set([paper], size, block)


def as_set(
    papers: Sequence[Paper | Plan],
    size: str = "A4",
    block: Block = NO_BLOCK,
    step: Step | None = None,
) -> bytes:
    """Several papers in one file, behind a list of contents; each can be gone to by its bookmark.
    `step` hears the share that is done and may raise Cancelled.
    """
    from reportlab.lib.pagesizes import A4, letter
    from reportlab.pdfgen.canvas import Canvas

    page_size = letter if size == "Letter" else A4
    laid = _laid(papers, page_size, step)
    titles = [paper.title for paper in papers]
    firsts = [1 + sum(map(len, laid[:at])) for at in range(len(laid))]
    if len(papers) > 1:
        contents = _contents(papers, firsts, page_size)
        firsts = [1, *(first + len(contents) for first in firsts)]
        laid.insert(0, _contents(papers, firsts[1:], page_size))
        titles.insert(0, "Contents")
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=page_size)
    canvas.setTitle(titles[0] if len(titles) == 1 else block.show or titles[0])
    canvas.setAuthor("Isthmus")
    pages = [(title, page) for title, each in zip(titles, laid, strict=True) for page in each]
    starts = dict(zip(firsts, titles, strict=True))
    for number, (title, page) in enumerate(pages, 1):
        if step and number % 20 == 0:
            step(0.6 + 0.4 * number / len(pages), title)
        if number in starts and len(papers) > 1:
            canvas.bookmarkPage(f"paper {number}")
            canvas.addOutlineEntry(starts[number], f"paper {number}")
        _put(canvas, page, title, block, f"{number} of {len(pages)}")
    canvas.save()
    return out.getvalue()


def _laid(
    papers: Sequence[Paper | Plan], size: tuple[float, float], step: Step | None
) -> list[Sequence[Page | tuple[Show, PaperPage]]]:
    """The pages of each."""
    laid: list[Sequence[Page | tuple[Show, PaperPage]]] = []
    for at, paper in enumerate(papers):
        if step:
            step(0.6 * at / len(papers), paper.title)
        if isinstance(paper, Plan):
            register_fonts()  # of all that sheets write in
            laid.append([(paper.show, page) for page in paper.pages])
        else:
            laid.append(pages_of(paper, size))
    return laid


def _put(
    canvas: Any, page: Page | tuple[Show, PaperPage], title: str, block: Block, number: str
) -> None:
    """One more page to the file."""
    if isinstance(page, Page):
        canvas.setPageSize((page.wide, page.high))
        draw(canvas, page)
        _foot(canvas, page, title, block, number)
    else:
        draw_sheet(canvas, *page)
        canvas.setFillColorRGB(0, 0, 0)
        canvas.setFont(PLAIN, 8)
        canvas.drawRightString(page[1].wide * POINTS - MARGIN, MARGIN / 3, number)
    canvas.showPage()


def _contents(
    papers: Sequence[Paper | Plan], firsts: Sequence[int], size: tuple[float, float]
) -> list[Page]:
    columns = (Column("Paper", 70), Column("What is on it", 80), Column("Page", 14, figures=True))
    rows = [
        (paper.title, paper.about, str(first)) for paper, first in zip(papers, firsts, strict=True)
    ]
    return pages_of(Paper("Contents", "", columns, [Group("", rows)]), size)


def draw(canvas: Any, page: Page) -> None:
    """What is laid out on a page, on a canvas of ReportLab."""
    for ground in page.grounds:
        canvas.setFillColor(ink_of(ground.colour))
        canvas.rect(ground.x, ground.y, ground.wide, ground.high, stroke=0, fill=1)
    for rule in page.rules:
        canvas.setStrokeColor(ink_of(rule.colour))
        canvas.setLineWidth(rule.thick)
        canvas.line(rule.x, rule.y, rule.x + rule.wide, rule.y)
    canvas.setFillColor(ink_of("#000000"))
    words = canvas.beginText()
    face: tuple[str, float] = ("", 0.0)
    for text in page.texts:
        if (text.face, text.size) != face:
            face = (text.face, text.size)
            words.setFont(*face)
        words.setTextOrigin(text.x, text.y)
        words.textOut(text.words)
    canvas.drawText(words)
    canvas.setStrokeColor(ink_of("#000000"))
    canvas.setLineWidth(0.6)
    for text in page.texts:
        if text.struck:
            high = text.y + 0.32 * text.size
            canvas.line(text.x, high, text.x + text.struck, high)


def _foot(canvas: Any, page: Page, title: str, block: Block, number: str) -> None:
    """Rule, title block, title, page n of m."""
    canvas.setFont(PLAIN, 8)
    canvas.setLineWidth(0.4)
    canvas.line(MARGIN, MARGIN + 11, page.wide - MARGIN, MARGIN + 11)
    room = page.wide - 2 * MARGIN - width_of(number, PLAIN, 8) - 12
    words = " · ".join(part for part in (title, block.venue, block.revision) if part)
    canvas.drawString(MARGIN, MARGIN, wrapped(words, room, PLAIN, 8)[0])
    canvas.drawRightString(page.wide - MARGIN, MARGIN, number)
