"""Who takes which slots: against plain counting; numbers, adding, and the hang list."""

from __future__ import annotations

from collections import Counter
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from isthmus.demo import EXTRA_LIST, HANG_LIST, as_hung, shipped_profiles
from isthmus.errors import EntryFault, FileFault
from isthmus.hanglist import parse_hang_list, read_hang_list
from isthmus.library.at_hand import at_hand
from isthmus.patch import (
    Add,
    Library,
    all_spans,
    clashes,
    edits,
    free_runs,
    preview_add,
    take_paper,
)
from isthmus.patch.index import EMPTY, Room, Universe
from isthmus.patch.numbers import read_numbers, write_numbers
from isthmus.patch.spans import Span, by_universe
from isthmus.profiles import chart, profiles_of
from isthmus.show.records import Show

SHELF = Library.of(shipped_profiles())
SPANS = st.lists(
    st.builds(
        Span,
        unit=st.uuids().map(str),
        number=st.integers(1, 99),
        block=st.just(1),
        universe=st.integers(1, 2),
        start=st.integers(1, 512),
        length=st.integers(1, 60),
    ),
    max_size=12,
)


def counted(spans: list[Span], universe: int) -> Counter[int]:
    return Counter(a for s in spans if s.universe == universe for a in range(s.start, s.end + 1))


@given(SPANS)
def test_clashes_are_exactly_the_slots_claimed_twice(spans: list[Span]) -> None:
    found = clashes(spans)
    for universe in (1, 2):
        doubled = {a for a, n in counted(spans, universe).items() if n > 1}
        assert {
            a for c in found if c.a.universe == universe for a in range(c.first, c.last + 1)
        } == doubled
    pairs = sum(
        a.universe == b.universe and a.start <= b.end and b.start <= a.end
        for i, a in enumerate(spans)
        for b in spans[i + 1 :]
    )
    assert len(found) == pairs


@given(SPANS, st.integers(1, 512), st.integers(1, 512))
def test_the_next_free_address_is_the_first_that_fits(
    spans: list[Span], length: int, start: int
) -> None:
    universes = {number: Universe.of(group) for number, group in by_universe(spans).items()}
    universe, address = Room(universes).find(length, 1, start) or (0, 0)
    used = {u: counted(spans, u) for u in (1, 2, 3)}

    def fits(u: int, a: int) -> bool:
        return a + length - 1 <= 512 and not any(used[u][b] for b in range(a, a + length))

    assert fits(universe, address)
    earlier = [
        (u, a)
        for u in range(1, universe + 1)
        for a in range(start if u == 1 else 1, 513)
        if (u, a) < (universe, address)
    ]
    assert not any(fits(u, a) for u, a in earlier)
    for u in (1, 2):
        free = {
            a
            for first, last in free_runs(universes.get(u, EMPTY).taken)
            for a in range(first, last + 1)
        }
        assert free == {a for a in range(1, 513) if not used[u][a]}


@given(
    st.sampled_from(sorted(SHELF.stored)),
    st.integers(0, 1),
    st.integers(1, 150),
    st.integers(1, 512),
    st.integers(0, 60),
    st.booleans(),
)
@settings(max_examples=20)
def test_added_units_never_cross_a_universe_end_and_keep_their_spacing(
    key: str, which: int, count: int, address: int, spacing: int, crowded: bool
) -> None:
    profile = SHELF.profiles.profiles[key]
    mode = profile.modes[which % len(profile.modes)]
    length = chart(profile, mode).footprint
    show = as_hung() if crowded else Show()
    wish = Add(SHELF.stored[key], mode.name, count, 700, (2, address), spacing)
    if spacing and spacing < length:
        with pytest.raises(EntryFault, match="less than"):
            preview_add(show, wish)
        return
    preview = preview_add(show, wish)
    spans = [s for s in all_spans(preview.show) if s.unit in {u.id for u in preview.units}]
    assert [u.number for u in preview.units] == list(range(700, 700 + count)) and len(
        spans
    ) == count
    assert all(s.end <= 512 and s.length == length for s in spans)
    for a, b in zip(spans, spans[1:], strict=False):
        assert (
            b.start - a.start == (spacing or length) if a.universe == b.universe else b.start == 1
        )
    announced = {(c.a.unit, c.b.unit) for c in preview.clashes}
    assert announced == {(c.a.unit, c.b.unit) for c in clashes(all_spans(preview.show))} - {
        (c.a.unit, c.b.unit) for c in clashes(all_spans(show))
    }


def test_edits_keep_what_they_do_not_touch_as_the_same_objects_and_refuse_what_cannot_be(
    demo: Show,
) -> None:
    moved = edits.set_address(demo, ["u101"], (2, 300))
    assert (
        sum(a is not b for a, b in zip(demo.units, moved.units, strict=True)) == 1
        and moved.profiles is demo.profiles
    )
    assert edits.set_address(demo, ["u101"], (1, 1)) is demo
    with pytest.raises(EntryFault, match=r"last address it fits at is 1\.492"):
        edits.set_address(demo, ["u101"], (1, 500))
    wide = edits.set_mode(demo, ["u201"], "Wide")
    unit = wide.unit("u201")
    assert unit and (unit.mode, unit.patch[0].address) == ("Wide", 1)
    with pytest.raises(EntryFault, match="It has Wide, Short"):
        edits.set_mode(demo, ["u201"], "Narrow")
    freed = edits.address_next_free(
        edits.set_address(demo, ["u101", "u102"], None), ["u102", "u101"]
    )
    assert not [c for c in clashes(all_spans(freed)) if "u101" in (c.a.unit, c.b.unit)]
    gone = edits.remove_units(demo, {"u101"})
    assert len(gone.units) == len(demo.units) - 1


@given(st.lists(st.integers(1, 999), min_size=1, max_size=30, unique=True))
def test_numbers_written_short_read_as_the_same(numbers: list[int]) -> None:
    assert read_numbers(write_numbers(numbers)) == sorted(numbers)


def test_numbers_are_read_as_people_type_them() -> None:
    assert read_numbers("1-4, 9  12 to 10;20") == [1, 2, 3, 4, 9, 12, 11, 10, 20]
    for bad in ("", "x", "1-", "0", "1-99999999", "5..2000000"):
        with pytest.raises(EntryFault):
            read_numbers(bad)


# ---------------------------------------------------------------- the hang list


def test_the_shipped_lists_read_and_their_faults_are_told_by_line() -> None:
    assert (
        len(read_hang_list(HANG_LIST, SHELF).paper.rows) == 66
        and not read_hang_list(HANG_LIST, SHELF).faults
    )
    found = read_hang_list(EXTRA_LIST, SHELF)
    told = {fault.line: str(fault) for fault in found.faults}
    assert sorted(told) == [6, 7, 8, 9, 10]
    for line, words in (
        (6, "unit 603 stands in line 5"),
        (7, "Perhaps Turnstone 7"),
        (8, "last address it fits at is 4.495"),
        (9, "It has Wide, Short"),
        (10, "addresses 1 to 512"),
    ):
        assert words in told[line]
    assert [r.number for r in found.paper.rows] == [601, 602, 603, 608] and found.ignored == (
        "Weight",
    )


def test_taking_the_paper_adds_what_is_new_and_leaves_the_rest(demo: Show) -> None:
    found = read_hang_list(EXTRA_LIST, at_hand(demo))
    taken = take_paper(demo, found.paper, at_hand(demo))
    assert taken.units[: len(demo.units)] == demo.units
    fresh = taken.units[len(demo.units) :]
    assert [(u.number, u.mode, u.patch[0].address) for u in fresh] == [
        (601, "Seven", 101),
        (602, "Seven", 108),
        (603, "Seven", 115),
        (608, "Dimmer", 160),
    ]
    assert take_paper(taken, found.paper, at_hand(taken)).units == taken.units
    assert all(profiles_of(taken).mode_of(u) for u in fresh)


GOOD = "Unit,Type,Mode,Address\n1,Groyne 24,Dimmer,1.001\n"


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        (GOOD.encode(), 1),
        (GOOD.replace(",", ";").encode("utf-8-sig"), 1),
        (GOOD.replace(",", "\t").encode("utf-16"), 1),
        (("Hang list of the Näßwerft\n\n" + GOOD).encode("cp1252"), 1),
        (b"Unit No,Instrument Type,Universe,DMX\n12,groyne-24,3,44\n", 1),
        (b"Unit,Type,Mode,Address\n\n,,,\n7,Brackwater Groyne 24,dimmer,\n", 1),
        (b'Unit,Type,Mode,Address\n"3","Groyne 24","Dimmer","1025"\n', 1),
        (
            b"Unit,Type,Mode,Address\nx,Groyne 24,Dimmer,1.1\n0,Groyne 24,Dimmer,1.2\n,Groyne 24,Dimmer,\n5,,Dimmer,1.1\n6,Groyne 24,Dimmer,1.1.1\n",
            0,
        ),
        (b"Unit,Type,Mode,Address\n5,Lapwing 19,,1.1\n6,Groyne 24,Dimmer\n", 1),
    ],
)
def test_lists_of_every_make_are_read(text: bytes, rows: int) -> None:
    found = parse_hang_list(text, "list.csv", SHELF)
    assert len(found.paper.rows) == rows
    lines = {f.line for f in found.faults}
    assert lines.isdisjoint(r.line for r in found.paper.rows) and all(
        str(f).startswith(f"Line {f.line}: ") for f in found.faults
    )


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (b"", "no column is surely Unit and Type"),
        (b"Number,Weight\n1,2\n", "no column is surely Type"),
        (b"\x89PNG\0\0\0", "not a text file"),
        (b'a,"' + b"x" * 200_000, "not a table|no column is surely"),
    ],
)
def test_what_is_no_hang_list_is_told(text: bytes, says: str, tmp_path: Path) -> None:
    file = tmp_path / "list.csv"
    file.write_bytes(text)
    with pytest.raises(FileFault, match=says) as caught:
        read_hang_list(file, SHELF)
    assert "list.csv" in str(caught.value)


@given(st.binary(max_size=300), st.text(max_size=200))
@settings(max_examples=38)
def test_any_bytes_are_a_list_or_a_fault(head: bytes, tail: str) -> None:
    for data in (head, GOOD.encode() + head, (GOOD + tail).encode("utf-8", "replace")):
        try:
            found = parse_hang_list(data, "x", SHELF)
            assert all(r.number for r in found.paper.rows)
        except FileFault as fault:
            assert fault.what
