"""The patch takes from paper only what is meant, knows its gels, numbers and groups, and says when units are hidden."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from pathlib import Path

import pytest
from msgspec.structs import replace

from helpers.hands import answer_question, child, choose, dialog, press, retype, until
from helpers.tools import answer
from isthmus.app.pages.patch.dialogs.hang_list import HangListDialog
from isthmus.gels import books_at_hand, colour_of
from isthmus.gels.resolve import resolve_gels
from isthmus.hanglist import parse_hang_list
from isthmus.library.at_hand import at_hand
from isthmus.library.sources import own_folder
from isthmus.patch import edits
from isthmus.patch.index import index_of
from isthmus.patch.paper import differences, same_gel
from isthmus.show import Show, save_show
from isthmus.snags import find_snags

# typed as people do, by no one who knows how this is read: weights, lengths and circuits look like addresses
FOREIGN = {
    "weights": (
        "Gerät;Nr;Gewicht;Hängung\n"
        + "".join(f"Skery 400;{n};18.{5 + n % 4};Truss {n % 3}\n" for n in range(1, 30)),
        None,
    ),
    "weights that rise": (
        "".join(f"Skerry 400,{n},{20 + n // 4}.{n % 4 * 2 + 1}\n" for n in range(1, 30)),
        None,
    ),
    "circuits": (
        "".join(f"Skerry 400,{n},{1 + n // 12}.{n % 12 + 1}\n" for n in range(1, 30)),
        None,
    ),
    "addresses": (
        "".join(
            f"Skerry 400,{n},{1 + (n - 1) // 20}.{(n - 1) % 20 * 25 + 1}\n" for n in range(1, 30)
        ),
        2,
    ),
    "addresses with a strange heading": (
        "Was,Wer,Wohin\n" + "".join(f"Skerry 400,{n},3.{n * 21 - 20}\n" for n in range(1, 24)),
        2,
    ),
}


def test_no_column_is_taken_for_addresses_unless_it_grows_by_what_units_take_or_says_so(
    demo: Show,
) -> None:
    library = at_hand(demo)
    for name, (text, at) in FOREIGN.items():
        found = parse_hang_list(text.encode(), f"{name}.csv", library)
        assert found.at.get("address") == at, (name, found.at)
    headed = parse_hang_list(
        b"Unit,Type,Mode,Address\n1,Skerry 400,Full,18.5\n2,Skerry 400,Full,18.5\n",
        "x.csv",
        library,
    )
    assert headed.at["address"] == 3  # its heading says so


def test_the_dialog_always_opens_and_counts_in_its_button_what_is_doubtful(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Patch")
    HangListDialog(window.bench, b"Wann;Wo\nheute;dort\n", "x.csv", window, None).open()
    wish = dialog("hang list")
    assert (
        "No column is surely Unit and Type" in wish.counts.text() and not wish.primary.isEnabled()
    )
    wish.reject()
    text = FOREIGN["addresses with a strange heading"][0].replace("3.1\n", "\n", 1)
    rows = [line if i == 0 else f"{line},Full" for i, line in enumerate(text.splitlines())]
    rows[0] += ",Mode"
    HangListDialog(
        window.bench, "\n".join(rows).replace(",1,", ",901,").encode(), "y.csv", window, None
    ).open()
    wish = dialog("hang list")
    assert "1 without an address" in wish.primary.text()
    heard = answer_question(None)
    press(wish, "Take")
    assert heard == ["Read it this way?"] and window.bench.show is demo
    wish.reject()


def test_gels_on_paper_get_their_colour_and_blanks_and_books_are_compared_as_meant(
    demo: Show,
) -> None:
    book = books_at_hand()[0]
    gel = next(g for g in book.gels if g not in demo.gels)
    show = edits.set_text(demo, ["u101", "u102"], "gel", f"{book.name} {gel.code}")
    show = edits.set_text(show, ["u103"], "gel", "of no book 9")
    assert colour_of(show.gels, gel.code) is None
    snag = next(s for s in find_snags(show) if s.rule == "gel-unknown" and s.units == ("u101",))
    for made in (
        snag.fix.edit(show),
        resolve_gels(show, ["u101", "u102", "u103"], books_at_hand()),
    ):
        assert colour_of(made.gels, index_of(made).by_id["u102"].gel) is not None
        assert index_of(made).by_id["u103"].gel == "of no book 9"
    assert same_gel(gel.code, f"{book.name} {gel.code}", made.gels) and not same_gel(
        gel.code, f"Other {gel.code}", made.gels
    )
    assert same_gel("open", "") and not same_gel("", "Kelp 7")
    unit = next(u for u in demo.units if u.gel and u.number in {r.number for r in demo.paper.rows})
    rows = tuple(replace(r, gel="") if r.number == unit.number else r for r in demo.paper.rows)
    told = [
        d
        for d in differences(replace(demo, paper=replace(demo.paper, rows=rows)))
        if d.unit == unit.id and d.field == "gel"
    ]
    assert [(d.paper, d.patch) for d in told] == [("", unit.gel)]
    bare = replace(
        demo, paper=replace(demo.paper, rows=tuple(replace(r, gel="") for r in demo.paper.rows))
    )
    assert not [
        d for d in differences(bare) if d.field == "gel"
    ]  # a paper without gels says nothing of them


def test_renumbering_groups_and_filters(make_window, demo: Show, tmp_path: Path) -> None:
    ids = ["u203", "u201", "u206"]
    kept, closed = edits.renumber_from(demo, ids, 901, True), edits.renumber_from(demo, ids, 901)
    assert [index_of(kept).by_id[i].number for i in ("u201", "u203", "u206")] == [901, 903, 906]
    assert [index_of(closed).by_id[i].number for i in ("u201", "u203", "u206")] == [901, 902, 903]
    file = tmp_path / "a.isthmus"
    save_show(demo, file)
    code, data = answer(
        "patch", "renumber", str(file), "--units", "201-206", "--first", "701", "--dry-run"
    )
    assert code == 0 and [r["after"] for r in data["renumbered"]] == list(range(701, 707))
    window = make_window(replace(demo, groups=()), page="Patch")
    press(window, "Add units…")
    wish = dialog("add units")
    retype(wish.profile.lineEdit(), "Turnstone 7")
    wish.hangs_on.setEditText("Gangway")
    press(wish, "Add units") if wish.primary.text() == "Add units" else wish._run()
    assert until(lambda: len(window.bench.show.units) == 67)
    assert {(g.name, g.rule) for g in window.bench.show.groups} == {
        ("Turnstone 7", "type:Turnstone 7"),
        ("Gangway", "position:Gangway"),
    }
    window.pages["Patch"].units.needle.setText("201-204")
    window.go("Plan")
    sign = child(window, "filter in force")
    assert "Patch filter: 63 of 67 hidden" in sign.text()
    window.go("Patch")
    window.pages["Patch"].units.show_all()
    assert not sign.isVisible()


def test_generic_own_and_folder_profiles_are_at_hand_everywhere(demo: Show, tmp_path: Path) -> None:
    file = tmp_path / "a.isthmus"
    save_show(demo, file)
    code, data = answer(
        "patch",
        "add",
        str(file),
        "--profile",
        "Generic Fan",
        "--count",
        "2",
        "--dry-run",
        "--address",
        "9.001",
    )
    assert code == 0 and len(data["added"]) == 2, data
    own_folder().mkdir(parents=True)
    shipped = next(p for p in demo.profiles)
    (own_folder() / "mine.gdtf").write_bytes(shipped.data)
    assert shipped.key in at_hand(Show()).stored


def wait_for(hold: threading.Event, told: Callable[[], object]) -> bytes:
    """A process that answers nothing until it is stopped."""
    try:
        while True:
            told()
            time.sleep(0.01)
    finally:
        hold.set()


def test_a_strangers_list_is_asked_about_seen_as_it_came_and_taken(
    make_window, demo: Show, monkeypatch: pytest.MonkeyPatch
) -> None:
    """German, in two rows of heads, without a universe, a model and a mode spelled otherwise."""
    window = make_window(demo, page="Patch")
    text = "Kreis;Gerät;Modus;Adr.;Hängeort\n" + "".join(
        f"{601 + n};{'Tursntone 7' if n % 5 == 0 else 'Turnstone 7'};"
        f"{'7 Kanäle' if n < 9 else 'Sieben' if n < 17 else 'quer'};{1 + n * 7};Bow rail\n"
        for n in range(18)
    )
    hold = threading.Event()
    monkeypatch.setattr(
        "isthmus.hanglist.grid.run_apart", lambda *_, told, **__: wait_for(hold, told)
    )
    HangListDialog(window.bench, b"PK\x03\x04", "slow.xlsx", window).open()
    wish = dialog("hang list")  # a spreadsheet is read beside the window, and closing stops that
    assert not wish.primary.isEnabled()
    wish.reject()
    assert until(hold.is_set)
    monkeypatch.undo()
    HangListDialog(window.bench, b"PK\x03\x04 and nothing", "torn.xlsx", window).open()
    wish = dialog("hang list")
    assert until(lambda: "torn.xlsx: it is a damaged spreadsheet." in wish.trouble.text())
    assert not wish.primary.isEnabled()
    wish.reject()
    HangListDialog(window.bench, f"{text}Summe;19\n".encode("cp1252"), "x.csv", window).open()
    wish = dialog("hang list")
    assert not wish.primary.isEnabled()
    kinds = [fault.kind for fault in wish.found.faults]
    assert kinds == ["unknown type", "mode", "mode", "sum"]  # one for each reason
    assert "Line 20: its total is 19, and 18 are listed." in wish.counts.text()
    choose(child(wish, "hang list seen"), "The list as it came")
    shown = wish.raw.model()
    became = [shown.index(row, 1).data() for row in range(shown.rowCount())]
    assert became[0] == "heading" and became[2] == "waits for an answer" and became[-1] == "total"
    retype(child(wish, "universe of the list"), "41")
    assert until(lambda: len(wish.found.paper.rows) == 7)
    press(wish, "agree to all")
    assert until(lambda: len(wish.found.paper.rows) == 17)
    choose(child(wish, "mode quer"), "Three")
    press(wish, "use mode quer")
    assert until(lambda: "Add 18 new units" in wish.primary.text())
    press(wish, "Take")
    assert until(lambda: len(window.bench.show.units) == 66 + 18)
    fresh = {u.number: u for u in window.bench.show.units[66:]}
    assert [(fresh[n].mode, fresh[n].patch[0].address) for n in (601, 610, 618)] == [
        ("Seven", 1),
        ("Seven", 64),
        ("Three", 120),
    ]
    assert {u.patch[0].universe for u in fresh.values()} == {41}
    assert {u.hangs_on for u in fresh.values()} == {"Bow rail"}
