"""Another's list beside ours: judged by what was done to the list, which is known here."""

from __future__ import annotations

import csv
import io
import random
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from helpers.tools import answer, command
from isthmus.compare.lists import beside, sentences
from isthmus.compare.taking import lines, with_theirs
from isthmus.demo import lantern_tide
from isthmus.demo.evening import with_evening
from isthmus.demo.wall import with_wall
from isthmus.library.at_hand import at_hand
from isthmus.patch.paper import row_of
from isthmus.profiles import profiles_of
from isthmus.show import open_show, save_show
from isthmus.show.records import Output, PaperRow, Show

SHOW = with_wall(with_evening(lantern_tide()))


def list_of(show: Show) -> list[PaperRow]:
    return [row_of(u, profiles_of(show), n) for n, u in enumerate(show.units, 1)]


@settings(max_examples=10)
@given(
    st.integers(0, 10**6),
    st.sampled_from([0, 0, 1, -100, 1000]),
    st.sampled_from([0, 1, -1, 7]),
    st.booleans(),
)
def test_what_was_done_to_a_list_is_what_is_told(
    seed: int, numbers: int, universes: int, named: bool
) -> None:
    """Shuffled, renumbered, moved to other universes; a few lines dropped, renamed, re-addressed, new."""
    dice = random.Random(seed)
    rows = [row for row in list_of(SHOW) if row.universe + universes >= 0]
    truth: set[tuple[str, str]] = set()
    made = []
    for row in rows:
        there = replace(row, number=row.number + numbers)
        if row.universe:
            there = replace(there, universe=row.universe + universes)
        if not named:
            there = replace(there, name="")
        made.append(there)
    made = [row for row in made if row.universe >= 1 or not universes]
    held = {row.number - numbers for row in made}
    changed = dice.sample(range(len(made)), 4)
    for at in changed[:2]:
        made[at] = replace(made[at], hangs_on="Quay wall")
        truth.add((str(made[at].number - numbers), "position"))
    spot = made[changed[2]]
    made[changed[2]] = replace(
        spot, address=(spot.address + 200) % 512 + 1, universe=spot.universe or 40
    )
    truth.add((str(spot.number - numbers), "address"))
    gone = made[changed[3]].number - numbers
    del made[changed[3]]
    new = PaperRow(
        line=999, number=9000, name="Bell lamp", type="Nobody's", universe=60, address=77
    )
    made.append(new)
    dice.shuffle(made)
    found = beside(SHOW, made)
    assert found.numbers == numbers
    assert set(found.universes.values()) - {a + universes for a in found.universes} == set()
    assert bool(found.universes) == bool(universes) and found.slots == 0
    told = {(number, field) for _, number, field, _, theirs in lines(found) if field}
    assert told == truth
    assert [row.number for row in found.theirs_only] == [9000]
    numbers_gone = {row.number for _, row in found.ours_only}
    assert numbers_gone == {gone} | ({u.number for u in SHOW.units} - held)
    words = " ".join(sentences(found))
    assert ("Their universes are" in words) == bool(universes)
    assert ("Their numbers are" in words) == bool(numbers)
    assert len(sentences(found)) <= 6
    # their side of all of it: nothing is other any more
    taken = with_theirs(SHOW, found, at_hand(SHOW))
    again = beside(taken, made)
    assert not again.apart and not again.numbers and not again.universes


def test_universes_that_are_others_one_by_one_are_told_by_pairs() -> None:
    there = {1: 5, 2: 9, 3: 3, 4: 12}
    rows = [replace(row, universe=there.get(row.universe, row.universe)) for row in list_of(SHOW)]
    found = beside(SHOW, rows)
    assert found.universes == {1: 5, 2: 9, 4: 12} and not found.apart
    assert sentences(found)[0].startswith("Our universe 1 is 5, 2 is 9, 4 is 12 there (")
    one = beside(
        SHOW,
        [replace(row, address=row.address + 1 if row.universe else 0) for row in list_of(SHOW)],
    )
    assert one.slots == 1 and sentences(one)[0].startswith("Their addresses are 1 higher (")


def test_a_list_with_universes_off_by_one_is_told_in_a_sentence_and_taken(tmp_path: Path) -> None:
    file, theirs = tmp_path / "tide.isthmus", tmp_path / "theirs.csv"
    save_show(SHOW, file)
    _, told = answer("papers", "number", str(file), "--to", str(theirs))
    table = list(csv.DictReader(io.StringIO(theirs.read_text())))
    for row in table:
        if row["Address"]:
            universe, _, address = row["Address"].partition(".")
            row["Address"] = (
                f"{int(universe) - 1}.{address}" if universe != "1" else f"40.{address}"
            )
    with theirs.open("w", newline="") as out:
        writer = csv.DictWriter(out, list(table[0]))
        writer.writeheader()
        writer.writerows(table)
    code, told = answer("compare", str(file), str(theirs))
    assert code == 1 and not told["differences"]
    assert told["universes"]["2"] == 1 and told["universes"]["1"] == 40
    out = tmp_path / "differences.csv"
    code, told = answer("compare", str(file), str(theirs), "--take", "address", "--paper", str(out))
    assert code == 1 and out.exists()
    assert answer("compare", str(file), str(theirs))[0] == 0
    was = {u.number: u for u in SHOW.units}
    for unit in open_show(file).units:
        there = [
            (40 if p.universe == 1 else p.universe - 1, p.address) for p in was[unit.number].patch
        ]
        assert [(p.universe, p.address) for p in unit.patch] == there
    assert "cannot be taken" in command("compare", str(file), str(theirs), "--take", "price").stderr


def test_universes_are_paired_with_what_others_listen_to(tmp_path: Path) -> None:
    """Outputs numbered by hand: Art-Net 5, 6, 7 for universes 1 to 3, sACN 9 for 4."""
    outputs = (
        *(Output(id=f"o{n}", universe=n, host="127.0.0.2", port_address=4 + n) for n in (1, 2, 3)),
        Output(id="o4", universe=4, protocol="sacn", delivery="multicast", sacn=9),
    )
    file = tmp_path / "tide.isthmus"
    save_show(replace(SHOW, outputs=outputs), file)
    expects = ("expects", str(file), "--expects", "1-3 = artnet 4, 4=sacn 9")
    code, told = answer(*expects)
    assert code == 1 and told["sentences"] == [
        "1 of 4 universes goes out as expected.",
        "3 universes are expected 1 lower than we send them.",
    ]
    assert answer(*expects, "--set")[1]["saved"]
    assert [(o.universe, o.number) for o in open_show(file).outputs] == [
        (1, 4),
        (2, 5),
        (3, 6),
        (4, 9),
    ]
    assert answer(*expects)[0] == 0
    theirs = tmp_path / "theirs.csv"
    command("papers", "number", str(file), "--to", str(theirs))
    text = theirs.read_text().splitlines()
    table = list(csv.DictReader(text))
    for row in table:  # what we call 1 is 11 with them, 2 is 12
        universe, dot, address = row["Address"].partition(".")
        row["Address"] = f"{int(universe) + 10}{dot}{address}" if dot else ""
    with theirs.open("w", newline="") as out:
        writer = csv.DictWriter(out, list(table[0]))
        writer.writeheader()
        writer.writerows(table)
    code, told = answer("expects", str(file), "--list", str(theirs))
    by = {one["universe"]: one["expected"] for one in told["universes"]}
    assert by[1] == 10 and by[2] == 11  # Art-Net from 0 where they count from 1
    assert "Universe 4 does not go out by Art-Net." in told["sentences"]
    done = command("expects", str(file), "--expects", "1=morse 4")
    assert done.returncode == 3 and "not understood" in done.stderr
    assert "has no 40000" in command("expects", str(file), "--expects", "1=artnet 40000").stderr
