"""Pixels: what a frame of layers on a large grid costs against its bare sparse products, the
lattice of as many cells, and a film kept in a show.
"""

from __future__ import annotations

import gc
import os
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import av
import numpy as np
import psutil
from msgspec.structs import replace

from isthmus.check.wiring import Check, panels_of
from isthmus.demo.wall import panel
from isthmus.output import Live
from isthmus.pixels.lattice import find_lattice
from isthmus.pixels.layer_edits import add_layer, put_set
from isthmus.pixels.media import bring, frames_of, longest_for, put_media
from isthmus.pixels.painting import Shown
from isthmus.pixels.ready import Studio
from isthmus.show.records import GridCell, LayerSet, Patched, PixelGrid, Show, Unit

ACROSS, DOWN = 34, 25  # panels of 6 by 4 cells: 20 400 cells
LAYERS = ("noise", "plasma", "fire", "text")
FRAMES = 60
FILM = (1920, 1080, 25, 60)  # pixels, frames a second, seconds


def wall(across: int = ACROSS, down: int = DOWN) -> Show:
    units, cells = [], []
    for at in range(across * down):
        column, row = at % across, at // across
        place = Patched(universe=1 + at // 7, address=1 + at % 7 * 73)
        units.append(
            Unit(id=f"p{at}", number=1 + at, profile=panel().key, mode="Cells", patch=(place,))
        )
        for cell in range(24):
            x, y = 6 * column + cell % 6, 4 * row + 3 - cell // 6
            cells.append(GridCell(unit=f"p{at}", cell=1 + cell, x=x, y=y))
    grid = PixelGrid(id="g", number=1, width=6 * across, height=4 * down, cells=tuple(cells))
    return Show(units=tuple(units), profiles=(panel(),), grids=(grid,))


def laid(show: Show, kinds: tuple[str, ...]) -> tuple[Show, str]:
    one = LayerSet(id="", number=1, grid="g")
    for kind in kinds:
        more = {"text": "PORT AND STARBOARD", "settings": {"run": 1.0}} if kind == "text" else {}
        one = add_layer(one, kind, level=0.7, **more)
    return put_set(show, one)


def best(run: Callable[[int], object], times: int = FRAMES) -> float:
    """Milliseconds of processor for each, the better half of them."""
    taken = []
    for at in range(times):
        begun = time.process_time()
        run(at)
        taken.append(time.process_time() - begun)
    return 1000 * float(np.median(sorted(taken)[: times // 2 + 1]))


def frame() -> tuple[float, float]:
    """(of a frame with all its layers, of as many bare sparse products), milliseconds."""
    show, name = laid(wall(), LAYERS)
    live = Live(show)
    pictures = Studio(frames_of).pictures(show, live, [name])
    levels = live.compiled.defaults.copy()
    shown = [Shown(name, 0.0)]
    plans = pictures.sets[name].layers
    wide = [np.ones((plan.source.size[0] * plan.source.size[1], 3), np.float32) for plan in plans]
    gc.disable()
    whole = best(lambda at: pictures.paint(levels, shown, at / 44))
    bare = best(lambda at: [plan.seen @ one for plan, one in zip(plans, wide, strict=True)])
    gc.enable()
    return whole, bare


def lattice() -> float:
    rng = np.random.default_rng(1)
    y, x = np.mgrid[0:100, 0:200]
    points = np.stack([x.ravel(), y.ravel()], axis=1) * 0.05 + rng.normal(0, 0.001, (20_000, 2))
    return best(lambda at: find_lattice(points), 5)


def film(path: Path) -> None:
    wide, high, rate, seconds = FILM
    y, x = np.arange(high)[:, None], np.arange(wide)[None, :]
    with av.open(str(path), "w") as out:
        stream = out.add_stream("mpeg4", rate=rate)
        stream.width, stream.height, stream.pix_fmt, stream.bit_rate = (
            wide,
            high,
            "yuv420p",
            8_000_000,
        )
        pictures = []
        for at in range(rate):
            light = 127 + 127 * np.sin((x + 40 * at) / 90 + y / 120)
            codes = np.stack([light, 255 - light, light / 2], axis=2).astype(np.uint8)
            pictures.append(codes)
        for at in range(rate * seconds):
            out.mux(stream.encode(av.VideoFrame.from_ndarray(pictures[at % rate], format="rgb24")))
        out.mux(stream.encode())


def moving() -> Iterator[tuple[str, float, float, str, str]]:
    """A minute of 1080p on 2 000 cells: how long it takes to bring in, and what it costs then."""
    show = wall(12, 7)
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_CACHE_HOME"] = folder
        path = Path(folder, "film.mp4")
        film(path)
        begun = time.perf_counter()
        bare = time.perf_counter()
        with av.open(str(path)) as container:
            for _ in container.decode(video=0):
                pass
        bare = time.perf_counter() - bare
        begun = time.perf_counter()
        brought = bring(path, longest_for(show.grids[0].width, show.grids[0].height))
        yield "a minute of 1080p brought in", time.perf_counter() - begun, bare, "s", ""
        show, media = put_media(show, brought)
        yield "…kept in the show", len(brought.file.data) / 1e6, 0.0, "MB", ""
        show, name = put_set(
            show, add_layer(LayerSet(id="", number=1, grid="g"), "media", media=media)
        )
        live = Live(show)
        before = psutil.Process().memory_info().rss
        pictures = Studio(frames_of).pictures(show, live, [name])
        levels = live.compiled.defaults.copy()
        each = best(lambda at: pictures.paint(levels, [Shown(name, 0.0)], at / 5), 300)
        grown = (psutil.Process().memory_info().rss - before) / 1e6
        yield "…a frame of it on 2 016 cells", each, 0.0, "ms", ""
        yield "…memory for it", grown, 0.0, "MB", "200 at most"


def run() -> Iterator[tuple[str, float, float, str, str]]:
    whole, bare = frame()
    yield "a frame of 20 400 cells, 4 layers", whole, bare, "ms", "8 ms, 3 times bare products"
    yield "the lattice of 20 000 cells", lattice(), 0.0, "ms", "300"
    show = wall(10, 10)
    show = replace(show, grids=(show.grids[0],))
    begun = time.perf_counter()
    Check(panels_of(show, show.grids[0])).next()
    yield (
        "wiring check of 100 panels, first picture",
        1000 * (time.perf_counter() - begun),
        0.0,
        "ms",
        "",
    )
    yield from moving()
