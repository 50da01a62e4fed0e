"""What of another show is taken into ours: judged by what both showed before, and by a walk over all
that a show refers to.
"""

from __future__ import annotations

import json
import random
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from test_compare import WHOLE, edited

from helpers.tools import answer, command
from isthmus.bringing import Wanted, choose, plan
from isthmus.bringing.wanted import everything
from isthmus.compare.references import KEYS, key_of, references, renamed_show
from isthmus.errors import EntryFault
from isthmus.patch.groups import members
from isthmus.patch.limits import set_limit
from isthmus.show import Show, open_show, save_show
from isthmus.show.records import LookLine, Patched, Wish, new_id
from isthmus.show.versions import without_versions


def dangling(show: Show) -> set[tuple[str, str]]:
    there = {(kind, key_of(kind, x)) for kind in KEYS for x in getattr(show, kind)}
    return {one for one in references(show) if one not in there and one[0] != "profiles"}


def doubled(show: Show) -> list[tuple[str, str]]:
    keys = Counter((kind, key_of(kind, x)) for kind in KEYS for x in getattr(show, kind))
    keys.update(("number", str(u.number)) for u in show.units)
    return [key for key, count in keys.items() if count > 1]


def bare(show: Show) -> Show:
    return without_versions(show)


def strings(value: object, under: str = "") -> Iterator[tuple[str, str]]:
    """Every string of plain JSON with the member it is in; keys of tables too."""
    if isinstance(value, str):
        yield under, value
    elif isinstance(value, dict):
        for name, held in value.items():
            yield "", name
            yield from strings(held, name)
    elif isinstance(value, list):
        for held in value:
            yield from strings(held, under)


def ids_in(show: Show) -> set[str]:
    return {x.id for kind, key in KEYS.items() if key == ("id",) for x in getattr(show, kind)}


def strays(show: Show, once: set[str]) -> set[str]:
    """What still stands in the plain text of a show of ids that are no thing's there: by no table
    of what refers to what.
    """
    said = {text for _, text in strings(json.loads(msgspec.json.encode(bare(show))))}
    return said & once - ids_in(show)


def as_from_elsewhere(show: Show) -> Show:
    """The same show, made by somebody else: no id is the same."""
    kinds = [kind for kind, key in KEYS.items() if key == ("id",)]
    return renamed_show(show, {k: {x.id: new_id() for x in getattr(show, k)} for k in kinds})


def test_nothing_that_refers_to_a_thing_is_missing_in_the_table() -> None:
    """Ids that are no word of anything else are gone from the text when all ids are others."""
    plain = json.loads(msgspec.json.encode(WHOLE))
    words = {
        text for member, text in strings(plain) if member in ("kind", "name", "source", "role")
    }
    known = ids_in(WHOLE) - words
    assert len(known) > 150
    assert not strays(as_from_elsewhere(WHOLE), known)


@given(st.integers(0, 10**6), st.sampled_from(["mine", "theirs", "another", "levels"]))
def test_whatever_comes_leaves_nothing_dangling_and_nothing_doubled(seed: int, how: str) -> None:
    dice = random.Random(seed)
    ours = bare(edited(WHOLE, seed))
    other = edited(WHOLE, seed + 1)
    if dice.random() < 0.5:
        other = as_from_elsewhere(other)
    things = everything(other)
    chosen = frozenset(dice.sample(things, dice.randrange(len(things))))
    wanted = Wanted(
        things=chosen,
        first=dice.choice([None, 5001]),
        close=dice.random() < 0.5,
        addresses=dice.choice(["keep", "off", (300,), (7, 301)]),
        clashes=dict.fromkeys(KEYS, how),
    )
    found = plan(ours, other, wanted)
    assert dangling(found.show) <= dangling(ours)
    assert set(doubled(found.show)) <= set(doubled(ours))
    theirs = ids_in(other) - ids_in(WHOLE)  # made for this, and no word of anything else
    assert strays(found.show, theirs) <= strays(ours, theirs)
    assert chosen <= {one.place for one in found.coming}
    for kind in KEYS:  # nothing of ours goes; only what is taken over is other
        taken = {
            key_of(kind, c.mine)
            for c in found.coming
            if c.kind == kind and c.how in ("theirs", "levels")
        }
        now = {key_of(kind, x): x for x in getattr(found.show, kind)}
        for thing in getattr(ours, kind):
            if key_of(kind, thing) not in taken:
                assert now[key_of(kind, thing)] == thing


def test_a_whole_show_comes_into_an_empty_one_as_it_is() -> None:
    found = plan(Show(), WHOLE, Wanted(things=frozenset(everything(WHOLE))))
    left = {"name", "venue", "sending", "paper", "verdicts", "rounds", "answers", "earlier_papers"}
    for field in Show.__struct_fields__:
        if field not in left | {"versions", "kept", "named_by_file", "extra"}:
            assert getattr(found.show, field) == getattr(WHOLE, field), field
    assert {one.how for one in found.coming} == {"new"}
    assert found.notes == ("2 units would share addresses with others (313, 314).",)  # as in theirs
    again = plan(found.show, as_from_elsewhere(WHOLE), Wanted(things=frozenset(everything(WHOLE))))
    assert again.show == found.show


def test_the_same_show_again_is_alike_whatever_its_ids() -> None:
    other = as_from_elsewhere(WHOLE)
    found = plan(WHOLE, other, Wanted(things=frozenset(everything(other))))
    assert found.show == WHOLE
    assert {one.how for one in found.coming} == {"alike"}


def test_groups_come_with_all_they_need_under_other_numbers() -> None:
    other = as_from_elsewhere(WHOLE)
    by_hand = replace(
        other.groups[0],
        id="hand",
        name="By hand",
        rule="",
        units=tuple(u.id for u in other.units[:9]),
    )
    other = replace(other, groups=(by_hand, *other.groups))
    groups = [g for g in other.groups if members(other, g)][:3]
    wanted = Wanted(
        things=frozenset(("groups", g.id) for g in groups),
        first=3001,
        close=True,
        addresses=(40, 45),
        clashes={"groups": "another"},
    )
    found = plan(WHOLE, other, wanted)
    came = found.show.units[len(WHOLE.units) :]
    theirs = {unit for g in groups for unit in members(other, g)}
    assert [u.number for u in sorted(came, key=lambda u: u.number)] == list(
        range(3001, 3001 + len(theirs))
    )
    assert {p.universe for u in came for p in u.patch} and min(
        p.universe for u in came for p in u.patch
    ) == 40
    fresh = {g.name: g for g in found.show.groups[len(WHOLE.groups) :]}
    for group in groups:  # one by a rule takes them in by itself
        made = fresh.get(group.name) or next(g for g in WHOLE.groups if g.rule == group.rule)
        mine = set(members(found.show, made))
        assert len(mine & {u.id for u in came}) == len(members(other, group))
    why = {one.key: one.why for one in found.coming if one.kind == "units"}
    assert set(why) == theirs and all(words.startswith("for group") for words in why.values())
    # a mode, a structure and a gel of each are there as well
    assert {u.structure for u in came} <= {s.id for s in found.show.structures} | {""}
    assert len(found.show.versions) == 1 and "was brought in" in found.show.versions[0].why


def test_a_look_of_another_rig_is_shown_by_ours_and_its_levels_alone_can_come() -> None:
    [first, second, third, *_] = [u for u in WHOLE.units if u.profile == WHOLE.units[0].profile]
    unit = replace(first, id="theirs", number=9, position=second.position)
    stranger = replace(third, id="nobody", number=10, profile="Made nowhere", position=None)
    line = LookLine(units=("theirs", "nobody"), wish=Wish(intensity=0.4, colour=(0.3, 0.3)))
    [old, *_] = WHOLE.looks
    theirs = replace(old, id="look", lines=(line,), pictures=())
    other = Show(units=(unit, stranger), looks=(theirs,))
    things = frozenset(choose(other, "looks"))
    found = plan(WHOLE, other, Wanted(things=things, clashes={"looks": "another"}))
    [came] = found.show.looks[len(WHOLE.looks) :]
    assert came.lines[0].units == (second.id,) and came.lines[0].wish == line.wish
    assert found.show.units == WHOLE.units and "no stand-in" in found.notes[0]
    chosen = plan(
        WHOLE,
        other,
        Wanted(things=things, clashes={"looks": "another"}, units={"theirs": third.id}),
    )
    assert chosen.show.looks[-1].lines[0].units == (third.id,)
    levels = plan(WHOLE, other, Wanted(things=things, clashes={"looks": "levels"})).show
    mixed = next(look for look in levels.looks if look.id == old.id)
    assert mixed.lines[-1].wish == Wish(intensity=0.4) and mixed.lines[-1].units == (second.id,)
    assert [line.palettes for line in mixed.lines[:-1]] and all(
        line.wish.intensity is None for line in mixed.lines[:-1]
    )


def test_limits_and_curves_come_to_the_units_that_are_there() -> None:
    ours = set_limit(WHOLE, [WHOLE.units[0].id], "Tilt", "-90", "45")
    other = as_from_elsewhere(WHOLE)
    limited = replace(other.units[0], limits=(), note="theirs")
    other = replace(other, units=(limited, *other.units[1:]))
    found = plan(ours, other, Wanted(things=frozenset(choose(other, "limits"))))
    assert found.show.units == (replace(WHOLE.units[0], limits=()), *WHOLE.units[1:])
    assert found.handled == 1


def test_numbers_and_universes_there_are_not_are_told() -> None:
    things = frozenset(choose(WHOLE, "units"))
    with pytest.raises(EntryFault, match="Unit numbers"):
        plan(Show(), WHOLE, Wanted(things=things, first=999_990))
    with pytest.raises(EntryFault, match="Universes"):
        plan(Show(), WHOLE, Wanted(things=things, addresses=(63_999,)))
    with pytest.raises(EntryFault, match="None of its looks"):
        choose(WHOLE, "looks", "no such look")
    kept = plan(Show(), WHOLE, Wanted(things=things, addresses="off")).show
    assert not any(u.patch for u in kept.units)
    crowded = replace(WHOLE.units[0], id="x", number=77_000)
    found = plan(
        WHOLE,
        Show(units=(crowded,), profiles=WHOLE.profiles),
        Wanted(things=frozenset([("units", "x")])),
    )
    assert found.notes == ("1 unit would share addresses with others (77000).",)
    assert isinstance(crowded.patch[0], Patched)


def test_by_command(tmp_path: Path) -> None:
    ours, other = tmp_path / "ours.isthmus", tmp_path / "other.isthmus"
    save_show(Show(name="Empty"), ours)
    save_show(WHOLE, other)
    _, told = answer("bring", str(ours), str(other), "--want", "groups", "--dry-run")
    assert {row["kind"] for row in told["coming"]} >= {"units", "profiles", "groups"}
    assert not open_show(ours).units
    assert command("bring", str(ours), str(other)).returncode == 0
    assert open_show(ours).units == WHOLE.units
    before = open_show(ours)
    done = command(
        *("bring", str(ours), str(other), "--want", "units 101-104", "--first", "7001"),
        *("--addresses", "off"),
    )
    assert done.returncode == 0, done.stderr
    fresh = open_show(ours).units[len(before.units) :]
    assert [u.number for u in fresh] == [7001, 7002, 7003, 7004]
