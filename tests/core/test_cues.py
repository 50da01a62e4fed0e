"""Looks and cue lists. Fades are judged by a recursive definition in plain Python, several lists by a naive merge slot by slot, looks by what a person would expect of three units."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from helpers.tools import answer
from isthmus.cli.looks import load_evening
from isthmus.demo import as_hung
from isthmus.errors import EntryFault
from isthmus.looks import cue_edits, edits, look_edits
from isthmus.looks.playback import Act, Playback
from isthmus.looks.programme import Programme, Timing, compile_list
from isthmus.looks.used import cues_with, looks_with
from isthmus.output import Live
from isthmus.patch import edits as patch_edits
from isthmus.show.records import Cue, CueList, Look, LookLine, Palette, Show, Wish

PARAMETERS = 2


# ------------------------------------------------------------ the oracle: no arrays, nothing of ours but the data


def along(since: float, seconds: float) -> float:
    if since < 0:
        return 0.0
    return 1.0 if seconds == 0 else min(1.0, since / seconds)


class Oracle:
    """What one parameter of the show does: every question goes back to the acts before it."""

    def __init__(self, programmes: list[Programme], log: list[Act], base: float, at: int) -> None:
        self.log, self.base = log, base
        self.k = {p.id: p.index.tolist().index(at) for p in programmes if at in p.index.tolist()}
        self.lists = {p.id: p for p in programmes if p.id in self.k}
        self.highest = any(bool(p.highest[self.k[p.id]]) for p in self.lists.values())
        self.share, self.level = cache(self.share), cache(self.level)

    def level(self, acts: int, time: float) -> tuple[float, list[str]]:
        """After so many acts of the log: the level, and who has the say (several where they say the same)."""
        says = [(*self.share(name, acts, time), name) for name in self.lists]
        says = [s for s in says if s[1] > 0]
        if not says:
            return self.base, [""]
        if self.highest:
            left = 1 - max(weight for _, weight, _, _ in says)
            best = max(value * weight for value, weight, _, _ in says)
            who = [s[3] for s in says if s[0] * s[1] > best - 1e-5]
            return max(best, self.base * left), who
        level = self.base
        for value, weight, _, _ in sorted(says, key=lambda s: s[2]):
            level += (value - level) * weight
        return level, [max(says, key=lambda s: s[2])[3]]

    def share(self, name: str, acts: int, time: float) -> tuple[float, float, float]:
        """(value, weight, when it was last asked) of one list."""
        mine = [i for i in range(acts) if self.log[i].list == name]
        last = next((i for i in reversed(mine) if self.log[i].what in ("to", "release")), -1)
        if last < 0:
            return 0.0, 0.0, -math.inf
        p, k, act = self.lists[name], self.k[name], self.log[last]
        value, weight, asked = self.share(name, last, act.at)
        gone = time - act.at - self.stood(mine, last, time)
        if act.what == "release":
            seconds = p.release if math.isnan(act.time) else act.time
            return value, weight * (1 - along(gone, seconds)), asked
        target, owned = float(p.targets[act.cue][k]), bool(p.owned[act.cue][k])
        if not owned:
            return value, weight * (1 - self.part(act, p, k, gone, False)), asked
        if p.named[act.cue][k] or weight <= 0 or self.heading(name, last) != target:
            asked = act.at
            if not self.highest:  # from what is there
                value = self.level(last, act.at)[0]
        if self.highest:  # from its share of what is there
            taken = max(self.share(other, last, act.at)[1] for other in self.lists)
            value = max(value * weight, self.base * (1 - taken))
        return value + (target - value) * self.part(act, p, k, gone, target > value), 1.0, asked

    def heading(self, name: str, acts: int) -> float:
        """Where the cue before leads, however far it got."""
        was = [i for i in range(acts) if (self.log[i].list, self.log[i].what) == (name, "to")]
        if not was:
            return 0.0
        p, k, cue = self.lists[name], self.k[name], self.log[was[-1]].cue
        owned = p.owned[cue][k]
        return (
            float(p.targets[cue][k])
            if owned
            else self.share(name, was[-1], self.log[was[-1]].at)[0]
        )

    def stood(self, mine: list[int], last: int, time: float) -> float:
        """Seconds it was paused since an act."""
        since = [self.log[i] for i in mine if i > last]
        resumed = [a.at for a in since if a.what == "resume"]
        pauses = [a.at for a in since if a.what == "pause"]
        return sum(next((r for r in resumed if r >= at), time) - at for at in pauses)

    def part(self, act: Act, p: Programme, k: int, gone: float, rises: bool) -> float:
        t, own = p.times[act.cue], not math.isnan(act.time)
        asks = (t.up if rises else t.down) if p.intensity[k] else t.move
        seconds = 0.0 if p.steps[k] else act.time if own else asks
        return along(gone - (0.0 if own else t.delay), seconds)


levels_ = st.integers(0, 2).map(lambda n: n / 2)
seldom = st.sampled_from([False, False, True])
mostly = st.sampled_from([True, True, False])
seconds_ = st.sampled_from([0.0, 0.5, 1.0, 3.0])


@st.composite
def programmes(draw: st.DrawFn) -> list[Programme]:
    highest = draw(st.lists(st.booleans(), min_size=PARAMETERS, max_size=PARAMETERS))
    made = []
    for name in ("a", "b", "c")[: draw(st.integers(1, 3))]:
        index = np.array(
            sorted(draw(st.sets(st.integers(0, PARAMETERS - 1), min_size=1))), np.int64
        )
        n, cues = len(index), draw(st.integers(1, 2))

        def table(of: st.SearchStrategy, kind: Any, rows: int = cues, n: int = n) -> Any:
            return np.array(draw(st.lists(of, min_size=rows * n, max_size=rows * n)), kind).reshape(
                rows, n
            )

        flags = table(st.booleans(), bool, 2)
        times = tuple(
            Timing(
                draw(seconds_),
                draw(seconds_),
                draw(seconds_),
                draw(st.sampled_from([0.0, 0.25])),
                math.nan,
            )
            for _ in range(cues)
        )
        made.append(
            Programme(
                name,
                tuple((str(at), 0, "") for at in index.tolist()),
                index,
                flags[0],
                flags[1],
                np.array(highest)[index],
                table(levels_, np.float32),
                table(mostly, bool),
                table(seldom, bool),
                tuple(map(str, range(cues))),
                times,
                release=draw(seconds_),
            )
        )
    return made


@settings(max_examples=62, deadline=None)
@given(st.data())
def test_lists_fade_and_merge_as_plain_arithmetic_says(data: st.DataObject) -> None:
    lists = data.draw(programmes())
    base = data.draw(st.lists(levels_, min_size=PARAMETERS, max_size=PARAMETERS))
    playback = Playback(np.array(base, np.float32), {p.id: p for p in lists})
    log: list[Act] = []
    time = 10.0
    for _ in range(data.draw(st.integers(3, 10))):
        time += data.draw(st.sampled_from([0.1031, 0.3177, 0.7243, 2.0391]))
        p = data.draw(st.sampled_from(lists))
        mine = [a.what for a in log if a.list == p.id]
        paused = [w for w in mine if w in ("pause", "resume", "to")][-1:] == ["pause"]
        can = ["to", "to"]  # a list given up is not taken up again here
        if "release" in mine:
            continue
        if mine:
            can += ["resume", "resume"] if paused else ["pause", "release"]
        what = data.draw(st.sampled_from(can))
        cue = data.draw(st.integers(0, len(p.times) - 1)) if what == "to" else -1
        own = (
            data.draw(st.sampled_from([math.nan, math.nan, 0.0, 2.0]))
            if what in ("to", "release")
            else math.nan
        )
        act = Act(time, p.id, what, cue, own)
        playback.advance(time)
        playback.act(act)
        log.append(act)
        for later in (0.0, 0.0513, 0.4129):
            now = time + later
            found = playback.levels(now)
            for at in range(PARAMETERS):
                level, who = Oracle(lists, log, base[at], at).level(len(log), now)
                assert found[at] == pytest.approx(level, abs=2e-5), (at, log)
                assert playback.winner(now, at) in who
        time += 0.4129


def test_a_list_runs_by_itself_where_it_is_told_to_and_a_chase_goes_round() -> None:
    one = np.ones(1, bool)

    def programme(**more: Any) -> Programme:
        cues = 3
        grid = np.ones((cues, 1), bool)
        return Programme(
            "a",
            (("u", 0, ""),),
            np.array([0]),
            one,
            ~one,
            one,
            np.array([[0.0], [0.5], [1.0]], np.float32),
            grid,
            grid,
            ("x", "y", "z"),
            **more,
        )

    base = np.zeros(1, np.float32)
    follows = Timing(2, 2, 2, 1, 4)
    playback = Playback(
        base, {"a": programme(times=(follows, follows, Timing(0, 0, 0, 0, math.nan)))}
    )
    playback.act(Act(100, "a", "to", 0))
    # 1 s delay and 2 s fade are over at 103, 4 s later cue 2 goes, from 108 to 110 it fades, at 114 cue 3
    for time, level in ((107, 0), (108.5, 0.125), (110, 0.5), (113.99, 0.5), (114, 1), (1e6, 1)):
        playback.advance(time)
        assert playback.levels(time)[0] == pytest.approx(level), time
    assert playback.next_due() == math.inf and not playback.moving(1e6)

    def chase(direction: str) -> list[int]:
        step = Timing(0, 0, 0, 0, math.nan)
        p = Playback(
            base, {"a": programme(times=(step,) * 3, round=True, step=0.5, direction=direction)}
        )
        p.act(Act(0, "a", "to", 1))
        seen = []
        for n in range(8):
            p.advance(0.5 * n + 0.1)
            seen.append(p.positions["a"].cue)
        p.advance(0.5 * 4_000_001 + 0.1)  # left alone for weeks: at once, and in step
        q = Playback(base, p.programmes)
        q.act(Act(0, "a", "to", 1))
        while q.positions["a"].start < 0.5 * 13:
            q.advance(q.next_due())
        assert p.positions["a"].cue == seen[4_000_001 % (4 if direction == "to and fro" else 3)]
        assert q.positions["a"].cue == seen[13 % (4 if direction == "to and fro" else 3)]
        return seen

    assert chase("forth") == [1, 2, 0, 1, 2, 0, 1, 2]
    assert chase("back") == [1, 0, 2, 1, 0, 2, 1, 0]
    assert chase("to and fro") == [1, 2, 1, 0, 1, 2, 1, 0]


# ------------------------------------------------------------ looks


@pytest.fixture(scope="module")
def demo() -> Show:
    return as_hung()


@dataclass
class Evening:
    """A show with a list of the looks given, each a list of lines."""

    show: Show
    list_id: str
    blank: Live

    def target(self, cue: int, unit: str, attribute: str, cell: int = 0) -> float | None:
        programme, _ = compile_list(self.show, self.show.cue_lists[0], self.blank)
        (at,) = self.blank.compiled.places.get((unit, cell, attribute))
        column = programme.index.tolist().index(at)
        return float(programme.targets[cue, column]) if programme.owned[cue, column] else None


def evening(show: Show, *looks: list[LookLine]) -> Evening:
    show, list_id = cue_edits.put_list(show, CueList(id="", number=0))
    for lines in looks:
        show, look_id = look_edits.put(show, Look(id="", number=0, lines=tuple(lines)))
        show, _ = cue_edits.put_cue(show, list_id, Cue(id="", number=0, look=look_id))
    return Evening(show, list_id, Live(show).blank())


def units_with(show: Show, *attributes: str, without: str = "none") -> list[str]:
    live = Live(show)
    found = []
    for unit in show.units:
        program = live.program(unit.id) if unit.patch else None
        names = {c.attribute for c in program.chart.channels} if program else set()
        if (
            set(attributes) <= names
            and without not in names
            and program
            and program.chart.cells == 0
        ):
            found.append(unit.id)
    return found


def test_a_cue_lights_what_its_look_lights_and_leaves_the_rest_where_it_was(demo: Show) -> None:
    a, b = units_with(demo, "Pan", "Dimmer")[:2]
    full, dim = Wish(intensity=1.0), Wish(intensity=0.4)
    made = evening(
        demo,
        [LookLine(units=(a,), wish=Wish(intensity=1.0, pan=30.0)), LookLine(units=(b,), wish=full)],
        [LookLine(units=(b,), wish=dim)],
        [
            LookLine(units=(a,), wish=Wish(pan=-10.0)),
            LookLine(units=(b,), wish=full),
            LookLine(units=(b,), wish=dim),
        ],
    )
    live = Live(demo)
    live.set_axis([a], "Pan", 30.0)
    thirty = live.level(a, "Pan")
    live.set_axis([a], "Pan", -10.0)
    assert [made.target(cue, a, "Dimmer") for cue in range(3)] == [1.0, 0.0, 0.0]
    assert [made.target(cue, b, "Dimmer") for cue in range(3)] == pytest.approx([1.0, 0.4, 0.4])
    assert [made.target(cue, a, "Pan") for cue in range(3)] == pytest.approx(
        [thirty, thirty, live.level(a, "Pan")]
    )
    with pytest.raises(ValueError):  # nothing is said of its tilt, so the list has no say in it
        made.target(0, b, "Tilt")


def test_of_a_unit_without_a_dimmer_the_colour_is_the_light(demo: Show) -> None:
    (a, *_) = units_with(demo, "ColorAdd_R", "ColorAdd_G", "ColorAdd_B", without="Dimmer")
    red = Wish(colour=(0.64, 0.33))
    made = evening(
        demo,
        [LookLine(units=(a,), wish=red)],
        [LookLine(units=(a,), wish=Wish(intensity=0.5))],
        [],
        [LookLine(units=(a,), wish=Wish(intensity=1.0, colour=(0.3127, 0.329)))],
    )
    r = [made.target(cue, a, "ColorAdd_R") for cue in range(4)]
    g = [made.target(cue, a, "ColorAdd_G") for cue in range(4)]
    assert r[:3] == pytest.approx([0.0, 0.5, 0.0]) and g[:3] == pytest.approx(
        [0.0, 0.0, 0.0], abs=0.05
    )
    assert max(r[3] or 0, g[3] or 0) == pytest.approx(1.0) and (g[3] or 0) > 0.3


def test_a_palette_changed_changes_every_look_that_names_it(demo: Show) -> None:
    a, b = units_with(demo, "Pan", "Dimmer")[:2]
    show, palette = edits.add(
        demo,
        Palette(
            id="",
            number=1,
            kind="position",
            wish=Wish(pan=20.0, tilt=10.0),
            units={b: Wish(pan=5.0, tilt=10.0)},
        ),
    )
    made = evening(show, [LookLine(units=(a, b), palettes=(palette,))])
    old = made.target(0, a, "Pan"), made.target(0, b, "Pan")
    one = next(p for p in made.show.palettes if p.id == palette)
    changed = edits.change(made.show, replace(one, wish=Wish(pan=-20.0, tilt=10.0)))
    after = Evening(changed, made.list_id, made.blank)
    assert after.target(0, a, "Pan") != old[0] and after.target(0, b, "Pan") == old[1]
    assert [o.number for o in looks_with(changed, palettes=[palette])] == [1]
    assert cues_with(changed, changed.looks[0].id) == [("1", 1.0)]
    gone = look_edits.remove(changed, changed.looks[0].id)
    assert gone.cue_lists[0].cues[0].look == "" and not gone.looks


@settings(max_examples=8, deadline=None)
@given(st.lists(st.integers(0, 3), min_size=1, max_size=6), st.integers(0, 3))
def test_a_cue_is_the_same_walked_to_or_jumped_to(walk: list[int], last: int) -> None:
    show = as_hung()
    a, b = units_with(show, "Pan", "Dimmer")[:2]
    c = units_with(show, "ColorAdd_R", without="Dimmer")[0]
    made = evening(
        show,
        [LookLine(units=(a,), wish=Wish(intensity=1.0, pan=30.0))],
        [LookLine(units=(a, b, c), wish=Wish(intensity=0.5, colour=(0.3, 0.3)))],
        [LookLine(units=(b,), wish=Wish(pan=10.0))],
        [LookLine(units=(c,), wish=Wish(intensity=1.0))],
    )
    programme, _ = compile_list(made.show, made.show.cue_lists[0], made.blank)
    base = made.blank.levels
    walked, jumped = (
        Playback(base, {programme.id: programme}),
        Playback(base, {programme.id: programme}),
    )
    for n, cue in enumerate(walk):
        walked.act(Act(float(n), programme.id, "to", cue))
    for playback in (walked, jumped):
        playback.act(Act(10.0, programme.id, "to", last))
    assert walked.levels(20.0) == pytest.approx(jumped.levels(20.0), abs=1e-6)


def test_a_list_goes_on_when_its_units_are_patched_elsewhere_in_the_middle_of_a_fade(
    demo: Show,
) -> None:
    a, b = units_with(demo, "Pan", "Dimmer")[:2]
    made = evening(
        demo,
        [LookLine(units=(a, b), wish=Wish(intensity=1.0, pan=30.0))],
        [LookLine(units=(a,), wish=Wish(intensity=0.2, pan=-30.0))],
    )
    programme, _ = compile_list(made.show, made.show.cue_lists[0], made.blank)
    playback = Playback(made.blank.compiled.defaults, {programme.id: programme})
    for at, cue in ((0.0, 0), (1.0, 1)):
        playback.act(Act(at, programme.id, "to", cue))
    keys = [(u, 0, name) for u in (a, b) for name in ("Dimmer", "Pan")]

    def levels(live: Live, time: float) -> list[float]:
        found = playback.levels(time)
        return [float(found[live.compiled.places.get(key)[0]]) for key in keys]

    before = levels(made.blank, 2.5), levels(made.blank, 9.0)
    moved = patch_edits.set_address(made.show, [a], (40, 17))
    moved = replace(moved, units=moved.units[::-1])  # all its parameters are others now
    live = Live(moved).blank()
    assert live.compiled.places.get(keys[0]) != made.blank.compiled.places.get(keys[0])
    again, _ = compile_list(moved, moved.cue_lists[0], live)
    playback.take([again], live.compiled.defaults)
    assert levels(live, 2.5) == pytest.approx(before[0], abs=1e-6)
    assert levels(live, 9.0) == pytest.approx(before[1], abs=1e-6) and before[0] != before[1]


def test_a_look_taken_from_now_does_again_what_was_done_and_names_the_palettes(demo: Show) -> None:
    live = Live(demo)
    a, b, c = units_with(demo, "Pan", "Dimmer", "Zoom")[:3]
    point = Wish(point=(0.0, 1.0, 0.0))
    show, palette = edits.add(
        demo, Palette(id="", number=1, kind="position", name="Bow", wish=point)
    )
    live.set_show(show)
    from isthmus.looks import apply

    asked, _ = apply(live, show.palettes[0], [a, b])
    live.ask(asked)
    live.set_intensity([a, b], 0.75)
    live.set_axis([c], "Zoom", 20.0)
    used = {(u, "position"): palette for u in (a, b)}
    lines = look_edits.lines_now(live, [a, b, c], used)
    assert [line.units for line in lines] == [(a, b), (c,)]
    assert lines[0].palettes == (palette,) and lines[0].wish == Wish(
        intensity=0.75, strobe=0.0
    )  # lighting opens the shutter
    assert lines[1].palettes == () and lines[1].wish.angle == pytest.approx(20.0, abs=0.1)
    live.set_axis(
        [b], "Tilt", 3.0
    )  # moved on by hand: it does not do what the palette says any more
    moved = look_edits.lines_now(live, [a, b], used)
    assert [line.palettes for line in moved] == [(palette,), ()]


def test_cues_refuse_what_they_cannot_be() -> None:
    show, list_id = cue_edits.put_list(Show(), CueList(id="", number=0, name="Evening"))
    for number in (0, 0, 2.5):
        show, cue = cue_edits.put_cue(show, list_id, Cue(id="", number=number))
    assert [c.number for c in show.cue_lists[0].cues] == [1, 2, 2.5]
    with pytest.raises(EntryFault, match=r"Cue 2\.5 is there already"):
        cue_edits.put_cue(show, list_id, Cue(id="", number=2.5))
    with pytest.raises(EntryFault, match="Up lies between 0 and 3600 seconds"):
        cue_edits.put_cue(show, list_id, Cue(id=cue, number=2.5, up=-1))
    assert (
        cue_edits.read_seconds("1:30", "Up") == 90 and cue_edits.read_seconds(" 2,5 s", "Up") == 2.5
    )
    assert cue_edits.read_seconds("", "Follow") is None
    for wrong in ("nan", "three", "-1", "1:2:3", "inf"):
        with pytest.raises(EntryFault, match="is not a time"):
            cue_edits.read_seconds(wrong, "Up")


def test_the_commands_say_what_looks_and_cues_do() -> None:
    code, rows = answer("cues", "list", "demo")
    assert code == 0 and [r["cue"] for r in rows if r["list"] == 1] == list(range(1, 13))
    # cue 1 lights the house to a half in 5 s: after 4 s a dimmer of 8 bits stands at 0.5 · 4/5
    show = load_evening("demo")
    house = next(u for u in show.units if u.purpose == "House" and u.patch)
    code, frame = answer("cues", "render", "demo", "--cue", "1", "--at", "4")
    at = house.patch[0]
    assert frame["whole"] == 5 and frame["universes"][str(at.universe)][at.address - 1] == round(
        0.4 * 255
    )
    code, rows = answer("cues", "go", "demo", "--cue", "2")  # house out, the water stays
    gone = [r for r in rows if r["unit"] == house.number and r["attribute"] == "Dimmer"]
    assert gone and {(r["from"], r["to"], r["seconds"]) for r in gone} == {(0.5, 0.0, 8.0)}
    code, look = answer("looks", "render", "demo", "--look", "Duet")
    dimmed = {r["unit"]: r["level"] for r in look["levels"] if r["attribute"] == "Dimmer"}
    keys = [u.number for u in show.units if u.purpose == "Key, moving" and u.patch]
    assert {dimmed[n] for n in keys} == {0.9}
    code, looks = answer("looks", "list", "demo")
    assert {"list": "Evening", "cue": 10.0} in next(o for o in looks if o["name"] == "Duet")["cues"]
    code, some = answer("looks", "list", "demo", "--units", str(house.number))
    assert [o["name"] for o in some] == ["House open", "House in"]
    for wrong in (
        ("cues", "go", "demo", "--cue", "99"),
        ("cues", "go", "demo", "--list", "9", "--cue", "1"),
        ("looks", "render", "demo", "--look", "Nothing"),
    ):
        assert answer(*wrong)[0] == 3
