"""Findings: of made-up rigs the cause is named, evidence is in words, looks tell causes apart, and fixes fix."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace as also

import pdfplumber
import pytest
from benchmarks.stands.judge import Round
from benchmarks.stands.people import careful, hasty
from benchmarks.stands.stories import STORIES, Story
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from helpers.rigs import all_answer, device_of
from helpers.tools import answer, running_rig
from isthmus.check import mark, unmark
from isthmus.check.findings.evidence import SILENT, WORKS, Evidence, Told, gather
from isthmus.check.findings.looks import QUESTIONS, next_look
from isthmus.check.findings.model import Model, State
from isthmus.check.findings.reason import reason
from isthmus.check.findings.told import answer as keep_answer
from isthmus.check.findings.told import findings_of
from isthmus.check.matched import match
from isthmus.demo import SCENARIO, as_hung, lantern_tide
from isthmus.errors import EntryFault
from isthmus.net import View
from isthmus.net.found import FoundNode, FoundPort
from isthmus.output import Live
from isthmus.output.live import highlight
from isthmus.patch.limits import set_limit
from isthmus.show.records import SLOTS, Show


def edited(told, show: Show, at: int = 0) -> Show:
    """The show, fixed as offered."""
    edit = told.fixes[at].edit
    assert edit is not None
    return edit(show)


@pytest.mark.slow
@pytest.mark.parametrize("story", STORIES[3::13], ids=lambda s: s.words)
def test_a_story_told_by_somebody_else_is_seen_through(story: Story) -> None:
    """Its light, its nodes and its people share nothing with the program."""
    out = Round(story.as_it_stands(), careful(11)).judged()
    assert out.first == out.visible and not out.false, [f.ranked[:2] for f in out.found]
    units = Counter(u for f in out.found for u in f.units)
    assert max(units.values(), default=0) <= 2  # no crowd of findings about one unit


@pytest.mark.slow
def test_hasty_marks_still_lead_to_most_causes() -> None:
    seen = told = 0
    for at, story in enumerate(STORIES[1::16]):
        out = Round(story.as_it_stands(), hasty(at)).judged()
        seen, told = seen + len(out.visible), told + len(out.three)
    assert seen > 3 and told >= 0.7 * seen


@pytest.mark.slow
def test_one_cause_that_explains_many_beats_many_causes() -> None:
    show = as_hung()
    line = [u.id for u in show.units if u.patch and u.patch[0].universe == 3]
    dark = all_answer(show, {u: {"result": "silent"} for u in line})
    [found] = findings_of(dark)[0]
    assert found.kind in ("port dark", "port number", "node dark") and set(found.units) >= set(line)
    assert any("Of " in line and "silent" in line for line in found.evidence)
    view = View(nodes=(_node("Ferry A", "127.0.0.2", (0, 1)),), looking=True, looked=True)
    told = findings_of(dark, view)[0][0]
    assert (
        told.kind == "node dark"
        and told.chance > 0.9
        and "Ferry B, 127.0.0.3, does not answer." in told.evidence
    )
    both = View(
        nodes=(_node("Ferry A", "127.0.0.2", (0, 1)), _node("Ferry B", "127.0.0.3", (17, 18))),
        looking=True,
        looked=True,
    )
    told = findings_of(dark, both)[0][0]
    assert told.kind == "port number" and "17" in told.words
    fixed = edited(told, dark)
    assert next(o for o in fixed.outputs if o.universe == 3).port_address == 17
    assert told.fixes[1].port == ("ferry-b", 1, 16)


def _node(name: str, ip: str, numbers: tuple[int, ...]) -> FoundNode:
    ports = tuple(FoundPort(i, 1, i, "out", n) for i, n in enumerate(numbers, 1))
    return FoundNode(ip, name, name, ports, rdm=True)


def test_a_look_tells_a_dead_unit_from_one_that_listens_elsewhere() -> None:
    show = all_answer(as_hung(), {"u105": {"result": "silent"}})
    [found] = findings_of(show)[0]
    assert {found.kind, *(r.kind for r in found.rivals)} >= {
        "dead",
        "address",
    } and found.look is not None
    assert "105" in found.look.question and found.look.bits > 0.3
    lit = findings_of(keep_answer(show, found.look.name, "u105", "yes"))[0][0]
    assert (
        lit.kind == "address"
        and lit.chance > 0.8
        and lit.hunt == "u105"
        and any("105 lit" in e for e in lit.evidence)
    )
    dark = findings_of(keep_answer(show, found.look.name, "u105", "no"))[0][0]
    assert dark.kind in ("dead", "lamp") and dark.chance > found.chance - 0.5
    nowhere, _ = findings_of(show, hunted={"u105": Told(dark=True)})
    assert nowhere[0].kind in ("dead", "lamp") and not nowhere[0].hunt
    assert any("never saw 105 light" in line for line in nowhere[0].evidence)
    hunted, _ = findings_of(
        keep_answer(show, found.look.name, "u105", "yes"), hunted={"u105": Told(300, universe=1)}
    )
    assert (
        hunted[0].kind == "address"
        and "1.300" in hunted[0].words
        and "off by +215" in hunted[0].words
    )
    unit = edited(hunted[0], show).unit("u105")
    assert (
        unit.patch[0].address == 300 and "The hunt finds 105 at address 300." in hunted[0].evidence
    )
    afar, _ = findings_of(
        keep_answer(show, found.look.name, "u105", "no"), hunted={"u105": Told(300, universe=2)}
    )
    unit = edited(afar[0], show).unit("u105")  # at another address, on the line of another universe
    assert (unit.patch[0].universe, unit.patch[0].address) == (
        2,
        300,
    ) and "The hunt finds 105 at 2.300." in afar[0].evidence
    with pytest.raises(EntryFault):
        keep_answer(show, found.look.name, "u105", "perhaps")
    # a unit that is marked again is looked at again
    assert not mark(keep_answer(show, found.look.name, "u105", "yes"), "u105", "works").answers


def test_what_the_show_itself_does_is_said_and_taken_off() -> None:
    show = set_limit(as_hung(), ["u101"], "Dimmer", "0%", "20%")
    found = findings_of(all_answer(show, {"u101": {"result": "wrong", "what": ["dim"]}}))[0]
    assert [f.kind for f in found] == ["show"] and "dimmer from 0 % to 20 %" in found[0].words
    assert not edited(found[0], show).unit("u101").limits
    off = replace(
        show,
        outputs=tuple(replace(o, enabled=False) if o.universe == 2 else o for o in show.outputs),
    )
    told = findings_of(off)[0][0]
    assert told.kind == "output off" and told.chance == 1.0
    assert next(o for o in edited(told, off).outputs if o.universe == 2).enabled


def test_nothing_seen_means_nothing_found_and_stale_verdicts_do_not_count(demo: Show) -> None:
    assert findings_of(demo)[0] == [] and findings_of(all_answer(demo))[0] == []
    silent = mark(all_answer(demo), "u105", "silent")
    assert [f.units for f in findings_of(silent)[0]] == [("u105",)]
    from isthmus.patch.edits import set_address

    assert findings_of(set_address(silent, ["u105"], (1, 400)))[0] == []
    assert findings_of(unmark(silent, "u105"))[0] == []


@given(st.lists(st.sampled_from(range(20)), min_size=1, max_size=6), st.data())
@settings(max_examples=10)
def test_what_is_sent_universe_by_universe_is_what_the_whole_show_sends(
    units: list[int], data: st.DataObject
) -> None:
    """The oracle is the frame of the whole show, compiled at once as the output does it."""
    show = set_limit(as_hung(), ["u101", "u201"], "Dimmer", "0%", "40%")
    model, live = Model(show), Live(show)
    chosen = [model.ids[i * 2] for i in units]
    sent = model.frames([highlight(model.programs[u], u, 0.8) for u in chosen])
    universe = data.draw(st.sampled_from(live.compiled.universes))
    row = live.compiled.universes.index(universe)
    moments = data.draw(st.lists(st.integers(0, len(chosen) - 1), min_size=1))
    some = sent.at(moments).part(universe, 90, 60)
    for at, unit in enumerate(chosen):
        live.restore(highlight(model.programs[unit], unit, 0.8))
        whole = live.frame[row * SLOTS : (row + 1) * SLOTS]
        assert (sent.part(universe, 1, SLOTS)[at] == whole).all() and (
            sent.moment(at, universe) == whole
        ).all()
        assert all((some[i] == whole[89:149]).all() for i, m in enumerate(moments) if m == at)
    assert not sent.part(77, 500, 40).any() and sent.part(77, 500, 40).shape == (len(chosen), 13)


@pytest.mark.parametrize(
    ("what", "how", "kind"),
    [
        (("pan",), ("pan other way",), "pan inverted"),
        (("tilt",), ("tilt stuck",), "tilt"),
        (("home",), (), "home"),
        (("late",), (), "late"),
        (("dim",), ("dim half",), "held"),
    ],
)
def test_a_fault_is_named_by_its_mark_though_its_test_was_not_run(
    what: tuple[str, ...], how: tuple[str, ...], kind: str
) -> None:
    """Only light was tested; who says how it moves saw it move."""
    show = mark(all_answer(as_hung()), "u105", "wrong", what=what, how=how, acts=("light",))
    [found] = findings_of(show)[0]
    assert found.kind == kind and (not found.open or found.chance >= 0.3), found.words


def test_another_unit_that_only_moves_is_none_that_lights() -> None:
    show = mark(all_answer(as_hung()), "u105", "wrong", what=("moves",), others=("u106",))
    assert all("u106" not in found.units for found in findings_of(show)[0])


def test_what_nothing_explains_is_said_to_be_so() -> None:
    show = all_answer(as_hung(), {"u401": {"result": "wrong", "what": ["cell"]}})
    [found] = findings_of(show)[0]
    assert found.kind == "unknown" and "Call it again" in found.do and not found.fixes


def test_discovery_settles_what_eyes_alone_cannot() -> None:
    show = all_answer(as_hung(), {"u105": {"result": "silent"}})
    devices = [device_of(show, u.id) for u in show.units if u.patch and u.patch[0].universe == 1]
    asked = {("127.0.0.2", 0)}
    gone = [d for d in devices if not d.label.startswith("105")]
    told = findings_of(show, None, match(show, gone, asked))[0][0]
    assert (
        told.kind == "dead"
        and told.chance > 0.6
        and "Discovery does not find 105." in told.evidence
    )
    told = findings_of(show, None, match(show, devices, asked))[0][
        0
    ]  # it answers there, and still gives no light
    assert (
        told.kind == "lamp"
        and told.chance > 0.9
        and any("it has power" in e for e in told.evidence)
    )
    moved = [
        also(d, info=also(d.info, address=301)) if d.label.startswith("105") else d for d in devices
    ]
    told = findings_of(show, None, match(show, moved, asked))[0][0]
    assert told.kind == "address" and told.chance > 0.95 and "off by +216" in told.words
    setting = told.fixes[1].changes
    assert [(c.what, c.before, c.after) for c in setting] == [("address", "301", "085")]


def test_evidence_of_the_network_is_read_as_it_is() -> None:
    show = as_hung()
    view = View(nodes=(_node("Ferry A", "127.0.0.2", (0, 5)),), looking=True, looked=True)
    evidence = gather(show, view)
    assert (
        evidence.nodes == {"ferry-a": WORKS, "ferry-b": SILENT}
        and evidence.ports[("ferry-a", 2)] == 5
    )
    assert gather(show, View()).nodes == {} and gather(show).senders == {}
    model = Model(show)
    assert reason(model, Evidence()) == []
    state = model.expected("u101")
    assert (
        isinstance(state, State)
        and model.ways("u101", state) == ()
        and model.lit("u101", state).sum() == 1
    )
    assert model.ways("u101", state, ()) == () and model.ways(
        "u101", also(state, fault="dead")
    ) == ("silent",)
    assert model.ways("u101", also(state, fault="swapped"), ()) == () and "pan" in model.ways(
        "u101", also(state, fault="swapped")
    )
    finding = reason(model, gather(mark(show, "u101", "silent")))[0]
    every = (*QUESTIONS, *(f"line {universe}" for universe in (1, 2, 3)))
    assert next_look(model, finding) is not None
    assert next_look(model, finding, [(n, u) for n in every for u in model.ids]) is None


@pytest.mark.network
def test_the_command_calls_a_rig_over_the_network_and_names_what_is_planted(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """The demo rig has four faults of its own: two addresses, a mode, a dead unit."""
    monkeypatch.setattr("isthmus.net.talk.PAUSE", 0.0)
    with running_rig() as rig:
        host, port = rig.address
        code, told = answer(
            "rollcall",
            "demo",
            "--rig",
            f"{host}:{port}",
            "--units",
            "104,202-208,314",
            "--acts",
            "colour",
            "--discover",
            "--dry-run",
        )
    assert code == 1 and told["called"] == 9 and told["works"] == 4
    causes = {tuple(f["units"]): f["kind"] for f in told["findings"]}
    assert (
        causes[(104,)] == "dead"
        and causes[(203,)] == "double"
        and causes[(208,)] == "mode"
        and causes[(314,)] == "address"
    )
    assert next(f for f in told["findings"] if f["units"] == [203])["cause"].startswith(
        "Unit 203 is set to 2.067"
    )
    assert {x["unit"] for x in told["left"]} >= {421, 502}


@pytest.mark.network
def test_the_command_hunts_over_the_network() -> None:
    code, told = answer("hunt", "demo", "--unit", "203", "--rig", str(SCENARIO))
    assert (
        code == 0
        and told["places"] == [{"universe": 2, "address": 67, "mode": "Short"}]
        and told["looks"] <= 10
    )
    code, told = answer(
        "hunt", "demo", "--unit", "203, 207, 105", "--everywhere", "--rig", str(SCENARIO)
    )  # by light codes
    assert [u["places"] for u in told["units"]] == [
        [{"universe": 2, "address": 67, "mode": "Short"}]
    ] * 2 + [[{"universe": 1, "address": 85, "mode": "Full"}]]
    assert code == 0 and answer("hunt", "demo", "--unit", "999", "--rig", str(SCENARIO))[0] == 3
    assert answer("rollcall", "demo", "--rig", str(SCENARIO), "--acts", "dance")[0] == 3
    assert answer("rollcall", "demo", "--rig", str(SCENARIO), "--level", "nan")[0] == 3


def test_the_commands_tell_findings_and_write_the_record(tmp_path) -> None:
    from isthmus.show import save_show

    path = tmp_path / "called.isthmus"
    show = all_answer(lantern_tide(), {"u105": {"result": "silent"}, "u106": {"result": "wrong"}})
    save_show(show, path)
    code, told = answer("findings", str(path))
    assert code == 1 and told[0]["units"] == [105] and told[0]["look"]
    for name in ("record.csv", "record.pdf"):
        assert (
            answer("record", str(path), str(tmp_path / name))[0] == 0
            and (tmp_path / name).stat().st_size > 1000
        )
    assert answer("record", str(path), str(tmp_path / "record.doc"))[0] == 3
    works = sum(verdict.result == "works" for verdict in show.verdicts)  # counted by hand
    with pdfplumber.open(tmp_path / "record.pdf") as pdf:
        assert f"{works} work, 1 wrong, 1 silent" in pdf.pages[0].extract_text()
