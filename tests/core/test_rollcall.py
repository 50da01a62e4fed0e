"""What units do when they are called, in which order, what is never sent to them, and what is kept of what was seen."""

from __future__ import annotations

import csv
import io

import numpy as np
import pdfplumber
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from isthmus.check import begin, end, mark, record, step
from isthmus.check.acts import KINDS, acts_of
from isthmus.check.calls import CALLED_BY, ORDERS, in_walking_order, plan_calls
from isthmus.check.rollcall import Manner, length, sentence, slot_value, step_act, step_phase
from isthmus.check.safe import column_bytes, dangers, guarded, safe_level
from isthmus.check.slots import mark_slot, say_slot
from isthmus.check.verdicts import by_place, changes, new_round, say, tally
from isthmus.demo import lantern_tide
from isthmus.errors import EntryFault
from isthmus.output import Live
from isthmus.patch import edits
from isthmus.patch.groups import propose_groups
from isthmus.patch.limits import set_limit
from isthmus.profiles import light_program, profiles_of
from isthmus.show import Show
from isthmus.show.records import SLOTS


def program(show: Show, unit: str):
    return light_program(*profiles_of(show).mode_of(show.unit(unit)))


def sent_to(show: Show, live: Live, unit: str) -> np.ndarray:
    """The slots of a unit as they are sent."""
    patched = show.unit(unit).patch[0]
    row = live.compiled.universes.index(patched.universe)
    width = program(show, unit).width
    return live.frame[row * SLOTS + patched.address - 1 :][:width].copy()


def in_danger(show: Show, live: Live) -> list[str]:
    """Every unit whose sent slots lie in a range that resets, services or sends, read from the profile's own ranges."""
    found = []
    for unit in show.units:
        if not unit.patch or profiles_of(show).mode_of(unit) is None:
            continue
        slots = sent_to(show, live, unit.id)
        for item, ranges in guarded(program(show, unit.id)):
            value = 0
            for _, offset in item.slots:
                value = value << 8 | int(slots[offset - 1])
            found += [
                f"{unit.number} {name}" for first, last, name in ranges if first <= value <= last
            ]
    return found


@pytest.mark.slow
@pytest.mark.parametrize("by", ["unit", "cell", "address", "position", "universe"])
def test_no_call_of_any_kind_enters_a_range_that_resets_or_puts_out(demo: Show, by: str) -> None:
    live = Live(demo)
    call = begin(
        demo,
        live,
        Manner(by=by, level=1.0, kinds=KINDS),
        only=["u101", "u107", "u208", "u221", "u301"],
    )
    stops = len(call.calls)
    seen = 0
    for _ in range(stops):
        for _ in range(3 if by == "address" else 30):
            assert not in_danger(demo, live), call.stop.title
            seen += 1
            call, _ = step_phase(call, demo, live)
        call = step(call, demo, live, 1)
    assert seen >= stops
    end(call, live)


def test_dangerous_ranges_are_known_and_only_an_armed_call_goes_there(demo: Show) -> None:
    control = next(c for c in program(demo, "u101").chart.channels if c.attribute == "Control1")
    assert [name for _, _, name in dangers(program(demo, "u101"), control)] == [
        "Lamp on",
        "Lamp off",
        "Reset",
    ]
    assert safe_level(program(demo, "u101"), control, 1.0) == 49 / 255
    assert safe_level(program(demo, "u101"), control, 0.1) == 0.1
    assert (
        not column_bytes(program(demo, "u101"))[20, 50:].any()
        and column_bytes(program(demo, "u101"))[20, :50].all()
    )
    live = Live(demo)
    for armed, value in ((False, 49), (True, 255)):
        call = begin(demo, live, Manner(by="address", armed=armed), only=["u101"])
        call = replace_at(call, next(i for i, c in enumerate(call.calls) if c.slot == (1, 21)))
        assert slot_value(call, demo) == value
        assert "control" in sentence(call, demo) and "101" in sentence(call, demo)
        end(call, live)


def replace_at(call, at: int):
    import dataclasses

    return dataclasses.replace(call, at=at)


def test_an_address_call_lights_the_owner_and_names_the_attribute(demo: Show) -> None:
    live = Live(demo)
    call = begin(demo, live, Manner(by="address", level=0.5), only=["u101"])
    assert len(call.calls) == 21 and call.calls[0].slot == (1, 1)
    assert set(live.lit()) == {"u101"} and sent_to(demo, live, "u101")[0] == 128
    assert (
        say_slot(demo, (1, 1)).startswith("101")
        and "pan (coarse)" in say_slot(demo, (1, 1)).casefold()
    )
    call = step(call, demo, live, 1)
    assert "fine" in sentence(call, demo) and "at 128" in sentence(call, demo)
    assert say_slot(demo, (9, 9)) == "no one"
    dead = mark_slot(mark_slot(demo, (1, 1), "silent", "grinds"), (1, 3), "wrong", by="Ada")
    [said] = dead.verdicts
    assert (
        said.what == ("pan", "tilt")
        and said.note == "1.001 pan (coarse) does nothing: grinds; 1.003 tilt (coarse) wrong"
    )
    assert (
        said.acts == ("light", "movement")
        and mark_slot(demo, (1, 1), "works") is demo
        and mark_slot(demo, (9, 9), "silent") is demo
    )
    end(call, live)
    assert not live.lit() and not live.over


def test_units_show_colour_movement_within_their_limits_and_each_cell(demo: Show) -> None:
    show = set_limit(demo, ["u101"], "Tilt", "-10", "15")
    acts = {a.kind: a for a in acts_of(program(show, "u101"), show.unit("u101"), 0.8)}
    assert (
        set(acts) == {"light", "colour", "movement", "beam"}
        and "cyan, magenta and yellow" in acts["colour"].words.casefold()
    )
    live = Live(show)
    places = []
    for phase in acts["movement"].phases:
        live.restore({})
        live.ask(phase)
        places.append((live.sent_axis("u101", "Pan"), live.sent_axis("u101", "Tilt")))
    assert all(-10.1 <= tilt <= 15.1 for _, tilt in places) and max(t for _, t in places) > 14
    assert min(p for p, _ in places) == pytest.approx(-40, abs=0.1) and places[-1] == pytest.approx(
        (0, 0), abs=0.1
    )
    # every leg of the box is of one axis alone, so that a person can tell which one is wrong
    assert all(
        abs(a[0] - b[0]) < 0.1 or abs(a[1] - b[1]) < 0.1
        for a, b in zip(places, places[1:], strict=False)
    )
    strip = {a.kind: a for a in acts_of(program(demo, "u301"), demo.unit("u301"))}
    lit = []
    for phase in strip["cells"].phases:
        live.restore({})
        live.ask(phase)
        state = program(demo, "u301").read(sent_to(show, live, "u301")[None])
        lit.append([i for i, light in enumerate(state.rgb[0].sum(axis=1)) if light > 0.1])
    assert lit == [[i] for i in range(6)]


def test_calls_go_by_group_position_type_port_and_universe_in_the_order_wished(demo: Show) -> None:
    show = propose_groups(demo)
    for by in CALLED_BY:
        plan = plan_calls(show, by)
        units = {u for c in plan.calls for u in c.units}
        assert plan.calls and all(c.title for c in plan.calls)
        if by != "group":
            assert units | {x.unit for x in plan.left} == {u.id for u in show.units}, by
    assert [c.title for c in plan_calls(demo, "port").calls] == [
        "Ferry A, port 1",
        "Ferry A, port 2",
        "Ferry B, port 1",
    ]
    assert len(plan_calls(demo, "cell", only=["u301"]).calls) == 6
    hang = [demo.unit(c.units[0]) for c in plan_calls(demo, "unit", "hang").calls]
    # a walk: hang by hang, and at each one straight along
    assert (
        len(list(dict.fromkeys(u.hangs_on for u in hang)))
        == sum(a.hangs_on != b.hangs_on for a, b in zip(hang, hang[1:], strict=False)) + 1
    )
    for place in {u.hangs_on for u in hang}:
        xs = [u.position[0] for u in hang if u.hangs_on == place and u.position]
        assert xs in (sorted(xs), sorted(xs, reverse=True))
    assert in_walking_order([]) == []
    hand = plan_calls(demo, "unit", "hand", ["u205", "u101", "u103"])
    assert [c.units[0] for c in hand.calls] == ["u205", "u101", "u103"] and sum(
        x.outside for x in hand.left
    ) == len(demo.units) - 3
    starts = [
        (p.universe, p.address)
        for c in plan_calls(demo, "unit", "address").calls
        for p in demo.unit(c.units[0]).patch[:1]
    ]
    assert starts == sorted(starts)
    for wrong in ({"by": "colour"}, {"order": "age"}, {"only": ["u502"]}):
        with pytest.raises(EntryFault):
            plan_calls(demo, **wrong)
    assert set(ORDERS) == {"number", "hang", "address", "hand"}


@given(
    st.sampled_from(list(CALLED_BY)),
    st.sampled_from(["dark", "dim", "leave"]),
    st.lists(st.integers(0, 3), max_size=12),
)
@settings(max_examples=8)
def test_whatever_is_called_and_however_the_levels_come_back(
    by: str, rest: str, moves: list[int]
) -> None:
    show = propose_groups(lantern_tide())
    live = Live(show)
    live.light_up(["u105", "u301", "u411"], 0.4)
    live.lay_over({(2, 7): 99})
    before, asked, over = live.frame.copy(), live.snapshot(), dict(live.over)
    call = begin(
        show,
        live,
        Manner(by=by, level=0.6, kinds=KINDS, rest=rest),
        only=["u101", "u102", "u301", "u401"],
    )
    for move in moves:
        if move < 2:
            call = step(call, show, live, 1 if move else -1)
        elif move == 2:
            call = step_act(call, show, live)
        else:
            call, seconds = step_phase(call, show, live)
            assert 0 < seconds < 5
        assert sentence(call, show) and 0 <= call.act < length(call, show)
        others = set(live.lit()) - set(call.stop.units)
        if rest == "dark":
            assert not others - {"u105"} or by == "address"
        elif rest == "leave":
            assert {"u411", "u301", "u105"} - set(call.stop.units) <= set(live.lit())
    end(call, live)
    assert (live.frame == before).all() and live.snapshot() == asked and live.over == over


# ---------------------------------------------------------------- verdicts, rounds, record


@pytest.fixture
def marked(demo: Show) -> Show:
    show = mark(demo, "u101", "works", by="Ada", at="2026-06-12T19:30:00")
    show = mark(
        show,
        "u102",
        "wrong",
        "=1+1",
        what=["tilt", "too"],
        others=["u103", "u102", "no one"],
        by="Ada",
    )
    show = mark(show, "u201", "silent", "fuse <b>?")
    return mark(show, "u202", "skipped")


def test_verdicts_say_in_which_way_who_and_when_and_what_is_left(marked: Show) -> None:
    verdict = next(v for v in marked.verdicts if v.unit == "u102")
    assert verdict.what == ("too", "tilt") and verdict.others == ("u103",) and verdict.by == "Ada"
    assert say(marked, verdict) == "wrong: 103 lights too, tilt; =1+1"
    count = tally(marked)
    assert (count["works"], count["wrong"], count["silent"], count["skipped"]) == (
        1,
        1,
        1,
        1,
    ) and count["left"] == 63
    moved = edits.set_address(marked, ["u101"], (1, 400))
    assert tally(moved)["stale"] == 1 and tally(moved)["works"] == 0
    places = dict(by_place(marked))
    assert (
        places["Port mast, upper"]["works"] == 1 and sum(c["left"] for c in places.values()) == 63
    )
    assert dict(by_place(marked, "universe"))["universe 2"]["silent"] == 1
    for wrong in (("u999", "works", ()), ("u101", "fine", ()), ("u101", "wrong", ("smell",))):
        with pytest.raises(EntryFault):
            mark(marked, wrong[0], wrong[1], what=wrong[2])


def test_rounds_are_put_aside_and_compared(marked: Show) -> None:
    second = mark(mark(new_round(marked, "Before focus"), "u101", "silent"), "u102", "works")
    assert [r.name for r in second.rounds] == ["Before focus"] and len(second.verdicts) == 2
    assert {u.number: said for u, said in changes(second)} == {
        101: ["works", "silent"],
        102: ["wrong", "works"],
    }
    with pytest.raises(EntryFault, match="already a new round"):
        new_round(new_round(marked))
    third = new_round(second)
    assert third.rounds[-1].name == "Round 2" and not third.verdicts


def test_the_record_goes_out_as_csv_and_pdf_and_open_faults_by_position(marked: Show) -> None:
    foreign = {"u104": "Łuk północny", "u101": "Θάλασσα", "u102": "Причал"}
    named = (replace(u, name=foreign.get(u.id, u.name)) for u in marked.units)
    show = mark(
        new_round(replace(marked, units=tuple(named)), "First"), "u104", "silent", "no power"
    )
    rows = list(csv.DictReader(io.StringIO(record.as_csv(show).decode("utf-8-sig"))))
    assert {(r["Unit"], r["Round"], r["Verdict"]) for r in rows} >= {
        ("101", "First", "works"),
        ("104", "now", "silent"),
    }
    assert (
        next(r for r in rows if r["Unit"] == "102" and r["Round"] == "First")["Note"] == "'=1+1"
    )  # no formula
    assert {r["Unit"] for r in rows} == {str(u.number) for u in show.units}
    [(place, units)] = record.open_faults(show)
    assert place == show.unit("u104").hangs_on and units[0][0].number == 104
    for snags, wanted in (
        (True, ["104", "no power", "Łuk północny"]),
        (False, ["104", "First", "Unit by unit", "fuse <b>?", *foreign.values()]),
    ):
        with pdfplumber.open(io.BytesIO(record.as_pdf(show, (), snags))) as pdf:
            text = "\n".join(page.extract_text() for page in pdf.pages)
            faces = {c["fontname"].split("+")[-1] for page in pdf.pages for c in page.chars}
        assert all(w in text for w in wanted) and show.name in text
        assert all(face.startswith("IBMPlex") for face in faces)  # which have these letters
    with pdfplumber.open(io.BytesIO(record.as_pdf(replace(show, verdicts=()), (), True))) as pdf:
        assert "No open faults" in pdf.pages[0].extract_text()
