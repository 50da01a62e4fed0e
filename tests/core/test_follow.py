"""The patch keeps what it says it keeps: further addresses, breaks apart and room, through modes, profiles and re-addressing."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from isthmus.demo import lantern_tide
from isthmus.patch import edits
from isthmus.patch.add import with_profile
from isthmus.patch.cells import write_cells
from isthmus.patch.follow import grown
from isthmus.patch.index import index_of
from isthmus.patch.readdress import Wanted, readdress
from isthmus.patch.replace import KEPT, LOST, replace_type
from isthmus.patch.swap_profile import swap_profile
from isthmus.profiles import chart, profiles_of
from isthmus.profiles.gdtf import write_gdtf
from isthmus.profiles.make.generic import usual_profiles
from isthmus.profiles.store import stored_of
from isthmus.show import Show
from isthmus.show.records import Patched, Unit

DEMO = lantern_tide()


def spots(show: Show, unit: str) -> list[tuple[int, int, int, int]]:
    return [(p.universe, p.address, p.block, p.room) for p in index_of(show).by_id[unit].patch]


def with_patch(show: Show, unit: str, *patch: Patched) -> Show:
    return replace(
        show, units=tuple(replace(u, patch=patch) if u.id == unit else u for u in show.units)
    )


def test_another_mode_keeps_every_address_and_the_room_and_asks_where_it_grows_into_a_neighbour() -> (
    None
):
    at = [Patched(universe=7, address=1, room=40), Patched(universe=8, address=101)]
    show = with_patch(DEMO, "u201", *at)  # one number at two places
    modes = [m.name for m in profiles_of(show).mode_of(index_of(show).by_id["u201"])[0].modes]
    now = index_of(show).by_id["u201"].mode
    other = next(m for m in modes if m != now)
    for after in (
        edits.set_mode(show, ["u201"], other),
        replace_type(show, ["u201"], _stored(show, "u201"), other).show,
    ):
        assert [s[:2] for s in spots(after, "u201")] == [(7, 1), (8, 101)] and spots(after, "u201")[
            0
        ][3] == 40
    wide = max(modes, key=lambda m: chart(*_mode(show, "u201", m)).footprint)
    narrow = min(modes, key=lambda m: chart(*_mode(show, "u201", m)).footprint)
    small = chart(*_mode(show, "u201", narrow)).footprint
    show = with_patch(
        edits.set_mode(show, ["u201"], narrow), "u201", Patched(universe=7, address=1)
    )
    show = with_patch(show, "u202", Patched(universe=7, address=1 + small))
    written = write_cells(show, [("u201", "mode", wide)])
    assert written.placing is not None and [u.id for u in written.placing.in_the_way] == ["u202"]
    room = next(w for w in written.placing.ways if w.key == "room").show
    assert not index_of(room).universe(7).clashes and index_of(room).by_id["u201"].mode == wide
    edge = with_patch(show, "u201", Patched(universe=7, address=513 - small))
    with pytest.raises(Exception, match="run past 512"):
        edits.set_mode(edge, ["u201"], wide)


def _stored(show: Show, unit: str):
    return next(p for p in show.profiles if p.key == index_of(show).by_id[unit].profile)


def _mode(show: Show, unit: str, name: str):
    profile = profiles_of(show).profiles[index_of(show).by_id[unit].profile]
    return profile, profile.mode(name)


def two_breaks(name: str, first: int, second: int):
    """A profile whose mode takes channels in two DMX breaks."""
    profile = next(p for p in usual_profiles() if "Dimmer" in p.name)
    mode = profile.modes[0]
    one = mode.channels[0]
    channels = tuple(
        replace(
            one,
            block=block,
            offsets=(n,),
            logical=(replace(one.logical[0], attribute=f"Dimmer{n}" if n else "Dimmer"),),
        )
        for block, count in ((1, first), (2, second))
        for n in range(1, count + 1)
    )
    made = replace(
        profile, name=name, id="", modes=(replace(mode, name="Both", channels=channels),)
    )
    return stored_of(made, write_gdtf(made))


@pytest.mark.slow
@given(
    st.lists(
        st.tuples(st.integers(1, 5), st.integers(1, 400)), min_size=1, max_size=4, unique=True
    ),
    st.booleans(),
)
def test_breaks_apart_stay_apart_whatever_takes_their_place(
    places: list[tuple[int, int]], locked: bool
) -> None:
    old, new = two_breaks("Old", 6, 4), two_breaks("New", 5, 7)
    show = with_profile(with_profile(Show(), old), new)
    patch = [
        Patched(universe=10 * i + u, address=a, block=block)
        for i, (u, a) in enumerate(places)
        for block in (1, 2)
        for u in [u + 5 * block]
    ]
    show = replace(
        show,
        units=(
            Unit(id="a", number=1, profile=old.key, mode="Both", patch=tuple(patch), locked=locked),
        ),
    )
    for after in (
        replace_type(show, ["a"], new, "Both").show,
        swap_profile(show, old.key, new, ["a"]),
    ):
        assert [(p.universe, p.address, p.block) for p in index_of(after).by_id["a"].patch] == [
            (p.universe, p.address, p.block) for p in patch
        ]
    lines = replace_type(show, ["a"], new, "Both").lines
    assert lines[0][1] == KEPT and LOST not in {line[1] for line in lines}


def test_an_adapted_profile_that_is_longer_asks_about_its_neighbours() -> None:
    unit = index_of(DEMO).by_id["u201"]
    longer = two_breaks("Longer", 300, 1)
    after = swap_profile(DEMO, unit.profile, longer)
    users = [u.id for u in DEMO.units if u.profile == unit.profile]
    assert len(grown(DEMO, after, users).in_the_way) > 0


def test_room_is_respected_and_carried_and_a_long_mode_finds_places_for_its_breaks() -> None:
    show = with_patch(DEMO, "u101", Patched(universe=1, address=1, room=200))
    show = edits.set_locked(show, ["u101"], True)
    show = with_patch(show, "u102", replace(index_of(show).by_id["u102"].patch[0], room=60))
    plan = readdress(show, Wanted("pack"))
    after = index_of(plan.show)
    kept = [
        (u.number, p.address)
        for u in plan.show.units
        for p in u.patch
        if p.universe == 1 and u.id != "u101" and p.address <= 200
    ]
    assert kept == [] and after.by_id["u102"].patch[0].room == 60
    start = after.by_id["u102"].patch[0]
    inside = [
        s
        for s in after.universe(start.universe).spans
        if s.unit != "u102" and start.address <= s.start < start.address + 60
    ]
    assert inside == []
    long = two_breaks("Long", 400, 300)
    show = with_profile(DEMO, long)
    show = replace(
        show, units=(*show.units, Unit(id="long", number=900, profile=long.key, mode="Both"))
    )
    placed = edits.address_next_free(show, ["long"])
    spans = index_of(placed).spans["long"]
    assert [s.length for s in spans] == [400, 300] and all(s.end <= 512 for s in spans)
    assert not [
        c
        for s in spans
        for c in index_of(placed).universe(s.universe).clashes
        if "long" in (c.a.unit, c.b.unit)
    ]
