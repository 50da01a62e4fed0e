"""Pixels: lattices of walls laid out here by their own rule, places of cells read from profiles by another way."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.optimize import linprog

from helpers.geometry import beams_sent
from helpers.tools import answer, command
from isthmus.demo import as_hung, lantern_tide
from isthmus.demo.wall import with_wall
from isthmus.errors import EntryFault
from isthmus.output import Live
from isthmus.pixels.by_hand import Run
from isthmus.pixels.colours import ColourTable, _nodes
from isthmus.pixels.grids import propose
from isthmus.pixels.lattice import find_lattice
from isthmus.pixels.moved import TURNS, move_cells, size_grid, turn_units
from isthmus.pixels.places import best_plane, cells_in_space
from isthmus.pixels.power import power_of
from isthmus.pixels.ready import canvas_of
from isthmus.pixels.shown import ask_picture
from isthmus.pixels.wiring_pictures import PICTURES
from isthmus.profiles.gdtf import write_gdtf
from isthmus.profiles.make.bodies import Body
from isthmus.profiles.make.channels import Channel
from isthmus.profiles.make.compose import ModePlan, compose
from isthmus.profiles.records import Beam
from isthmus.profiles.store import stored_of
from isthmus.show import save_show
from isthmus.show.records import GridCell, Patched, PixelGrid, SavedView, Show, Unit


@given(
    st.integers(2, 24),
    st.integers(2, 16),
    st.floats(0.4, 2.5),
    st.floats(-0.7, 0.7),
    st.integers(2, 9),
    st.integers(0, 2**32 - 1),
)
def test_a_wall_is_found_whatever_its_seams_holes_turn_and_noise(
    width: int, height: int, ratio: float, turn: float, panel: int, seed: int
) -> None:
    """Laid out panel by panel with wider seams, shuffled, some cells taken out, each a little off, the whole turned and hung anywhere."""
    rng = np.random.default_rng(seed)
    pitch = np.array([0.0625, 0.0625 * ratio])
    seam = rng.uniform(0, 0.3) * pitch
    column, row = np.meshgrid(np.arange(width), np.arange(height))
    column, row = column.ravel(), row.ravel()
    x = column * pitch[0] + column // panel * seam[0]
    y = -(row * pitch[1] + row // panel * seam[1])
    keep = rng.random(len(x)) > 0.15
    keep |= (column == 0) | (row == 0) | (column == width - 1) | (row == height - 1)
    order = rng.permutation(np.flatnonzero(keep))
    points = np.stack([x, y], axis=1)[order]
    points += rng.uniform(-0.06, 0.06, points.shape) * pitch.min()
    spin = np.array([[math.cos(turn), math.sin(turn)], [-math.sin(turn), math.cos(turn)]])
    points = points @ spin + rng.uniform(-20, 20, 2)
    found = find_lattice(points)
    assert (found.width, found.height) == (width, height)
    assert (found.places == np.stack([column[order], row[order]], axis=1)).all()
    assert found.fits.all() and found.doubled == 0
    assert found.missing == width * height - len(order)
    assert abs(found.turn - turn) < 0.15 / max(width, height)
    shortest, widest = pitch - 0.13 * pitch.min(), pitch + seam + 0.13 * pitch.min()
    assert (shortest < found.pitch).all() and (found.pitch < widest).all()


EMITTERS = {  # chromaticity and how much light each gives, as in data sheets
    "RGB": [(0.69, 0.30, 60), (0.17, 0.70, 120), (0.14, 0.05, 25)],
    "RGBW": [(0.70, 0.29, 55), (0.19, 0.71, 110), (0.15, 0.03, 22), (0.31, 0.33, 180)],
    "RGBWAUV": [
        (0.70, 0.29, 55),
        (0.16, 0.72, 100),
        (0.14, 0.04, 20),
        (0.35, 0.36, 150),
        (0.57, 0.42, 80),
        (0.17, 0.01, 2),
    ],
}


@pytest.mark.parametrize("kind", EMITTERS)
def test_a_colour_of_a_picture_is_met_by_the_emitters_of_a_cell(kind: str) -> None:
    """Judged by the light the levels give: inside what can be mixed the chromaticity of the picture, its share of the white, no level past full."""
    x, y, lumen = np.array(EMITTERS[kind]).T
    light = np.stack([x / y, np.ones(len(x)), (1 - x - y) / y], axis=1) * lumen[:, None]
    to_rgb = np.linalg.inv(SRGB)
    rng = np.random.default_rng(3)
    table = ColourTable(tuple(kind), _nodes((light @ to_rgb.T).tobytes()))
    mixed = rng.dirichlet(np.full(len(x), 0.7), 4000) @ light  # all of it can be mixed
    rgb = mixed @ to_rgb.T
    rgb = rgb[(rgb >= 0).all(axis=1)]  # and shown in a picture
    rgb *= (rng.uniform(0, 1, len(rgb)) / rgb.max(axis=1))[:, None]
    levels = table.levels(rgb.T).T
    assert len(rgb) > 300 and (levels >= 0).all() and (levels <= 1 + 1e-9).all()
    seen, want = levels @ light, rgb @ SRGB.T
    apart = np.linalg.norm(_uv(seen) - _uv(want), axis=1)
    assert np.percentile(apart, 95) < 0.0005 and apart.max() < 0.006  # 0.004 is what is just seen
    full = table.levels(np.ones((3, 1)))[:, 0] @ light
    share = seen[:, 1] / full[1]
    free = levels.max(axis=1) < 0.999
    assert np.abs(share - want[:, 1])[free].max() < 0.01 and free.sum() > 100
    assert (share <= want[:, 1] + 1e-6).all()
    far = _lab(seen[free] / full[1], SRGB @ np.ones(3)) - _lab(want[free], SRGB @ np.ones(3))
    assert np.linalg.norm(far, axis=1).max() < 2  # CIE 1976 ΔE*ab, of the white of the picture
    # the brightest white: a solver, from its own statement of the problem, finds none brighter
    white = SRGB @ np.ones(3)
    even = np.stack([light[:, i] - white[i] / white[1] * light[:, 1] for i in (0, 2)])
    best = linprog(-light[:, 1], A_eq=even, b_eq=[0, 0], bounds=(0, 1))
    assert full[1] == pytest.approx(-best.fun, rel=1e-6)


# IEC 61966-2-1
SRGB = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])


def _lab(xyz: np.ndarray, white: np.ndarray) -> np.ndarray:
    """CIE 1976 L*a*b* (ISO/CIE 11664-4)."""
    t = np.maximum(xyz / white, 0)
    f = np.where(t > (6 / 29) ** 3, np.cbrt(t), t / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.stack([116 * f[:, 1] - 16, 500 * (f[:, 0] - f[:, 1]), 200 * (f[:, 1] - f[:, 2])], 1)


def _uv(xyz: np.ndarray) -> np.ndarray:
    """CIE 1976 u′ v′."""
    down = xyz @ [1, 15, 3]
    return np.stack([4 * xyz[:, 0] / down, 9 * xyz[:, 1] / down], axis=1)


def test_a_grid_laid_out_by_hand_is_the_one_the_rig_suggests() -> None:
    """The wall by how it is wired, against where its cells hang; and a chain of single cells by hand-written places."""
    show = replace(with_wall(lantern_tide()), grids=())
    code, made = answer("pixels", "make", "demo", "--units", "701-710", "--across", "5", "--panel", "6x4", "--panel-start", "bottom left", "--dry-run")  # fmt: skip
    wall = propose(show, [f"w{i}" for i in range(10)]).grid
    number = {u.id: u.number for u in show.units}
    hung = {(number[c.unit], c.cell): (c.x, c.y) for c in wall.cells}
    assert code == 0 and (made["width"], made["height"]) == (30, 8)
    assert {(c["unit"], c["cell"]): (c["x"], c["y"]) for c in made["cells"]} == hung
    places = {
        Run(): [(0, 0), (1, 0), (2, 0), (0, 1), (1, 1), (2, 1)],
        Run("top right", False, True): [(2, 0), (1, 0), (0, 0), (0, 1), (1, 1), (2, 1)],
        Run("bottom left", True): [(0, 1), (0, 0), (1, 1), (1, 0), (2, 1), (2, 0)],
        Run("bottom right", True, True): [(2, 1), (2, 0), (1, 0), (1, 1), (0, 1), (0, 0)],
    }
    for run, wanted in places.items():
        assert run.places(3, 2) == wanted
    assert command("pixels", "make", "demo", "--units", "701", "--across", "1", "--panel", "2x2", "--dry-run").returncode == 3  # fmt: skip


def test_scattered_cells_keep_their_true_places() -> None:
    """Units strewn over the stage: distances between their cells are those of their places, seen from above."""
    rng = np.random.default_rng(5)
    show = lantern_tide()
    units = [u for u in show.units if u.position is not None][:24]
    strewn = {u.id: tuple(map(float, rng.uniform(-9, 9, 3))) for u in units}
    moved = tuple(replace(u, position=strewn.get(u.id, u.position)) for u in show.units)
    show = replace(show, units=moved)
    with pytest.raises(EntryFault, match="true places"):
        propose(show, [u.id for u in units], "above")
    found = propose(show, [u.id for u in units], "above", true_places=True)
    at = {c.unit: np.array(c.at) for c in found.grid.cells if c.cell == 0}
    pairs = [(a, b) for a in at for b in at if a < b]
    drawn = np.array([np.linalg.norm(at[a] - at[b]) for a, b in pairs])
    hung = np.array(
        [math.dist(show.unit(a).position[:2], show.unit(b).position[:2]) for a, b in pairs]
    )
    scale = float(drawn @ hung / (hung @ hung))
    assert (
        len(pairs) > 100 and np.abs(drawn / scale - hung).max() < 0.35
    )  # heads hang below their clamps
    right, left = (
        max(at, key=lambda u: show.unit(u).position[0]),
        min(at, key=lambda u: show.unit(u).position[0]),
    )
    assert at[right][0] > at[left][0]
    inside = np.array([c.at for c in found.grid.cells])
    assert (inside >= 0).all() and (inside <= (found.grid.width, found.grid.height)).all()


def test_cells_are_where_the_profile_says_and_a_grid_of_them_is_kept(tmp_path: Path) -> None:
    """Battens along the waterline, read from their profile's XML; proposed, saved and tested headless."""
    show = as_hung()
    battens = [u for u in show.units if u.purpose == "Water edge" and u.patch]
    cells = cells_in_space(show, [u.id for u in battens])
    origins = [o for u in battens for o, _ in beams_sent(show, Live(show), u.id)]
    assert len(cells.names) == len(origins) == 6 * len(battens)
    assert np.abs(cells.at - origins).max() < 1e-6
    out = tmp_path / "grids.isthmus"
    save_show(show, out)
    port = [u for u in battens if u.hangs_on == battens[0].hangs_on]
    numbers = ", ".join(str(u.number) for u in port)
    code, told = answer("pixels", "propose", str(out), "--units", numbers, "--name", "Port edge")
    low, long = sorted((told["width"], told["height"]))
    count, empty = 6 * len(port), f"{long - 6 * len(port)} places empty"  # between the battens
    assert (code, low) == (0, 1) and empty in told["words"]
    assert f"{count} of {count} cells on the lattice" in told["words"]
    along = [place["x"] for place in sorted(told["cells"], key=lambda c: (c["unit"], c["cell"]))]
    where = [o @ best_plane(cells.at[: 6 * len(port)]).right for o in origins[: 6 * len(port)]]
    assert (np.argsort(where) == np.argsort(along)).all()  # their order in space
    code, told = answer(
        "pixels", "test", str(out), "--grid", "port edge", "--picture", "columns", "--at", "1.0"
    )
    lit = {
        (a["unit"], a["cell"])
        for a in told["asked"]
        if a["cell"] and a["level"] > 0.01 and a["attribute"].startswith("ColorAdd_")
    }
    third = [i for i, x in enumerate(along) if x == 2]
    assert lit == {(port[i // 6].number, i % 6 + 1) for i in third}
    done = command("pixels", "test", str(out), "--grid", "7")
    assert done.returncode == 3 and "There is no grid “7”" in done.stderr


def test_a_wall_seen_from_behind_is_mirrored_and_an_unknown_view_is_told() -> None:
    behind = SavedView(name="Behind", target=(0, 4.7, 3), distance=9, bearing=180, height=0)
    show = replace(with_wall(lantern_tide()), views=(behind,), grids=())
    wall = [u.id for u in show.units if u.purpose == "Wall"]
    front, back = (propose(show, wall, view).grid for view in ("front", "behind"))
    assert front.name == "Boathouse front" and (front.width, front.height) == (30, 8)
    seen = {(c.unit, c.cell): (29 - c.x, c.y) for c in back.cells}
    assert seen == {(c.unit, c.cell): (c.x, c.y) for c in front.cells}
    above = propose(show, wall, "above").grid  # a wall from above is a line, row behind row
    assert (above.width, above.height) == (30, 1)
    with pytest.raises(EntryFault, match="no view “Beside”"):
        propose(show, wall, "Beside")


def grid_of(width: int, height: int, panel: tuple[int, int]) -> PixelGrid:
    """A wall of panels, each numbered as one reads."""
    cells = tuple(
        GridCell(
            unit=f"{x // panel[0]}.{y // panel[1]}",
            cell=x % panel[0] + y % panel[1] * panel[0] + 1,
            x=x,
            y=y,
        )
        for y in range(height)
        for x in range(width)
    )
    return PixelGrid(id="g", number=1, width=width, height=height, cells=cells)


@given(st.integers(1, 4), st.integers(1, 4), st.sampled_from(sorted(TURNS)), st.integers(1, 5))
def test_panels_turned_come_back_and_stay_in_their_place(
    across: int, down: int, how: str, side: int
) -> None:
    """Groups of turns by hand: a quarter turn four times, any other twice; nothing else moves, no place is taken twice."""
    grid = grid_of(across * side, down * side, (side, side))
    unit = grid.cells[-1].unit
    once = turn_units(grid, [unit], how)
    places = [(c.x, c.y) for c in once.cells]
    assert sorted(places) == sorted((c.x, c.y) for c in grid.cells)
    assert all(a == b for a, b in zip(grid.cells, once.cells, strict=True) if a.unit != unit)
    times = 4 if how in ("left", "right") else 2
    back = once
    for _ in range(times - 1):
        back = turn_units(back, [unit], how)
    assert back == grid
    if side > 1:
        first = next(c for c in once.cells if c.unit == unit and c.cell == 1)
        low = (across - 1) * side, (down - 1) * side
        corner = (first.x - low[0] > 0, first.y - low[1] > 0)  # right, bottom
        seen = {"left": (0, 1), "right": (1, 0), "round": (1, 1), "sideways": (1, 0)}
        assert corner == seen.get(how, (0, 1))


@given(st.integers(1, 9), st.integers(1, 9), st.data())
def test_cells_moved_take_places_and_leave_theirs(width: int, height: int, data) -> None:
    """What moves is where it was put, as far as the edge; no place is lost or taken twice; the way back is a way back."""
    whole = grid_of(width, height, (1, 1))
    holes = data.draw(st.sets(st.integers(1, width * height)))
    grid = replace(whole, cells=tuple(c for i, c in enumerate(whole.cells) if i not in holes))
    rows = data.draw(st.sets(st.integers(0, len(grid.cells) - 1), min_size=1))
    by = data.draw(st.tuples(st.integers(-12, 12), st.integers(-12, 12)))
    moved = move_cells(grid, rows, *by)
    steps = {
        (b.x - a.x, b.y - a.y)
        for i, (a, b) in enumerate(zip(grid.cells, moved.cells, strict=True))
        if i in rows
    }
    [(across, down)] = steps
    for gone, wish, low, high, size in (
        (
            across,
            by[0],
            min(grid.cells[i].x for i in rows),
            max(grid.cells[i].x for i in rows),
            width,
        ),
        (
            down,
            by[1],
            min(grid.cells[i].y for i in rows),
            max(grid.cells[i].y for i in rows),
            height,
        ),
    ):
        assert gone == wish or (gone == -low if wish < 0 else gone == size - 1 - high)
    places = [(c.x, c.y) for c in moved.cells]
    assert len(set(places)) == len(places) and all(
        0 <= x < width and 0 <= y < height for x, y in places
    )
    if len(grid.cells) == width * height:
        assert move_cells(moved, rows, -across, -down) == grid
    wider = size_grid(grid, f"{width + 3} × {height}")
    assert move_cells(wider, range(len(grid.cells)), 3, 0).cells[0].x == grid.cells[0].x + min(
        3, 3 + width - 1 - max(c.x for c in grid.cells)
    )


def test_what_white_takes_follows_its_limit_and_its_lamps() -> None:
    """Ten panels of 24 LEDs of 9 W, red, green and blue each, against what is sent for white; a filament by the rule of lamp makers."""
    show = with_wall(lantern_tide())
    live = Live(show)
    live.ask(ask_picture(live, show.grids[0], np.ones((8, 30, 3)), 0.4))
    sent = [
        live.levels[i]
        for unit in range(10)
        for cell in range(1, 25)
        for letter in "RGB"
        for i in live.compiled.places.get((f"w{unit}", cell, f"ColorAdd_{letter}"))
    ]
    code, told = answer("pixels", "grid", "demo", "--limit", "40", "--dry-run")
    assert code == 0 and told["power"]["unknown_cells"] == 0
    assert told["power"]["now"] == pytest.approx(9 * 240 * np.mean(sent), rel=1e-4)
    assert told["power"]["now"] == pytest.approx(0.4 * told["power"]["full"])

    light = Beam(beam_angle=20, lamp="Halogen", power=750)
    lamp = compose(
        "Saltings",
        "Ember",
        Body("lens", (0.3, 0.3, 0.5), light, 1),
        [ModePlan("One", (Channel("Dimmer"),))],
    )
    stored = stored_of(lamp, write_gdtf(lamp))
    unit = Unit(
        id="u", number=1, profile=stored.key, mode="One", patch=(Patched(universe=1, address=1),)
    )
    grid = PixelGrid(id="g", number=1, limit=0.5, cells=(GridCell(unit="u"),))
    dark = Live(Show(units=(unit,), profiles=(stored,), grids=(grid,)))
    taken = power_of(dark, grid, canvas_of(dark, grid))
    assert taken.full == 750 and taken.now == pytest.approx(750 * 0.5 ** (1.6 / 3.4), rel=1e-3)


def test_a_letter_f_tells_every_way_a_panel_can_hang() -> None:
    """Eight ways to turn and mirror a picture: no two look alike, and corners tell them apart as well."""
    for name in ("letter", "corners"):
        for width, height in ((5, 5), (6, 4), (16, 9)):
            picture = PICTURES[name](width, height, 0.0)
            square = (
                picture if width == height else picture[: min(width, height), : min(width, height)]
            )
            ways = [np.rot90(m, k) for m in (square, square[:, ::-1]) for k in range(4)]
            same = [np.allclose(ways[0], way, atol=0.05) for way in ways[1:]]
            assert not any(same), (name, width, height)
    for name, make in PICTURES.items():
        for time in (0.0, 0.7, 33.3):
            made = make(7, 3, time)
            assert made.shape == (3, 7, 3) and (made >= 0).all() and (made <= 1).all(), name
    lit = [
        np.argwhere(PICTURES["one by one"](4, 3, 0.5 * i + 0.1).any(axis=2))[0] for i in range(12)
    ]
    assert [tuple(map(int, at)) for at in lit] == [(y, x) for y in range(3) for x in range(4)]
