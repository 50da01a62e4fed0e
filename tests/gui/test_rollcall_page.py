"""Roll call in a real window: called, marked, concluded, discovered, hunted and fixed by clicks, against the rig."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from itertools import pairwise

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog

from helpers.browser import BROWSER, TAKE_PICTURE, Browser
from helpers.hands import (
    activate,
    answer_text,
    child,
    click,
    dialog,
    findings_now,
    heard,
    key,
    keys,
    press,
    settle,
    until,
)
from helpers.tools import lit
from isthmus.check import Manner, holds, mark
from isthmus.check.findings.fixes import as_hung
from isthmus.check.findings.model import SEEN_ACTS, Model
from isthmus.check.hunt_asked import FLASHING
from isthmus.check.hunt_slots import levels
from isthmus.demo import lantern_tide
from isthmus.profiles import light_program, profiles_of
from isthmus.routes import edits as route_edits
from isthmus.show import Show
from isthmus.show.recovery import left_behind, recovery_folder
from isthmus.standin.caller import Caller


@pytest.fixture
def called(make_window, rig, monkeypatch: pytest.MonkeyPatch):
    """A window with the rig, output on, at Roll call."""
    monkeypatch.setattr(
        "isthmus.net.talk.PAUSE", 0.0
    )  # simulated lines need no breath between questions

    def make(show: Show | None = None):
        window = make_window(show or lantern_tide(), rig.address, page="Roll call")
        window.output.switch(True)
        assert until(lambda: any(p["packets"] > 5 for p in rig.ask("ports")["ports"]), 20)
        return window, window.pages["Roll call"], window.bench

    return make


def test_a_filter_is_loud_and_verdicts_say_in_which_way(called, rig) -> None:
    window, page, bench = called()
    view = page.call
    keys(view.only, "101-104")
    view.kinds["movement"].setChecked(True)
    window.go("Stage")
    window.actions_.trigger("call.begin")
    assert window.pages["Stage"].isVisible()  # which shows it too
    bench.session.end()
    window.go("Readiness")
    window.actions_.trigger("call.begin")
    assert page.call.isVisible()  # where it can be seen
    assert (
        len(bench.session.call.calls) == 4
        and "62 are left out" in view.loud.text()
        and view.loud.isVisible()
    )
    assert until(lambda: set(lit(rig)) == {"101"})
    assert "101" in view.number.text() and "You should now see: one unit lit" in view.see.text()
    view.table.setFocus()
    key(view.table, Qt.Key.Key_D)
    assert "swings" in view.see.text() and until(
        lambda: any(abs(u["pan"][0]) > 30 for u in rig.ask("state")["units"] if u["label"] == "101")
    )
    key(view.table, Qt.Key.Key_A)
    key(view.table, Qt.Key.Key_7)
    key(view.table, Qt.Key.Key_2)
    assert view.ways["tilt"].isChecked() and view.ways["too"].isChecked()
    click(view.others)
    keys(view.others, "105 103")
    click(view.note)
    keys(view.note, "Pans the other way; nothing of all after cell 4")
    press(view, "wrong")
    first, second = bench.show.verdicts
    assert first.result == "works" and first.acts == ("light", "movement")
    assert set(second.what) == {"too", "tilt", "pan", "cell"}  # what the note says counts too
    assert second.how == ("pan other way", "cell after 4")
    assert set(second.others) == {"u105", "u103"}
    assert "105" in view.model.index(1, 4).data() and not view.ways["tilt"].isChecked()
    keys(view.others, "is not known")
    press(view, "wrong")
    assert len(bench.show.verdicts) == 2 and window.notice.words  # told, and nothing lost
    view.others.clear()
    press(view, "skip")
    press(view, "silent")
    assert "was the last one called" in window.notice.words and "1 skipped" in view.tally.text()
    key(view.table, Qt.Key.Key_B)
    key(view.table, Qt.Key.Key_D)
    key(view.table, Qt.Key.Key_G)
    assert bench.session.call.act == 0 and bench.session.call.at == 2
    view.table.setCurrentIndex(view.model.index(0, 1))
    key(view.table, Qt.Key.Key_Return)
    assert bench.session.call.stop.units == ("u101",)
    bench.selection.select(["u103"])  # as from the plan
    key(view.table, Qt.Key.Key_J)
    assert bench.session.call.stop.units == ("u103",)
    press(view, "end call")
    assert bench.session.call is None and until(lambda: not lit(rig))
    window.go("Readiness")
    snag = next(s for s in bench.known.snags if s.page == "Roll call" and "u104" in s.units)
    window.go("Roll call", snag)
    assert page.view in ("Call", "Findings") and (
        page.view == "Findings" or view.table.currentIndex().data() == "104"
    )


def test_the_timer_goes_on_by_itself_and_addresses_name_their_owner(called, rig) -> None:
    window, page, bench = called()
    view = page.call
    keys(view.only, "101-103")
    click(view.kinds["movement"])
    press(window, "begin call")
    press(view, "next act")  # it goes through its phases without the timer
    poses: set[str] = set()

    def posed() -> bool:
        [unit] = [u for u in rig.ask("state")["units"] if u["label"] == "101"]
        poses.add(str((unit["pan"], unit["tilt"])))
        return len(poses) >= 3

    assert until(posed)
    assert bench.session.call.at == 0
    press(view, "end call")
    click(view.kinds["movement"])
    press(window, "begin call")
    view.seconds.setValue(1)
    press(view, "by timer")
    assert until(lambda: bench.session.call.at == 2, 10)
    assert until(lambda: not view.timer.isActive(), 10)
    press(view, "end call")
    view.by.setCurrentIndex(view.by.findData("address"))
    assert view.armed.isVisible() and not view.kinds["colour"].isVisible()
    press(window, "begin call")
    assert (
        "101" in view.see.text()
        and "its light is on" in view.see.text()
        and "1.001" in view.name.text()
    )
    key(view.table, Qt.Key.Key_A)
    assert not bench.show.verdicts and bench.session.call.at == 1  # an address proves no unit
    key(view.table, Qt.Key.Key_S)
    [fault] = bench.show.verdicts  # one that does nothing is a fault of its owner
    assert (fault.unit, fault.result, fault.what) == (
        "u101",
        "wrong",
        ("pan",),
    ) and "1.002 pan (fine) does nothing" in fault.note
    press(view, "end call")


def test_the_rig_is_called_faults_are_named_and_mended_by_clicks_and_all_answer(
    called, rig
) -> None:
    """The closed loop over real UDP: the observer sees only what the simulated rig does; settings and fixes go out by clicks."""
    window, page, bench = called(route_edits.change_node(lantern_tide(), "ferry-b", rdm=False))
    numbers = "101,104,203,207,208"

    def call_round(kinds=("light", "colour")) -> None:
        caller = Caller(
            bench.show,
            rig,
            lambda live: (
                bench.levels.live.restore(live.snapshot()),
                bench.levels.changed.emit(),
                settle(0.05),
            ),
        )
        caller.live.restore(bench.levels.live.snapshot())
        ids = [u.id for u in bench.show.units if str(u.number) in numbers.split(",")]
        bench.commit("a round of the observer", caller.round(Manner(kinds=kinds), ids))

    call_round()
    press(page, "view Findings")
    findings = page.findings

    def three() -> bool:
        works = {v.unit for v in bench.show.verdicts if v.result == "works"}
        return len(page.checks.findings) == 3 and "u101" in works

    if not until(three):
        call_round()  # on a busy machine the observer may have looked before the light came
        assert until(three)
    kinds = {f.title: f.kind for f in page.checks.findings}
    assert kinds["203"] == "double" and kinds["208"] == "mode"
    assert [s.rule for s in bench.known.snags if "u203" in s.units and s.step == "answered"] == [
        "finding"
    ]
    # discovery settles who is dead and which units listen elsewhere
    press(page, "view Discovery")

    def told() -> dict[str, str]:
        return {f.title: f.kind for f in findings_now(page.checks)}

    for _ in range(2):  # on a busy machine an answer may come too late for its question
        press(page, "discover")
        assert until(lambda: page.checks.found is not None and page.discovery.task is None, 60)
        if until(lambda: told() == {"104": "dead", "203": "double", "208": "mode"}, 2.9):
            break
    else:
        unseen = [m.unit.number for m in page.checks.matches if m.unit and m.device is None]
        verdicts = [(v.unit, v.result, v.what, v.others) for v in bench.show.verdicts]
        raise AssertionError((told(), unseen, verdicts))
    # a device shows itself
    model = page.discovery.model
    row = next(i for i, m in enumerate(model.rows) if m.unit and m.unit.number == 203)
    page.discovery.table.selectRow(row)
    press(page, "identify")
    assert until(lambda: page.discovery.task is None) and "on for 1 device" in window.notice.words
    assert any("identifying" in model.index(i, 0).data() for i in range(model.rowCount()))
    bench.selection.select(["u207"])
    window.actions_.trigger("rdm.identify")  # from the patch
    assert until(
        lambda: (
            page.discovery.task is None
            and sum("identifying" in model.index(i, 0).data() for i in range(model.rowCount())) == 2
        )
    )
    row = next(i for i, m in enumerate(model.rows) if m.unit and m.unit.number == 101)
    page.discovery.table.selectRow(row)
    press(page, "set one")
    asked = dialog()
    asked.lines[2].setText("101 by the mast")
    click(asked.primary)
    click(dialog().primary)
    assert until(
        lambda: (
            page.discovery.task is None
            and any(m.device and m.device.label == "101 by the mast" for m in page.checks.matches)
        )
    )
    # the mode is taken into the patch, the addresses are set over RDM
    press(page, "view Findings")
    findings_now(page.checks)
    findings.choose("u208")
    press(findings, "fix")
    assert bench.show.unit("u208").mode == "Short"
    for unit in ("u203",):
        findings_now(page.checks)
        findings.choose(unit)
        told = findings._shown
        at = next(i for i, m in enumerate(told.fixes) if m.changes)
        made = [
            b
            for b in findings.detail.widget().findChildren(type(child(findings, "fix")))
            if b.objectName() == "fix"
        ]
        click(made[at])
        asked = dialog()
        click(asked.primary)
        assert until(lambda: page.discovery.task is None, 20)
    state = {u["label"]: u["address"] for u in rig.ask("state")["units"]}
    assert state["203"] == 23
    stale = {v.unit for v in bench.show.verdicts if not holds(bench.show, v)}
    assert {
        "u203",
        "u207",
    } <= stale and "u104" not in stale  # what was seen before it was set proves nothing now
    findings_now(page.checks)
    assert not [f for f in page.checks.findings if "u203" in f.units]
    rig.do("unit", label="104", faults=[])  # a person changes the fuse
    call_round(("light",))
    assert {bench.show.unit(v.unit).number: v.result for v in bench.show.verdicts} == dict.fromkeys(
        (101, 104, 203, 207, 208), "works"
    )
    findings_now(page.checks)
    assert not [f for f in page.checks.findings if f.kind != "dead"]
    # what was set is undone
    press(page, "view Discovery")
    press(page, "undo settings")
    click(dialog().primary)
    assert until(lambda: page.discovery.task is None, 20)
    assert {u["label"]: u["address"] for u in rig.ask("state")["units"]}["203"] == 67


def flashed(rig, label: str) -> str:
    """What a unit does, looked at for two rounds of flashes."""
    lit, end = [], time.monotonic() + 4.2
    while time.monotonic() < end:
        settle(0.04)
        state = next(u for u in rig.ask("state")["units"] if u["label"] == label)
        lit.append(max(state["cells"]) > 0.02)
    rises = sum(now and not before for before, now in pairwise(lit))
    return FLASHING[4 if all(lit) else round(rises / 2)]


def test_a_look_is_done_answered_and_leads_to_the_hunt_and_the_fix(called, rig) -> None:
    rig.do("unit", label="105", address=300)
    show = lantern_tide()
    for unit in Model(show).ids:
        show = mark(show, unit, "silent" if unit == "u105" else "works", acts=SEEN_ACTS)
    window, page, bench = called(show)
    press(page, "view Findings")
    assert until(lambda: page.checks.findings and page.findings._shown)
    press(page, "do the look")
    assert bench.proving.proof is not None and until(lambda: "105" in lit(rig))
    assert "answer yes or no" in page.findings.seen.text()
    press(page, "look yes")
    assert bench.proving.proof is None and until(lambda: "105" not in lit(rig))
    assert until(lambda: page.findings._shown and page.findings._shown.kind == "address")
    assert page.findings._shown.hunt == "u105"
    press(page, "hunt it")
    hunt = page.hunt
    assert page.view == "Hunt" and hunt.hunt is not None
    program = light_program(*profiles_of(show).mode_of(show.unit("u105")))
    seen = [flashed(rig, "105")]  # as it is seen on the rig, over a whole round of flashes
    while hunt.look is not None and len(seen) < 8:
        windows = [
            [frame.get((1, 300 + at), 0) for at in range(program.width)]
            for frame in hunt.look.frames
        ]
        answer = hunt.hunt.measured(levels(program, np.array(windows, np.uint8)))
        assert answer == seen[-1] or len(seen) > 1
        hunt.setFocus()
        keys(hunt, f"{FLASHING.index(answer)}" if answer in FLASHING else answer[0])
        seen.append(answer)
    assert "105 listens at 1.300" in hunt.question.text() and hunt.hunt.used <= 6
    press(hunt, "take hunted")
    assert bench.show.unit("u105").patch[0].address == 300 and bench.proving.proof is None
    press(page, "view Call")
    keys(page.call.only, "105")
    press(window, "begin call")
    assert until(lambda: set(lit(rig)) == {"105"})
    press(page.call, "works")
    assert not findings_now(page.checks)


def test_the_hunt_takes_back_and_ends_clean(called, rig) -> None:
    window, page, bench = called()
    bench.levels.change(lambda live: live.light_up(["u301"], 0.5))
    before = bench.levels.live.frame.copy()
    press(page, "view Hunt")
    hunt = page.hunt
    bench.selection.select(["u203"])
    assert hunt.unit.text() == "203"
    press(hunt, "begin hunt")
    assert not hunt.answers["yes"].isVisible() and hunt.answers["steady"].isEnabled()
    keys(hunt, "y")  # not what was asked
    assert not hunt.hunt.asked and "How often does unit 203 flash?" in hunt.question.text()
    press(hunt, "hunt dark")
    assert hunt.hunt.dark and "203 lights at no address" in hunt.question.text()
    press(hunt, "end hunt")
    click(hunt.flashing)
    press(hunt, "begin hunt")
    assert "Everything in universe 2 is lit" in hunt.look.words
    press(hunt, "hunt no")  # dark now: it listens nowhere, and no address is offered
    assert (
        hunt.look is None
        and "203 lights at no address here" in hunt.question.text()
        and page.checks.hunted["u203"].dark
    )
    key(hunt.looks_table, Qt.Key.Key_Left)
    assert "u203" not in page.checks.hunted
    press(hunt, "hunt yes")
    first = hunt.look.words
    press(hunt, "hunt no")
    assert hunt.look.words != first
    key(hunt.looks_table, Qt.Key.Key_Left)  # keys count wherever one has clicked
    assert hunt.look.words == first
    key(hunt, Qt.Key.Key_N)
    press(hunt, "hunt unsure")
    press(hunt, "hunt back")
    press(hunt, "hunt back")
    assert hunt.look.words == first
    key(hunt, Qt.Key.Key_Escape)
    assert hunt.hunt is None and (bench.levels.live.frame == before).all()
    hunt.unit.setText("101, 501")
    press(hunt, "begin hunt")
    assert (
        until(lambda: "501" in window.notice.words) and hunt.begin_button.isVisible()
    )  # it has no light
    hunt.unit.setText(
        "105, 203, 207"
    )  # of two universes; two listen at the same address, and 105 somewhere else
    bench.commit("elsewhere", as_hung(bench.show, {"u105": ("Full", 1, 300)}))
    press(hunt, "begin hunt")
    codes = hunt.codes
    assert until(lambda: codes.code is not None)
    for _ in codes.code.pictures:
        assert heard(rig)
        now = {u["label"]: max(u["cells"], default=0.0) for u in rig.ask("state")["units"]}
        for row, coded in enumerate(codes.code.units):
            if coded.lights(now[str(coded.unit.number)]):
                codes.table.selectRow(row)
                key(codes.table, Qt.Key.Key_Space)
        key(codes.table, Qt.Key.Key_Right)
    assert [codes.model.index(row, 5).data() for row in range(3)] == [
        "1.085",
        "2.067",
        "2.067, as patched",
    ] and "set one of them" in codes.words.text()
    assert page.checks.hunted["u203"].address == 67
    press(hunt, "code back")
    assert bench.proving.proof is not None
    key(codes.table, Qt.Key.Key_U)
    assert codes.model.index(codes.table.currentIndex().row(), 3).data() == "· not sure"
    key(codes.table, Qt.Key.Key_Right)
    press(hunt, "take codes")
    assert (
        bench.show.unit("u105").patch[0].address == 85
        and bench.show.unit("u203").patch[0].address == 23
        and not hunt.several
    )
    hunt.unit.setText("203, 207")
    press(hunt, "begin hunt")
    assert until(lambda: bench.proving.proof is not None)
    window.go("Patch")
    assert bench.proving.proof is None and (bench.levels.live.frame == before).all()


def test_rounds_and_the_record_are_kept_and_saved(
    make_window, demo: Show, monkeypatch, tmp_path
) -> None:
    window = make_window(
        mark(mark(demo, "u101", "works"), "u104", "silent", "fuse"), page="Roll call"
    )
    page, bench = window.pages["Roll call"], window.bench
    press(page, "view Report")
    assert page.record.positions.rows and "Round 1" in page.record.state.text()
    answer_text("Before focus")
    press(page, "new round")
    assert [r.name for r in bench.show.rounds] == ["Before focus"] and not bench.show.verdicts
    bench.session.mark_unit("u104", "works")
    assert page.record.rounds.heads == ("Unit", "Name", "Before focus", "now")
    assert (
        page.record.rounds.index(0, 0).data() == "104"
        and page.record.rounds.index(0, 3).data() == "works"
    )
    for name, made in (("save csv", "a.csv"), ("save record", "b.pdf"), ("save snags", "c.pdf")):
        monkeypatch.setattr(
            QFileDialog, "getSaveFileName", lambda *a, made=made: (str(tmp_path / made), "")
        )
        press(page, name)
        assert (tmp_path / made).stat().st_size > 500 and made in window.notice.words
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: ("/proc/none/x.pdf", ""))
    press(page, "save record")
    assert "could not be saved" in window.notice.words
    bench.undo()
    bench.undo()
    assert not bench.show.rounds and len(bench.show.verdicts) == 2


@pytest.mark.skipif(BROWSER is None, reason="no browser here: apt-get install chromium")
def test_a_phone_joins_steps_and_marks_in_the_window(called, tmp_path) -> None:
    _, page, bench = called()
    press(page, "view Phones")
    view = page.phones
    view.adapter.setCurrentIndex(view.adapter.findData("127.0.0.1"))
    press(page, "serve phones")
    assert (
        view.server is not None
        and not view.picture.pixmap().isNull()
        and view.code.text() == view.server.door.code
    )
    browser = Browser(tmp_path / "profile")
    try:
        phone = browser.page(view.server.join_url)

        def patiently(script: str) -> None:
            assert until(lambda: phone.run(f"!!({script})"), 20), phone.text("body")

        patiently(
            "document.body && document.body.dataset.ready && document.querySelector('#code').value.length == 6"
        )
        phone.type("#name", "Ada")
        phone.click("#join button")
        patiently("document.querySelector('#title').innerText == 'Roll call not started'")
        assert (
            until(lambda: view.phones.rows and view.phones.rows[0][:1] == ("Ada",))
            and view.code.text() == view.server.door.code
        )
        assert not view.server.door.refused
        phone.click("#begin")  # from the deck, as it is set at the hub
        patiently("document.querySelector('#number').innerText == '101'")
        phone.run(TAKE_PICTURE)
        assert (
            until(lambda: bench.show.verdicts and bench.show.verdicts[0].picture)
            and bench.show.verdicts[0].result == "skipped"
        )
        phone.click("[data-mark=works]")
        patiently("document.querySelector('#number').innerText == '102'")
        [kept] = bench.show.verdicts
        assert (kept.by, kept.result, bench.session.call.stop.units) == (
            "Ada",
            "works",
            ("u102",),
        ) and kept.picture
        bench.undo()
        assert bench.show.verdicts[0].result == "skipped"  # every edit can be undone, theirs too
        phone.click("[data-step='1']")
        patiently("document.querySelector('#number').innerText == '103'")
        phone.type("#wanted", "999")
        phone.click("#jump button")
        patiently("document.querySelector('#said').innerText.includes('No unit has the number')")
        phone.type("#wanted", "207")
        phone.click("#jump button")
        patiently("document.querySelector('#number').innerText == '207'")
        phone.run("location.assign('/?unit=204')")  # the code of a label, read by its camera
        patiently("document.querySelector('#number')?.innerText == '204' && !location.search")
        assert bench.session.call.stop.units == ("u204",)
        bench.session.end()
        patiently("document.querySelector('#title').innerText == 'Roll call not started'")
        view.table.selectRow(0)
        press(page, "put phone out")
        patiently("!document.querySelector('#join').hidden")
        press(page, "end phones")
        assert view.server is None
    finally:
        browser.close()


KILLED = """
import os, signal, sys
from PySide6.QtCore import QTimer
from isthmus.app.shell.main import make_application
from isthmus.app.shell.window import Window
from isthmus.check.hunt_slots import levels
from isthmus.demo import lantern_tide
from isthmus.profiles import light_program, profiles_of
app = make_application(["killed"])
window = Window(lantern_tide())
window.show()
def go():
    bench = window.bench
    bench.levels.change(lambda live: live.light_up(["u301"], 0.5))
    window.go("Roll call")
    window.pages["Roll call"].call.begin()
    bench.session.mark("works"); bench.session.mark("silent", "fuse")
    QTimer.singleShot(2500, lambda: os.kill(os.getpid(), signal.SIGKILL))
QTimer.singleShot(1500, go)
app.exec()
"""


def test_killed_in_the_middle_of_a_call_verdicts_are_there_and_levels_safe(
    make_window, monkeypatch, demo: Show
) -> None:

    done = subprocess.run(
        [sys.executable, "-c", KILLED],
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
        timeout=60,
    )
    assert done.returncode == -signal.SIGKILL
    folder = recovery_folder()
    [found], _ = left_behind(folder)
    assert {found.show.unit(v.unit).number: v.result for v in found.show.verdicts} == {
        101: "works",
        102: "silent",
    }
    window = make_window(demo, page="Roll call")
    monkeypatch.setattr("isthmus.app.shell.files.ask", lambda *a, **k: "take")
    window.offer_recovered([found])
    bench = window.bench
    assert (
        len(bench.show.verdicts) == 2
        and bench.session.call is None
        and set(bench.levels.live.lit()) == {"u301"}
    )
    assert bench.levels.live.level("u301", "Shutter1") is not None and not bench.levels.sending
    activate(window)
    press(window, "begin call")
    assert bench.show.unit(bench.session.call.unit).number == 103  # it begins where it stopped
    press(window, "end call")
    assert set(bench.levels.live.lit()) == {"u301"}
