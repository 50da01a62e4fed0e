"""Limits bind everything that is sent: whatever asks for it, lays it over, holds it or plays it back."""

from __future__ import annotations

import contextlib
import dataclasses
from pathlib import Path

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from helpers.hands import answer_question
from helpers.tools import answer
from isthmus.check import rollcall
from isthmus.check.prove import ProveSlot, ProveSlots
from isthmus.check.rollcall import Manner
from isthmus.demo import lantern_tide
from isthmus.engine import SACN_PRIORITY
from isthmus.errors import EntryFault
from isthmus.output import Composer, Live, Masters
from isthmus.output.captured import CaptureLimits
from isthmus.patch import limits as core
from isthmus.patch.index import index_of
from isthmus.profiles import chart, profiles_of
from isthmus.routes import propose
from isthmus.show import Show, save_show
from isthmus.show.records import Handling, Limit
from isthmus.wire import artnet

DEMO = propose(lantern_tide())
PATCHED = [
    u for u in DEMO.units if u.patch and u.number not in (313, 314)
]  # two that overlap cannot both be kept
ATTRIBUTES = {u.id: core.attributes_of(DEMO, [u.id]) for u in PATCHED}
LEVEL = st.floats(0, 1, allow_subnormal=False)


def outside(
    show: Show, rows: dict[int, np.ndarray], named: set[tuple[int, int]] = frozenset()
) -> list[str]:
    """Every limited channel whose bytes are outside; read straight off the patch and the profile's own offsets."""
    found = []
    for unit in show.units:
        mode = profiles_of(show).mode_of(unit)
        channels = chart(*mode).channels if mode else ()
        names = {c.attribute for c in channels}
        # what the colours of a unit without a dimmer may reach, whatever else they are told
        cap = min(
            (x.high for x in unit.limits if x.attribute == "Dimmer" and "Dimmer" not in names),
            default=1.0,
        )
        for limit in unit.limits:
            colours = limit.attribute == "Dimmer" and "Dimmer" not in names
            for item in channels:
                if item.attribute != limit.attribute and not (
                    colours and item.attribute.startswith("ColorAdd_")
                ):
                    continue
                for patched in unit.patch:
                    at = [
                        patched.address + offset - 1
                        for block, offset in item.slots
                        if block == patched.block
                    ]
                    if (
                        not at
                        or patched.universe not in rows
                        or max(at) > 512
                        or any((patched.universe, a) in named for a in at)
                    ):
                        continue
                    value = int.from_bytes(
                        bytes(int(rows[patched.universe][a - 1]) for a in at), "big"
                    ) / (256 ** len(at) - 1)
                    step = 1 / (256 ** len(at) - 1)
                    low = 0.0 if colours else limit.low
                    if item.attribute.startswith("ColorAdd_"):
                        low = min(low, cap)
                    narrow = (
                        min(limit.high, cap) - low < step
                    )  # no value lies inside: the nearest one
                    slack = step if narrow else 1e-7
                    if not low - slack <= value <= limit.high + slack:
                        found.append(
                            f"{unit.number} {item.attribute} {value} not in {low}…{limit.high}"
                        )
    return found


def sent_rows(show: Show, live: Live, composer: Composer) -> list[dict[int, np.ndarray]]:
    """What each route sends, by universe; a universe may go out more than once."""
    frame, routes = composer.compose(show, live)
    of = {(o.protocol, o.number): o.universe for o in show.outputs}
    found = []
    for r in routes:
        if r.kind != SACN_PRIORITY:
            universe = of.get(("artnet", r.number)) or of.get(("sacn", r.number))
            found.append({universe: frame[r.row * 512 : r.row * 512 + 512]})
    return found


UNIT = st.sampled_from(PATCHED)
LIMITS = st.lists(
    UNIT.flatmap(
        lambda u: st.tuples(st.just(u.id), st.sampled_from(ATTRIBUTES[u.id]), LEVEL, LEVEL)
    ),
    min_size=1,
    max_size=6,
)
HANDLING = st.builds(
    Handling,
    invert_pan=st.booleans(),
    invert_tilt=st.booleans(),
    swap=st.booleans(),
    pan_offset=st.floats(-90, 90),
    tilt_offset=st.floats(-90, 90),
    curve=st.sampled_from(["linear", "square", "s"]),
)
SLOT = st.tuples(st.sampled_from([1, 2, 3, 4]), st.integers(1, 512))
ACT = st.one_of(
    st.tuples(
        st.just("ask"),
        UNIT.flatmap(lambda u: st.tuples(st.just(u.id), st.sampled_from(ATTRIBUTES[u.id]), LEVEL)),
    ),
    st.tuples(st.just("over"), st.dictionaries(SLOT, st.integers(0, 255), max_size=40)),
    st.tuples(st.just("prove"), st.tuples(SLOT, st.booleans())),
    st.tuples(st.just("all"), st.integers(0, 255)),
    st.tuples(st.just("call"), st.sampled_from(["unit", "address"])),
    st.tuples(st.just("master"), st.sampled_from(["", "dark", "hold"])),
    st.tuples(st.just("light"), st.just(0)),
)


@st.composite
def rigs(draw) -> Show:
    """Some of the demo's units in any order, each at an address of its own with gaps between."""
    kept = draw(st.lists(UNIT, min_size=4, max_size=30, unique_by=lambda u: u.id))
    universe, at, made = draw(st.integers(1, 3)), draw(st.integers(1, 40)), []
    for unit in kept:
        size = index_of(DEMO).spans[unit.id][-1].end - index_of(DEMO).spans[unit.id][0].start + 1
        if len(unit.patch) > 1:
            made.append(replace(unit, patch=()))
            continue
        if at + size - 1 > 512:
            universe, at = universe % 4 + 1, 1
            if universe == 1:
                break
        made.append(
            replace(unit, patch=(replace(unit.patch[0], universe=universe, address=at, room=0),))
        )
        at += size + draw(st.integers(0, 9))
    return replace(DEMO, units=tuple(made))


def act(kind: str, value, show: Show, live: Live, masters: Masters, named: set) -> set:
    """Do one thing that could bring light past a limit; the slots a proof was allowed by name."""
    if kind == "ask":
        live.ask({(value[0], c, value[1]): value[2] for c in range(7)})
        return named
    if kind == "master":
        masters.set(value)
        return named
    if kind == "light":
        live.light_up(u.id for u in PATCHED)
        return named
    if kind == "prove":
        proof = ProveSlot(show, live, 0.0, *value[0], 1.0)
        proof.past = value[1]
        live.lay_over({})
        proof.step(0.0)
        return {value[0]} if value[1] else set()
    if kind == "over":
        live.lay_over(value)
    elif kind == "all":
        slots = {(u, a): value for u in (1, 2, 3, 4) for a in range(1, 513)}
        ProveSlots(show, live, 0.0, [(1.0, slots)], "hunt").step(0.0)
    elif kind == "call":
        with contextlib.suppress(EntryFault):  # nothing can be called
            rollcall.begin(show, live, Manner(by=value))
    return set()


@pytest.mark.filterwarnings("ignore:Generating overly large repr")  # else it hides what failed
@settings(max_examples=20)
@given(
    rigs(),
    LIMITS,
    st.lists(st.tuples(UNIT, HANDLING), max_size=3),
    st.lists(ACT, min_size=1, max_size=6),
)
def test_no_byte_on_the_wire_is_outside_its_limit_but_those_a_proof_was_allowed_by_name(
    rig: Show, limits, handling, acts
) -> None:
    live, masters = Live(rig), Masters()
    composer = Composer(masters)
    by_unit = {u.id: u for u in rig.units}
    for unit, how in ((u, h) for u, h in handling if u.id in by_unit):
        by_unit[unit.id] = replace(by_unit[unit.id], handling=how)
    for unit, attribute, a, b in ((u, *rest) for u, *rest in limits if u in by_unit):
        others = tuple(x for x in by_unit[unit].limits if x.attribute != attribute)
        by_unit[unit] = replace(
            by_unit[unit],
            limits=(*others, Limit(attribute=attribute, low=min(a, b), high=max(a, b))),
        )
    show = replace(rig, units=tuple(by_unit.values()))
    masters.set("hold")
    composer.compose(rig, live)  # held before there was any limit
    masters.set("")
    live.set_show(show)
    named: set[tuple[int, int]] = set()
    for kind, value in acts:
        named = act(kind, value, show, live, masters, named)
        for rows in sent_rows(show, live, composer):
            assert outside(show, rows, named) == []
    packets = CaptureLimits(show)
    for output in show.outputs:
        slots = bytes(np.random.default_rng(output.universe).integers(0, 256, 512, np.uint8))
        held = artnet.decode(packets.hold(artnet.encode_dmx(1, output.port_address, slots)))
        assert outside(show, {output.universe: np.frombuffer(held.slots, np.uint8)}) == []


def test_limits_mean_degrees_both_ways_what_is_sent_now_cells_and_colours(tmp_path: Path) -> None:
    show, by = DEMO, index_of(DEMO).by_id
    unit = by["u101"]
    item = next(
        c for c in chart(*profiles_of(show).mode_of(unit)).channels if c.attribute == "Tilt"
    )
    turned = msgspec.structs.replace(item.channel.first, physical_from=135.0, physical_to=-135.0)
    channel = msgspec.structs.replace(
        item.channel,
        logical=(msgspec.structs.replace(item.channel.logical[0], functions=(turned,)),),
    )
    item = dataclasses.replace(item, channel=channel)
    low, high = core._ends(item, "-45", "")
    reach = [core.physical_for(item, level) for level in (low, high)]
    assert min(reach) == pytest.approx(-45, abs=0.1) and max(reach) > 45
    # from now takes what goes out: the head does not jump
    live = Live(core.set_handling(show, ["u101", "u102"], invert_tilt=True, tilt_offset=20.0))
    live.set_axis(["u101"], "Tilt", 10.0)
    live.set_axis(["u102"], "Tilt", 30.0)
    before = live.frame.copy()
    levels = {u: live.sent_levels(u, "Tilt") for u in ("u101", "u102")}
    for high_end in (True, False):
        for together in (True, False):
            live.set_show(core.from_now(live.show, levels, "Tilt", high_end, together))
            assert (live.frame == before).all()
    # a unit without a dimmer has an intensity, and keeps its colour under the limit
    bare = next(
        u
        for u in PATCHED
        if "Dimmer" not in {c.attribute for c in chart(*profiles_of(show).mode_of(u)).channels}
        and "Dimmer" in ATTRIBUTES[u.id]
    )
    live = Live(core.set_limit(show, [bare.id], "Dimmer", "", "50%"))
    live.set_colour([bare.id], np.array([1.0, 0.5, 0.0]))
    live.set_intensity([bare.id], 1.0)
    asked, sent = live.levels, live.sent
    mine = [
        at
        for _, name, at, _ in live.compiled.places.of_unit(bare.id)
        if name.startswith("ColorAdd_")
    ]
    assert max(sent[mine]) == pytest.approx(0.5, abs=0.005)
    assert np.allclose(sent[mine] / max(sent[mine]), asked[mine] / max(asked[mine]), atol=0.02)
    file = tmp_path / "a.isthmus"
    save_show(show, file)
    for words in ("shutter", "focus", "gobo wheel", "prism", "colour wheel", "control", "Tilt"):
        if any(
            words.lower() in core.plain(a).lower() for names in ATTRIBUTES.values() for a in names
        ):
            code, data = answer(
                "limits",
                str(file),
                "--units",
                "all",
                "--attribute",
                words,
                "--high",
                "50%",
                "--dry-run",
            )
            assert code == 0 and data["limited"], words


def test_limits_are_seen_where_hands_are_tested_and_passed_only_when_asked(
    make_window, demo: Show
) -> None:
    show = core.set_limit(
        core.set_limit(demo, ["u101"], "Dimmer", "", "50%"), ["u101"], "Tilt", "-45", "45"
    )
    window = make_window(show, page="Patch")
    bench = window.bench
    bench.selection.select(["u101"])
    assert (
        "dimmer from 0 % to 50 %" in window.hand.limits.text()
        and "tilt from −45° to 45°" in window.hand.limits.text()
    )
    assert (
        window.hand.intensity.limit == pytest.approx((0, 0.5))
        and "Tilt" in window.hand.pan_tilt.limits
    )
    assert "tilt from −45° to 45°" in window.inspector.limits.text()
    view = window.pages["Patch"].limits
    window.pages["Patch"].show_view("Limits")
    view._test()
    words: set[str] = set()
    proof = bench.proving.proof
    for step in range(240):
        bench.proving.step(proof.began + step / 10)
        words |= {f"{b.attribute} {b.held}" for b in proof.beside()}
        assert (
            outside(
                show,
                {
                    u: bench.levels.live.frame[r * 512 : r * 512 + 512]
                    for r, u in enumerate(bench.levels.live.compiled.universes)
                },
            )
            == []
        )
    assert {
        "dimmer True",
        "dimmer False",
        "tilt True",
        "tilt False",
    } <= words and "asked" in view.testing.text()
    view._test()
    assert bench.proving.proof is None and bench.levels.live.snapshot() == {}
    at = index_of(show).by_id["u101"].patch[0]
    dimmer = next(
        c
        for c in chart(*profiles_of(show).mode_of(bench.selection.units()[0])).channels
        if c.attribute == "Dimmer"
    )
    address = at.address + dimmer.slots[0][1] - 1
    row = bench.levels.live.compiled.universes.index(at.universe) * 512 + address - 1
    for said, sends, sign in (
        ("Keep the limits", 127, False),
        ("Send beyond them this once", 255, True),
    ):
        bench.proving._past.clear()
        heard = answer_question(said)
        bench.proving.begin(
            lambda: ProveSlot(bench.show, bench.levels.live, 0.0, at.universe, address)
        )
        assert heard == ["Limits apply"] and bench.levels.live.frame[row] == sends
        window.output.on = True
        assert ("Beyond the limits of " in "".join(t for t, _ in window.output.words())) == sign
        window.output.on = False
        bench.proving.end()
        assert bench.levels.live.frame[row] <= 127 and not bench.proving.past_numbers
