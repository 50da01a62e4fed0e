"""Two shows told apart and joined: judged by the shows themselves, never by how changes are written."""

from __future__ import annotations

import random
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import fields, replace
from test_show import shows

from helpers.tools import answer
from isthmus.compare import apply, base_of, difference, joined, merge, with_both
from isthmus.compare.matching import matched
from isthmus.compare.references import REFERS, renamed_show
from isthmus.compare.words import told
from isthmus.demo import lantern_tide
from isthmus.demo.evening import with_evening
from isthmus.demo.wall import with_wall
from isthmus.patch import edits
from isthmus.patch.addresses import place
from isthmus.show import Show, open_show, save_show
from isthmus.show.container import encode_show
from isthmus.show.records import Cue, Group, Record, new_id
from isthmus.show.versions import with_all, with_version, without_versions

WHOLE = with_wall(with_evening(lantern_tide()))
TUPLES = [f.name for f in fields(Show) if isinstance(getattr(WHOLE, f.name), tuple)]
LISTS = [name for name in TUPLES if name != "versions"]


def edited(show: Show, seed: int, times: int = 6) -> Show:
    """Edits of a person at random: things dropped, shuffled, doubled under another id, members set."""
    dice = random.Random(seed)
    for _ in range(times):
        kind = dice.choice([k for k in LISTS if len(getattr(show, k)) > 1])
        things = list(getattr(show, kind))
        what, at = dice.randrange(5), dice.randrange(len(things))
        if what == 0:
            del things[at]
        elif what == 1:
            dice.shuffle(things)
        elif what == 2 and hasattr(things[at], "id"):
            things.insert(dice.randrange(len(things)), replace(things[at], id=new_id()))
        elif what == 3 and hasattr(things[at], "name"):
            things[at] = replace(things[at], name=f"{things[at].name} {dice.randrange(9)}")
        elif "number" in things[at].__struct_fields__:
            things[at] = replace(things[at], number=int(things[at].number) + dice.randrange(3))
        show = replace(show, **{kind: tuple(things)})
    return show


@given(shows, shows)
def test_any_two_shows_are_led_into_each_other_and_back(a: Show, b: Show) -> None:
    found = difference(a, b)
    assert apply(found.changes, a) == b
    assert not difference(a, a) and bool(found) == (a != b)


@given(st.integers(0, 10**6), st.integers(0, 10**6))
def test_what_two_people_edited_is_told_turned_round_and_joined(one: int, other: int) -> None:
    a, b = edited(WHOLE, one), edited(WHOLE, other)
    found = difference(a, b)
    assert apply(found.changes, a) == b
    assert difference(a, b).changes or a == b
    # back again, in whatever order the changes are taken
    back = [c.turned() for c in found.changes]
    assert apply(back, b) == apply(found.turned().changes, b)
    random.Random(one).shuffle(back)
    again = apply(back, b)
    for kind in LISTS:
        assert sorted(map(repr, getattr(again, kind))) == sorted(map(repr, getattr(a, kind)))
    # joined: the same from both sides where nothing is in conflict, and nothing of either is lost
    mine, theirs = merge(WHOLE, a, b), merge(WHOLE, b, a)
    assert {c.place for c in mine.conflicts} == {c.place for c in theirs.conflicts}
    if not mine.conflicts:
        for kind in LISTS:
            x, y = (sorted(map(repr, getattr(m.show, kind))) for m in (mine, theirs))
            assert x == y
    assert merge(WHOLE, a, WHOLE).show == merge(WHOLE, WHOLE, a).show == merge(WHOLE, a, a).show
    assert encode_show(merge(WHOLE, a, WHOLE).show) == encode_show(a) or matched(WHOLE, a)


def test_two_sets_of_edits_that_do_not_touch_are_both_there_in_any_order() -> None:
    def moved(show: Show) -> Show:
        return place(show, {"u203": [(2, 400)]}).show

    def named(show: Show) -> Show:
        show = edits.set_text(show, ["u203"], "name", "Ferry wash")
        return replace(show, groups=(*show.groups, Group(id="g", name="Ferry", units=("u203",))))

    both = named(moved(WHOLE))
    for made in (
        merge(WHOLE, moved(WHOLE), named(WHOLE)),
        merge(WHOLE, named(WHOLE), moved(WHOLE)),
    ):
        assert made.show == both and not made.conflicts
    # one alone, taken out of the middle of what was done
    alone = [c for c in difference(WHOLE, both).changes if c.member == "name"]
    assert apply(alone, WHOLE) == edits.set_text(WHOLE, ["u203"], "name", "Ferry wash")
    # what is old is undone without what came after
    undone = [c.turned() for c in difference(WHOLE, moved(WHOLE)).changes]
    assert apply(undone, both) == named(WHOLE)


def test_what_both_changed_differently_is_asked_with_three_values() -> None:
    mine = edits.set_text(WHOLE, ["u101", "u102"], "purpose", "key")
    theirs = edits.set_text(WHOLE, ["u102"], "purpose", "fill")
    mine = replace(mine, units=tuple(u for u in mine.units if u.id != "u104"))
    theirs = edits.set_text(theirs, ["u104"], "note", "squeaks")
    theirs = edits.set_text(theirs, ["u101"], "purpose", "key")  # the same: no conflict
    made = merge(WHOLE, mine, theirs)
    assert {c.place for c in made.conflicts} == {
        ("units", "u102", "purpose"),
        ("units", "u104", ""),
    }
    assert made.show == mine  # ours until it is settled
    settled = made.settled(dict.fromkeys([c.place for c in made.conflicts], True))
    assert settled.unit("u102").purpose == "fill" and settled.unit("u104").note == "squeaks"
    assert settled.unit("u101").purpose == "key"


def test_a_list_from_elsewhere_is_not_all_new() -> None:
    """The same rig with ids of its own, then renumbered throughout: units are found by number, else by all they say."""
    ids = {"units": {u.id: new_id() for u in WHOLE.units}}
    other = renamed_show(WHOLE, ids)
    assert matched(WHOLE, other)["units"] == {new: old for old, new in ids["units"].items()}
    assert told(difference(WHOLE, other)) == []
    assert apply(difference(WHOLE, other).changes, WHOLE) == other
    numbers = {u.id: 1000 + n for n, u in enumerate(other.units)}
    other = replace(
        other, units=tuple(replace(u, number=numbers[u.id]) for u in reversed(other.units))
    )
    found = matched(WHOLE, other)["units"]
    right = sum(found.get(new) == old for old, new in ids["units"].items())
    assert right >= len(WHOLE.units) - 2  # two that stand for each other in all but their number
    assert {x.member for x in told(difference(WHOLE, other))} <= {"number", "order", ""}


def test_nothing_that_names_an_id_is_forgotten() -> None:
    """A member whose words are ids of things in the demo must be in the table; checked by looking at every string of it."""
    known = {u.id: "units" for u in WHOLE.units}
    for kind in ("groups", "palettes", "looks", "grids", "layer_sets", "media", "structures"):
        known |= {x.id: kind for x in getattr(WHOLE, kind)}

    def look(record: Record) -> None:
        for field in fields(record):
            value = getattr(record, field.name)
            each = value if isinstance(value, (tuple, list, dict)) else (value,)
            for one in each:
                if isinstance(one, Record):
                    look(one)
                elif isinstance(one, str) and one in known and field.name not in ("id", "kind"):
                    assert REFERS.get(type(record), {}).get(field.name) == known[one], field.name

    look(WHOLE)


@pytest.mark.skipif(shutil.which("git") is None, reason="no git here")
def test_git_joins_shows_and_shows_what_differs_by_the_recipe(tmp_path: Path) -> None:
    run = Path(sys.executable).parent / "isthmus"

    def git(*words: str, code: int = 0) -> str:
        made = subprocess.run(["git", *words], cwd=tmp_path, capture_output=True, text=True)
        assert made.returncode == code, made.stderr + made.stdout
        return made.stdout

    git("init", "-qb", "main")
    for name, value in {
        "user.name": "Ada", "user.email": "ada@sandre.example",
        "diff.isthmus.textconv": f"{run} show text",
        "merge.isthmus.driver": f"{run} merge %O %A %B -o %A",
    }.items():  # fmt: skip
        git("config", name, value)
    (tmp_path / ".gitattributes").write_text("*.isthmus diff=isthmus merge=isthmus\n")
    file = tmp_path / "tide.isthmus"

    def keep(show: Show, words: str) -> None:
        save_show(show, file)
        git("add", "-A")
        git("commit", "-qm", words)

    show = lantern_tide()
    keep(show, "As hung")
    git("checkout", "-qb", "theirs")
    keep(edits.set_text(show, ["u203"], "name", "Ferry wash"), "Name 203")
    git("checkout", "-q", "main")
    moved = place(show, {"u204": [(2, 400)]}).show
    keep(moved, "Move 204")
    assert "204" in git("log", "-p", "-1") and "2.400" in git("log", "-p", "-1")
    git("merge", "-q", "theirs", "-m", "Join")
    joined = open_show(file)
    assert without_versions(joined) == edits.set_text(moved, ["u203"], "name", "Ferry wash")
    # in conflict: git says so, and the file has ours
    git("checkout", "-qb", "other", "main~2")
    keep(edits.set_text(show, ["u203"], "name", "Quay wash"), "Name it otherwise")
    git("merge", "main", "-m", "Join", code=1)
    assert open_show(file).unit("u203").name == "Quay wash"

    code, data = answer("diff", str(file), "demo")
    assert code == 1 and "1 unit has another name (203)." in data["sentences"]


def test_the_base_is_the_last_version_that_both_hold_else_the_nearest() -> None:
    start = with_version(edited(WHOLE, 1), WHOLE, "older")
    mine = with_version(edited(start, 2), start, "copied")
    theirs = with_version(edited(edited(start, 3), 4), edited(start, 3), "in between")
    theirs = with_all(theirs, with_version(start, start, "copied"))
    base = base_of(mine, theirs)
    assert base.sure and base.show == without_versions(start)
    # nothing changed on one side since: all of the other is taken
    assert joined(mine, start)[1].show == without_versions(mine)
    # joined once, what was joined is the base of what they do next
    _, made = joined(mine, theirs)
    both = with_both(made.show, mine, theirs, "theirs")
    later = edits.set_text(theirs, [theirs.units[0].id], "note", "later")
    later = with_version(later, theirs, why="as it was saved")
    assert base_of(both, later).show == without_versions(theirs)
    # a copy without versions: the nearest of ours
    far = base_of(mine, without_versions(edited(start, 7)))
    assert not far.sure and far.show == without_versions(start)


def test_copies_without_a_version_are_joined_by_what_they_have_in_common() -> None:
    mine = edits.set_text(WHOLE, ["u101"], "purpose", "key")
    theirs = edits.set_text(WHOLE, ["u101"], "note", "squeaks")
    theirs = replace(theirs, venue="Elsewhere", groups=theirs.groups[1:])
    _, made = joined(mine, theirs)
    assert {c.place[2] for c in made.conflicts} == {"purpose", "note", "venue"}
    assert made.show.groups[-1] in WHOLE.groups and len(made.show.groups) == len(WHOLE.groups)
    assert made.show.unit("u101") == mine.unit("u101") and made.show.venue == WHOLE.venue
    settled = made.settled({c.place: c.place[2] != "purpose" for c in made.conflicts})
    assert settled.unit("u101").purpose == "key" and settled.unit("u101").note == "squeaks"
    assert settled.venue == "Elsewhere"


def test_cues_that_two_changed_are_joined_one_by_one_and_told_in_words() -> None:
    [evening, *more] = WHOLE.cue_lists
    first, second, third, *rest = evening.cues

    def with_cues(*cues: Cue) -> Show:
        return replace(WHOLE, cue_lists=(replace(evening, cues=cues), *more))

    slow, called = replace(first, up=first.up + 4), replace(first, name="Doors")
    fresh = replace(second, id="fresh", number=2.5)
    mine = with_cues(slow, second, fresh, third, *rest)
    theirs = with_cues(called, replace(second, note="late"), *rest)  # the third went
    made = merge(WHOLE, mine, theirs)
    assert not made.conflicts
    both = (replace(slow, name="Doors"), replace(second, note="late"), fresh, *rest)
    assert made.show.cue_lists[0].cues == both
    [words] = [x.new for x in told(difference(WHOLE, mine)) if x.member == "cues"]
    assert f"{first.number:g} " in words and f"up {slow.up:g}, not {first.up:g}" in words
    assert "2.5" in words and "added" in words
    # the same of one cue, or one that the other removed: asked
    for other in (
        with_cues(replace(first, up=99.0), *evening.cues[1:]),
        with_cues(*evening.cues[1:]),
    ):
        [conflict] = merge(WHOLE, mine, other).conflicts
        assert conflict.place == ("cue_lists", evening.id, "cues")
