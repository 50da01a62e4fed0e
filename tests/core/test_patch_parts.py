"""The parts the patch is made of, each against plain counting: bits, levels in natural units, tables of every make, the command."""

from __future__ import annotations

import json
import random
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from helpers.tools import answer
from isthmus.demo import as_hung, lantern_tide, shipped_profiles
from isthmus.errors import EntryFault, FileFault
from isthmus.hanglist import Answers, parse_hang_list
from isthmus.output import Live
from isthmus.patch import edits, index_of
from isthmus.patch.add import spacings
from isthmus.patch.index import FULL, Room, bits, first_start, longest_run, starts
from isthmus.patch.limits import (
    handling_words,
    limits_in_words,
    listed,
    read_points,
    set_handling,
    set_limit,
    take_off,
    take_off_line,
)
from isthmus.patch.models import Library
from isthmus.patch.paper import added_to, next_revision, take_paper
from isthmus.patch.readdress import Wanted, readdress
from isthmus.profiles import chart, profiles_of
from isthmus.profiles.natural import (
    channel_of,
    level_for,
    physical_for,
    range_in_force,
    ranges,
    read_level,
    write_level,
)
from isthmus.show import open_show
from isthmus.show.records import SLOTS, UNIVERSES
from isthmus.show.tables import read_table

SHELF = Library.of(shipped_profiles())
TAKEN = st.one_of(
    st.integers(0, FULL),
    st.lists(st.tuples(st.integers(1, 512), st.integers(1, 60)), max_size=12).map(
        lambda rows: _mask(rows)
    ),
)


def _mask(rows: list[tuple[int, int]]) -> int:
    made = 0
    for first, length in rows:
        made |= bits(first, first + length - 1)
    return made


def free_slots(taken: int) -> set[int]:
    return {a for a in range(1, SLOTS + 1) if not taken >> (a - 1) & 1}


# ---------------------------------------------------------------- bits


@given(TAKEN, st.integers(1, 512), st.integers(1, 512), st.sampled_from([1, 5, 16, 32]))
@settings(max_examples=20)
def test_bits_find_the_runs_counting_finds(
    taken: int, length: int, address: int, every: int
) -> None:
    free = free_slots(taken)
    begins = [
        a for a in range(1, SLOTS - length + 2) if all(b in free for b in range(a, a + length))
    ]
    assert {a for a in range(1, SLOTS + 1) if starts(taken, length) >> (a - 1) & 1} == set(begins)
    wanted = [a for a in begins if a >= address and (a - 1) % every == 0]
    assert first_start(taken, length, address, every) == (wanted[0] if wanted else 0)
    longest, run = 0, 0
    for a in range(1, SLOTS + 1):
        run = run + 1 if a in free else 0
        longest = max(longest, run)
    assert longest_run(taken) == longest


@given(st.lists(st.tuples(st.integers(1, 40), st.integers(1, 3)), max_size=30), st.integers(1, 60))
def test_room_given_out_is_never_given_twice_and_comes_back(
    wishes: list[tuple[int, int]], length: int
) -> None:
    room, given_out = Room(), set()
    for size, universe in wishes:
        spot = room.find(size, universe)
        assert spot is not None and room.fits(*spot, size)
        room.take(*spot, size)
        mine = {(spot[0], a) for a in range(spot[1], spot[1] + size)}
        assert not mine & given_out and not room.fits(*spot, 1)
        given_out |= mine
    before = room.find(length)
    assert before
    room.take(*before, length)
    room.give(*before, length)
    assert room.find(length) == before
    assert Room().find(513) is None and Room().find(4, UNIVERSES + 1) is None


def test_spacings_are_the_footprint_and_the_round_numbers_above_it() -> None:
    assert (
        spacings(11)[:4] == [11, 16, 20, 25]
        and spacings(0) == []
        and all(
            a < b for n in range(1, 130) for a, b in zip(spacings(n), spacings(n)[1:], strict=False)
        )
    )


# ---------------------------------------------------------------- natural units


@given(st.integers(0, 10**6))
@settings(max_examples=15)
def test_levels_written_for_people_are_read_back(seed: int) -> None:
    rng = random.Random(seed)
    stored = rng.choice(shipped_profiles())
    profile = SHELF.profiles.profiles[stored.key]
    lay = chart(profile, rng.choice(profile.modes))
    item = rng.choice([c for c in lay.channels if c.slots])
    level = rng.random()
    assert read_level(item, write_level(item, level)) == pytest.approx(level, abs=0.01)
    for first, last, name in ranges(item):
        assert 0 <= first <= last <= item.top
        if [n for _, _, n in ranges(item)].count(name) == 1:
            assert read_level(item, name) == pytest.approx(first / item.top) and read_level(
                item, name, high=True
            ) == pytest.approx(last / item.top)
            assert (
                range_in_force(item, (first + last) / 2 / item.top) == name or len(ranges(item)) > 1
            )
    assert (
        channel_of(lay, item.attribute, item.cell) is not None
        and channel_of(lay, "Nothing") is None
    )


def test_degrees_percent_dmx_and_names_of_ranges_are_taken_and_others_refused() -> None:
    profile = next(p for p in SHELF.profiles.profiles.values() if p.name == "Skerry 400")
    lay = chart(profile, profile.modes[0])
    tilt, shutter = channel_of(lay, "Tilt"), channel_of(lay, "Shutter1")
    assert tilt and shutter
    assert (
        physical_for(tilt, read_level(tilt, "45°"))
        == pytest.approx(45, abs=0.01)
        == physical_for(tilt, level_for(tilt, 45))
    )
    assert read_level(tilt, "−90") == read_level(tilt, "-90 deg") and read_level(tilt, "50%") == 0.5
    assert (
        read_level(shutter, "128 dmx") == pytest.approx(128 / 255)
        and read_level(shutter, "open") > 0.9
    )
    for item, text in (
        (tilt, "200"),
        (shutter, "45°"),
        (shutter, "sideways"),
        (shutter, "120"),
        (shutter, "900 dmx"),
        (tilt, ""),
    ):
        with pytest.raises(EntryFault):
            read_level(item, text)
    assert write_level(tilt, 0.5) in ("0°", "−0°", "0.0°") and "−" not in write_level(tilt, 0.5)


def test_limits_and_handlings_are_listed_in_words_and_taken_off_one_by_one() -> None:
    show = set_limit(as_hung(), ["u101", "u201", "u401"], "Tilt", "-30", "30")
    show = set_handling(
        show,
        ["u101"],
        invert_tilt=True,
        pan_offset=-12.5,
        curve="points",
        points=read_points("0 0, 50:20, 100 100"),
    )
    lines = listed(show)
    assert [(line.number, line.attribute) for line in lines] == [
        (101, "Tilt"),
        (101, ""),
        (201, "Tilt"),
    ]  # 401 has no tilt
    assert lines[1].words == "tilt inverted, pan −12.5°, dimmer curve own points"
    unit = index_of(show).by_id["u101"]
    assert (
        limits_in_words(unit, profiles_of(show)).startswith("tilt from −30° to 30°; tilt inverted")
        and handling_words(unit.handling) == lines[1].words
    )
    for line in lines:
        show = take_off_line(show, line)
    assert not listed(show) and show.units == as_hung().units
    assert take_off(show, ["u101"]).units is show.units
    for bad in (
        {"curve": "bent"},
        {"pan_offset": 999.0},
        {"points": ((0, 0),)},
        {"points": ((0.5, 0), (0.2, 1))},
    ):
        with pytest.raises(EntryFault):
            set_handling(show, ["u101"], **bad)
    with pytest.raises(EntryFault, match="None of these"):
        set_limit(show, ["u401"], "Pan", "0", "10")
    with pytest.raises(EntryFault, match="not a point"):
        read_points("0 0, seven")


def test_the_limit_of_a_cell_attribute_binds_every_cell() -> None:
    show = set_limit(as_hung(), ["u301"], "ColorAdd_R", "", "40%")
    live = Live(show)
    cells = [c for c in live.program("u301").chart.channels if c.attribute == "ColorAdd_R"]
    live.ask({("u301", c.cell, "ColorAdd_R"): 1.0 for c in cells})
    assert len(cells) > 3 and all(
        live.sent_level("u301", "ColorAdd_R", c.cell) == pytest.approx(0.4) for c in cells
    )
    assert live.sent_axis("u301", "Pan") is None and live.sent_level("no one", "Dimmer") is None


# ---------------------------------------------------------------- tables


@given(
    st.lists(
        st.lists(
            st.text(st.characters(codec="utf-8", exclude_characters="\r\n\0\"'"), max_size=8),
            min_size=3,
            max_size=3,
        ),
        min_size=1,
        max_size=6,
    ),
    st.sampled_from([";", "\t", "|", ","]),
    st.sampled_from(["utf-8", "utf-8-sig", "utf-16"]),
)
def test_a_table_reads_the_same_whatever_wrote_it(
    rows: list[list[str]], mark: str, encoding: str
) -> None:
    clean = [
        [" ".join("".join(c for c in cell if c not in ";\t|,").split()) or "x" for cell in row]
        for row in rows
    ]
    text = "\n".join(mark.join(row) for row in clean)
    assert read_table(text.encode(encoding), "t") == clean


@given(st.binary(max_size=300))
def test_any_bytes_are_a_table_or_a_fault(data: bytes) -> None:
    try:
        assert isinstance(read_table(data, "t", 50), list)
    except FileFault as fault:
        assert fault.what and fault.where == "t"


def test_a_table_of_nothing_but_cells_is_refused_before_they_are_made() -> None:
    with pytest.raises(FileFault, match="line 2 has more than 4096 cells"):
        read_table("Unit,Name\n" + "," * 10_000_000, "t")
    with pytest.raises(FileFault, match="it has more than 2000000 cells"):
        read_table(("," * 4000 + "\n") * 600, "t")


@given(
    st.text('0123456789.,;\tabLapwing 19\n"', max_size=200),
    st.dictionaries(st.sampled_from(["number", "type", "address"]), st.integers(0, 9)),
)
def test_any_list_with_any_columns_is_read_or_refused(text: str, columns: dict[str, int]) -> None:
    try:
        answers = Answers(columns or None)
        found = parse_hang_list("Unit,Type,Mode,Address\n" + text, "l", SHELF, answers)
    except FileFault as fault:
        assert fault.what
        return
    wrong = {f.line for f in found.faults if f.kind != "slip"}
    assert {r.line for r in found.paper.rows}.isdisjoint(wrong)
    assert len({r.number for r in found.paper.rows}) == len(found.paper.rows)


def test_papers_are_added_to_one_another_and_counted_on() -> None:
    show = as_hung()
    more = replace(
        show.paper,
        rows=(replace(show.paper.rows[0], gel="Kelp 7"), replace(show.paper.rows[1], number=999)),
    )
    both = added_to(show.paper, more)
    assert len(both.rows) == len(show.paper.rows) + 1 and [
        r.gel for r in both.rows if r.number == more.rows[0].number
    ] == ["Kelp 7"]
    assert [next_revision(text) for text in ("C", "3", "z", "final", "")] == [
        "D",
        "4",
        "z 2",
        "final 2",
        "2",
    ]
    for _ in range(12):
        show = take_paper(show, replace(show.paper, revision=""), SHELF)
    assert len(show.earlier_papers) == 8 and show.paper.revision == "O" and len(show.units) == 66


# ---------------------------------------------------------------- the command


def test_the_patch_is_moved_re_addressed_checked_and_compared_by_command(tmp_path: Path) -> None:
    file = tmp_path / "tide.isthmus"
    assert answer("show", "demo", str(file))[0] == 0
    code, told = answer("patch", "move", str(file), "203", "2.060")
    assert code == 3 and "206, 207 in the way" in told["error"]
    code, told = answer("patch", "move", str(file), "203", "2.060", "--way", "room")
    assert (
        code == 0
        and told["moved"][0] == {"number": 203, "before": ["2.023"], "after": ["2.060"]}
        and len(told["moved"]) == 3
    )
    assert index_of(open_show(file)).by_id["u203"].patch[0].address == 60
    code, told = answer("patch", "move", str(file), "201-204", "7.001", "--dry-run")
    assert [row["after"] for row in told["moved"]] == [
        ["7.001"],
        ["7.012"],
        ["7.023"],
        ["7.034"],
    ] and told["saved"] is None
    code, told = answer("patch", "readdress", str(file), "--how", "pack", "--spare", "20")
    plan = readdress(open_show(file), Wanted("pack", 20))
    assert (
        code == 0 and told["universes"][1] <= told["universes"][0] and not plan.moves
    )  # done once, nothing is left to move
    code, rows = answer("patch", "list", str(file), "--units", "201-204 but 202")
    assert [row["number"] for row in rows] == [201, 203, 204]
    code, told = answer("patch", "diff", str(file), "--take-paper")
    assert code == 1 and {d["field"] for d in told["differences"]} >= {"mode", "address"}
    assert {d["field"] for d in answer("patch", "diff", str(file))[1]["differences"]} <= {
        "address"
    }  # the unpatched one stays so
    assert answer("patch", "check", str(file))[0] in (0, 1)


def test_limits_and_groups_are_kept_by_command(tmp_path: Path) -> None:
    file = tmp_path / "tide.isthmus"
    answer("show", "demo", str(file))
    code, told = answer(
        "limits",
        str(file),
        "--units",
        "101-103",
        "--attribute",
        "tilt",
        "--low",
        "-90",
        "--high",
        "45",
        "--invert-pan",
    )
    assert (
        code == 0
        and [row["number"] for row in told["limited"]] == [101, 102, 103]
        and told["limited"][0]["handling"] == "pan inverted"
    )
    assert answer("limits", str(file), "--units", "101", "--attribute", "tilt", "--off")[0] == 0
    assert not index_of(open_show(file)).by_id["u101"].limits
    assert (
        answer("limits", str(file), "--units", "101", "--attribute", "tilt", "--low", "sideways")[0]
        == 3
    )
    code, told = answer("groups", str(file), "--make", "Front", "--units", "201-208 but 203")
    assert code == 0 and told["groups"] == [
        {"name": "Front", "rule": "", "parent": "", "units": [201, 202, 204, 205, 206, 207, 208]}
    ]
    code, told = answer(
        "groups", str(file), "--make", "Rail", "--rule", "position:Bow rail", "--inside", "Front"
    )
    assert told["groups"][1]["parent"] == "Front" and 203 in told["groups"][0]["units"]
    assert answer("groups", str(file), "--name", "Rail", "--freeze")[1]["groups"][1]["rule"] == ""
    assert answer("groups", str(file), "--name", "No one", "--away")[0] == 3
    assert len(answer("groups", str(file), "--propose")[1]["groups"]) > 10
    assert json.dumps(
        answer(
            "patch",
            "add",
            str(file),
            "--profile",
            "Lapwing 19",
            "--mode",
            "Short",
            "--number",
            "901,903",
            "--place",
            "gaps",
        )[1]["added"]
    )
    assert {901, 903} <= index_of(open_show(file)).numbers.keys()


def test_the_demo_has_the_snags_it_was_given_and_no_others() -> None:
    from isthmus.snags import find_snags

    rules = sorted({s.rule for s in find_snags(lantern_tide())})
    assert {
        "overlap",
        "paper-mode",
        "paper-address",
        "paper-gel",
        "no-address",
        "no-place",
        "no-route",
    } <= set(rules)
    assert not {
        "gel-unknown",
        "profile-here-only",
        "profile-changed",
        "no-position",
        "limit-home",
        "no-slots",
    } & set(rules)
    assert edits.set_locked(lantern_tide(), ["u101"], True).units[0].locked


def test_snags_of_one_rule_stand_in_the_order_of_their_unit_numbers() -> None:
    from isthmus.snags import find_snags

    numbers, gels = (1000, 9, 100, 10), ("404", "1000", "10", "100")
    units = tuple(
        replace(unit, number=number, gel=gel)
        for unit, number, gel in zip(lantern_tide().units, numbers, gels, strict=False)
    )
    show = replace(lantern_tide(), units=units)
    by_id = {unit.id: unit.number for unit in units}
    unknown = [by_id[s.units[0]] for s in find_snags(show) if s.rule == "gel-unknown"]
    assert unknown == sorted(numbers)
