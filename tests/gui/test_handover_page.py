"""Papers in a real window: chosen, filtered, held against a version, saved."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import pypdfium2
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog

from helpers.hands import child, choose, dialog, key, keys, press, retype, until
from helpers.stations import running_station
from isthmus.demo import lantern_tide
from isthmus.papers.all_papers import RIG
from isthmus.papers.drawn import as_csv
from isthmus.papers.rig import by_number
from isthmus.patch import edits
from isthmus.standin.station import changed_rig


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
    assert until(lambda: len(list(tmp_path.glob("*.pdf"))) == len(RIG), 30)  # on a thread beside
    made = {p.stem for p in tmp_path.glob("*.pdf")}
    assert made == {f"Lantern Tide {name}" for name in RIG}
    text = pypdfium2.PdfDocument(tmp_path / "Lantern Tide gels.pdf")[0].get_textpage()
    assert "Lamp oil" in text.get_text_range()


def test_a_revision_is_handed_over_and_the_set_labels_and_rig_go_along(
    make_window, qtbot, tmp_path: Path, monkeypatch
) -> None:
    window = make_window(lantern_tide(), page="Handover")
    bench, page = window.bench, window.pages["Handover"]
    press(page.papers, "hand over")
    asked = dialog("hand over")
    keys(child(asked, "handed over to"), "Ada Quill")
    key(child(asked, "handed over to"), Qt.Key.Key_Return)
    assert bench.show.versions[-1].letter == "A"
    assert "revision A of" in page.head.parts[1] and "to Ada Quill" in page.papers.made.text()
    bench.commit("name", edits.set_text(bench.show, ["u203"], "name", "Ferry wash"))
    assert "after revision A" in page.head.parts[1]

    def saved_as(name: str) -> Path:
        target = tmp_path / name
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(target), ""))
        return target

    target = saved_as("set.pdf")
    press(page.papers, "save the set")
    qtbot.waitUntil(target.exists, timeout=20_000)
    first = pypdfium2.PdfDocument(target)[0].get_textpage().get_text_range()
    assert first.startswith("Contents") and "after revision A" in first

    page.show_view("Labels")
    retype(child(page.labels, "label units"), "201-204")
    retype(child(page.labels, "first label"), "25")
    assert "labels 1 to 24" in page.labels.told.text()
    retype(child(page.labels, "first label"), "22")
    assert page.labels.told.text().startswith("4 labels on 2 pages")
    assert not page.labels.picture.pixmap().isNull()
    target = saved_as("labels.pdf")
    press(page.labels, "save labels")
    assert len(pypdfium2.PdfDocument(target)) == 2

    target = saved_as("rig.mvr")
    window.actions_.trigger("handover.mvr")
    assert "Saved rig.mvr" in window.notice.words
    # brought back by Compare: nothing is other until somebody changes it
    window.go("Versions")
    compare = window.pages["Versions"].compare
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(target), ""))
    press(compare, "compare file")
    assert compare.told.text() == "They are alike."


def test_a_list_off_by_a_universe_reads_as_a_sentence_and_is_taken(
    make_window, tmp_path: Path, monkeypatch
) -> None:
    show = lantern_tide()
    theirs = tmp_path / "theirs.csv"
    rows = list(csv.DictReader(io.StringIO(as_csv(by_number(show)))))
    for row in rows:
        universe, dot, address = row["Address"].partition(".")
        row["Address"] = f"{int(universe) + 1}{dot}{address}" if dot else ""
    rows[2]["Name"] = "Strange name"
    with theirs.open("w", newline="") as out:
        writer = csv.DictWriter(out, list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)
    window = make_window(show, page="Handover")
    bench, view = window.bench, window.pages["Handover"].lists
    window.pages["Handover"].show_view("Lists")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(theirs), ""))
    press(view, "open list")
    assert view.told.text().startswith("Their universes are 1 higher (")
    assert [row[1:4] for row in view.model.rows] == [("103", "name", "Mast high 3")]
    first = view.wire.cells(view.wire.rows[0])
    assert first[:2] == ("1", "other") and first[3] == "Art-Net 0.0.1 = 1"
    before = bench.show.outputs
    press(view, "send as expected")
    sent = {o.universe: o.port_address for o in before if o.protocol == "artnet"}
    now = {o.universe: o.port_address for o in bench.show.outputs if o.protocol == "artnet"}
    assert now == {universe: universe for universe in sent} and now != sent
    bench.undo()
    retype(child(view, "expects"), "1=morse 3")
    assert "not understood" in view.pairs.text()
    retype(child(view, "expects"), "")
    press(view, "take addresses")
    was = {u.id: u for u in show.units}
    assert all(
        [p.universe for p in u.patch] == [p.universe + 1 for p in was[u.id].patch]
        for u in bench.show.units
    )
    assert "universes" not in view.told.text()
    child(view, "list lines").selectRow(0)
    press(view, "take lines")
    assert next(u.name for u in bench.show.units if u.number == 103) == "Strange name"
    assert view.told.text() == "66 units are alike." and not view.model.rows
    bench.undo()
    bench.undo()
    assert bench.show.units == show.units
    press(view, "keep list")
    assert bench.show.paper.title == "theirs" and len(bench.show.paper.rows) == len(rows)


def test_another_program_offers_its_rig_and_fetches_ours(make_window, qtbot) -> None:
    show = lantern_tide()
    window = make_window(show, page="Handover")
    bench, page = window.bench, window.pages["Handover"]
    page.show_view("Stations")
    view = page.stations
    assert "Nothing is sent" in view.state.text() and not view.call.isEnabled()
    with running_station(changed_rig(show), "Bow <b>lower</b>", "<img src='/dev/zero'>") as (
        at,
        told,
    ):
        key(child(view, "exchange adapter"), Qt.Key.Key_End)
        press(view, "join group")
        qtbot.waitUntil(lambda: view.call.isEnabled(), timeout=20_000)
        assert "by their address" in view.state.text()
        retype(child(view, "station address"), "nowhere")
        press(view, "join station")
        qtbot.waitUntil(
            lambda: "not the address of a station" in window.notice.words, timeout=20_000
        )
        retype(child(view, "station address"), at)
        press(view, "join station")
        ready = lambda: view.offers.rows and view.give.isEnabled()  # noqa: E731
        qtbot.waitUntil(ready, timeout=20_000)
        assert view.stations.rows[0].name == "<img src='/dev/zero'>"
        index = view.stations.index(0, 0)
        assert "<img" not in str(view.stations.data(index, Qt.ItemDataRole.ToolTipRole))
        keys(child(view, "offer comment"), "First hang")
        press(view, "offer rig")
        qtbot.waitUntil(lambda: any("Fetched" in words for words in told), timeout=30_000)
        assert "Lantern Tide.mvr: First hang" in told[0]

        qtbot.waitUntil(ready, timeout=20_000)
        assert window.focusWidget() is child(view, "offer rig")  # not lost to what else has keys
        press(view, "fetch beside")  # the only one there is, so it is chosen
        qtbot.waitUntil(lambda: page.view == "Lists", timeout=20_000)
        assert any("502" in " ".join(page.lists.model.cells(row)) for row in page.lists.model.rows)
        page.show_view("Stations")
        press(view, "fetch compare")
        versions = window.pages["Versions"]
        qtbot.waitUntil(lambda: window.spine.current == "Versions", timeout=20_000)
        assert "1 unit removed (502). 3 units have another place" in versions.compare.told.text()
        assert bench.show is show  # nothing is taken by itself
        window.go("Handover")
        press(view, "leave group")
        qtbot.waitUntil(lambda: not view.off.isVisible() and view.on.isEnabled(), timeout=20_000)
        assert not view.stations.rows and not view.offers.rows
