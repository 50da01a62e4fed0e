"""Papers: what stands on them is read back by another library, and does what it says on a rig read independently."""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from html.parser import HTMLParser
from pathlib import Path

import numpy as np
import pypdfium2
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from test_compare import edited

from helpers.geometry import beams_sent
from helpers.tools import answer, command
from isthmus.check import mark
from isthmus.demo import as_hung
from isthmus.demo.evening import with_evening
from isthmus.demo.wall import with_wall
from isthmus.errors import EntryFault
from isthmus.hanglist import parse_hang_list
from isthmus.output import Live
from isthmus.papers import rig
from isthmus.papers.all_papers import RIG
from isthmus.papers.choosing import complete_for, units_for
from isthmus.papers.drawn import as_csv, as_pdf
from isthmus.papers.evening import cue_sheet, focus_sheet
from isthmus.papers.marked import as_html
from isthmus.papers.since import since
from isthmus.papers.table import Column, Group, Paper
from isthmus.patch.edits import set_address
from isthmus.patch.models import Library
from isthmus.show import open_show, save_show
from isthmus.show.records import UPRIGHT


def words_of(pdf: bytes) -> list[str]:
    """The text of each page."""
    return [page.get_textpage().get_text_range() for page in pypdfium2.PdfDocument(pdf)]


def test_degrees_of_the_focus_sheet_point_where_it_says() -> None:
    """Someone at another desk types the angles of the paper: the beams meet the points."""
    show = with_evening(as_hung())
    rows = list(csv.DictReader(io.StringIO(as_csv(focus_sheet(show)))))
    by_number = {str(u.number): u for u in show.units}
    tried = 0
    for row in rows:
        if not row["Points at x, y, z"] or row["Remark"] or "/" in row["Pan"]:
            continue
        unit, live = by_number[row["Unit"]], Live(show)
        live.set_axis([unit.id], "Pan", float(row["Pan"]))
        live.set_axis([unit.id], "Tilt", float(row["Tilt"]))
        point = np.array([float(v) for v in row["Points at x, y, z"].split(",")])
        origin, direction = beams_sent(show, live, unit.id)[0]
        off = point - origin
        beside = np.linalg.norm(off - direction * (off @ direction))
        assert beside < 0.003 * np.linalg.norm(off), row  # a tenth of a degree and the slots' step
        tried += 1
    assert tried > 20 and rows[0]["Under"].endswith("Deck centre")


def test_a_paper_has_every_row_once_its_headings_on_each_page_and_any_name() -> None:
    names = ["Łuk północny", "Θάλασσα", "Причал", "<b>&</b>", "x" * 90]
    rows = [(str(i), names[i % 5], "") for i in range(200)]
    paper = Paper(
        "A & B",
        "About <it>",
        [Column("No", 12, figures=True), Column("Name", 60), Column("Note", 40)],
        [Group("First <place>", rows[:90]), Group("Second", rows[90:], "told")],
    )
    for size in ("A4", "Letter"):
        pages = words_of(as_pdf(paper, size))
        assert len(pages) > 3
        assert all(f"{i} of {len(pages)}" in page for i, page in enumerate(pages, 1))
        assert all("Name" in page and "Note" in page for page in pages)
        whole = "\n".join(pages)
        lines = [line.split(" ", 1) for line in whole.splitlines()]
        seen = [int(line[0]) for line in lines if line[0].isdigit() and "of" not in line[1:]]
        figures = [n for n in seen if n < 200]
        assert [n for n in range(200) if n not in figures] == []
        assert all(name in whole for name in (*names[:4], "First <place>", "A & B"))
    table = list(csv.reader(io.StringIO(as_csv(paper))))
    assert table[0] == ["Under", "No", "Name", "Note"] and len(table) == 201
    assert table[1] == ["First <place>", "0", names[0], ""]


def test_the_cue_sheet_is_that_of_the_list_and_papers_come_headless(tmp_path: Path) -> None:
    show = with_evening(as_hung())
    cue = replace(show.cue_lists[0].cues[2], up=62.5, follow=1.25, note="On the bell")
    cues = tuple(cue if c.id == cue.id else c for c in show.cue_lists[0].cues)
    show = replace(show, cue_lists=(replace(show.cue_lists[0], cues=cues), *show.cue_lists[1:]))
    [page] = words_of(as_pdf(cue_sheet(show, show.cue_lists[0].id)))
    line = next(text for text in page.splitlines() if "On the bell" in text)
    assert line.split() == ["3", "Dusk", "3", "Dusk", "62.5", "6", "1.25", "On", "the", "bell"]
    _, told = answer("papers", "cues", "demo", "--list", "2")
    assert "Runs round" in told["about"] and len(told["rows"]) == 3
    out = tmp_path / "focus.pdf"
    assert answer("papers", "focus", "demo", "--to", str(out), "--size", "Letter")[0] == 0
    assert pypdfium2.PdfDocument(out)[0].get_size() in ((612, 792), (792, 612))
    done = command("papers", "focus", "demo", "--to", str(tmp_path / "x.doc"))
    assert done.returncode == 3 and "neither PDF, CSV nor HTML" in done.stderr


RIG_SHOW = with_wall(with_evening(as_hung()))


def table_of(paper: Paper) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(as_csv(paper))))


def test_the_papers_of_the_rig_say_what_the_patch_says() -> None:
    """Against counts of their own: slots by sets, gels by splitting at the plus, metres by Pythagoras."""
    show = RIG_SHOW
    rows = table_of(rig.by_number(show))
    assert [int(row["Unit"]) for row in rows] == sorted(u.number for u in show.units)
    library = Library.of(show.profiles)
    read = parse_hang_list(as_csv(rig.by_number(show)), "paper", library).paper
    assert {(r.number, r.universe, r.address, r.name) for r in read.rows} >= {
        (u.number, u.patch[0].universe, u.patch[0].address, u.name) for u in show.units if u.patch
    }
    taken: dict[int, set[int]] = {}
    for row in table_of(rig.by_address(show)):
        if row["From"]:
            (universe, first), (_, last) = (row[k].split(".") for k in ("From", "To"))
            taken.setdefault(int(universe), set()).update(range(int(first), int(last) + 1))
    for group in rig.by_address(show).groups:
        if group.title.startswith("Universe"):
            runs = re.search(r"Free: (.*)\.$", group.about)
            free: set[int] = set()
            for run in runs[1].split(", ") if runs else ():
                first, _, last = run.partition("-")
                free.update(range(int(first), int(last or first) + 1))
            mine = taken[int(group.title.split()[1])]
            assert not free & mine and free | mine == set(range(1, 513))
    cut: dict[str, int] = {}
    for unit in show.units:
        for part in unit.gel.split("+"):
            if part.strip() and part.strip().lower() not in ("open", "none"):
                cut[part.strip()] = cut.get(part.strip(), 0) + 1
    told: dict[str, int] = {}
    for row in table_of(rig.gel_list(show)):
        told[row["Gel"]] = told.get(row["Gel"], 0) + int(row["Pieces"])
    assert told == cut and len(cut) > 2


def test_hanging_order_and_metres_are_those_on_the_pipe() -> None:
    lost = (
        replace(u, position=None, structure="") if u.id == "u201" else u for u in RIG_SHOW.units
    )
    show = replace(RIG_SHOW, units=tuple(lost))
    units = {str(u.number): u for u in show.units}
    structures = {s.id: s for s in show.structures}
    straight = 0
    for group in rig.by_position(show).groups:
        metres = [float(row[2]) for row in group.rows if row[2]]
        assert metres == sorted(metres) or len({units[row[0]].structure for row in group.rows}) > 1
        hung = [bool(units[row[0]].position) for row in group.rows]
        assert hung == sorted(hung, reverse=True)  # what hangs nowhere yet comes last
        for row in group.rows:
            on = structures.get(units[row[0]].structure)
            if on and row[2] and on.kind in ("truss", "rail") and on.rotation == UPRIGHT:
                end = on.position[0] - on.size[0] / 2
                assert float(row[2]) == pytest.approx(units[row[0]].position[0] - end, abs=0.006)
                straight += 1
    assert straight > 12


def test_weight_and_power_are_summed_and_what_is_unknown_is_counted() -> None:
    paper = rig.weight_and_power(RIG_SHOW)
    known = [float(row["W"]) for row in table_of(paper) if row["W"] != "unknown"]
    unknown = sum(row["W"] == "unknown" for row in table_of(paper))
    assert known and f"{sum(known):.0f} W and {unknown} units of unknown W" in paper.about
    bare = tuple(replace(one, weight=None, power=None) for one in RIG_SHOW.profiles)
    about = rig.weight_and_power(replace(RIG_SHOW, profiles=bare)).about
    assert "0 kg" not in about and "units of unknown kg" in about


def test_a_line_takes_what_its_units_take_and_a_typed_unit_counts_alone() -> None:
    first = next(u for u in RIG_SHOW.units if "Lapwing" in u.profile)
    units = tuple(replace(u, power=9000.0) if u is first else u for u in RIG_SHOW.units)
    show = replace(RIG_SHOW, units=units)
    for name in ("loads", "lines"):
        rows = table_of(RIG[name][1](show, None))
        assert [row["Unit"] for row in rows if row["W"] == "9000"] == [str(first.number)], name
    paper = RIG["lines"][1](show, None)
    for group in paper.groups:
        known = [float(row[5]) for row in group.rows if row[5] != "unknown"]
        assert f"{sum(known):.0f} W" in group.about or not known
        numbers = {int(row[0]) for row in group.rows}
        universe = int(group.title.split()[-1]) if group.title[0] == "U" else None
        on = [u for u in units if universe in {p.universe for p in u.patch}]
        assert numbers == {u.number for u in (on if universe else units) if universe or not u.patch}


def test_typed_weights_hang_where_the_plan_has_them(tmp_path: Path) -> None:
    """Sum and centre of a straight pipe by hand: metres from its left end by subtraction."""
    file = tmp_path / "tide.isthmus"
    bare = tuple(replace(one, weight=None, power=None) for one in RIG_SHOW.profiles)
    save_show(replace(RIG_SHOW, profiles=bare), file)
    for of, value, more in (
        ("--type", "Lapwing 19", ("--kg", "7.5", "--watts", "300")),
        ("--units", "203", ("--kg", "12")),
    ):
        assert command("papers", "weigh", str(file), of, value, *more).returncode == 0
    kg = {
        u.number: 12.0 if u.number == 203 else 7.5 for u in RIG_SHOW.units if "Lapwing" in u.profile
    }
    _, told = answer("papers", "loads", str(file))
    said = {int(row["Unit"]): row["kg"] for row in told["rows"]}
    assert {n: float(said[n]) for n in kg} == kg
    assert {said[n] for n in said if n not in kg} == {"unknown"}
    assert {
        row["W"] for row in told["rows"] if row["Type"] == "Lapwing 19" and row["Unit"] != "203"
    } == {"300"}
    paper = RIG["points"][1](open_show(file), None)
    rail = next(s for s in RIG_SHOW.structures if s.name == "Bow rail")
    hung = [u for u in RIG_SHOW.units if u.structure == rail.id and u.position and u.number in kg]
    assert rail.rotation == UPRIGHT and len(hung) > 6
    left = rail.position[0] - rail.size[0] / 2
    total = sum(kg[u.number] for u in hung)
    centre = sum(kg[u.number] * (u.position[0] - left) for u in hung if u.position) / total
    about = next(g.about for g in paper.groups if g.title == "Bow rail")
    assert f"{total:.1f} kg with their centre at {centre:.2f} m" in about
    assert command("papers", "weigh", str(file), "--units", "203", "--kg", "much").returncode == 3


def test_a_paper_is_of_the_units_behind_a_node_and_says_what_roll_call_found() -> None:
    behind = {u.id for u in RIG_SHOW.units if u.patch and u.patch[0].universe == 3}
    assert units_for(RIG_SHOW, "ferry b") == behind and len(behind) > 3  # it has universe 3 alone
    assert units_for(RIG_SHOW, "Ferry B, 201-202") == behind | {"u201", "u202"}
    assert units_for(RIG_SHOW, " ") is None and "Ferry A" in complete_for(RIG_SHOW, "ferr")
    with pytest.raises(EntryFault):
        units_for(RIG_SHOW, "Ferry Z")
    called = mark(RIG_SHOW, "u201", "works", at="2026-12-01T20:15:09Z", by="Ada Łuk")
    called = mark(called, "u202", "silent", "lamp?")
    paper = RIG["calls"][1](called, {"u201", "u202", "u203"})
    rows = {row["Unit"]: row for row in table_of(paper)}
    assert "1 works, 0 wrong, 1 silent, 1 not proven" in paper.about
    assert (rows["201"]["By"], rows["201"]["At"]) == ("Ada Łuk", "2026-12-01 20:15")
    assert "lamp?" in rows["202"]["Seen"] and rows["203"]["Seen"] == ""
    moved = set_address(called, ["u201"], (2, 400))  # what was seen no longer holds
    again = RIG["calls"][1](moved, {"u201", "u202", "u203"})
    assert "0 work, 0 wrong, 1 silent, 2 not proven" in again.about
    focus, only = RIG["focus"][1], {"u101"}
    assert {row["Unit"] for row in table_of(focus(RIG_SHOW, only))} == {"101"}
    assert {row["Unit"] for row in table_of(focus(RIG_SHOW, None))} > {"101", "102"}


@given(st.integers(0, 10**6), st.sampled_from(sorted(RIG)))
def test_since_has_just_the_lines_that_are_other(seed: int, name: str) -> None:
    """Held against the lines of both papers as plain text."""
    make = RIG[name][1]
    old, new = make(RIG_SHOW, None), make(edited(RIG_SHOW, seed), None)
    paper = since(old, new, "then")
    before, after = (Counter(map(tuple, csv.reader(io.StringIO(as_csv(p))))) for p in (old, new))
    shown: Counter[tuple[str, ...]] = Counter()
    gone: Counter[tuple[str, ...]] = Counter()
    grouped = any(group.title for group in new.groups) or any(g.title for g in old.groups)
    for group in paper.groups:
        for at, row in enumerate(group.rows):
            line = (group.title, *row) if grouped else tuple(row)
            (gone if group.marks[at].how == "gone" else shown)[line] += 1
    assert shown == after - before
    assert gone <= before - after
    left = (before - after) - gone  # what was is either gone, or stands among the changed
    keys = Counter(line[grouped : grouped + new.keys] for line in shown.elements())
    assert not Counter(line[grouped : grouped + new.keys] for line in left.elements()) - keys


def test_a_page_of_html_needs_nothing_else_and_holds_any_name() -> None:
    show = replace(RIG_SHOW, name="<img src=x>&")
    named = replace(show.units[0], name='Łuk <b>północny</b> "Θ"')
    show = replace(show, units=(named, *show.units[1:]))
    paper = since(rig.by_number(RIG_SHOW), rig.by_number(show), "before")
    page = as_html(paper)

    tags: list[str] = []
    words: list[str] = []
    reader = HTMLParser()
    reader.handle_starttag = lambda tag, attrs: tags.append(tag)
    reader.handle_data = words.append
    reader.feed(page)
    assert not {"img", "script", "link", "b"} & set(tags)
    assert named.name in words and tags.count("mark") == 1
    assert "http" not in page.replace("http-equiv", "")


def test_papers_of_the_rig_by_command(tmp_path: Path) -> None:
    file = tmp_path / "tide.isthmus"
    save_show(RIG_SHOW, file)
    assert command("versions", str(file), "--make", "as hung").returncode == 0
    done = command("patch", "renumber", str(file), "--units", "208", "--first", "299")
    assert done.returncode == 0
    _, told = answer("papers", "number", str(file), "--since", "1")
    assert [row["Unit"] for row in told["rows"]] == ["299", "208"]
    _, told = answer("papers", "position", str(file), "--units", "201-204")
    assert [row["Unit"] for row in told["rows"]] == ["201", "202", "203", "204"]
    for ending in ("csv", "html"):
        _, made = answer(
            "papers", "all", str(file), "--out", str(tmp_path / "p"), "--ending", ending
        )
        assert {Path(p).stem for p in made["saved"]} == set(RIG)
    pdf = tmp_path / "loads.pdf"
    assert command("papers", "loads", str(file), "--to", str(pdf)).returncode == 0
    assert "Weight" in words_of(pdf.read_bytes())[0] or "weight" in words_of(pdf.read_bytes())[0]
    assert "neither PDF, CSV" in command("papers", "gels", str(file), "--to", "x.doc").stderr


def test_the_address_plan_and_the_snags_are_those_of_the_show() -> None:
    rows = table_of(RIG["network"][1](RIG_SHOW, None))
    assert {(r["Node"], r["Address"]) for r in rows} == {(n.name, n.ip) for n in RIG_SHOW.nodes}
    assert len(rows) == sum(len(n.ports) for n in RIG_SHOW.nodes)
    told = {(r["Address"], int(u)) for r in rows for u in r["Universes"].split(", ") if u}
    sent = {(o.host, o.universe) for o in RIG_SHOW.outputs if o.enabled and o.host}
    assert told <= sent and len(told) >= 5
    double = replace(RIG_SHOW.units[0], number=RIG_SHOW.units[1].number)
    show = replace(RIG_SHOW, units=(double, *RIG_SHOW.units[1:]))
    rows = table_of(RIG["snags"][1](show, None))
    assert sum(row["Unit"] == str(double.number) for row in rows) >= 2
    assert all(row["What"] and row["Done"] == "[  ]" for row in rows)
    none = table_of(RIG["snags"][1](show, {RIG_SHOW.units[-1].id}))
    assert len(none) < len(rows)
