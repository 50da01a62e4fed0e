"""The hunt: at most ten looks, the first with everything lit, one lie forgiven, several at once by codes, and never a value that is not safe."""

from __future__ import annotations

from collections import Counter

import numpy as np
import pytest
from benchmarks.hunted import KINDS, hunted, rig_of
from benchmarks.watchers import Watcher
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from isthmus.check import mark
from isthmus.check.codes import Spelt, light_code, where_found
from isthmus.check.findings.fixes import block_as_hung
from isthmus.check.findings.ruled_out import ruled_out
from isthmus.check.hunt import Hunt
from isthmus.check.hunt_asked import BITS, NO, UNSURE, YES, Place
from isthmus.check.hunt_slots import levels
from isthmus.check.safe import column_bytes
from isthmus.demo import as_hung, lantern_tide
from isthmus.errors import EntryFault
from isthmus.profiles import light_program, profiles_of
from isthmus.profiles.gdtf import write_gdtf
from isthmus.profiles.make import Body, Channel, ModePlan, compose
from isthmus.profiles.store import stored_of
from isthmus.show.records import Patched, Show, Unit

UNITS = ("u101", "u107", "u201", "u221", "u301", "u311", "u401", "u411", "u421", "u441")


def program(show, unit: str, mode: str = ""):
    profile, own = profiles_of(show).mode_of(show.unit(unit)) or (None, None)
    assert profile is not None and own is not None
    return light_program(profile, profile.mode(mode) if mode else own)


def lights(hunt: Hunt, look, universe: int, address: int, mode: str = "") -> bool:
    """Whether a unit that really listens there gives light, by its own profile alone, as a meter sees it."""
    made = program(hunt.show, hunt.unit.id, mode)
    slots = [[look.slots.get((universe, address + i), 0) for i in range(made.width)]]
    return hunt.measured([float(levels(made, np.array(slots, np.uint8))[0])]) == YES


@pytest.mark.parametrize("kind", sorted(KINDS))
@pytest.mark.parametrize("flashing", [False, True], ids=["yes or no", "flashes"])
def test_any_address_is_found_whatever_a_person_takes_for_light(kind: str, flashing: bool) -> None:
    """By light and people that share nothing with the program."""
    chance = np.random.default_rng(20261201)
    show, physics = rig_of(kind), KINDS[kind][1]
    ends: Counter[str] = Counter()
    looks = []
    for one in range(8):
        hunt = Hunt(show, "u1", flashing=flashing)
        at = (1, int(chance.integers(1, 505)))
        ends[hunted(hunt, physics, Watcher(chance, literal=one % 2 > 0), at)] += 1
        looks.append(hunt.used)
        assert not hunt.doubted  # no answer was wrong
        assert {place.address - at[1] for place in hunt.found} in ({0}, {-1, 0}, {0, 1})
    # three emitters without a dimmer glimmer at each other's slots: two neighbours remain
    assert ends == ({"remain": 8} if kind == "three" else {"right": 8}), ends
    most = (8 if kind == "three" else 6) if flashing else 14
    assert max(looks) <= most  # the first shows whether it lights at all
    dead = Hunt(show, "u1", flashing=flashing)
    assert hunted(dead, physics, Watcher(chance), None) == "right" and dead.used == 1


@pytest.mark.parametrize("flashing", [False, True], ids=["yes or no", "flashes"])
def test_answers_that_slip_lead_to_no_wrong_address(flashing: bool) -> None:
    chance = np.random.default_rng(15)
    looks = []
    show, physics = rig_of("dimmed"), KINDS["dimmed"][1]
    ends: Counter[str] = Counter()
    for one in range(8):
        at = (1, int(chance.integers(1, 505)))
        hunt = Hunt(show, "u1", lies=1, flashing=flashing)
        ends[hunted(hunt, physics, Watcher(chance, 15, one % 2 > 0), at)] += 1
        if hunt.found:
            best = hunt.found[0]
            assert all(
                not hunt.asked[at][0].may[hunt.places.index(best)] & BITS[hunt.asked[at][1]]
                for at in hunt.doubted
            )
        looks.append(hunt.used)
    assert not ends["wrong"] and ends["right"] + ends["remain"] == 8, ends
    assert not flashing or np.median(looks) <= 9


@given(st.sampled_from(UNITS), st.integers(1, 400), st.sampled_from([1, 2, 3]))
@settings(max_examples=8)
def test_it_is_found_across_universes_and_with_its_mode_unknown(
    unit: str, address: int, universe: int
) -> None:
    show = lantern_tide()
    modes = [m.name for m in profiles_of(show).mode_of(show.unit(unit))[0].modes]
    mode = modes[address % len(modes)]
    try:
        hunt = Hunt(show, unit, (1, 2, 3), any_mode=True)
    except EntryFault:
        return
    while (look := hunt.look()) is not None:
        hunt.answer(look, YES if lights(hunt, look, universe, address, mode) else NO)
    there = Place(universe, address, mode)
    mute = hunt._full[hunt.places.index(there)] < 0.02 * hunt.bright
    assert there in hunt.found or (mute and hunt.dark)
    assert hunt.used <= 20


def test_modes_that_light_at_the_same_slot_remain_side_by_side() -> None:
    show = lantern_tide()
    for mode, address in (("Full", 100), ("Short", 101)):
        hunt = Hunt(show, "u101", any_mode=True)
        while (look := hunt.look()) is not None:
            hunt.answer(look, YES if lights(hunt, look, 1, address, mode) else NO)
        left = [(p.address, p.mode) for p in hunt.found]
        assert (address, mode) in left and len(left) <= 2 and hunt.used <= 14


def test_verdicts_rule_out_places_and_save_looks() -> None:
    """A unit that stayed dark while a whole universe was called is at none of the addresses that were lit."""
    show = as_hung()
    for unit in (u for u in show.units if u.patch and u.patch[0].universe == 2):
        show = mark(show, unit.id, "silent" if unit.id == "u203" else "works")
    out = ruled_out(show, "u203")
    hunt, plain = Hunt(show, "u203", leave_out=out), Hunt(show, "u203")
    assert {p.address for p in out} >= {1, 12, 34, 67} and 300 not in {p.address for p in out}
    assert hunt.places and len(hunt.places) < len(plain.places) and hunt.most <= plain.most
    while (look := hunt.look()) is not None:
        hunt.answer(look, YES if lights(hunt, look, 2, 300) else NO)
    assert [p.address for p in hunt.found] == [300] and hunt.used <= hunt.most
    assert ruled_out(show, "u502") == set()


@pytest.mark.parametrize("unit", UNITS)
def test_nothing_is_ever_sent_that_is_not_safe_for_who_stands_there(unit: str) -> None:
    """Of the unit hunted no channel gets a dangerous byte wherever it listens; of others none at its address."""
    show = lantern_tide()
    hunt = Hunt(show, unit, (1, 2, 3))
    own = column_bytes(program(show, unit))
    answers = iter([YES, NO, YES, NO])
    while hunt.used < 4 and (look := hunt.look()) is not None:
        assert own[:, list(set(look.slots.values()))].all()
        for other in (u for u in show.units if len(u.patch) == 1):
            found, at = profiles_of(show).mode_of(other), other.patch[0]
            alone = not any(
                p.universe == at.universe and 0 < abs(p.address - at.address) < 40
                for o in show.units
                if o.id != other.id
                for p in o.patch
            )
            if found and alone and at.universe in hunt.universes:
                allowed = column_bytes(light_program(*found))
                for i in range(len(allowed)):
                    byte = look.slots.get((at.universe, at.address + i), 0)
                    assert allowed[i, byte] or not (allowed[i] & own.all(axis=0)).any()
        hunt.answer(look, next(answers))


def test_not_sure_asks_something_else_and_answers_are_taken_back() -> None:
    hunt = Hunt(lantern_tide(), "u203")
    first = hunt.look()
    hunt.answer(first, UNSURE)
    second = hunt.look()
    assert hunt.used == 0 and second.slots != first.slots
    hunt.answer(second, YES)
    left = hunt.look().count
    hunt.take_back()
    assert hunt.look().count > left and not hunt.found
    with pytest.raises(EntryFault):
        hunt.answer(second, "maybe")


def test_answers_that_contradict_are_told_as_such() -> None:
    hunt = Hunt(lantern_tide(), "u203")
    look = hunt.look()
    hunt.answer(look, YES)
    hunt.answer(look, NO)
    assert hunt.contradicts and not hunt.found


def test_what_cannot_be_hunted_says_why() -> None:
    show = lantern_tide()
    unknown = replace(
        show, units=tuple(replace(u, profile="gone") if u.id == "u101" else u for u in show.units)
    )
    for broken, unit in ((unknown, "u101"), (show, "u501"), (show, "u502"), (show, "no one")):
        with pytest.raises(EntryFault):
            Hunt(broken, unit)
    profile, mode = profiles_of(show).mode_of(show.unit("u101")) or pytest.fail("no mode")
    *first, last = mode.channels
    apart = replace(
        profile, modes=(replace(mode, channels=(*first, replace(last, block=2, offsets=(1,)))),)
    )
    stored = stored_of(apart, write_gdtf(apart))
    scattered = replace(
        show, profiles=tuple(stored if p.key == stored.key else p for p in show.profiles)
    )
    for begin in (lambda: Hunt(scattered, "u101"), lambda: light_code(scattered, ["u101", "u102"])):
        with pytest.raises(EntryFault, match="several addresses at once"):
            begin()


@pytest.mark.parametrize("apart", [True, False], ids=["two universes", "one universe"])
def test_a_unit_of_two_breaks_is_hunted_break_by_break(apart: bool) -> None:
    """A dimmer at one address, three emitters at another: its light by hand."""
    second = 2 if apart else 1
    emitters = tuple(Channel(f"ColorAdd_{c}") for c in "RGB")
    plan = ModePlan("Own", (Channel("Dimmer"), *emitters), blocks=(1, 2, 2, 2))
    profile = compose("Reed and Oar", "Double", Body("can"), [plan])
    stored = stored_of(profile, write_gdtf(profile))
    patch = (Patched(universe=1, address=7), Patched(block=2, universe=second, address=100))
    unit = Unit(id="u1", number=1, profile=stored.key, mode="Own", patch=patch)
    show = replace(Show(), profiles=(stored,), units=(unit,))
    with pytest.raises(EntryFault, match="several addresses"):
        Hunt(show, "u1")

    def hunted_at(block: int, real: tuple[tuple[int, int], tuple[int, int]]) -> list[int]:
        hunt = Hunt(show, "u1", block=block)
        while (look := hunt.look()) is not None and hunt.used < 30:
            (a, dimmer), (b, first) = real
            red, green, blue = (look.slots.get((b, first + i), 0) for i in range(3))
            mixed = 0.22 * red + 0.7 * green + 0.08 * blue
            light = look.slots.get((a, dimmer), 0) / 255 * mixed / 255
            hunt.answer(look, YES if light > 0.1 else NO)
        return [] if hunt.dark else [place.address for place in hunt.found]

    assert hunted_at(1, ((1, 321), (second, 100))) == [321]
    assert 250 in hunted_at(2, ((1, 7), (second, 250)))
    assert hunted_at(1, ((3, 321), (second, 100))) == []  # on another line
    edited = block_as_hung(show, "u1", 2, 3, 55).units[0].patch
    assert [(p.block, p.universe, p.address) for p in edited] == [(1, 1, 7), (2, 3, 55)]


@pytest.mark.parametrize(("wrong", "any_mode"), [(0, False), (1, False), (0, True)])
def test_light_codes_tell_several_units_wherever_they_listen_and_who_never_lights(
    wrong: int, any_mode: bool
) -> None:
    """Seen by the units' own profiles alone, in every universe, with a wrong note and one not sure where that is allowed."""
    show = lantern_tide()
    code = light_code(show, ["u101", "u203", "u311"], (1, 2, 3), any_mode, wrong)
    frames = [code.slots(picture) for picture in range(len(code.pictures))]
    assert len(frames) <= (40 if wrong else 22)
    for other in (u for u in show.units if u.patch):  # whoever hears it stays safe
        found = profiles_of(show).mode_of(other)
        assert found is None or column_bytes(light_program(*found))[:, code.value].all()
    chance = np.random.default_rng(5)
    for coded in code.units:
        for _ in range(12):
            place = coded.places[chance.integers(len(coded.places))]
            made = program(show, coded.unit.id, place.mode)
            rows = [
                [f[(place.universe, place.address + i)] for i in range(made.width)] for f in frames
            ]
            full = float(levels(made, np.full((1, made.width), code.value, np.uint8))[0])
            seen: list[bool | None] = [
                bool(level > full / 2) for level in levels(made, np.array(rows, np.uint8))
            ]
            if wrong:
                at = int(chance.integers(len(seen)))
                seen[at] = not seen[at]
            spelt = code.read(coded.unit.id, seen)
            assert spelt.places == (place,) and not spelt.dark and spelt.off == wrong
            if wrong:
                seen[at] = None
                assert code.read(coded.unit.id, seen).places == (place,)
        assert (
            code.read(coded.unit.id, [False] * len(frames)).dark
            and not code.read(coded.unit.id, [False] * len(frames)).places
        )


def test_what_light_codes_found_is_taken_but_for_two_at_one_address() -> None:
    show = lantern_tide()
    units = {u.number: u for u in show.units}
    at = Place(2, 300, "Short")
    there = Place(2, units[205].patch[0].address, units[205].mode)
    spelt = [
        Spelt((at,)),
        Spelt((at,)),
        Spelt((there,)),
        Spelt((Place(1, 7, "Short"),)),
        Spelt((at, there)),
        Spelt(dark=True),
    ]
    targets, doubles = where_found(
        list(zip((units[n] for n in (201, 202, 205, 206, 207, 208)), spelt, strict=True))
    )
    assert targets == {"u206": ("Short", 1, 7)} and doubles == [[units[201], units[202]]]
