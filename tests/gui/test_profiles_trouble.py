"""What goes wrong around the Profiles page is a sentence, and nothing is lost by it."""

from __future__ import annotations

import os
import time
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtWidgets import QLineEdit, QTableView

from helpers.hands import (
    answer_file_dialog,
    answer_question,
    child,
    dialog,
    keys,
    press,
    retype,
    search,
    settle,
    until,
)
from isthmus.app.pages.profiles.views import manual as manual_view
from isthmus.library.sources import downloads_folder, folder_source, own_folder
from isthmus.profiles.gdtf import write_gdtf
from isthmus.profiles.make.plausible import plausible_profiles
from isthmus.show import Show
from isthmus.standin.exchange import ExchangeServer


def test_a_full_disk_keeps_the_copy_on_the_page_and_says_so(
    page, monkeypatch: pytest.MonkeyPatch
) -> None:
    search(page, "cormorant 3")
    press(page, "Adapt a copy")
    keys(child(page, "new channel", QLineEdit), "frost")
    press(page, "Insert after")
    told = page.adapt.differs.toPlainText()
    with monkeypatch.context() as full:  # `undo` would undo the test's own home as well
        full.setattr(
            "isthmus.show.files.os.fsync", lambda fd: (_ for _ in ()).throw(OSError(28, "full"))
        )
        press(page, "Save to my profiles…")
        named = dialog("name a profile")
        press(named, "Save")
        assert "The disk is full" in named.trouble.text() and named.isVisible()
        assert page.adapt.differs.toPlainText() == told and not list(own_folder().glob("*.gdtf"))
    heard = answer_question("Leave them")
    press(named, "Save")  # once there is room, the same press goes through
    assert until(lambda: heard) and until(lambda: len(list(own_folder().glob("*.gdtf"))) == 1)


def test_a_folder_that_is_a_file_and_a_target_that_cannot_be_written_are_told(
    page, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    own_folder().parent.mkdir(parents=True, exist_ok=True)
    own_folder().write_bytes(b"in the way")
    search(page, "cormorant 3")
    press(page, "Derive…")
    named = dialog("name a profile")
    keys(child(named, "maker", QLineEdit), "Reed and Oar")
    keys(child(named, "model", QLineEdit), "Slack 2")
    press(named, "Create")
    assert "could not be made" in named.trouble.text()
    named.reject()
    out = tmp_path / "no such folder" / "x.gdtf"
    monkeypatch.setattr(
        "PySide6.QtWidgets.QFileDialog.getSaveFileName", lambda *a, **k: (str(out), "")
    )
    press(page, "Save as GDTF…")
    assert (
        "could not be saved" in page.house.over.notice.words
        and "no such file or folder" in page.house.over.notice.words.lower()
    )


def test_a_folder_is_added_by_its_dialog(page, tmp_path: Path) -> None:
    drive = tmp_path / "stick"
    drive.mkdir()
    profile = next(plausible_profiles(1, 31))
    (drive / "a.gdtf").write_bytes(write_gdtf(profile))
    answer_file_dialog(str(drive))
    press(page, "Add a folder or drive…")
    assert until(lambda: any(s.path == str(drive) for s in page.link.sources))
    assert until(lambda: page.link.shelf.index.counts().get(f"folder:{drive}") == 1, 20)
    count = len(page.link.sources)
    answer_file_dialog(str(drive))
    press(page, "Add a folder or drive…")  # the same one twice is one
    assert len(page.link.sources) == count


def test_reading_a_long_pdf_can_be_stopped(
    page, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    pages: list[int] = []

    def slow(path: Path, wanted=None, told: Any = None):
        for number in range(200):
            told(number, 200)
            pages.append(number)
            time.sleep(0.05)
        return {1: ["1\tRed"]}

    monkeypatch.setattr(manual_view, "page_texts", slow)
    press(page, "view From a manual")
    page.manual.source.setPlainText("1\tDimmer\n2\tZoom\n")
    assert until(lambda: len(page.manual.model.rows) == 2)
    page.manual.open_file(tmp_path / "long.pdf")
    assert until(lambda: len(pages) > 2 and "of 200" in page.manual.told.text())
    press(page.manual, "Stop")
    assert until(lambda: page.manual._task is None or not page.manual.stop.isVisible())
    done = len(pages)
    settle(0.3)
    assert len(pages) <= done + 1 < 200 and len(page.manual.model.rows) == 2  # what was there stays


def test_a_slow_download_is_stopped_kept_and_gone_on_with(page) -> None:
    server = ExchangeServer().start()
    try:
        view = page.exchange
        view.url.setText(server.url)
        heavy = next(plausible_profiles(1, 8))
        server.wares.put(
            write_gdtf(heavy, {"thumbnail.png": os.urandom(150_000)}),
            "ada-weir",
            False,
            False,
            False,
            0.0,
            0,
        )
        press(page, "view Exchange")
        assert until(lambda: view.offers.rowCount() == 26 and view._task is None, 20)
        largest = max(range(26), key=lambda row: view.offers.rows[row].size)
        server.fault = "slow"
        child(page, "offers", QTableView).selectRow(largest)
        press(page, "Download")
        assert until(lambda: any(p.stat().st_size for p in downloads_folder().glob("*.part")), 20)
        press(view, "Stop")
        assert until(lambda: view._task is None, 20)
        assert not list(downloads_folder().glob("*.gdtf"))
        server.fault = ""
        press(page, "Download")
        assert until(
            lambda: (
                list(downloads_folder().glob("*.gdtf"))
                and not list(downloads_folder().glob("*.part"))
            ),
            20,
        )
        assert until(lambda: view._task is None, 20)
        server.fault = "garbage"
        press(page, "Ask again")
        assert (
            until(lambda: "not an exchange" in page.house.over.notice.words, 20)
            and view.offers.rowCount() == 26
        )
        view.url.setText("ftp://nowhere")
        press(page, "Ask again")
        assert until(lambda: "not an address of an exchange" in page.house.over.notice.words)
    finally:
        server.fault = ""
        server.close()


def test_an_index_damaged_while_the_page_is_open_is_made_anew(page) -> None:
    path = page.link.shelf.index.path
    page.link.shelf.index.db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    with path.open("r+b") as file:
        file.seek(4096)
        file.write(os.urandom(60_000))
    page.link.refresh()  # meets the damage
    assert until(lambda: not page.link.busy and len(page.link.shelf.columns) > 500, 30)
    search(page, "skerry 600")
    assert page.library.mode is not None and page.library.chart.sheet.footprint == 22


def test_fields_that_cannot_be_are_marked_and_leave_the_others_in_force(page) -> None:
    retype(child(page, "on channel 1", QLineEdit), "0")
    retype(child(page, "on attribute 1", QLineEdit), "dimmer")
    retype(child(page, "on attribute 2", QLineEdit), "quibble")
    retype(child(page, "has", QLineEdit), "zoom, quibble")
    retype(child(page, "cells", QLineEdit), "4-8")
    query = page.library.finder.query("x")
    assert (
        query.on == () and query.having == ("Zoom",) and query.cells == (4, 8) and query.text == "x"
    )
    for name in ("on channel 1", "on attribute 2", "has"):
        assert child(page, name, QLineEdit).property("bad"), name
    assert not child(page, "cells", QLineEdit).property("bad")
    page.library.finder.trust.setCurrentIndex(4)
    assert page.library.finder.query("").rating == 4.0


def test_a_data_folder_that_cannot_be_used_leaves_an_empty_library_and_a_sentence(
    make_window, demo: Show, tmp_path: Path, monkeypatch
) -> None:
    blocked = tmp_path / "blocked"
    blocked.write_bytes(b"a file where a folder should be")
    monkeypatch.setenv("ISTHMUS_DATA", str(blocked))
    window = make_window(demo, page="Profiles")
    assert until(lambda: "index could not be made" in window.notice.words)
    assert len(window.pages["Profiles"].link.shelf.columns) == 0
    window.go("Patch")
    assert window.pages["Patch"].units.model.rowCount() == 66  # everything else goes on


def test_a_file_written_over_in_place_is_seen(page, tmp_path: Path) -> None:
    first, second = plausible_profiles(2, 60)
    file = tmp_path / "one.gdtf"
    file.write_bytes(write_gdtf(first))
    page.link.set_sources([*page.link.sources, folder_source(tmp_path)])
    search(page, first.name)
    assert until(lambda: page.library.results.results.rowCount() > 0, 20)
    with file.open("r+b") as out:  # the folder's own date does not change
        out.truncate()
        out.write(write_gdtf(second))
    search(page, second.name)
    assert until(
        lambda: any(
            page.library.results.results.entry(i).model == second.name
            for i in range(page.library.results.results.rowCount())
        ),
        20,
    )
