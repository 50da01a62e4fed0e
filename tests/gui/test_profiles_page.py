"""The Profiles page with real keys and clicks: a unit no unit has a file for is found, read, judged, made and patched."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QApplication, QComboBox, QLineEdit, QPlainTextEdit, QTableView

from helpers.hands import (
    answer_file_dialog,
    answer_question,
    child,
    choose,
    click,
    dialog,
    key,
    keys,
    press,
    retype,
    search,
    settle,
    shortcut,
    type_in_cell,
    until,
)
from helpers.papers import pdf, written
from isthmus.app.kit.theme import theme
from isthmus.app.model.library_link import LibraryLink
from isthmus.app.pages.patch.dialogs.clash import WaysDialog
from isthmus.app.pages.profiles.views.adapt import ranges_text, read_ranges
from isthmus.app.pages.profiles.views.finder import attribute_of
from isthmus.errors import EntryFault
from isthmus.library.sources import folder_source, own_folder
from isthmus.profiles import profiles_of
from isthmus.profiles.gdtf import read_archive, write_gdtf
from isthmus.profiles.make.plausible import plausible_profiles
from isthmus.show import Show
from isthmus.standin.exchange import TOKEN, ExchangeServer

CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)


def rows(page) -> list[tuple[str, str]]:
    results = page.library.results.results
    return [(results.entry(i).model, results.entry(i).mode) for i in range(results.rowCount())]


def read_manual(page, text: str) -> None:
    press(page, "view From a manual")
    field = child(page, "manual text", QPlainTextEdit)
    click(field)
    QGuiApplication.clipboard().setText(text)
    key(field, Qt.Key.Key_V, CTRL)
    assert until(lambda: page.manual.model.rows)


def test_typing_finds_enter_goes_on_and_the_chart_is_read_without_patching(page) -> None:
    search(page, "skery six")  # a slip and a word that is nowhere
    assert rows(page) == [] and "0 modes" in page.library.count.text()
    search(page, "skery 600")
    assert rows(page) == [("Skerry 600", "Full"), ("Skerry 600", "Short"), ("Skerry 600", "Long")]
    assert page.library.results.hasFocus() and page.library.mode.name == "Full"
    key(page.library.results, Qt.Key.Key_Down)
    assert page.library.mode.name == "Short" and page.library.chart.sheet.footprint == 13
    assert "13 channels" in page.library.facts.text() and "meshes" in page.library.facts.text()
    choose(page.library.pick_mode, "Long")
    page.library.pick_mode.activated.emit(page.library.pick_mode.currentIndex())
    assert page.library.chart.sheet.footprint == 23
    retype(child(page, "find in chart", QLineEdit), "pulse", Qt.Key.Key_Return)
    assert page.library.chart.find("pulse") == 1 and page.library.chart.find("nowhere") == 0
    chart = page.library.chart
    chart.verticalScrollBar().setValue(0)
    click(chart.viewport(), QPoint(40, 10))
    assert chart.current == 0
    key(chart, Qt.Key.Key_Down)
    assert chart.current == 1
    key(chart, Qt.Key.Key_C, CTRL)
    copied = [line.split("\t") for line in QGuiApplication.clipboard().text().splitlines()]
    assert (
        copied[0][:2] == ["Channel", "Attribute"]
        and copied[1][:2] == ["1+2", "pan"]
        and len({len(line) for line in copied}) == 1
    )
    key(page.library.results, Qt.Key.Key_C, CTRL)
    assert "Skerry 600" in QGuiApplication.clipboard().text()
    assert page.bench.history.undo_name is None  # nothing was patched


def test_facts_narrow_while_typing_and_near_misses_say_what_differs(page) -> None:
    retype(child(page, "footprint", QLineEdit), "22")
    retype(child(page, "on channel 1", QLineEdit), "7")
    retype(child(page, "on attribute 1", QLineEdit), "shutter")
    retype(child(page, "has none of", QLineEdit), "red, white")
    assert until(lambda: {r[0] for r in rows(page)[:2]} == {"Skerry 600", "Skerry 900 F"})
    answer = page.library.results.results.answer
    assert answer.near and "near misses" in page.library.count.text()
    first = page.library.results.results.entry(len(answer.hits))
    assert first.differs and page.library.results.rowHeight(
        len(answer.hits)
    ) > page.library.results.rowHeight(0)
    retype(child(page, "footprint", QLineEdit), "many")
    assert (
        child(page, "footprint", QLineEdit).property("bad")
        and page.library.finder.query("").footprint is None
    )
    press(page, "Clear filters")
    assert until(lambda: len(rows(page)) >= 400)
    for box in ("Colour wheel", "3-D body of its own"):
        click(child(page, box), QPoint(8, 8))
    assert until(
        lambda: (
            rows(page)
            and all(page.library.results.results.entry(i).body != "stand-in" for i in range(5))
        )
    )
    wheels = page.library.results.results.answer.total
    click(child(page, "source shipped"), QPoint(8, 8))  # a source off: its profiles go
    assert until(
        lambda: not page.link.busy and page.library.results.results.answer.total < wheels, 20
    )


def test_the_chosen_mode_is_patched_and_two_charts_stand_side_by_side(page) -> None:
    search(page, "cormorant 7")
    shortcut(page.house.over, Qt.Key.Key_C, CTRL | ALT)
    search(page, "cormorant 3")
    verdicts = {v.state for v in page.library.chart.verdicts}
    assert "same" in verdicts and verdicts & {"shifted", "extra", "absent"}
    assert page.library.against.isVisible() and "Cormorant 7" in page.library.against_words.text()
    assert "Verdict" in page.library.chart.text()
    press(page, "Close comparison")
    assert page.library.chart.other is None
    press(page, "Add units…")
    found = dialog("add units")
    assert "Cormorant 3" in child(found, "profile", QComboBox).currentText()
    press(found, found.primary.objectName())
    assert (
        until(lambda: len(page.bench.show.units) == 67)
        and page.bench.show.units[-1].profile == "Dunnet Works Cormorant 3"
    )
    page.house.over.go("Patch")
    shortcut(page.house.over, Qt.Key.Key_A, CTRL | SHIFT)
    press(dialog("add units"), "Choose in the library…")
    assert until(lambda: page.house.over.spine.current == "Profiles")


def test_a_manual_becomes_a_profile_judged_corrected_and_saved(page) -> None:
    read_manual(
        page,
        "Nine mode\n1\tPan\n2\tPan fine\n3\tDimmer\t0-255\n4\tShutter\t0-9 closed\n\t\t10-240 strobe\n6\tDoodad\t0-255\n",
    )
    manual = page.manual
    assert [r.attribute for r in manual.model.rows] == ["Pan", "Dimmer", "Shutter1", ""]
    assert (
        "channel 5" in manual.findings.toPlainText() and "241–255" in manual.findings.toPlainText()
    )
    press(page, "Copy a note to the maker")
    assert (
        "What does channel 5 do?" in QGuiApplication.clipboard().text()
        and "on the clipboard" in page.house.over.notice.words
    )
    table = child(page, "manual rows", QTableView)
    type_in_cell(table, 3, 2, "zoom")
    assert manual.model.rows[3].attribute == "Zoom" and manual.model.rows[3].confidence == 1
    type_in_cell(table, 3, 2, "gibberish")
    assert manual.model.rows[3].attribute == "Zoom"  # what is not an attribute is not taken
    type_in_cell(table, 3, 0, "5")
    assert manual.model.rows[3].slots == (5,) and "channel 5" not in manual.findings.toPlainText()
    source = child(page, "manual text", QPlainTextEdit)
    key(source, Qt.Key.Key_End, CTRL)
    keys(source, "\n7\tIris\t0-255")  # more of the source: what was corrected stays corrected
    assert until(lambda: len(manual.model.rows) == 5)
    assert manual.model.rows[3].attribute == "Zoom" and manual.model.rows[3].slots == (5,)
    for _ in range(len("\n7\tIris\t0-255")):
        key(source, Qt.Key.Key_Backspace)
    assert until(lambda: len(manual.model.rows) == 4)
    table.selectRow(2)
    assert (
        manual.source.extraSelections()[0].cursor.selectedText().startswith("4\tShutter")
    )  # the row shows where it stands in the source
    ranges = child(page, "ranges", QPlainTextEdit)
    assert ranges.toPlainText().splitlines() == ["0-9 closed", "10-240 strobe"]
    click(ranges)
    key(ranges, Qt.Key.Key_End, CTRL)
    keys(ranges, "\n241-255 open")
    assert (
        until(lambda: not manual.findings.toPlainText()) and "nothing open" in manual.judged.text()
    )
    press(page, "view Library")
    search(page, "cormorant 3")
    press(page, "view From a manual")
    press(page, "Compare with library mode")
    assert manual.model.verdicts[:2] == ["other size", "shifted +2"] or "shifted" in " ".join(
        manual.model.verdicts
    )
    press(page, "Make a profile…")
    named = dialog("name a profile")
    keys(child(named, "maker", QLineEdit), "Reed and Oar")
    press(named, "Create")
    assert "Type a maker and a model" in named.trouble.text()
    keys(child(named, "model", QLineEdit), "Ebb 9")
    press(named, "Create")
    assert until(lambda: list(own_folder().glob("*Ebb 9.gdtf")))
    made = read_archive(next(own_folder().glob("*.gdtf")).read_bytes(), "x").profile
    assert [c.logical[0].attribute for c in made.modes[0].channels] == [
        "Pan",
        "Dimmer",
        "Shutter1",
        "Zoom",
    ] and made.modes[0].name == "Nine mode"
    assert page.stack.currentWidget() is page.adapt
    press(page, "view Library")
    search(page, "ebb")
    assert until(lambda: not page.link.busy and rows(page) == [("Ebb 9", "Nine mode")], 20)


def test_a_pdf_is_opened_its_chart_found_and_a_damaged_one_told(page, tmp_path: Path) -> None:
    press(page, "view From a manual")
    file = tmp_path / "manual.pdf"
    file.write_bytes(pdf(["Welcome"], written("    ", pad=3).splitlines()))
    answer_file_dialog(str(file))
    press(page, "Open a text or PDF…")
    assert until(lambda: len(page.manual.model.rows) == 7, 30)
    assert "Page 2" in page.manual.pages.currentText() and "2 pages" in page.manual.told.text()
    file.write_bytes(b"%PDF-1.4 torn")
    page.manual.open_file(file)
    assert until(lambda: "cannot be read as a PDF" in page.house.over.notice.words)
    assert len(page.manual.model.rows) == 7  # what was read stays
    text = tmp_path / "chart.txt"
    text.write_text("1\tRed\n2\tGreen\n3\tBlue\n", "utf-8")
    page.manual.open_file(text)
    assert until(
        lambda: (
            [r.attribute for r in page.manual.model.rows]
            == ["ColorAdd_R", "ColorAdd_G", "ColorAdd_B"]
        )
    )
    page.manual.source.setPlainText("nothing of the kind")
    assert (
        until(lambda: "no chart was found" in page.manual.told.text())
        and not page.manual.model.rows
    )


def test_an_own_copy_is_changed_undone_saved_and_given_to_the_units_of_its_source(page) -> None:
    search(page, "lapwing 19")
    press(page, "Adapt a copy")
    adapt = page.adapt
    assert "The same as" in adapt.differs_head.text()
    table = child(page, "own channels", QTableView)
    table.selectRow(3)
    press(page, "Insert after")
    assert "attribute of the new channel" in adapt.trouble.text()
    keys(child(page, "new channel", QLineEdit), "iris")
    press(page, "Insert after")
    before = [c.logical[0].attribute for c in adapt.model.channels]
    assert before[4] == "Iris" and "iris on 8 is new" in adapt.differs.toPlainText()
    table.selectRow(4)
    press(page, "Finer")
    press(page, "Earlier")
    assert [c.offsets for c in adapt.model.channels if c.logical[0].attribute == "Iris"] == [(7, 8)]
    press(page, "Later")
    press(page, "Coarser")
    press(page, "Remove")
    assert "iris" not in adapt.differs.toPlainText()
    table.setFocus()
    shows = page.bench.history.undo_name
    for _ in range(5):
        shortcut(page.house.over, Qt.Key.Key_Z, CTRL)
    assert (
        "iris on 8 is new" in adapt.differs.toPlainText() and page.bench.history.undo_name == shows
    )  # the copy, not the show
    shortcut(page.house.over, Qt.Key.Key_Z, CTRL | SHIFT)
    press(page, "Undo")
    table.selectRow(3)
    ranges = child(page, "own ranges", QPlainTextEdit)
    assert "[strobe]" in ranges.toPlainText()
    click(ranges)
    key(ranges, Qt.Key.Key_A, CTRL)
    keys(ranges, "0-31 Closed\n32-200 Strobe [strobe]\n201-240 what is that?\n241-300 Open")
    assert until(lambda: "is not a range" in adapt.trouble.text())
    key(ranges, Qt.Key.Key_A, CTRL)
    keys(ranges, "0-31 Closed\n32-200 Strobe [strobe]\n201-255 Open")
    assert until(lambda: "Strobe" in adapt.differs.toPlainText() and not adapt.trouble.text(), 3), (
        adapt.differs.toPlainText(),
        adapt.trouble.text(),
        ranges.toPlainText(),
    )
    type_in_cell(table, 3, 3, "12")
    assert "stands at 12" in adapt.differs.toPlainText()
    type_in_cell(table, 3, 4, "220")
    assert "is shown at 220" in adapt.differs.toPlainText()
    choose(adapt.limited, "strobe")
    keys(child(page, "from value", QLineEdit), "40")
    keys(child(page, "to value", QLineEdit), "190")
    press(page, "Set limits")
    assert "40-190" in ranges.toPlainText() and "not described" in adapt.checks.toPlainText()
    type_in_cell(table, 3, 3, "255")
    press(page, "Save to my profiles…")
    named = dialog("name a profile")
    retype(child(named, "model", QLineEdit), "Lapwing 19 S")
    heard = answer_question("Give them Halyard Optics Lapwing 19 S")
    press(named, "Save")
    assert until(lambda: heard == ["Use it in this show?"]), (
        heard,
        page.house.over.notice.words,
        named.isVisible() and named.trouble.text(),
    )
    assert until(
        lambda: isinstance(QApplication.activeModalWidget(), WaysDialog)
    )  # it is longer, so its neighbours are asked about
    key(QApplication.activeModalWidget(), Qt.Key.Key_1)
    assert until(lambda: any(u.profile.endswith("Lapwing 19 S") for u in page.bench.show.units))
    show = page.bench.show
    assert not any(u.profile.endswith("Lapwing 19") for u in show.units)
    own = profiles_of(show).profiles["Halyard Optics Lapwing 19 S"]
    assert (
        own.refers_to
        and "Own copy of Halyard Optics Lapwing 19" in own.revisions[-1].text
        and "shutter" in own.revisions[-1].text
    )
    page.house.over.go("Patch")
    shortcut(page.house.over, Qt.Key.Key_Z, CTRL)
    assert any(
        u.profile == "Halyard Optics Lapwing 19" for u in page.bench.show.units
    )  # in one step


def test_a_wheel_is_edited_and_a_profile_borrowed_and_composed(page) -> None:
    search(page, "cormorant 3")
    press(page, "Adapt a copy")
    slots = child(page, "wheel slots", QPlainTextEdit)
    choose(page.adapt.wheel, "Colours")
    click(slots)
    key(slots, Qt.Key.Key_End, CTRL)
    keys(slots, "\nRust without a colour")
    press(page, "Take these slots")
    assert "is not a slot" in page.adapt.trouble.text()
    keys(slots, "  0.5 0.4 20")
    press(page, "Take these slots")
    assert "Wheel Colours has other slots" in page.adapt.differs.toPlainText()
    press(page, "view Library")
    press(page, "Derive…")
    named = dialog("name a profile")
    keys(child(named, "maker", QLineEdit), "Reed and Oar")
    keys(child(named, "model", QLineEdit), "Flood 3")
    press(named, "Create")
    assert until(lambda: list(own_folder().glob("*Flood 3.gdtf")) and not page.link.busy, 20)
    search(page, "flood 3")
    assert until(
        lambda: (
            page.library.entry is not None
            and page.library.entry.borrowed == "Dunnet Works Cormorant 3"
        )
    )
    press(page, "Generic…")
    made = dialog("compose a generic")
    choose(child(made, "order", QComboBox), "GRBW")
    choose(child(made, "master", QComboBox), "first")
    choose(child(made, "bits", QComboBox), "16")
    assert "four colours, master first, ten channels, 16 bit" in made.words.text()
    choose(child(made, "order", QComboBox), "GGX")
    assert "not an order of emitters" in made.trouble.text() and not made.primary.isEnabled()
    choose(child(made, "order", QComboBox), "GRBW")
    press(made, "Save")
    assert until(
        lambda: (
            not page.link.busy and any("GRBW, four colours" in model for model, _ in rows(page))
        ),
        20,
    )


def test_a_folder_goes_away_says_so_and_comes_back_by_itself(page, tmp_path: Path) -> None:
    drive = tmp_path / "drive"
    drive.mkdir()
    profile = next(plausible_profiles(1, 77))
    (drive / "one.gdtf").write_bytes(write_gdtf(profile))
    link: LibraryLink = page.link

    source = folder_source(drive)
    link.set_sources([*link.sources, source])
    assert until(lambda: link.shelf.index.counts().get(source.id) == 1, 20)
    search(page, profile.name)
    assert until(lambda: rows(page) and rows(page)[0][0] == profile.name)
    shutil.move(drive, tmp_path / "unplugged")
    assert until(lambda: source.id in link.shelf.index.away(), 20)
    assert until(lambda: page.library.results.results.entry(0).away)
    page.library.pick(page.library.results.results.entry(0))
    assert "away" in page.library.facts.text() and page.library.mode is None
    shutil.move(tmp_path / "unplugged", drive)
    second = next(plausible_profiles(1, 78))
    (drive / "two.gdtf").write_bytes(write_gdtf(second))
    assert until(
        lambda: link.shelf.index.counts().get(source.id) == 2 and not link.shelf.index.away(), 20
    )
    press(page, f"forget {source.name}")
    assert (
        until(lambda: source.id not in link.shelf.index.counts(), 20)
        and (drive / "one.gdtf").exists()
    )


def test_the_exchange_is_browsed_downloaded_from_shared_with_and_borne_when_away(
    page, monkeypatch: pytest.MonkeyPatch
) -> None:
    server = ExchangeServer().start()
    try:
        view = page.exchange
        view.url.setText(server.url)
        press(page, "view Exchange")
        assert (
            until(lambda: view.offers.rowCount() == 25, 20) and "25 profiles" in view.state.text()
        )
        retype(child(page, "only offers that mention", QLineEdit), "lapwing")
        assert view.offers.rowCount() == 1 and "24 hidden" in view.state.text()
        entry = view.offers.rows[0]
        heard = answer_question("Use newer")
        press(page, "newer Halyard Optics Lapwing 19")
        assert until(
            lambda: (
                heard
                and profiles_of(page.bench.show).profiles["Halyard Optics Lapwing 19"].revision
                == entry.revision
            ),
            20,
        )
        retype(child(page, "only offers that mention", QLineEdit), "")
        table = child(page, "offers", QTableView)
        table.selectRow(2)
        press(page, "Download")
        assert until(
            lambda: "Downloaded" in page.house.over.notice.words, 20
        )  # a note is put away after five seconds
        assert until(lambda: not page.link.busy, 40)
        assert until(
            lambda: view.offers.data(view.offers.index(2, 7)) == "yes" or (view._fill() or False),
            20,
        )
        press(page, "Share the selected profile")
        assert "one of your own" in page.house.over.notice.words
        server.fault = "wrong checksum"
        table.selectRow(4)
        press(page, "Download")
        assert until(lambda: "wrong checksum" in page.house.over.notice.words, 20)
        server.fault = ""
        press(page, "view Library")
        search(page, "cormorant 3")
        press(page, "Derive…")
        named = dialog("name a profile")
        keys(child(named, "maker", QLineEdit), "Reed and Oar")
        keys(child(named, "model", QLineEdit), "Tow 1")
        press(named, "Create")
        assert until(lambda: not page.link.busy, 20)
        search(page, "tow 1")
        assert until(lambda: page.library.entry is not None and page.library.entry.source == "own")
        press(page, "view Exchange")
        assert until(lambda: view._task is None, 20)
        retype(child(page, "token", QLineEdit), TOKEN)
        # as if it were another computer, asked without https: nobody is sent to in a test
        monkeypatch.setattr("isthmus.library.exchange.Exchange.in_the_open", True)
        asked = answer_question("Do not share")
        press(page, "Share the selected profile")
        assert asked == ["Your token can be read"] and view._task is None
        answer_question("Send it anyway")
        press(page, "Share the selected profile")
        assert until(lambda: any(e.model == "Tow 1" for e in server.wares.entries.values()), 20)
    finally:
        server.close()
    assert until(lambda: view._task is None, 20)
    press(page, "Ask again")
    assert until(lambda: "does not answer" in page.house.over.notice.words, 20)
    assert view.offers.rowCount() >= 25  # what was seen last is still there


def test_everything_on_the_page_has_a_key_or_a_name_in_the_finder_and_long_lists_stay_quick(
    page,
) -> None:
    known = {a.id: a.text for a in page.acts.all()}
    for action in (
        "search",
        "manual",
        "generic",
        "exchange",
        "import",
        "folder",
        "patch",
        "compare",
        "adapt",
        "borrow",
        "export",
    ):
        assert f"profiles.{action}" in known
    page.house.over.go("Patch")
    shortcut(page.house.over, Qt.Key.Key_M, CTRL | SHIFT)
    assert page.house.over.spine.current == "Profiles" and page.stack.currentWidget() is page.manual
    shortcut(page.house.over, Qt.Key.Key_L, CTRL | SHIFT)
    assert page.stack.currentWidget() is page.library and page.library.needle.hasFocus()
    assert not page.house.over.inspector.isVisible() and not page.house.over.hand.isVisible()
    page.house.over.go("Patch")
    assert page.house.over.inspector.isVisible() and page.house.over.hand.isVisible()


def test_files_are_taken_among_ones_own_and_saved_elsewhere(page, tmp_path: Path) -> None:
    profile = next(plausible_profiles(1, 91))
    file = tmp_path / "given.gdtf"
    file.write_bytes(write_gdtf(profile))
    answer_file_dialog(str(file))
    page.acts.trigger("profiles.import")
    assert until(lambda: list(own_folder().glob("*.gdtf")) and not page.link.busy, 20)
    search(page, profile.name)
    assert until(lambda: page.library.profile is not None and page.library.profile.id == profile.id)
    out = tmp_path / "out.gdtf"
    answer_file_dialog(str(out))
    press(page, "Save as GDTF…")
    assert until(out.exists) and read_archive(out.read_bytes(), "out").profile == profile
    file.write_bytes(b"torn")
    answer_file_dialog(str(file))
    page.acts.trigger("profiles.import")
    assert until(lambda: "not a whole GDTF file" in page.house.over.notice.words)


def test_an_update_is_shown_and_can_be_stopped(make_window, demo: Show, tmp_path: Path) -> None:
    many = tmp_path / "many"
    many.mkdir()
    for number, profile in enumerate(plausible_profiles(30, 9)):
        for copy in range(6):
            (many / f"{number}-{copy}.gdtf").write_bytes(write_gdtf(profile))
    window = make_window(demo)
    link = window.pages["Profiles"].link

    seen: list[int] = []
    link.progressed.connect(
        lambda done, total, name: (seen.append(done), link.cancel() if len(seen) == 2 else None)
    )
    ends: list[str] = []
    link.ended.connect(ends.append)
    link.set_sources([*link.sources, folder_source(many)])
    assert until(lambda: bool(ends), 40)
    assert seen and ("Stopped after" in ends[0] or link.shelf.index.counts())
    link._prints = {}
    link.look()
    assert until(
        lambda: not link.busy and sum(link.shelf.index.counts().values()) == 66 + 34 + 180, 40
    ), (link.shelf.index.counts(), ends)


def test_words_for_attributes_and_ranges_go_there_and_back() -> None:
    assert (
        attribute_of("Colour wheel 2") == attribute_of("color2") == "Color2"
        and attribute_of("") == attribute_of("zzz") == ""
    )
    bands = read_ranges("0-9 Closed\n10–200 Strobe, fast [strobe]\n\n201 to 255", "Shutter1")
    assert [(b.start, b.end, b.name, b.attribute) for b in bands] == [
        (0, 9, "Closed", "Shutter1"),
        (10, 200, "Strobe, fast", "Shutter1Strobe"),
        (201, 255, "", "Shutter1"),
    ]
    for wrong in ("closed", "10", "0-9 x [zzzz]"):
        with pytest.raises(EntryFault, match="line 1"):
            read_ranges(wrong, "Dimmer")
    channel = next(
        c
        for p in plausible_profiles(1, 4)
        for c in p.modes[-1].channels
        if c.logical[0].attribute == "Shutter1"
    )
    assert next((b.start, b.end) for b in read_ranges(ranges_text(channel), "Shutter1"))[0] == 0


def test_the_bars_of_a_chart_lie_where_their_values_are(page) -> None:
    search(page, "skerry 600")
    chart = page.library.chart
    chart.set_listed(False)
    settle(0.1)
    picture = chart.viewport().grab().toImage()
    left, width = chart._bar()
    row = 3  # the shutter: ranges begin at 16, 200 and 232
    y = row * 24 + 8
    ground = picture.pixelColor(left + 2, y)
    edges = [
        x
        for x in range(left + 2, left + width - 2)
        if picture.pixelColor(x, y) != picture.pixelColor(x - 1, y)
    ]
    for value in (16, 200, 232):
        at = left + value * width / 256
        assert any(abs(x - at) <= 2 for x in edges), (value, edges)
    assert picture.pixelColor(left + 2, y) == ground and picture.pixelColor(
        left + int(width * 0.85), y
    ) != picture.pixelColor(left + int(width * 0.95), y)
    marker = theme.color("coral")
    reds = [
        x
        for x in range(left, left + width + 4)
        if picture.pixelColor(x, row * 24 + 19).rgb() == marker.rgb()
    ]
    assert (
        reds and abs(sum(reds) / len(reds) - (left + 255.5 * width / 256)) < 3
    )  # it stands open by default
    before = picture.pixelColor(8, 24 * 7 + 4)
    chart.find("colour wheel")
    settle(0.1)
    assert chart.viewport().grab().toImage().pixelColor(8, 24 * 7 + 4) != before
    tip = chart._tip(
        chart._at(QPoint(left + int(width * 100 / 256), y)), left + int(width * 100 / 256)
    )
    assert tip.startswith("16–199  Strobe slow to fast") and "Hz" in tip
    assert "geometry Lens" in chart._tip(chart._at(QPoint(20, y)), 20)


def test_keys_alone_lead_through_the_page_and_every_row_says_what_it_is(page) -> None:
    search(page, "meridian")
    results = page.library.results
    key(results, Qt.Key.Key_End)
    key(results, Qt.Key.Key_Up)
    model = results.results
    entry = results.current()
    assert entry is not None and entry.maker == "Northing Light" and page.library.entry == entry
    said = model.data(
        model.index(results.currentIndex().row(), 0), Qt.ItemDataRole.AccessibleTextRole
    )
    assert entry.title in said and "meshes" in said
    assert [model.headerData(i, Qt.Orientation.Horizontal) for i in range(model.columnCount())] == [
        "Profile",
        "Mode",
        "Ch",
        "Cells",
        "Marks",
    ]
    shortcut(page.house.over, Qt.Key.Key_E, CTRL | ALT)
    assert (
        page.stack.currentWidget() is page.adapt
        and page.adapt.profile.refers_to == page.library.profile.id
    )
    table = child(page, "own channels", QTableView)
    table.setFocus()
    table.selectRow(2)
    count = page.adapt.model.rowCount()
    key(table, Qt.Key.Key_Delete)
    assert page.adapt.model.rowCount() == count - 1
    key(table, Qt.Key.Key_C, CTRL)
    assert QGuiApplication.clipboard().text().splitlines()[0].startswith("Ch\tAttribute\tBits")
    for theme_name in ("day", "night"):  # both themes paint every view without complaint
        theme.set(theme_name)
        for view in ("Library", "From a manual", "Adapt"):
            page.show_view(view)
            assert not page.grab().isNull()


@pytest.mark.network
def test_the_demo_brings_an_exchange_of_its_own_and_takes_it_away_again(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    from isthmus.app.shell.main import DemoExchange
    from isthmus.library import Shelf
    from isthmus.library.exchange import Exchange, default_url

    monkeypatch.setenv("ISTHMUS_EXCHANGE", "")
    beside = DemoExchange()
    try:
        assert default_url().startswith("http://127.0.0.1:")
        assert beside.answer()["url"] == default_url()
        assert len(Exchange().refresh(Shelf().index).entries) == 25
    finally:
        beside.stop()
    assert beside._process.poll() is not None


def test_the_library_is_ranked_by_a_manuals_chart_and_by_a_chosen_one(page) -> None:
    read_manual(page, written("\t"))
    press(page, "Find similar in library")
    view = page.library
    assert (
        page.stack.currentWidget() is view
        and view.liking.isVisible()
        and "Nearest to" in view.like_words.text()
    )
    near = [view.results.results.entry(i) for i in range(3)]
    assert (
        near
        and all(e.distance > 0 and e.differs for e in near)
        and near[0].distance <= near[1].distance
    )
    press(page, "Any chart")
    assert not view.liking.isVisible() and view.like is None and len(rows(page)) >= 400
    search(page, "skerry 600")
    press(page, "Find similar")
    search(page, "")
    found = [
        (e.model, e.mode, e.distance) for e in (view.results.results.entry(i) for i in range(2))
    ]
    assert {(model, mode) for model, mode, _ in found} == {
        ("Skerry 600", "Full"),
        ("Skerry 900 F", "Plain"),
    } and found[0][2] == 0


def test_makers_and_their_lines_are_counted_and_chosen(page) -> None:
    search(page, "dunnet")
    maker = page.library.maker
    items = [maker.itemText(i).strip() for i in range(maker.count())]
    assert (
        items[0] == "1 maker"
        and "Skerry  7" in items
        and any(item.startswith("Dunnet Works  ") for item in items)
    )
    maker.setCurrentIndex(items.index("Skerry  7"))
    maker.activated.emit(items.index("Skerry  7"))
    assert until(lambda: {model.split()[0] for model, _ in rows(page)} == {"Skerry"})


def test_an_offer_is_read_before_it_is_downloaded_and_patched_after(page) -> None:
    server = ExchangeServer().start()
    try:
        page.exchange.url.setText(server.url)
        press(page, "view Exchange")
        assert until(lambda: page.exchange.offers.rowCount() == 25 and not page.link.busy, 20)
        offer = page.exchange.offers.rows[3]
        press(page, "view Library")
        search(page, f"{offer.maker} {offer.model}")
        entry = page.library.entry
        assert entry is not None and entry.offered and entry.title == f"{offer.maker} {offer.model}"
        assert "not downloaded" in page.library.facts.text() and page.library.mode is None
        assert (
            page.library.chart.sheet.footprint == entry.footprint
        )  # the catalogue tells the chart
        assert not page.add_it.isEnabled() and page.fetch_it.isVisible()
        press(page, "Download")
        assert until(
            lambda: (
                page.library.entry is not None
                and not page.library.entry.offered
                and page.library.mode is not None
            ),
            30,
        )
        assert (
            page.add_it.isEnabled()
            and not page.fetch_it.isVisible()
            and f"rated {offer.rating:.1f}" in page.library.facts.text()
        )
    finally:
        server.close()


def test_what_lies_at_hand_is_offered_when_adding_with_its_body_mark(page) -> None:
    window = page.house.over
    window.go("Patch")
    shortcut(window, Qt.Key.Key_A, CTRL | SHIFT)
    found = dialog("add units")
    choose(child(found, "profile", QComboBox), "Skerry 600")
    assert (
        "Skerry 600" in child(found, "profile", QComboBox).currentText()
        and "meshes" in found.marks.text()
    )
    choose(child(found, "profile", QComboBox), "Lapwing 19")
    assert until(
        lambda: (
            "simple shapes" in found.marks.text()
            or "Lapwing 19 " not in child(found, "profile", QComboBox).currentText()
        )
    )
    found.reject()
