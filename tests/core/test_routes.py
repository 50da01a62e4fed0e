"""Routes in the core: edits, proposals, what reaches what, what is composed for the engine, and proving a route."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from isthmus.check import prove
from isthmus.demo import as_hung, lantern_tide
from isthmus.engine import SACN, SACN_PRIORITY
from isthmus.errors import EntryFault
from isthmus.output import Composer, Live, Masters, compile_show, engine_routes, identity
from isthmus.output.masters import DARK, HOLD, LIVE, row_of
from isthmus.output.turns import Clock
from isthmus.routes import Reach, notations, propose, read_hosts, read_number, write_number
from isthmus.routes import edits as core
from isthmus.routes.propose import BY_CAPACITY
from isthmus.show.records import Node, Output, Show
from isthmus.snags import find_snags
from isthmus.wire import sacn

outputs = st.builds(
    Output,
    id=st.uuids().map(lambda u: u.hex[:12]),
    universe=st.integers(1, 40),
    protocol=st.sampled_from(["artnet", "sacn"]),
    delivery=st.sampled_from(["unicast", "asked", "broadcast", "multicast"]),
    host=st.sampled_from(["", "127.0.0.2", "127.0.0.3"]),
    port_address=st.integers(-1, 40),
    sacn=st.integers(0, 40),
    priority=st.integers(0, 210),
    enabled=st.booleans(),
)


def fits(o: Output) -> bool:
    """What the standards allow, written out again."""
    ways = {"artnet": ("unicast", "asked", "broadcast"), "sacn": ("unicast", "multicast")}
    return (
        o.delivery in ways[o.protocol]
        and o.priority <= 200
        and (o.delivery != "unicast" or bool(o.host))
        and (o.protocol == "sacn" or o.port_address >= 0)
    )


@given(
    st.lists(outputs, max_size=12),
    st.lists(
        st.tuples(
            st.integers(0, 11),
            st.sampled_from(["port_address", "priority", "universe"]),
            st.integers(-2, 260),
        ),
        max_size=8,
    ),
)
@settings(max_examples=20)
def test_any_run_of_edits_leaves_only_outputs_that_can_be_and_no_two_alike(
    added: list[Output], changes: list[tuple[int, str, int]]
) -> None:
    show = Show()
    for output in added:
        try:
            show = core.add(show, output)
        except EntryFault:
            assert not fits(output) or core.place(output) in {core.place(o) for o in show.outputs}
        else:
            assert fits(output)
    for at, name, value in changes:
        if at < len(show.outputs):
            before = show
            try:
                show = core.change_output(show, show.outputs[at].id, **{name: value})
            except EntryFault as error:
                assert show is before and str(error)
    assert len({core.place(o) for o in show.outputs}) == len(show.outputs) and all(
        map(fits, show.outputs)
    )
    for output in show.outputs:
        turned = "sacn" if output.protocol == "artnet" else "artnet"
        try:
            other = (
                core.change_protocol(show, {output.id}, turned) if output.universe <= 40 else show
            )
        except EntryFault as error:  # the universe goes there already
            assert "already" in str(error) and any(
                o.universe == output.universe and o.protocol == turned for o in show.outputs
            )
            continue
        assert all(map(fits, other.outputs))


def test_numbers_count_on_with_gaps_and_nothing_changes_when_one_cannot_be() -> None:
    show = core.add(
        Show(),
        *(Output(id=f"o{n}", universe=n, host="2.0.0.5", port_address=n) for n in range(1, 6)),
    )
    numbered = core.number_in_order(
        show, ["o3", "o2", "o1"], 1, 2
    )  # they pass through each other's numbers
    assert [o.number for o in numbered.outputs] == [5, 3, 1, 4, 5]
    for first, step in ((0x7FFE, 1), (5, 0)):
        with pytest.raises(EntryFault):
            core.number_in_order(show, ["o1", "o2", "o3"], first, step)
    node = Node(id="n", name="Ferry", ip="2.0.0.5", ports=tuple(range(10, 18)))
    targets = Reach(replace(Show(), nodes=(node,))).ports
    assigned = core.assign_in_order(replace(Show(), nodes=(node,)), [1, 2, 3], targets, leave=1)
    assert [o.number for o in assigned.outputs] == [10, 12, 14]
    with pytest.raises(EntryFault, match="need as many ports"):
        core.assign_in_order(replace(Show(), nodes=(node,)), [1, 2, 3], targets, leave=3)
    assert read_hosts("2.0.0.5, 2.0.0.6;2.0.0.5") == ("2.0.0.5", "2.0.0.6")
    assert dict(notations(20)) == {
        "Universe": "20",
        "sACN": "20",
        "Art-Net": "0.1.3",
        "Port-address": "19",
    }
    for protocol, number in (("artnet", 19), ("sacn", 20)):
        assert read_number(protocol, write_number(protocol, number).rsplit(" ", 1)[1]) == number


def test_routes_are_proposed_where_units_hang_and_within_what_a_node_takes() -> None:
    show = replace(as_hung(), outputs=())
    masts = Node(
        id="m", name="One", ip="127.0.0.5", place="by the mast, upper and lower", ports=(5, 6, 7)
    )
    house = Node(
        id="h", name="Two", ip="127.0.0.6", place="boathouse, waterline", ports=(8, 9, 10), cap=1
    )
    routed = propose(replace(show, nodes=(house, masts)))
    assert {o.universe: o.host for o in routed.outputs}[1] == "127.0.0.5" and len(
        routed.outputs
    ) == 4
    assert sum(o.host == "127.0.0.6" for o in routed.outputs) == 1  # it takes no more
    by_room = propose(replace(show, nodes=(house, masts)), BY_CAPACITY)
    assert [o.host for o in by_room.outputs] == ["127.0.0.5"] * 3 + ["127.0.0.6"]
    standing_by = propose(replace(show, nodes=(replace(masts, spare=True), house)))
    assert {o.host for o in standing_by.outputs} == {"127.0.0.6"}
    with pytest.raises(EntryFault, match="an output already"):
        propose(routed)


@pytest.mark.parametrize(
    ("rule", "make", "fixes"),
    [
        ("off-by-one", lambda s: core.change_output(s, "o3", port_address=18), True),
        ("port-input", lambda s: core.change_node(s, "ferry-a", inputs=(1,)), False),
        ("over-cap", lambda s: core.change_node(s, "ferry-a", cap=1), False),
        ("doubled-port", lambda s: core.add_output(s, 4, "127.0.0.2", 0), False),
        ("stray-output", lambda s: core.change_output(s, "o1", port_address=99), False),
    ],
)
def test_each_trouble_of_routes_is_told_and_ends(rule: str, make, fixes: bool) -> None:
    show = lantern_tide()
    assert rule not in {s.rule for s in find_snags(show)}
    broken = make(show)
    snag = next(s for s in find_snags(broken) if s.rule == rule)
    assert bool(snag.fix) == fixes
    if snag.fix:
        assert rule not in {s.rule for s in find_snags(snag.fix.edit(broken))}
    if rule == "doubled-port":
        noted = core.change_output(
            broken, broken.outputs[-1].id, merge="house lights and show share it"
        )
        assert rule not in {s.rule for s in find_snags(noted)}


# ---------------------------------------------------------------- what is composed


@pytest.fixture
def live() -> Live:
    made = Live(lantern_tide())
    made.light_up(["u101", "u201"])
    return made


def sent(composer: Composer, live: Live, output: str) -> np.ndarray:
    """The slots an output's first route carries."""
    frame, routes = composer.compose(live.show, live)
    number = next(o.number for o in live.show.outputs if o.id == output)
    return row_of(frame, next(r.row for r in routes if r.number == number))


def test_dark_puts_lights_out_and_leaves_heads_hold_goes_on_and_live_is_as_before(
    live: Live,
) -> None:
    composer = Composer(Masters())
    bright = sent(composer, live, "o1").copy()
    composer.masters.set(DARK, output="o1")
    dark = sent(composer, live, "o1")
    pan_and_dimmer = (0, 4)  # of unit 101: pan and dimmer are slots 1 and 5
    assert (
        [int(bright[i]) for i in pan_and_dimmer] == [int(dark[0]), 255]
        and dark[4] == 0
        and bright[0] == dark[0] > 0
    )
    assert (sent(composer, live, "o2") == row_of(live.frame, 1)).all()  # the others go on
    composer.masters.set(LIVE, output="o1")
    composer.masters.set(HOLD, universe=1)
    assert (sent(composer, live, "o1") == bright).all()
    live.restore({})
    assert (sent(composer, live, "o1") == bright).all() and not (
        sent(composer, live, "o2") == bright
    ).all()
    composer.masters.set(LIVE, universe=1)
    assert (sent(composer, live, "o1") == row_of(live.frame, 0)).all()
    live.light_up(["u401"])
    composer.masters.set(HOLD, universe=1)
    assert (
        sent(composer, live, "o1") == row_of(live.frame, 0)
    ).all()  # what was held before is forgotten
    composer.masters.set(DARK)
    assert {composer.masters.of(o) for o in live.show.outputs} == {DARK}


def test_each_way_of_sending_becomes_its_routes() -> None:
    show = replace(lantern_tide(), outputs=())
    show = core.add(
        show,
        Output(
            id="m",
            universe=1,
            protocol="sacn",
            delivery="multicast",
            priority=120,
            sync=9,
            preview=True,
            per_address=True,
        ),
        Output(
            id="u",
            universe=2,
            protocol="sacn",
            sacn=77,
            host="127.0.0.5",
            more_hosts=("127.0.0.6",),
        ),
        Output(id="a", universe=3, delivery="asked", port_address=16),
        Output(id="b", universe=4, delivery="broadcast", port_address=5),
        Output(id="off", universe=4, host="127.0.0.9", port_address=6, enabled=False),
    )
    composer, live = Composer(Masters()), Live(show)
    composer.asking, composer.broadcast = {16: ("127.0.0.3", "127.0.0.4")}, "2.255.255.255"
    frame, routes = composer.compose(show, live)
    plain = {(r.kind, r.number, r.host, r.port) for r in routes}
    assert plain == {
        (SACN, 1, "239.255.0.1", 5568), (SACN_PRIORITY, 1, "239.255.0.1", 5568), (SACN, 77, "127.0.0.5", 5568), (SACN, 77, "127.0.0.6", 5568),
        (0, 16, "127.0.0.3", 6454), (0, 16, "127.0.0.4", 6454), (0, 5, "2.255.255.255", 6454),
    }  # fmt: skip
    first = next(r for r in routes if r.kind == SACN and r.number == 1)
    assert (first.priority, first.sync, first.options) == (120, 9, sacn.PREVIEW)
    by_slot = row_of(frame, next(r.row for r in routes if r.kind == SACN_PRIORITY))
    owned = np.zeros(512, bool)
    for unit in show.units:
        for p in unit.patch if unit.number in range(101, 111) else ():
            owned[p.address - 1 : p.address - 1 + (21 if unit.number < 107 else 12)] = True
    assert set(by_slot[owned]) == {120} and by_slot[~owned].max() == 0
    composer.asking = {}
    assert not [
        r for r in composer.compose(show, live)[1] if r.number == 16
    ]  # no one asks: nothing is sent
    assert engine_routes(show, compile_show(show))[0].number == 1


def test_a_show_has_one_identity_whoever_opens_it_and_its_own_where_it_has_one() -> None:
    show = lantern_tide()
    assert (
        identity(show) == identity(lantern_tide())
        and len(identity(show).cid) == 16
        and identity(show).source == "Lantern Tide"
    )
    own = replace(show, sending=replace(show.sending, cid="00" * 15 + "07", source="Quay"))
    assert identity(own).cid == bytes(15) + b"\7" and identity(own).source == "Quay"
    for rate in (0, 45, 1000):
        with pytest.raises(EntryFault, match="cannot be sent at"):
            core.change_sending(show, artnet_rate=rate)


# ---------------------------------------------------------------- proving


@given(st.integers(1, 63999))
def test_a_flashed_number_can_be_read_back(universe: int) -> None:
    """An observer counts flashes between long gaps."""
    digits, count = "", 0
    for on, seconds in prove.flashes(universe):
        if on:
            count = 0 if seconds == prove.LONG else count + 1
            zero = seconds == prove.LONG
        elif seconds > prove.DARK:
            digits += "0" if zero else str(count)
            count = 0
    assert digits == str(universe)


@given(st.lists(st.sampled_from([0.25, 0.7, 0.9, 1.6]), min_size=1, max_size=20), st.floats(0, 100))
def test_steps_take_turns_as_counting_them_off_says(seconds: list[float], gone: float) -> None:
    """Counted off one by one, on and on, as a person with a watch would."""
    clock, left, at = Clock(1000.0, tuple(seconds)), gone, 0
    while left >= seconds[at]:
        left, at = left - seconds[at], (at + 1) % len(seconds)
    step, share = clock.at(1000.0 + gone)
    along = min(left, seconds[at] - left)  # how far from a change, where rounding decides
    if along > 1e-6:
        assert step == at and share == pytest.approx(left / seconds[at], abs=1e-6)
        if len(seconds) > 1:
            assert clock.ends(1000.0 + gone) == pytest.approx(1000.0 + gone + seconds[at] - left)


def test_a_proof_lights_what_it_says_and_gives_everything_back(live: Live) -> None:
    show, before, frame = live.show, live.snapshot(), live.frame.copy()

    def lit() -> set[int]:
        return {p.universe for u in show.units if u.id in live.lit() for p in u.patch}

    for made, universes in (
        (prove.ProveNumber(show, live, 0.0, 2), {2}),
        (prove.ProveUnit(show, live, 0.0, "u401"), {3}),
        (prove.ProveChase(show, live, 0.0, [2, 3]), {2}),
    ):
        assert made.step(0.0) and lit() == universes and made.words
        assert not made.step(0.0)
        made.end()
        assert live.snapshot() == before and (live.frame == frame).all()
    chase = prove.ProveChase(show, live, 0.0, [2, 3])
    chase.step(0.0)
    assert chase.step(prove.STEP + 0.1) and lit() == {3} and "2 of 2" in chase.words
    chase.end()
    slot = prove.ProveSlot(show, live, 0.0, 3, 512)
    slot.step(0.0)
    assert (
        row_of(live.frame, 2)[511] == 255 and (row_of(live.frame, 0) == row_of(frame, 0)).all()
    )  # nothing else moves
    slot.end()
    assert (live.frame == frame).all()
    bare = core.add_output(show, 30, "127.0.0.2", 9)
    live.set_show(bare)
    number = prove.ProveNumber(bare, live, 0.0, 30)
    number.step(0.0)
    assert (
        row_of(live.frame, live.compiled.universes.index(30)) == 255
    ).all()  # nothing is patched there: every slot
    number.end()
    assert not live.frame[-512:].any()
    with pytest.raises(EntryFault):
        prove.ProveSlot(show, live, 0.0, 1, 513)
