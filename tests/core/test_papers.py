"""Papers: what stands on them is read back by another library, and does what it says on a rig read independently."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import numpy as np
import pypdfium2
from msgspec.structs import replace

from helpers.geometry import beams_sent
from helpers.tools import answer, command
from isthmus.demo import as_hung
from isthmus.demo.evening import with_evening
from isthmus.output import Live
from isthmus.papers.drawn import as_csv, as_pdf
from isthmus.papers.evening import cue_sheet, focus_sheet
from isthmus.papers.table import Column, Group, Paper


def words_of(pdf: bytes) -> list[str]:
    """The text of each page."""
    return [page.get_textpage().get_text_range() for page in pypdfium2.PdfDocument(pdf)]


def test_degrees_of_the_focus_sheet_point_where_it_says() -> None:
    """Someone at another desk types the angles of the paper: the beams meet the points."""
    show = with_evening(as_hung())
    rows = list(csv.DictReader(io.StringIO(as_csv(focus_sheet(show)))))
    by_number = {str(u.number): u for u in show.units}
    tried = 0
    for row in rows:
        if not row["Points at x, y, z"] or row["Remark"] or "/" in row["Pan"]:
            continue
        unit, live = by_number[row["Unit"]], Live(show)
        live.set_axis([unit.id], "Pan", float(row["Pan"]))
        live.set_axis([unit.id], "Tilt", float(row["Tilt"]))
        point = np.array([float(v) for v in row["Points at x, y, z"].split(",")])
        origin, direction = beams_sent(show, live, unit.id)[0]
        off = point - origin
        beside = np.linalg.norm(off - direction * (off @ direction))
        assert beside < 0.003 * np.linalg.norm(off), row  # a tenth of a degree and the slots' step
        tried += 1
    assert tried > 20 and rows[0]["Under"].endswith("Deck centre")


def test_a_paper_has_every_row_once_its_headings_on_each_page_and_any_name() -> None:
    names = ["Łuk północny", "Θάλασσα", "Причал", "<b>&</b>", "x" * 90]
    rows = [(str(i), names[i % 5], "") for i in range(200)]
    paper = Paper(
        "A & B",
        "About <it>",
        [Column("No", 12, figures=True), Column("Name", 60), Column("Note", 40)],
        [Group("First <place>", rows[:90]), Group("Second", rows[90:], "told")],
    )
    for size in ("A4", "Letter"):
        pages = words_of(as_pdf(paper, size))
        assert len(pages) > 3
        assert all(f"{i} of {len(pages)}" in page for i, page in enumerate(pages, 1))
        assert all("Name" in page and "Note" in page for page in pages)
        whole = "\n".join(pages)
        lines = [line.split(" ", 1) for line in whole.splitlines()]
        seen = [int(line[0]) for line in lines if line[0].isdigit() and "of" not in line[1:]]
        figures = [n for n in seen if n < 200]
        assert [n for n in range(200) if n not in figures] == []
        assert all(name in whole for name in (*names[:4], "First <place>", "A & B"))
    table = list(csv.reader(io.StringIO(as_csv(paper))))
    assert table[0] == ["Under", "No", "Name", "Note"] and len(table) == 201
    assert table[1] == ["First <place>", "0", names[0], ""]


def test_the_cue_sheet_is_that_of_the_list_and_papers_come_headless(tmp_path: Path) -> None:
    show = with_evening(as_hung())
    cue = replace(show.cue_lists[0].cues[2], up=62.5, follow=1.25, note="On the bell")
    cues = tuple(cue if c.id == cue.id else c for c in show.cue_lists[0].cues)
    show = replace(show, cue_lists=(replace(show.cue_lists[0], cues=cues), *show.cue_lists[1:]))
    [page] = words_of(as_pdf(cue_sheet(show, show.cue_lists[0].id)))
    line = next(text for text in page.splitlines() if "On the bell" in text)
    assert line.split() == ["3", "Dusk", "3", "Dusk", "62.5", "6", "1.25", "On", "the", "bell"]
    _, told = answer("papers", "cues", "demo", "--list", "2")
    assert "Runs round" in told["about"] and len(told["rows"]) == 3
    out = tmp_path / "focus.pdf"
    assert answer("papers", "focus", "demo", "--to", str(out), "--size", "Letter")[0] == 0
    assert pypdfium2.PdfDocument(out)[0].get_size() in ((612, 792), (792, 612))
    done = command("papers", "focus", "demo", "--to", str(tmp_path / "x.doc"))
    assert done.returncode == 3 and "neither PDF nor CSV" in done.stderr
