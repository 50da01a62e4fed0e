"""The patch at 20 000 units on 1 000 universes: snags after one edit, first free, re-addressing,
commit, table, file.
"""

from __future__ import annotations

import os
import random
import statistics
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import msgspec
from msgspec.structs import replace

from benchmarks.frame import best
from isthmus.demo import shipped_profiles
from isthmus.hanglist import Answers, Reading, parse_hang_list
from isthmus.library.at_hand import at_hand
from isthmus.output import Live
from isthmus.patch.addresses import blocks_at
from isthmus.patch.edits import set_address, set_text
from isthmus.patch.index import PatchIndex, Room, index_of
from isthmus.patch.paper import take_paper
from isthmus.patch.readdress import HOWS, Wanted, readdress
from isthmus.profiles import chart, profiles_of
from isthmus.show import History, Show
from isthmus.show.container import open_show, save_show
from isthmus.show.journal import Journal
from isthmus.show.records import Output, Unit
from isthmus.snags import SnagBook, find_snags

UNITS, EACH = 20_000, 20


def large_show(count: int = UNITS) -> Show:
    """Units of the shipped profiles in order, twenty to a universe, hung and routed."""
    rng = random.Random(3)
    base = Show(profiles=shipped_profiles())
    profiles = profiles_of(base).profiles
    modes = [
        (key, p, m) for key, p in profiles.items() for m in p.modes if chart(p, m).footprint <= 25
    ]
    units, universe, at = [], 1, 1
    for i in range(count):
        key, profile, mode = rng.choice(modes)
        if i and i % EACH == 0:
            universe, at = universe + 1, 1
        patch = blocks_at(profile, mode, universe, at)
        at += chart(profile, mode).footprint
        position = (i % 100 * 0.5, i // 100 * 0.5, 5.0)
        hangs_on = f"Truss {i // 15 + 1}"
        units.append(
            Unit(
                id=f"x{i}",
                number=i + 1,
                name=f"Unit {i}",
                profile=key,
                mode=mode.name,
                patch=patch,
                position=position,
                hangs_on=hangs_on,
            )
        )
    outputs = tuple(
        Output(id=f"o{n}", universe=n, host="127.0.0.2", port_address=n)
        for n in range(1, universe + 1)
    )
    return replace(base, units=tuple(units), outputs=outputs)


def seconds(act) -> float:
    started = time.perf_counter()
    act()
    return time.perf_counter() - started


def journalled(show: Show) -> tuple[float, float]:
    """Seconds the window waits for an edit of 1 to 100 units in the journal: the median, and for
    one of all units.
    """
    chance = random.Random(4)
    with tempfile.TemporaryDirectory() as folder:
        journal = Journal(Path(folder) / "run")
        journal.begin(show, None)
        journal.wait()
        taken = []
        for turn in range(100):
            units = list(show.units)
            for at in chance.sample(range(len(units)), chance.choice((1, 1, 5, 100))):
                units[at] = replace(units[at], note=f"turn {turn}")
            after = replace(show, units=tuple(units))
            taken.append(seconds(lambda a=after, b=show: journal.append("edit", b, a)))
            show = after
        whole = replace(show, units=tuple(replace(u, note="all") for u in show.units))
        longest = seconds(lambda: journal.append("all", show, whole))
        journal.close(forget=True)
    return statistics.median(taken), longest


def run() -> Iterator[tuple[str, float, float, str, str]]:
    show = large_show()
    index_of(show)
    book = SnagBook().update(show)
    whole = best(lambda: find_snags(show), 3)
    after = []
    for i in range(30):
        changed = set_address(show, [f"x{500 * i + 7}"], (i * 30 + 1, 400))
        after.append(seconds(lambda s=changed: book.update(s)))
        after.append(seconds(lambda: book.update(show)))
    yield (
        "all snags after one edit / all again",
        statistics.median(after) * 1e3,
        whole * 1e3,
        "ms",
        "under 20 ms, 1/20",
    )

    index = index_of(show)
    bare = best(lambda: {n: u.taken for n, u in index.universes.items()}, 20)
    took = best(lambda: Room(index.universes).find(500), 20)
    yield "first free of 500 slots / a copy of all bits", took * 1e3, bare * 1e3, "ms", "under 2 ms"

    plain = best(lambda: PatchIndex.of(show), 3)
    for how in HOWS:
        took = best(lambda h=how: readdress(show, Wanted(h, spare=20)), 2)
        yield f"re-address all, {how} / index again", took, plain, "s", "under 3 s"

    history = History(show)
    edits = [set_text(show, [f"x{i}"], "name", "other") for i in range(20)]
    took = best(lambda: [(history.commit("name", s), history.undo()) for s in edits], 5) / len(
        edits
    )
    copy = best(lambda: tuple(show.units), 20)
    yield "commit and undo / a copy of the tuple", took * 1e3, copy * 1e3, "ms", "under 10 ms"

    live = Live(show)
    moved = set_address(show, ["x7"], (1, 400))
    slots = best(lambda: [p.address for u in show.units for p in u.patch], 5)
    took = min(seconds(lambda s=s: live.set_show(s)) for s in (moved, show, moved, show))
    yield "live levels after an address / reading all addresses", took * 1e3, slots * 1e3, "ms", ""

    yield from _table(show)

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.isthmus"
        encode = best(lambda: msgspec.json.encode(show.units), 5)
        decode_from = msgspec.json.encode(show.units)
        decode = best(lambda: msgspec.json.decode(decode_from, type=tuple[Unit, ...]), 5)
        median, longest = journalled(show)
        yield (
            "an edit of 1 to 100 units into the journal / all records bare",
            median * 1e3,
            encode * 1e3,
            "ms",
            "under 2 ms",
        )
        yield (
            "an edit of all 20 000 units into the journal / all records bare",
            longest * 1e3,
            encode * 1e3,
            "ms",
            "",
        )
        yield (
            "save / encoding the records bare",
            best(lambda: save_show(show, path), 3),
            encode,
            "s",
            "under 0.5 s, 5×",
        )
        yield (
            "open / decoding the records bare",
            best(lambda: open_show(path), 3),
            decode,
            "s",
            "under 0.5 s, 5×",
        )

    rows = ["Unit,Type,Mode,Address,Position"]
    for i in range(10_000):
        wrong = i % 20 == 0
        rows.append(
            f"{i + 1},{'Lapwin 19' if wrong else 'Lapwing 19'},Short,"
            f"{i // 40 + 1}.{i % 40 * 11 + 1},Bow rail"
        )
    text = "\n".join(rows)
    shelf = at_hand(Show())
    lines = best(lambda: [line.split(",") for line in text.splitlines()], 5)
    took = best(lambda: parse_hang_list(text, "list", shelf), 2)
    yield "a list of 10 000 lines, 500 wrong / splitting it", took, lines, "s", "under 2 s"
    reading = Reading(text, "list", shelf)
    found = reading.read(Answers())
    agreed = Answers(models={"Lapwin 19": found.unknown[0].key})
    again = best(lambda: reading.read(agreed), 2)
    yield "    the same after a correction", again, lines, "s", "under 0.3 s"
    paper = reading.read(agreed).paper
    taken = best(lambda: take_paper(Show(), paper, shelf), 2)
    yield "    its units taken", taken, lines, "s", "under 3 s"


def _table(show: Show) -> Iterator[tuple[str, float, float, str, str]]:
    """The table's model after an edit of one unit; needs Qt, not a display."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication

    app = QApplication.instance() or QApplication([])
    from isthmus.app.model.workbench import Workbench
    from isthmus.app.pages.patch.models.units import PatchModel

    bench = Workbench(show)
    model = PatchModel(bench)
    took = []
    for i in range(10):
        bench.history.commit("name", set_text(bench.show, [f"x{i}"], "name", f"n{i}"))
        took.append(seconds(model.reload))
    plain = best(lambda: sorted(show.units, key=lambda u: u.number), 5)
    yield (
        "table refresh after one edit / one sort",
        statistics.median(took) * 1e3,
        plain * 1e3,
        "ms",
        "under 16 ms",
    )
    yield from _scrolling(replace(show, units=show.units[:5000]))
    app.processEvents()


def _scrolling(show: Show) -> Iterator[tuple[str, float, float, str, str]]:
    """Frames of the table and of the picture of the universes while they are scrolled, against an
    empty widget's.
    """
    from PySide6.QtGui import QPixmap
    from PySide6.QtWidgets import QApplication, QWidget

    from isthmus.app.model.workbench import Workbench
    from isthmus.app.pages.patch.models.units import PatchModel
    from isthmus.app.pages.patch.views.table import PatchTable
    from isthmus.app.pages.patch.views.universe_map import UniverseMap
    from isthmus.app.shell.main import make_application

    make_application(["bench"])
    bench = Workbench(show)
    bare = QWidget()
    canvas = QPixmap(1000, 560)
    bare.resize(canvas.size())
    plain = best(lambda: bare.render(canvas), 30)
    for name, view in (
        ("table of 5 000 rows", PatchTable(bench, PatchModel(bench))),
        ("250 universes", UniverseMap(bench)),
    ):
        view.resize(canvas.size())
        view.show()
        app, bar, took = QApplication.instance(), view.verticalScrollBar(), []
        assert app
        app.processEvents()
        for i in range(
            120
        ):  # two rows at a time, as a wheel does; what is not new is moved, not painted
            bar.setValue(i * 48)
            took.append(seconds(app.processEvents))
        yield (
            f"a frame of the {name} scrolled, 95 % / an empty one",
            sorted(took)[114] * 1e3,
            plain * 1e3,
            "ms",
            "under 16.7 ms",
        )
        whole = best(lambda v=view: v.render(canvas), 10)
        yield "the same painted whole / an empty one", whole * 1e3, plain * 1e3, "ms", ""
        view.hide()
