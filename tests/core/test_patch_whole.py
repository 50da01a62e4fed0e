"""The patch as a whole: who gives way, re-addressing, what is kept up to date after each edit, and both sides of the paper."""

from __future__ import annotations

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from helpers.edits import EDITS
from isthmus.check import mark
from isthmus.demo import as_hung, lantern_tide, shipped_profiles
from isthmus.errors import EntryFault
from isthmus.hanglist import Answers, parse_hang_list
from isthmus.patch import Add, all_spans, clashes, edits, index_of, preview_add
from isthmus.patch.addresses import (
    ALLOW,
    ROOM,
    SWAP,
    TAKE,
    blocks_at,
    moves_between,
    place,
    read_addresses,
)
from isthmus.patch.cells import addresses_continued, continued, replaced, write_cells
from isthmus.patch.choose import complete, read_choice
from isthmus.patch.groups import (
    change_group,
    freeze,
    make_group,
    members,
    move_group,
    propose_groups,
    remove_groups,
)
from isthmus.patch.index import PatchIndex
from isthmus.patch.models import Library
from isthmus.patch.paper import (
    changes_between,
    differences,
    new_revision,
    take_paper_side,
    take_patch_side,
)
from isthmus.patch.readdress import HOWS, Wanted, readdress
from isthmus.patch.replace import KEPT, LOST, MOVED, replace_type
from isthmus.profiles import chart, profiles_of
from isthmus.routes import add_output
from isthmus.show.records import SLOTS, Group, Limit, Patched, Show, Unit
from isthmus.snags import SnagBook, find_snags

SHELF = Library.of(shipped_profiles())


def slots_by_unit(show: Show) -> dict[str, set[tuple[int, int]]]:
    """Every slot of every unit, counted out."""
    return {
        u.id: {
            (s.universe, a) for s in index_of(show).spans[u.id] for a in range(s.start, s.end + 1)
        }
        for u in show.units
    }


def pairs(show: Show) -> set[frozenset[str]]:
    """Units that share a slot, counted out."""
    owners: dict[tuple[int, int], list[str]] = {}
    for unit, slots in slots_by_unit(show).items():
        for slot in slots:
            owners.setdefault(slot, []).append(unit)
    return {frozenset((a, b)) for ids in owners.values() for a in ids for b in ids if a != b}


def scattered(seed: int, units: int = 24) -> Show:
    """Units of many modes at addresses of their own, some locked, some without an address; they may overlap."""
    rng = random.Random(seed)
    show = as_hung()
    made = []
    for unit in rng.sample(show.units, units):
        found = profiles_of(show).mode_of(unit)
        assert found
        size = chart(*found).footprint
        patch = (
            blocks_at(*found, rng.randint(1, 3), rng.randint(1, SLOTS - size + 1))
            if rng.random() < 0.9
            else ()
        )
        made.append(replace(unit, patch=patch, locked=rng.random() < 0.1))
    return replace(show, units=tuple(made))


# ---------------------------------------------------------------- who gives way


@given(st.integers(0, 10**6), st.integers(1, 3), st.integers(1, 480))
@settings(max_examples=15)
def test_an_address_on_others_names_them_and_each_way_out_does_what_it_says(
    seed: int, universe: int, address: int
) -> None:
    show = edits.address_next_free(as_hung(), [])
    rng = random.Random(seed)
    mover = rng.choice([u for u in show.units if u.patch])
    placing = place(show, {mover.id: [(universe, address)]})
    mine = slots_by_unit(placing.show)[mover.id]
    there = {u for u, slots in slots_by_unit(show).items() if u != mover.id and slots & mine}
    assert {u.id for u in placing.in_the_way} == there  # announced exactly
    before = pairs(show)
    assert set(pairs(placing.show) - before) == {frozenset((mover.id, u)) for u in there}
    for way in placing.ways:
        if way.show is None:
            assert way.why_not
            continue
        moved = {m.unit for m in moves_between(show, way.show)} - {mover.id}
        assert moved == ({} if way.key == ALLOW else there) or (
            way.key == ALLOW and not moved
        )  # no one moves who is not in the way
        assert slots_by_unit(way.show)[mover.id] == mine and len(way.show.units) == len(show.units)
        if way.key in (ROOM, SWAP):
            assert not pairs(way.show) - before and all(
                len(slots_by_unit(way.show)[u]) == len(slots_by_unit(show)[u]) for u in there
            )
            assert all(s.end <= SLOTS for u in there for s in index_of(way.show).spans[u])
        if way.key == TAKE:
            assert all(not index_of(way.show).by_id[u].patch for u in there)


def test_a_column_of_addresses_is_one_wish_and_locked_units_stay() -> None:
    show = as_hung()
    turned = write_cells(
        show, [("u201", "address", "2.012"), ("u202", "address", "2.001")]
    )  # they change places: no one is in the way
    assert turned.placing is None and not clashes(all_spans(turned.show))
    first, second = (index_of(turned.show).by_id[i].patch[0].address for i in ("u201", "u202"))
    assert (first, second) == (12, 1)
    locked = edits.set_locked(show, ["u202"], True)
    with pytest.raises(EntryFault, match="locked"):
        write_cells(locked, [("u202", "address", "2.400")])
    placing = place(locked, {"u203": [(2, 12)]})
    assert {w.key for w in placing.ways if w.show is not None} == {
        ALLOW
    } and "202 is locked" in placing.ways[0].why_not
    with pytest.raises(EntryFault, match="cannot be typed"):
        write_cells(show, [("u201", "takes", "9")])


def test_blocks_may_have_addresses_of_their_own_and_one_number_several() -> None:
    show = as_hung()
    twice = place(show, {"u201": read_addresses("2.400, 3.400")}).show
    assert [(p.universe, p.address) for p in index_of(twice).by_id["u201"].patch] == [
        (2, 400),
        (3, 400),
    ]
    assert len({s.universe for s in index_of(twice).spans["u201"]}) == 2
    with pytest.raises(EntryFault, match="run past"):
        place(show, {"u201": [(2, 510)]})
    assert not index_of(place(show, {"u201": []}).show).by_id["u201"].patch


# ---------------------------------------------------------------- adding


@given(
    st.integers(0, 10**6),
    st.sampled_from(["stretch", "gaps", "after", "none"]),
    st.integers(1, 30),
    st.integers(0, 40),
)
@settings(max_examples=10)
def test_units_added_by_gaps_stretch_or_after_the_last_overlap_nobody(
    seed: int, how: str, count: int, more: int
) -> None:
    rng = random.Random(seed)
    show = scattered(seed)
    stored = rng.choice(shipped_profiles())
    profile = profiles_of(Show(profiles=(stored,))).profiles[stored.key]
    mode = rng.choice(profile.modes)
    size = chart(profile, mode).footprint
    wish = Add(
        stored,
        mode.name,
        count,
        2000,
        (1, 1),
        size + more if more else 0,
        place=how,
        keep=bool(more),
    )
    made = preview_add(show, wish)
    fresh = {u.id for u in made.units}
    assert len(fresh) == count and all(s.end <= SLOTS and s.length == size for s in made.spans)
    if how != "stretch" or size * count <= SLOTS:
        assert not {p for p in pairs(made.show) if p & fresh} or how == "stretch"
    assert bool(made.spans) == (how != "none" and size > 0)


def test_numbers_may_be_a_list_and_clashing_ones_are_refused() -> None:
    show = as_hung()
    stored = shipped_profiles()[0]
    mode = profiles_of(show).profiles[stored.key].modes[0].name
    made = preview_add(
        show, Add(stored, mode, numbers=(902, 904, 906), place="after", name="Reed ##")
    )
    assert [(u.number, u.name) for u in made.units] == [
        (902, "Reed 01"),
        (904, "Reed 02"),
        (906, "Reed 03"),
    ]
    with pytest.raises(EntryFault, match="exists already"):
        preview_add(show, Add(stored, mode, numbers=(902, 101)))


# ---------------------------------------------------------------- re-addressing


@given(
    st.integers(0, 10**6),
    st.sampled_from(sorted(HOWS)),
    st.integers(0, 200),
    st.sampled_from([1, 1, 5, 16]),
    st.booleans(),
)
@settings(max_examples=12)
def test_re_addressing_loses_nobody_crosses_no_end_and_done_twice_moves_nobody(
    seed: int, how: str, spare: int, every: int, together: bool
) -> None:
    show = scattered(seed)
    for universe in (1, 2, 3):
        show = add_output(show, universe, f"127.0.0.{1 + universe}", universe)
    wanted = Wanted(how, spare, every, together)
    plan = readdress(show, wanted)
    after = plan.show
    assert [u.id for u in after.units] == [u.id for u in show.units]
    left = {number for number, _ in plan.left}
    placed = {u.id for u in after.units if u.number not in left}
    assert all(
        replace(a, patch=()) == replace(b, patch=())
        for a, b in zip(after.units, show.units, strict=True)
    )
    assert not {p for p in pairs(after) if p & placed}  # whoever has been placed overlaps no one
    spans = index_of(after).spans
    assert all(s.end <= SLOTS and (s.start - 1) % every == 0 for u in placed for s in spans[u])
    assert all(index_of(after).by_id[u.id].patch == u.patch for u in show.units if u.locked)
    for number in {s.universe for u in placed for s in spans[u]}:
        mine = sum(s.length for u in placed for s in spans[u] if s.universe == number)
        assert mine <= SLOTS - spare
    assert {m.unit for m in plan.moves} == {
        u.id for u in after.units if u.patch != index_of(show).by_id[u.id].patch
    }
    again = readdress(after, wanted)
    assert len(again.moves) <= len(plan.moves)
    if how != "port" and not together:
        assert not again.moves


def test_packing_uses_no_more_universes_than_slots_ask_for_and_positions_stay_together() -> None:
    show = as_hung()
    plan = readdress(show, Wanted("pack"))
    assert (
        plan.universes[1] == -(-sum(s.length for s in all_spans(show)) // SLOTS)
        and len(plan.moves) < 30
    )
    spread = readdress(show, Wanted("position")).show
    for name in {u.hangs_on for u in show.units}:
        universes = {p.universe for u in spread.units if u.hangs_on == name for p in u.patch}
        assert len(universes) == 1, name
    with pytest.raises(EntryFault, match="Spare"):
        readdress(show, Wanted(spare=600))


# ---------------------------------------------------------------- kept up to date


@pytest.mark.slow
@given(st.integers(0, 2**32), st.lists(st.sampled_from(sorted(EDITS)), min_size=1, max_size=8))
@settings(max_examples=10)
def test_the_index_and_the_snags_kept_up_to_date_are_those_made_anew(
    seed: int, names: list[str]
) -> None:
    rng = random.Random(seed)
    show, book = lantern_tide(), SnagBook()
    index = PatchIndex.of(show)
    for name in names:
        try:
            show = EDITS[name](show, rng)
        except EntryFault:
            continue
        if rng.random() < 0.3 and show.units:
            show = mark(show, rng.choice(show.units).id, "silent")
        index = index.next(show)
        fresh = PatchIndex.of(show)
        assert (index.spans, index.universes, index.by_id.keys()) == (
            fresh.spans,
            fresh.universes,
            fresh.by_id.keys(),
        )
        assert {n: sorted(ids) for n, ids in index.numbers.items()} == {
            n: sorted(ids) for n, ids in fresh.numbers.items()
        }
        assert sorted(index.clashes(), key=str) == sorted(clashes(all_spans(show)), key=str)
        again = SnagBook().update(show)
        kept = book.update(show)
        told = [(s.rule, s.severity, s.text, sorted(s.units)) for s in kept.snags]
        assert sorted(told) == sorted(
            (s.rule, s.severity, s.text, sorted(s.units)) for s in again.snags
        )
        assert (
            kept.crossing.states == again.crossing.states
            and kept.crossing.done == again.crossing.done
        )


def test_new_rules_speak_and_end_with_their_fix() -> None:
    show = as_hung()
    unit = index_of(show).by_id["u201"]
    room = edits.change_units(
        show, ["u201"], lambda u: replace(u, patch=(replace(u.patch[0], room=20),))
    )
    assert any(
        s.rule == "room-used" and "201" in s.text and "202" in s.text for s in find_snags(room)
    )
    gone = edits.set_text(show, ["u401"], "gel", "Marl 999")
    assert any(s.rule == "gel-unknown" and "Marl 999" in s.text for s in find_snags(gone))
    tied = edits.change_units(
        show, ["u101"], lambda u: replace(u, limits=(Limit(attribute="Tilt", low=0.8, high=1.0),))
    )
    (snag,) = [s for s in find_snags(tied) if s.rule == "limit-home"]
    assert snag.fix and not [s for s in find_snags(snag.fix.edit(tied)) if s.rule == "limit-home"]
    bare = edits.set_text(show, [unit.id], "hangs_on", "")
    assert any(s.rule == "no-position" and "201" in s.text for s in find_snags(bare))


# ---------------------------------------------------------------- replacing, copying, groups


def test_another_mode_keeps_those_that_fit_moves_the_others_and_tells_which() -> None:
    show = edits.change_units(
        as_hung(),
        ["u202"],
        lambda u: replace(u, locked=True, limits=(Limit(attribute="Zoom", high=0.5),)),
    )
    stored = next(s for s in show.profiles if "Lapwing" in s.key)
    found = replace_type(show, ["u201", "u202", "u208"], stored, "Wide")
    told = {number: what for number, what, _ in found.lines}
    assert told == {201: MOVED, 202: LOST, 208: KEPT} or set(told.values()) <= {KEPT, MOVED, LOST}
    assert not pairs(found.show) - pairs(show) and all(
        index_of(found.show).by_id[i].mode == "Wide" for i in ("u201", "u202", "u208")
    )
    copied, ids = edits.copy_units(show, ["u201", "u101"], [801, 802])
    assert [(u.number, u.patch, u.mode) for u in copied.units if u.id in ids] == [
        (801, (), "Short"),
        (802, (), "Full"),
    ]
    with pytest.raises(EntryFault, match="exists already"):
        edits.copy_units(show, ["u201"], [101])


def test_groups_follow_their_rule_nest_freeze_and_end_in_no_circle() -> None:
    show = propose_groups(as_hung())
    rail = next(g for g in show.groups if g.rule == "position:Bow rail")
    more = edits.set_text(show, ["u101"], "hangs_on", "Bow rail")
    assert "u101" in members(more, rail) and "u101" not in members(show, rail)
    frozen = freeze(show, rail.id)
    moved = edits.set_text(frozen, ["u101"], "hangs_on", "Bow rail")
    assert "u101" not in members(moved, next(g for g in moved.groups if g.id == rail.id))
    made = make_group(show, "Moving", ["u101", "u201"])
    moving = made.groups[-1]
    nested = change_group(made, rail.id, parent=moving.id)
    inner = next(g for g in nested.groups if g.id == moving.id)
    assert set(members(nested, inner)) == {"u101", "u201", *members(show, rail)}
    with pytest.raises(EntryFault, match="itself"):
        change_group(nested, moving.id, parent=rail.id)
    circle = replace(
        nested,
        groups=tuple(replace(g, parent=rail.id) if g.id == moving.id else g for g in nested.groups),
    )
    assert set(members(circle, next(g for g in circle.groups if g.id == moving.id))) >= {
        "u101"
    }  # a foreign file may say so
    assert not [g for g in remove_groups(nested, [moving.id]).groups if g.parent]
    assert move_group(show, show.groups[1].id, -1).groups[0].id == show.groups[1].id
    with pytest.raises(EntryFault, match="already"):
        make_group(made, "moving")
    assert read_choice(made, "Moving").ids == ("u101", "u201") and isinstance(moving, Group)


# ---------------------------------------------------------------- what is typed


@given(
    st.sets(st.integers(1, 300), min_size=1),
    st.integers(1, 300),
    st.integers(1, 300),
    st.integers(1, 7),
    st.sets(st.integers(1, 300), max_size=4),
)
def test_ranges_choose_exactly_what_counting_finds(
    numbers: set[int], a: int, b: int, step: int, away: set[int]
) -> None:
    show = Show(units=tuple(Unit(id=f"u{n}", number=n) for n in numbers))
    low, high = sorted((a, b))
    text = f"{low} to {high} step {step}" + (
        f" but {', '.join(map(str, away & numbers))}" if away & numbers else ""
    )
    wanted = [n for n in range(low, high + 1, step) if n in numbers]
    if not wanted:
        with pytest.raises(EntryFault):
            read_choice(show, text)
        return
    found = read_choice(show, text)
    assert [int(u[1:]) for u in found.ids] == [n for n in wanted if n not in away]
    assert found.words.startswith(str(len(found.ids)))


def test_the_grammar_is_forgiving_and_says_what_it_did_not_understand() -> None:
    show = as_hung()
    for text, count in (
        ("all", 66),
        ("all but 101-110", 56),
        ("201-208", 8),
        ("201 – 208", 8),
        ("201..208 , 211", 9),
        ("Skerry", 10),
        ("bow rail", 10),
    ):
        assert len(read_choice(show, text).ids) == count, text
    assert read_choice(show, "301.2").cells == (("u301", 2),)
    for text, says in (
        ("9000", "no unit"),
        ("boathouse", "may be"),
        ("quince", "not a number"),
        ("", "Nothing"),
        ("1-8 step 0", "step"),
    ):
        with pytest.raises(EntryFault, match=says):
            read_choice(show, text)
    assert "101, Bow rail" in complete(show, "101, bow") and "all but Bow rail" in complete(
        show, "all but bow"
    )


def test_series_go_on_as_they_began() -> None:
    assert continued(["Quay 1"], 3) == ["Quay 2", "Quay 3", "Quay 4"] and continued(
        ["5", "10"], 2
    ) == ["15", "20"]
    assert continued(["Reed 08"], 2) == ["Reed 09", "Reed 10"] and continued(
        ["Marl", "Kelp"], 3
    ) == ["Marl", "Kelp", "Marl"]
    show = as_hung()
    ids = ["u201", "u202", "u203", "u204"]
    assert addresses_continued(show, ids, ["5.001"]) == [
        "5.012",
        "5.023",
        "5.034",
    ]  # eleven slots each
    assert addresses_continued(show, ids, ["5.001", "5.021"]) == ["5.041", "5.061"]
    assert addresses_continued(show, ids, ["5.490"])[:2] == [
        "5.501",
        "6.001",
    ]  # 501 to 511 fits, 512 to 522 does not
    cells = replaced(show, ids, ["name", "hangs_on"], "bow", "Stern")
    assert (
        ("u201", "hangs_on", "Stern rail") in cells
        and ("u201", "name", "Stern wash 1") in cells
        and len(cells) == 8
    )


# ---------------------------------------------------------------- paper


@given(st.integers(0, 10**6))
@settings(max_examples=8)
def test_taking_either_side_of_every_difference_ends_them(seed: int) -> None:
    rng = random.Random(seed)
    show = lantern_tide()
    show = edits.set_text(show, [rng.choice(show.units).id], "purpose", "Another")
    show = edits.set_address(
        show, [rng.choice([u.id for u in show.units if u.number < 300])], (7, rng.randint(1, 400))
    )
    show = edits.remove_units(show, {rng.choice(show.units).id})
    found = differences(show)
    paper = take_paper_side(show, found)
    assert {d.field for d in differences(paper)} <= {"missing", "extra"}
    patch = take_patch_side(show, found)
    assert not differences(patch) and patch.units is show.units


def test_a_newer_paper_tells_what_it_changed_and_the_older_is_kept() -> None:
    show = as_hung()
    rows = list(show.paper.rows)
    newer = replace(
        show.paper,
        revision="",
        rows=(replace(rows[0], gel="Marl 34"), replace(rows[1], address=400), *rows[3:]),
    )
    after = new_revision(show, newer)
    assert after.paper.revision == "D" and after.earlier_papers == (show.paper,)
    told = {(c.number, c.field) for c in changes_between(after.earlier_papers[-1], after.paper)}
    assert told == {
        (rows[0].number, "gel"),
        (rows[1].number, "address"),
        (rows[2].number, "missing"),
    }


def test_a_unit_under_another_number_or_without_its_address_is_told_and_taken_either_way() -> None:
    show = edits.set_address(edits.set_number(as_hung(), "u201", 299), ["u202"], None)
    found = differences(show)
    assert [(d.number, d.field, d.paper, d.patch) for d in found] == [
        (202, "address", "2.012", ""),
        (299, "number", "201", "299"),
    ]
    assert take_paper_side(show, found).units == as_hung().units
    corrected = take_patch_side(show, found)
    assert (
        not differences(corrected)
        and 299 in {r.number for r in corrected.paper.rows}
        and corrected.units is show.units
    )
    assert not [
        s for s in find_snags(show) if s.rule == "paper-address"
    ]  # that it has none is a snag of its own


def test_columns_are_known_by_content_merged_cells_filled_and_near_names_only_proposed() -> None:
    text = "sep=;\n;;Plot of the quay;\nA;B;C;D\n1;Lapwing 19;Short;1.001\n2;;;1,012\n3;;;1.023\n4;Lapwin 19;Short;1.034\n5;;;\n"
    found = parse_hang_list(text, "plot.csv", SHELF)
    assert found.at["number"] == 0 and found.at["type"] == 1 and found.at["address"] == 3
    columns = {**found.at, "mode": 2}
    filled = parse_hang_list(text, "plot.csv", SHELF, Answers(columns))
    assert [r.number for r in filled.paper.rows] == [1, 2, 3] and any(
        "line above" in note for note in filled.notes
    )
    (unknown,) = filled.unknown
    assert (
        (unknown.text, unknown.count) == ("Lapwin 19", 2)
        and "Lapwing 19" in unknown.key
        and "letters agree" in unknown.why
    )
    answers = Answers(columns, {"Lapwin 19": unknown.key})
    agreed = parse_hang_list(text, "plot.csv", SHELF, answers)
    assert [r.number for r in agreed.paper.rows] == [1, 2, 3, 4, 5] and not agreed.faults
    lines = "\n".join(
        [
            "Unit,Type,Mode,Address",
            *(
                f"{i},{'Lapwin' if i % 20 == 0 else 'Lapwing 19'},Short,{i // 40 + 1}.{i % 40 * 11 + 1}"
                for i in range(1, 10_001)
            ),
        ]
    )
    many = parse_hang_list(lines, "many.csv", SHELF)
    assert (len(many.paper.rows), len(many.rejected)) == (9500, 500) and {
        f.column for f in many.faults
    } == {"type"}
    answers = Answers(edits={(21, "type"): "Lapwing 19"})
    fixed = parse_hang_list(lines, "many.csv", SHELF, answers)
    assert len(fixed.paper.rows) == 9501


def test_a_show_with_every_new_record_comes_back_the_same() -> None:
    from isthmus.show.container import decode_show, encode_show

    show = make_group(as_hung(), "Reeds", ["u101"])
    show = new_revision(show, replace(show.paper, revision="D"))
    show = edits.change_units(
        show,
        ["u101"],
        lambda u: replace(u, locked=True, patch=(Patched(universe=9, address=3, room=40),)),
    )
    assert decode_show(encode_show(show), "x") == show
