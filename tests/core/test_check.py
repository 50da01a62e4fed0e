"""Roll call, verdicts, snags and their fixes, and the steps of the crossing."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from isthmus.check import Manner, begin, callable_units, end, holds, jump, mark, step, unmark
from isthmus.check.handles import handles_of, set_by_words, set_share
from isthmus.check.ways import known_how, read_phrases
from isthmus.demo import as_hung, lantern_tide
from isthmus.errors import EntryFault
from isthmus.output import Live
from isthmus.patch import edits
from isthmus.routes import add_output, change_output, propose, remove_outputs
from isthmus.routes import edits as route_edits
from isthmus.show.records import Output, PaperRow, Show, StoredProfile, Unit
from isthmus.snags import FAULT, STEPS, SnagBook, find_snags


def rules(show: Show) -> set[str]:
    return {snag.rule for snag in find_snags(show)}


def with_unit(show: Show, **more: object) -> Show:
    unit = show.unit("u101")
    assert unit
    return replace(
        show, units=tuple(replace(u, **more) if u.id == "u101" else u for u in show.units)
    )


def test_the_rig_as_hung_has_only_the_snags_nobody_can_avoid() -> None:
    show = propose(as_hung())
    assert rules(show) == {"no-address"}  # the paper itself gives 502 none


CASES = {
    "overlap": lambda s: edits.set_address(s, ["u102"], (1, 5)),
    "past-end": lambda s: with_unit(s, patch=(replace(s.unit("u101").patch[0], address=500),)),
    "double-number": lambda s: edits.set_number(s, "u102", 101),
    "mode-unknown": lambda s: with_unit(s, mode="Gone"),
    "profile-unreadable": lambda s: replace(
        s,
        profiles=(
            StoredProfile(key=s.profiles[0].key, file="x.gdtf", data=b"torn"),
            *s.profiles[1:],
        ),
    ),
    "no-address": lambda s: edits.set_address(s, ["u101"], None),
    "no-route": lambda s: remove_outputs(s, {"o1"}),
    "doubled-port": lambda s: replace(
        s, outputs=(*s.outputs, Output(id="x", universe=2, host="127.0.0.2", port_address=0))
    ),
    "stray-output": lambda s: replace(
        s, outputs=(*s.outputs, Output(id="x", universe=2, host="127.0.0.77", port_address=0))
    ),
    "no-place": lambda s: with_unit(s, position=None),
    "paper-missing": lambda s: edits.remove_units(s, {"u101"}),
    "paper-type": lambda s: with_unit(s, profile=s.unit("u201").profile, mode="Wide"),
    "paper-mode": lambda s: edits.set_mode(s, ["u101"], "Short"),
    "paper-address": lambda s: edits.set_address(s, ["u101"], (7, 1)),
    "paper-gel": lambda s: edits.set_text(s, ["u401"], "gel", "Kelp 7"),
    "paper-hangs_on": lambda s: edits.set_text(s, ["u101"], "hangs_on", "Bow rail"),
    "silent": lambda s: mark(s, "u101", "silent"),
    "wrong": lambda s: mark(s, "u101", "wrong", "iris sticks"),
    "verdict-stale": lambda s: edits.set_address(mark(s, "u101", "works"), ["u101"], (7, 1)),
    "empty-universe": lambda s: replace(
        s, outputs=(*s.outputs, Output(id="x", universe=40, host="127.0.0.3", port_address=17))
    ),
}


@pytest.mark.parametrize("rule", CASES)
def test_each_rule_speaks_when_its_trouble_is_made_and_its_fix_ends_it(rule: str) -> None:
    clean = propose(as_hung())
    broken = CASES[rule](clean)
    found = [s for s in find_snags(broken) if s.rule == rule]
    assert found and rule not in rules(clean) - {"no-address"}
    snag = found[0]
    ids = {u.id for u in broken.units}
    assert (
        set(snag.units) <= ids
        and snag.text.endswith((".", "”", ":", "”."))
        and snag.page in ("Patch", "Routes", "Plan", "Roll call")
    )
    while mendable := next((s for s in find_snags(broken) if s.rule == rule and s.fix), None):
        assert mendable.fix
        fixed = mendable.fix.edit(broken)
        assert len([s for s in find_snags(fixed) if s.rule == rule]) < len(
            [s for s in find_snags(broken) if s.rule == rule]
        )
        broken = fixed


def test_following_every_fix_of_the_demo_leaves_only_what_needs_eyes(demo: Show) -> None:
    for _ in range(30):
        snag = next((s for s in find_snags(demo) if s.fix), None)
        if snag is None:
            break
        assert snag.fix
        demo = snag.fix.edit(demo)
    assert not [s for s in find_snags(demo) if s.fix] and FAULT not in {
        s.severity for s in find_snags(demo)
    }
    done = SnagBook().update(demo).crossing.done
    assert [done[s] for s in STEPS] == [66, 66, 66, 66, 0]


def test_a_step_is_done_only_when_it_is_reached_and_nothing_holds_it_up(demo: Show) -> None:
    states = SnagBook().update(demo).crossing.states
    assert states["u101"] == "ddddw" and states["u313"] == "dfddw" and states["u502"][1:4] == "awa"
    assert states["u421"][2] == "f"  # its universe has no output
    show = mark(mark(demo, "u101", "works"), "u102", "silent")
    states = SnagBook().update(show).crossing.states
    assert states["u101"] == "ddddd" and states["u102"] == "ddddf"


# ---------------------------------------------------------------- roll call


def test_the_call_goes_by_number_and_lists_apart_who_cannot_be_called(demo: Show) -> None:
    units, left = callable_units(demo)
    assert [u.number for u in units] == sorted(u.number for u in units)
    assert {x.number: x.why for x in left}[502] == "it has no address" and "has no output" in {
        x.number: x.why for x in left
    }[421]
    assert {u.id for u in units} | {x.unit for x in left} == {u.id for u in demo.units}
    nowhere = replace(demo, outputs=())
    with pytest.raises(EntryFault, match="No unit can be called"):
        begin(nowhere, Live(nowhere))


@given(st.lists(st.sampled_from([1, -1, 5, -5, 99, -99]), max_size=20), st.booleans())
@settings(max_examples=8)
def test_exactly_the_called_unit_is_lit_and_everything_is_as_before_at_the_end(
    steps: list[int], few: bool
) -> None:
    demo = lantern_tide()
    live = Live(demo)
    live.light_up(["u105", "u301"], 0.4)
    before = live.frame.copy()
    call = begin(demo, live, Manner(level=0.7), only=["u104", "u105", "u204"] if few else None)
    at = 0
    for by in steps:
        call = step(call, demo, live, by)
        at = min(len(call.order) - 1, max(0, at + by))
        assert call.at == at
        expected = {call.unit} if call.unit not in ("u313", "u314") else set(live.lit())
        assert set(live.lit()) <= {call.unit, "u313", "u314"} and (
            set(live.lit()) == expected or "501" in str(call.unit)
        )
    end(call, live)
    assert (live.frame == before).all() and set(live.lit()) == {"u105", "u301"}


def test_it_goes_on_where_it_stopped_and_jumps_only_to_those_called(demo: Show) -> None:
    show = mark(mark(demo, "u101", "works"), "u102", "silent", "no light")
    live = Live(show)
    call = begin(show, live)
    assert call.unit == "u103"
    assert (
        jump(call, show, live, "u204").unit == "u204"
        and begin(show, live, start="u301").unit == "u301"
    )
    with pytest.raises(EntryFault):
        jump(call, show, live, "u421")


@pytest.mark.parametrize(
    ("note", "ways", "how"),
    [
        ("pans the wrong way round", {"pan"}, {"pan other way"}),
        ("tilt stuck, and half bright", {"tilt", "dim"}, {"tilt stuck", "dim half"}),
        ("no blue; cell 3 out", {"colour", "cell"}, {"colour blue", "cell 3"}),
        ("nothing from cell 5 on", {"cell"}, {"cell after 4"}),
        ("was lit before, flickering", {"before"}, {"before flickering"}),
        ("Late. Pan jerks", {"late", "pan"}, {"pan jerks"}),
        ("half a turn loose, white paint on the lens, see Ada", set(), set()),
        ("", set(), set()),
    ],
)
def test_a_note_says_how_a_unit_is_wrong(note: str, ways: set[str], how: set[str]) -> None:
    said = read_phrases(note)
    assert (set(said[0]), set(said[1])) == (ways, how)
    assert all(known_how(h) for h in said[1])


def test_verdicts_replace_each_other_and_go_out_of_date_with_what_they_rest_on(demo: Show) -> None:
    show = mark(mark(demo, "u101", "wrong", "  iris "), "u101", "works", at="2026-06-12T19:42:00")
    (verdict,) = show.verdicts
    assert (verdict.result, verdict.note, verdict.at[11:16]) == ("works", "", "19:42") and holds(
        show, verdict
    )
    for changed in (
        edits.set_address(show, ["u101"], (1, 300)), edits.set_mode(show, ["u101"], "Short"), change_output(show, "o1", port_address=9),
        remove_outputs(show, {"o1"}), add_output(show, 1, "127.0.0.3", 17),
    ):  # fmt: skip
        assert not holds(changed, verdict)
    assert holds(edits.set_text(show, ["u101"], "name", "Other"), verdict)
    assert unmark(show, "u101").verdicts == ()
    with pytest.raises(EntryFault, match="not a verdict"):
        mark(demo, "u101", "fine")


# ---------------------------------------------------------------- routes


def test_routes_refuse_what_cannot_be_and_propose_by_the_nodes_free_ports(demo: Show) -> None:
    proposed = propose(demo)
    fresh = proposed.outputs[-1]
    assert (fresh.universe, fresh.host, fresh.port_address) == (4, "127.0.0.3", 17)
    with pytest.raises(EntryFault, match="already"):
        propose(proposed)
    with pytest.raises(EntryFault, match="already"):
        add_output(demo, 1, "127.0.0.2", 0)
    with pytest.raises(EntryFault, match="No expected node"):
        propose(replace(demo, nodes=()))
    for universe, port in ((0, 1), (64000, 1), (1, 40000)):
        with pytest.raises(EntryFault):
            add_output(demo, universe, "127.0.0.2", port)
    with pytest.raises(EntryFault, match="listed already"):
        route_edits.add_node(demo, "Again", "127.0.0.2", "", (0,))
    assert change_output(demo, "o1", label="") is demo


@given(
    st.lists(st.tuples(st.integers(1, 30), st.integers(1, 4), st.integers(-40, 600)), max_size=12)
)
@settings(max_examples=15)
def test_snags_stand_any_patch_however_mad(rows: list[tuple[int, int, int]]) -> None:
    base = as_hung()
    units = tuple(
        Unit(
            id=f"x{i}",
            number=n,
            profile=base.profiles[i % len(base.profiles)].key,
            mode="Short",
            patch=(replace(base.units[0].patch[0], universe=u, address=a),),
        )
        for i, (n, u, a) in enumerate(rows)
    )
    paper = replace(
        base.paper, rows=(PaperRow(line=1, number=7, type="Gone", mode="x", universe=2, address=3),)
    )
    show = replace(base, units=units, paper=paper)
    find_snags(show)
    assert SnagBook().update(show).crossing.total == len(rows) and Live(show).frame is not None


def test_every_attribute_is_set_by_what_people_say_and_the_light_shows_it(demo: Show) -> None:
    """Several types at once, each by its own ranges; judged by the light read from the slots."""
    live, ids = Live(demo), ["u101", "u201", "u221", "u401"]
    live.light_up(ids)

    def say(attribute: str, text: str, cell: int | None = None) -> str:
        asked, lost = set_by_words(live, ids, attribute, text, cell)
        live.ask(asked)
        return lost

    def field(unit: str) -> float:
        return float(live.state_of(unit).field[0, 0])

    assert say("Zoom", "12°") == "" and [round(field(u), 1) for u in ids[:2]] == [12.0, 12.0]
    say("Zoom", "+5")
    assert [round(field(u), 1) for u in ids[:2]] == [17.0, 17.0] and round(field("u221"), 1) == 4.2
    assert say("Zoom", "7") == "201: “7” is out of reach of zoom. It goes from 8° to 52°."
    say("Shutter1", "2 Hz")
    assert live.state_of("u101").strobe[0, 0] == pytest.approx(2.0, abs=0.05)
    say("Shutter1", "+1 Hz")
    assert live.state_of("u201").strobe[0, 0] == pytest.approx(3.0, abs=0.09)
    say("Shutter1", "open")
    assert live.state_of("u101").strobe[0, 0] == 0
    assert say("Tilt", "-30") == "" and live.axis("u101", "Tilt") == pytest.approx(-30, abs=0.01)
    say("Tilt", "+10")
    assert live.axis("u101", "Tilt") == pytest.approx(-20, abs=0.01)
    say("Dimmer", "-40")
    assert live.level("u401", "Dimmer") == pytest.approx(0.6)
    say("Gobo1", "ripples")
    say("Gobo1Pos", "90")  # degrees of the gobo, 0 to 360 over 16 bits
    assert live.snapshot()["u101", 0, "Gobo1Pos"] * 65535 == pytest.approx(16384, abs=1)
    say("Gobo1Pos", "+45°")
    assert {h.attribute: h for h in handles_of(live, ids)}["Gobo1Pos"].values == {"135°": 1}
    with pytest.raises(EntryFault, match="Dimmer is not said in Hz"):
        say("Dimmer", "3 Hz")
    handles = {h.attribute: h for h in handles_of(live, ids)}
    assert handles["Gobo1"].values == {"Ripples": 2} and "Net" in handles["Gobo1"].names
    assert (handles["Zoom"].low, handles["Zoom"].high) == (6.0, 52.0)
    assert handles["Control1"].guarded and not handles["Gobo1"].guarded
    # what resets a unit is not sent, by name, by figure or by a slider
    for text in ("Reset", "90%"):
        with pytest.raises(EntryFault, match="resets or switches"):
            say("Control1", text)
    assert set_share(live, ids, "Control1", 0.9) == {}
    with pytest.raises(EntryFault, match="not a level of gobo"):
        say("Gobo1", "herrings")
    # a slider goes along the degrees of the first, the same for all
    live.ask(set_share(live, ids, "Zoom", 0.5))
    assert [round(field(u), 1) for u in ids[:2]] == [22.0, 22.0]
    # one cell of several
    ids = ["u301"]
    live.light_up(ids)
    say("ColorAdd_R", "25%", 3)
    assert [live.level("u301", "ColorAdd_R", cell) for cell in (2, 3)] == [1.0, 0.25]
