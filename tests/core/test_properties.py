"""What holds whatever a person does: edits in any order, differences from the paper, structures of any shape, rude peers."""

from __future__ import annotations

import random
import socket
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from helpers.edits import EDITS
from helpers.tools import answer, apart, command, running_rig
from isthmus.check import Manner, begin, end, step
from isthmus.check.rollcall import RESTS
from isthmus.demo import as_hung, lantern_tide
from isthmus.errors import EntryFault, IsthmusError
from isthmus.layout.place import spots
from isthmus.output import Live, RigView, engine_routes
from isthmus.patch import all_spans, clashes, edits
from isthmus.routes import propose
from isthmus.show import History, Show
from isthmus.show.container import decode_show, encode_show
from isthmus.show.records import SLOTS, Structure
from isthmus.snags import FAULT, SnagBook, find_snags
from isthmus.stage import Camera
from isthmus.stage.transforms import matrices
from isthmus.standin import RigClient


@given(st.integers(0, 2**32), st.lists(st.sampled_from(sorted(EDITS)), min_size=1, max_size=25))
@settings(max_examples=10)
def test_any_run_of_edits_keeps_the_show_whole_and_every_one_can_be_undone(
    seed: int, names: list[str]
) -> None:
    rng = random.Random(seed)
    history, trail = History(lantern_tide()), []
    live = Live(history.show)
    for name in names:
        before = history.show
        try:
            made = EDITS[name](before, rng)
        except EntryFault:
            assert history.show is before
            continue
        if history.commit(name, made):
            trail.append(before)
        show = history.show
        assert len({u.id for u in show.units}) == len(show.units)
        assert all(1 <= p.address <= SLOTS for u in show.units for p in u.patch)
        assert all(s.end <= SLOTS for s in all_spans(show)), (
            name
        )  # no edit puts a unit over a universe's end
        live.set_show(show)
        assert len(live.frame) == len(live.compiled.universes) * SLOTS and len(live.levels) == len(
            live.compiled.defaults
        )
        assert all(
            route.row < len(live.compiled.universes) for route in engine_routes(show, live.compiled)
        )
        steps = SnagBook().update(show).crossing
        assert set(steps.states) == {u.id for u in show.units} and all(
            0 <= n <= steps.total for n in steps.done.values()
        )
        doubled = {frozenset((c.a.unit, c.b.unit)) for c in clashes(all_spans(show))}
        assert {frozenset(s.units) for s in find_snags(show) if s.rule == "overlap"} == doubled
    assert decode_show(encode_show(history.show), "x") == history.show
    for before in reversed(trail):
        history.undo()
        assert history.show is before


@given(st.integers(0, 2**32))
@settings(max_examples=8)
def test_a_difference_from_the_paper_is_told_for_the_very_unit_and_field_and_its_fix_restores_it(
    seed: int,
) -> None:
    rng = random.Random(seed)
    clean = as_hung()
    unit = rng.choice([u for u in clean.units if u.patch])
    change: dict[str, Callable[[Show], Show]] = {
        "paper-gel": lambda s: edits.set_text(s, [unit.id], "gel", "Kelp 7"),
        "paper-hangs_on": lambda s: edits.set_text(s, [unit.id], "hangs_on", "Elsewhere"),
        "paper-address": lambda s: edits.set_address(s, [unit.id], (9, rng.randint(1, 480))),
    }
    rule = rng.choice(sorted(change))
    if rule == "paper-gel" and not unit.gel:
        return  # the paper says nothing of a gel there
    changed = change[rule](clean)
    told = [s for s in find_snags(changed) if s.rule.startswith("paper")]
    assert [(s.rule, s.units) for s in told] == [(rule, (unit.id,))] and str(unit.number) in told[
        0
    ].text
    assert told[0].fix and told[0].fix.edit(changed) == clean


@given(
    st.sampled_from(["truss", "pipe", "rail", "mast", "boom", "deck", "wall"]), st.tuples(*[st.floats(0.1, 30)] * 3),
    st.tuples(*[st.floats(-20, 20)] * 3), st.integers(1, 30), st.floats(0, 360),
)  # fmt: skip
@settings(max_examples=20)
def test_spots_are_even_along_any_structure_and_never_beyond_its_ends(
    kind: str, size: tuple, position: tuple, count: int, turn: float
) -> None:
    rotation = (float(np.cos(np.radians(turn / 2))), 0.0, 0.0, float(np.sin(np.radians(turn / 2))))
    structure = Structure(id="s", kind=kind, size=size, position=position, rotation=rotation)
    found = spots(structure, count)
    assert len(found) == count
    local = (np.array([p for p, _ in found]) - np.array(position)) @ matrices([rotation])[0]
    along = local[:, 2] if kind in ("mast", "boom") else local[:, 0]
    low, high = (0.0, size[2]) if kind in ("mast", "boom") else (-size[0] / 2, size[0] / 2)
    assert along.min() >= low - 1e-9 and along.max() <= high + 1e-9
    if count > 2:
        assert np.ptp(np.diff(along)) < 1e-6
    assert all(abs(np.linalg.norm(q) - 1) < 1e-9 for _, q in found)


@given(st.integers(0, 2**32), st.lists(st.sampled_from([1, -1, 3, 99]), max_size=6))
@settings(max_examples=10)
def test_a_call_gives_back_whatever_levels_there_were(seed: int, steps: list[int]) -> None:
    rng = random.Random(seed)
    show = propose(lantern_tide())
    live = Live(show)
    keys = list(live.compiled.places)
    live.ask({rng.choice(keys): rng.random() for _ in range(40)})
    before, asked = live.frame.copy(), live.snapshot()
    call = begin(show, live, Manner(level=rng.uniform(0.1, 1.0), rest=rng.choice(list(RESTS))))
    for by in steps:
        call = step(call, show, live, by)
    end(call, live)
    assert (live.frame == before).all() and live.snapshot() == asked


@given(st.floats(0, 360), st.floats(0, 80))
@settings(max_examples=8)
def test_every_unit_of_the_demo_is_in_view_from_the_seats_and_pickable_from_anywhere(
    bearing: float, height: float
) -> None:
    show = as_hung()
    view = RigView(show, Live(show).compiled)
    camera = Camera(bearing=bearing, height=height, distance=30)
    points, depth = camera.project(view.rig.positions, 1000, 640)
    assert (depth > 0).all() and (points > -200).all() and (points[:, 0] < 1200).all()
    near = int(np.argmin(depth))
    assert camera.pick(view.rig.positions, 0.32, *points[near], 1000, 640) is not None


# ---------------------------------------------------------------- rude peers


@given(st.lists(st.binary(max_size=300), max_size=5))
@settings(max_examples=8)
def test_nothing_that_is_sent_to_the_rig_ends_it(rig_once: RigClient, rubbish: list[bytes]) -> None:
    with socket.create_connection(rig_once.address, 2) as peer:
        peer.settimeout(0.5)
        for data in rubbish:
            try:
                peer.sendall(data + b"\n")
            except OSError:
                break
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
        for data in rubbish:
            sock.sendto(data, ("127.0.0.2", 6454))
            sock.sendto(b"Art-Net\0\0\x50\0\x0e" + data, ("127.0.0.3", 6454))
    assert len(rig_once.ask("state")["units"]) == 66


@pytest.fixture(scope="module")
def rig_once() -> Iterator[RigClient]:
    with running_rig() as client:
        yield client


# ---------------------------------------------------------------- the command, further


def test_the_stage_is_drawn_to_a_file_without_a_display(tmp_path: Path) -> None:
    dark, lit = tmp_path / "dark.png", tmp_path / "lit.png"
    assert (
        apart(
            "stage",
            "render",
            "demo",
            str(dark),
            "--size",
            "400x250",
            "--level",
            "0",
            env={"PATH": "/usr/bin"},
        ).returncode
        == 0
    )
    code, saved = answer(
        "stage", "render", "demo", str(lit), "--size", "400x250", "--view", "Corner"
    )
    assert code == 0 and isinstance(saved, dict) and saved["beams"] > 60
    with Image.open(dark) as a, Image.open(lit) as b:
        assert a.size == b.size == (400, 250) and np.asarray(b).mean() > np.asarray(a).mean() * 1.3
    assert "is not a size" in command("stage", "render", "demo", str(lit), "--size", "big").stderr
    assert (
        command(
            "stage", "render", "demo", str(tmp_path / "no" / "where.png"), "--size", "64x64"
        ).returncode
        == 3
    )


def test_the_commands_account_of_snags_is_the_applications() -> None:
    code, rows = answer("snags", "demo")
    found = find_snags(lantern_tide())
    assert (
        code == 1
        and isinstance(rows, list)
        and [r["text"] for r in rows] == [s.text for s in found]
    )
    assert (
        rows[0]["severity"] == FAULT
        and rows[0]["fix"] == "Move 314 to 3.205"
        and rows[0]["units"] == [313, 314]
    )
    assert (
        command("show", "schema").stdout.lstrip().startswith("{")
        and "Lantern Tide" in command("show", "info", "demo").stdout
    )


def test_every_error_says_what_where_and_what_to_do() -> None:
    error = IsthmusError("it is torn.", where="x.gdtf", do="Fetch it again.")
    assert (
        str(error) == "x.gdtf: it is torn. Fetch it again."
        and str(IsthmusError("torn.")) == "torn."
    )
