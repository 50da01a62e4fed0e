"""Papers in a real window: chosen, filtered, held against a version, saved."""

from __future__ import annotations

from pathlib import Path

import pypdfium2
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog

from helpers.hands import child, choose, key, press, retype
from isthmus.demo import lantern_tide
from isthmus.papers.all_papers import RIG
from isthmus.patch import edits


def lines(view) -> list[str]:
    model = view.model
    return [" ".join(filter(None, model.cells(row))) for row in model.rows]


def test_a_paper_is_chosen_narrowed_held_against_a_version_and_saved(
    make_window, tmp_path: Path, monkeypatch
) -> None:
    show = lantern_tide()
    window = make_window(show, page="Handover")
    bench, view = window.bench, window.pages["Handover"].papers
    assert len(view.model.rows) == len(show.units)
    for _ in range(2):
        key(child(view, "papers"), Qt.Key.Key_Down)
    assert "hanging order" in view.about.text()
    retype(child(view, "paper units"), "201-203")
    assert [line.split()[0] for line in lines(view)] == ["Bow", "201", "202", "203"]
    retype(child(view, "paper units"), "no such thing")
    assert "is not a number" in view.about.text()
    retype(child(view, "paper units"), "")

    bench.keep_version("as hung")
    bench.commit("name", edits.set_text(bench.show, ["u203"], "name", "Ferry wash"))
    gone = tuple(u for u in bench.show.units if u.number != 208)
    bench.commit("gone", replace(bench.show, units=gone))
    choose(child(view, "paper since"), view.sides.names[1][1])
    assert [line.split()[0] for line in lines(view)] == ["Bow", "203", "208"]
    target = tmp_path / "changed.html"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(target), "*.html"))
    press(view, "save paper")
    page = target.read_text()
    assert "<mark>Ferry wash</mark>" in page and 'class="gone"' in page

    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path))
    key(child(view, "paper since"), Qt.Key.Key_Home)  # everything
    press(view, "save all papers")
    made = {p.stem for p in tmp_path.glob("*.pdf")}
    assert made == {f"Lantern Tide {name}" for name in RIG}
    text = pypdfium2.PdfDocument(tmp_path / "Lantern Tide gels.pdf")[0].get_textpage()
    assert "Lamp oil" in text.get_text_range()
