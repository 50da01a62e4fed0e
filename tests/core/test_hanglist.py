"""Hang lists as strangers send them: typed here by hand as the trade types them, and by clerks whose
habits the reader does not share. What is not sure is asked, and never taken."""

from __future__ import annotations

import random
from typing import Any

import pytest
from benchmarks.paper import CLERKS, Score, judge, stock_of, surprising
from hypothesis import given, settings
from hypothesis import strategies as st

from helpers.tools import answer
from isthmus.demo import lantern_tide
from isthmus.hanglist import Answers, Reading, parse_hang_list
from isthmus.library.at_hand import at_hand
from isthmus.mvr import open_mvr, write_show
from isthmus.patch.choose import read_choice
from isthmus.patch.paper import take_paper
from isthmus.show.records import Show

SHELF = at_hand(Show())
STOCK = stock_of(SHELF)

# (what is typed, what must be read of it: number or Fixture ID, model, mode, address, position)
TYPED: dict[str, tuple[str, list[tuple[Any, ...]]]] = {
    "a German list with the universe once, and a mode by its footprint": (
        "Lantern Tide;;;;;\nKreis;Gerät;Modus;DMX-Linie;Startadresse;Hängeort\n"
        "101;Skerry 400;21 Kanäle;3;1;Traverse 1\n102;\";21 Kanäle;;22;\"\n103;\";21 Kanäle;;43;\"\nSumme;3;;;;\n",
        [
            (101, "Skerry 400", "Full", "3.001", "Traverse 1"),
            (102, "Skerry 400", "Full", "3.022", "Traverse 1"),
            (103, "Skerry 400", "Full", "3.043", "Traverse 1"),
        ],
    ),
    "an electrician's list: the number on the pipe, and the channel; addresses counted through": (
        "Position,U#,Type,Wattage,Channel,Dimmer,Address,Purpose\n"
        "Pipe 1,1,Groyne 24,750W,11,45,513,Key\nPipe 1,2,Groyne 24,750W,12,46,514,Key\nPipe 2,1,Groyne 24,750W,13,47,515,Fill\n",
        [
            (11, "Groyne 24", "Dimmer", "2.001", "Pipe 1"),
            (12, "Groyne 24", "Dimmer", "2.002", "Pipe 1"),
            (13, "Groyne 24", "Dimmer", "2.003", "Pipe 2"),
        ],
    ),
    "a mail in columns of spaces, by truss, with a page foot": (
        "Hi, this is what we hang.\n\nNo.    Fixture           Mode     DMX\nTRUSS 1\n"
        "1      Skerry 400        Short    U2 A1\n2      Skerry 400        Short    U2 A13\nPage 1 of 2\nTRUSS 2\n"
        "3      Lapwing 19        Short    U2 A25\n\nSee you on the barge\n",
        [
            (1, "Skerry 400", "Short", "2.001", "TRUSS 1"),
            (2, "Skerry 400", "Short", "2.013", "TRUSS 1"),
            (3, "Lapwing 19", "Short", "2.025", "TRUSS 2"),
        ],
    ),
    "groups: six off, a range of numbers, a range of channels": (
        "Qty;Unit;Type;Mode;Address\n3 x;101-103;Skerry 400;Full;2/101 - 2/163\n2;104 + 105;Skerry 400;Full;2/201 ff\n",
        [
            (101, "Skerry 400", "Full", "2.101", ""),
            (102, "Skerry 400", "Full", "2.122", ""),
            (103, "Skerry 400", "Full", "2.143", ""),
            (104, "Skerry 400", "Full", "2.201", ""),
            (105, "Skerry 400", "Full", "2.222", ""),
        ],
    ),
    "numbers that begin again on each pipe, and no other": (
        "Position,Unit #,Instrument Type,Address,Color\nPipe 1,1,Groyne 24,2/1,\nPipe 1,2,Groyne 24,2/2,\n"
        "Pipe 2,1,Groyne 24,2/3,\nPipe 2,2,Groyne 24,2/4,\nPipe 2,3,Groyne 24,2/5,\n",
        [
            (f"Pipe {pipe} {n}", "Groyne 24", "Dimmer", f"2.00{slot}", f"Pipe {pipe}")
            for slot, (pipe, n) in enumerate([(1, 1), (1, 2), (2, 1), (2, 2), (2, 3)], 1)
        ],
    ),
    "identifiers that are text, and zeros a spreadsheet dropped": (
        "Fixture ID\tType\tDMX\nLX1-1\tSkerry 400 (Full)\t1.058\nLX1-2\tSkerry400 Full\t1.079\nLX1-3\tSkerry 400, 21ch\t1.1\n",
        [
            ("LX1-1", "Skerry 400", "Full", "1.058", ""),
            ("LX1-2", "Skerry 400", "Full", "1.079", ""),
            ("LX1-3", "Skerry 400", "Full", "1.100", ""),
        ],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", TYPED)
def test_lists_as_the_trade_types_them_are_read_right(name: str) -> None:
    text, wanted = TYPED[name]
    found = parse_hang_list(text, "list", SHELF)
    assert not found.questions and not [f for f in found.faults if f.kind != "slip"]
    rows = [
        (
            row.fixture_id or row.number,
            row.type,
            row.mode,
            f"{row.universe}.{row.address:03d}",
            row.hangs_on,
        )
        for row in found.paper.rows
    ]
    assert rows == wanted


def test_what_is_not_sure_is_asked_once_and_nothing_is_taken_of_it() -> None:
    text = "Unit,Type,Mode,DMX\n" + "".join(
        f"{n},Skerry 400,Full,{n * 21 - 20}\n" for n in range(1, 9)
    )
    reading = Reading(text, "list", SHELF)
    found = reading.read(Answers())
    assert [question.field for question in found.questions] == ["universe"]
    assert not found.paper.rows and not found.faults  # one question, and not a fault a line
    said = reading.read(Answers(universe=4))
    assert [(r.universe, r.address) for r in said.paper.rows[:2]] == [(4, 1), (4, 22)]
    # two on one address: told, and taken when a person says that they share it
    twins = "Unit,Type,Mode,Address\n" + "".join(
        f"{n},Skerry 400,Full,2.{1 + n // 2 * 21}\n" for n in range(2, 8)
    )
    reading = Reading(twins, "list", SHELF)
    found = reading.read(Answers())
    assert len(found.paper.rows) == found.sharing == 3 and {f.kind for f in found.faults} == {
        "overlap"
    }
    assert len(reading.read(Answers(together=True)).paper.rows) == 6
    # a weight under no heading that says so, however well it fits, is no address
    weights = "Unit,Type,Mode,Gew\n" + "".join(f"{n},Skerry 400,Full,1.{n}\n" for n in range(1, 9))
    read = parse_hang_list(weights, "list", SHELF)
    assert "address" not in read.at and not any(row.universe for row in read.paper.rows)


SLIPS = {
    "duplicate number": "102,Skerry 400,Full,1.022\n102,Skerry 400,Full,1.043\n",
    "overlap": "102,Skerry 400,Full,1.010\n",
    "past 512": "102,Skerry 400,Full,1.500\n",
    "out of range": "102,Skerry 400,Full,1.600\n",
    "no type": "102,,Full,1.022\n",
    "no number": ",Skerry 400,Full,1.022\n",
    "unknown type": "102,Skarry 4000 X,Full,1.022\n",
    "mode": "102,Skerry 400,Sideways,1.022\n",
    "bad address": "102,Skerry 400,Full,quay\n",
    "slip": "102,Skerry 400,Full,1.O22\n",
    "ditto": "102,Skerry 400,Full,ditto\n",
    "range": "102,Skerry 400,Full,1.022-1.050\n",
    "sum": "102,Skerry 400,Full,1.022\nTotal,9\n",
}


@pytest.mark.parametrize("kind", SLIPS)
def test_a_slip_is_told_by_its_kind_once(kind: str) -> None:
    found = parse_hang_list(
        f"Unit,Type,Mode,Address\n101,Skerry 400,Full,1.001\n{SLIPS[kind]}"
        + "".join(f"{n},Groyne 24,Dimmer,2.{n}\n" for n in range(201, 209)),
        "list",
        SHELF,
    )
    assert [fault.kind for fault in found.faults] == [kind]
    assert {row.number for row in found.paper.rows} >= {101, 201, 208}


def test_no_clerk_whatever_his_habits_has_a_unit_taken_wrongly() -> None:
    """Always the same lists, so that what fails can be looked at; the benchmark types many more."""
    score = Score()
    for n, clerk in enumerate((*CLERKS[::3], *map(surprising, range(1000, 1008)))):
        judge(clerk, n, 24, SHELF, STOCK, score)
    assert not score.wrong, score.examples
    assert score.alone > 0.85 * score.units and score.after > 0.97 * score.units
    assert score.told > 0.9 * score.slips and score.false < 0.01 * score.rows


def test_a_fixture_id_is_taken_found_typed_and_passed_on(tmp_path) -> None:
    file, show = tmp_path / "list.csv", tmp_path / "tide.isthmus"
    file.write_text(
        "Fixture ID,Type,Mode,DMX Address,Position\n"
        + "".join(
            f"LX{1 + n // 4}-{n % 4 + 1},Turnstone 7,Seven,40.{n * 7 + 1},Bow rail\n"
            for n in range(8)
        )
    )
    code, told = answer("hang-list", str(file), "--show", "demo", "--save", str(show))
    assert (code, told["added"]) == (0, 8)
    made = take_paper(
        lantern_tide(), parse_hang_list(file.read_bytes(), "list", SHELF).paper, SHELF
    )
    names = {unit.id: unit.fixture_id for unit in made.units}
    assert len({unit.number for unit in made.units}) == len(made.units)
    assert [names[i] for i in read_choice(made, "LX1-2 to LX1-4").ids] == [
        "LX1-2",
        "LX1-3",
        "LX1-4",
    ]
    assert [names[i] for i in read_choice(made, "lx2-1").ids] == ["LX2-1"]
    assert take_paper(made, made.paper, SHELF).units == made.units
    (tmp_path / "tide.mvr").write_bytes(write_show(made))
    back = open_mvr(tmp_path / "tide.mvr", SHELF).show
    assert sorted(u.fixture_id for u in back.units if u.fixture_id) == sorted(
        filter(None, names.values())
    )


@settings(max_examples=20)
@given(st.text("0123456789.,;\t/-–+ abLX\"'\n", max_size=300), st.randoms(use_true_random=False))
def test_any_text_is_read_or_refused_and_no_unit_stands_twice(
    text: str, dice: random.Random
) -> None:
    heads = ["Unit", "Type", "Mode", "Address", "Universe", "Qty", "Position"]
    dice.shuffle(heads)
    found = parse_hang_list(";".join(heads) + "\n" + text, "list", SHELF)
    named = [row.fixture_id or row.number for row in found.paper.rows]
    assert len(set(named)) == len(named)
