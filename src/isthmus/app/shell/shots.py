"""Pictures of every main view, from the demo show, at 1280x800."""

from __future__ import annotations

import contextlib
import os
import shutil
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication

from isthmus.app.canvas.stage_view import StageView
from isthmus.app.kit.theme import theme
from isthmus.app.kit.widgets import take_row
from isthmus.app.pages.handover.page import HandoverPage
from isthmus.app.pages.looks.page import LooksPage
from isthmus.app.pages.pixels.page import PixelsPage
from isthmus.app.pages.profiles.page import ProfilesPage
from isthmus.app.pages.roll_call.page import RollCallPage
from isthmus.app.pages.routes.page import RoutesPage
from isthmus.app.pages.stage.page import StagePage
from isthmus.app.pages.versions.page import VersionsPage
from isthmus.app.shell.window import Window
from isthmus.bringing import choose
from isthmus.check import callable_units, mark
from isthmus.check.acts import KINDS
from isthmus.compare.references import renamed_show
from isthmus.demo import SCENARIO, lantern_tide
from isthmus.demo.evening import with_evening
from isthmus.demo.wall import with_wall
from isthmus.errors import EntryFault
from isthmus.patch.edits import set_text
from isthmus.routes import edits as core
from isthmus.show import Show, save_show
from isthmus.standin import RigClient, StandInRig, read_scenario

SIZE = (1280, 800)
Shot = Callable[..., None]  # takes the picture of a name, after a pause in seconds
Scene = Callable[..., None]


def wait(seconds: float) -> None:
    loop = QEventLoop()
    QTimer.singleShot(int(seconds * 1000), loop.quit)
    loop.exec()


def light_the_stage(window: Window) -> None:
    """A look with the whole rig lit: warm keys, sea colours from the masts, beams over the
    water.
    """
    bench = window.bench

    def change(live) -> None:
        of = {u.number: u.id for u in bench.show.units}
        live.light_up(of.values(), 0.8)
        tones = {
            "sea": (0.05, 0.45, 1.0),
            "kelp": (0.1, 1.0, 0.55),
            "lamp": (1.0, 0.42, 0.12),
            "heather": (0.8, 0.2, 1.0),
        }
        plan = [
            (range(101, 107), "sea", 28),
            (range(107, 111), "heather", 30),
            (range(201, 209), "lamp", -35),
            (range(211, 217), "kelp", 6),
            (range(221, 227), "sea", 24),
        ]
        for numbers, tone, tilt in plan:
            ids = [of[n] for n in numbers if n in of]
            live.set_colour(ids, np.array(tones[tone]))
            for i, unit in enumerate(ids):
                live.set_axis([unit], "Tilt", tilt if tone != "lamp" else -tilt)
                live.set_axis([unit], "Pan", (i - (len(ids) - 1) / 2) * (16 if tilt > 20 else -9))
        live.set_colour([of[n] for n in range(301, 315) if n in of], np.array(tones["sea"]))
        live.set_colour([of[n] for n in range(411, 417) if n in of], np.array(tones["heather"]))
        live.set_intensity(
            [of[n] for n in (*range(411, 417), *range(431, 435), 441, 442) if n in of], 0.35
        )

    bench.levels.change(change)


def take_shots(app: QApplication, folder: Path, only: Sequence[str] = ()) -> int:
    """Save the pictures, all or those named; the person's own settings and autosaved work are left
    alone. Raises EntryFault for a name that no picture has.
    """
    wanted = set(only) or {name for names, _ in SCENES for name in names}
    unknown = wanted.difference(*(names for names, _ in SCENES))
    if unknown:
        names = ", ".join(name for group, _ in SCENES for name in group)
        raise EntryFault(f"There is no picture “{min(unknown)}”.", do=f"There are {names}.")
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as state:
        for folder_of in ("ISTHMUS_CONFIG", "ISTHMUS_STATE", "ISTHMUS_DATA"):
            os.environ[folder_of] = state
        scenes = [scene for names, scene in SCENES if wanted.intersection(names)]
        if scenes != [_two_truths]:
            _one_window([s for s in scenes if s is not _two_truths], folder, wanted)
        if _two_truths in scenes:
            _two_truths(folder)
    return 0


def _one_window(scenes: Sequence[Scene], folder: Path, wanted: set[str]) -> None:
    show = lantern_tide()
    for number, result, note in (
        (101, "works", ""),
        (102, "works", ""),
        (103, "works", ""),
        (104, "silent", "no light, no movement; fuse?"),
        (105, "works", ""),
        (106, "wrong", "iris sticks"),
    ):
        at = f"2026-06-12T19:{30 + number % 100:02d}:00"
        show = mark(show, f"u{number}", result, note, at=at)
    window = Window(show)
    window.resize(*SIZE)
    window.show()
    wait(0.6)

    def shot(name: str, pause: float = 0.35) -> None:
        if name in wanted:
            wait(pause)
            window.grab().save(str(folder / f"{name}.png"))
            print(folder / f"{name}.png")

    for scene in scenes:
        scene(window, shot)
    window._closing = True
    window.shut_down()
    window.close()


def _readiness(window: Window, shot: Shot) -> None:
    shot("readiness")


def _patch(window: Window, shot: Shot) -> None:
    """The table with its ruler, and paper beside patch."""
    bench = window.bench
    window.go("Patch")
    bench.selection.select(["u313", "u314", "u311", "u312"])
    bench.levels.change(lambda live: live.light_up(["u313"]))
    shot("patch")
    bench.levels.change(lambda live: live.restore({}))
    bench.selection.select([])


def _profiles(window: Window, shot: Shot) -> None:
    """Finding a profile, and making one from a manual."""
    window.go("Profiles")
    page = window.page(ProfilesPage)
    end = time.monotonic() + 30
    while (page.link.busy or not len(page.link.shelf.columns)) and time.monotonic() < end:
        wait(0.1)
    finder = page.library.finder
    finder.footprint.setText("20-23")
    finder.on[0][0].setText("7")
    finder.on[0][1].setText("shutter")
    finder.having.setText("prism")
    wait(0.4)
    page.library.results.setCurrentIndex(page.library.results.results.index(1, 0))
    shot("profiles")


def _plan(window: Window, shot: Shot) -> None:
    """The plan in use."""
    light_the_stage(window)
    bench = window.bench
    bench.selection.select(["u211", "u212", "u213"])
    window.go("Plan")
    shot("plan")
    bench.selection.select([])


def _roll_call(window: Window, shot: Shot) -> None:
    """A call under way, what its verdicts lead to, what answers RDM, and a hunt; the simulator
    hangs beside it.
    """
    bench, page = window.bench, window.page(RollCallPage)
    with running_rig():
        window.output.switch(True)
        window.go("Roll call")
        page.call.only.setText("101-110, 201-208")
        page.call.kinds["movement"].setChecked(True)
        bench.guard(page.call.begin)
        bench.session.step_act()
        shot("roll-call", 1.5)
        bench.session.end()
        show = bench.show
        seen = {
            "u104": ("silent", (), ()),
            "u203": ("silent", (), ()),
            "u207": ("wrong", ("too",), ("u203",)),
            "u208": ("wrong", ("colour", "beam"), ()),
            "u106": ("works", (), ()),
        }
        for unit in callable_units(show)[0]:
            result, what, others = seen.get(unit.id, ("works", (), ()))
            show = mark(
                show,
                unit.id,
                result,
                what=what,
                others=others,
                acts=KINDS,
                at="2026-06-12T19:40:00",
            )
        bench.commit("a round", show)
        known: list[bool] = []
        page.checks.conclude(lambda _: known.append(True))
        end = time.monotonic() + 30
        while not known and time.monotonic() < end:
            wait(0.1)
        page.show_view("Findings")
        page.findings.choose("u203")
        shot("findings")
        window.net.look(False)


def _stage(window: Window, shot: Shot) -> None:
    """From the seats with heads aimed, the wall lit."""
    bench, page, before = window.bench, window.page(StagePage), window.bench.show
    bench.commit("a wall", with_wall(before))
    light_the_stage(window)
    bench.playing.show_set(bench.show.layer_sets[0].id)
    heads = ["u101", "u102", "u103", "u104", "u105", "u106"]
    bench.levels.change(
        lambda live: live.ask({(u, 0, "Gobo1"): 60 / 255 for u in ("u101", "u106")})
    )
    bench.levels.aim(heads, (0.0, -1.0, 0.0), quiet=True)
    bench.selection.select(["u101", "u106"])
    window.go("Stage")
    pictures(page.view, 14)
    shot("stage")
    bench.playing.end_set()
    bench.levels.change(lambda live: live.restore({}))
    bench.undo()
    window.notice.hide()


def _looks(window: Window, shot: Shot) -> None:
    """Palettes and who cannot do one, and a cue list that runs."""
    light_the_stage(window)
    bench, page = window.bench, window.page(LooksPage)
    before = bench.show
    bench.commit("looks and cues", with_evening(before))
    bench.selection.select(["u101", "u102", "u107", "u211", "u221", "u301", "u401"])
    window.go("Looks")
    view = page.palettes
    view.choose(next(p.id for p in bench.show.palettes if p.name == "Sodium"))
    wait(1.5)
    window.notice.hide()
    shot("looks")
    bench.selection.select([])
    bench.levels.change(lambda live: live.restore({}))
    page.show_view("Cues")
    evening = page.cues.list_id
    bench.playing.jump(evening, bench.show.cue_lists[0].cues[8].id, 0.0)
    pictures(page.stage, 4)
    page.cues.go()
    page.cues.choose(bench.show.cue_lists[0].cues[9].id)
    wait(2.6)
    shot("cues", 0.1)
    page.cues.release()
    bench.playing.release_all()
    page.show_view("Palettes")
    while bench.show is not before:
        bench.undo()
    window.notice.hide()
    bench.selection.select([])
    bench.levels.change(lambda live: live.restore({}))


def _pixels(window: Window, shot: Shot) -> None:
    """A wall found from where it hangs with a test picture on it, layers on it, and its wiring
    being checked.
    """
    bench, page, before = window.bench, window.page(PixelsPage), window.bench.show
    bench.commit("a wall", with_wall(before))
    window.go("Pixels")
    page.grid.tests.turn()
    bench.selection.select(["w3"])
    window.notice.hide()
    shot("pixels")
    bench.proving.end()
    bench.selection.select([])
    page.show_view("Layers")
    page.layers.strips.choose("glow")
    window.notice.hide()
    shot("layers", 1.0)
    theme.set("day")
    page.show_view("Wiring")
    page.wiring.begin()
    bench.selection.select(["w3"])
    page.wiring.answers.setCurrentIndex(3)
    page.wiring.mark()
    bench.selection.select(["w6"])
    window.notice.hide()
    shot("wiring-day")
    page.wiring.tests.stop()
    theme.set("night")
    page.show_view("Grids")
    bench.undo()
    window.notice.hide()
    bench.selection.select([])


def _versions(window: Window, shot: Shot) -> None:
    """What a version was against now, where units were, and what another show has."""
    bench, page, before = window.bench, window.page(VersionsPage), window.bench.show
    bench.keep_version("as hung")
    moved = {u.id: u.position for u in before.units if u.hangs_on == "Bow rail" and u.position}
    bench.commit(
        "move",
        replace(
            bench.show,
            units=tuple(
                replace(u, position=(at[0] + 0.9, at[1] + 1.6, at[2]))
                if (at := moved.get(u.id))
                else u
                for u in bench.show.units
            ),
        ),
    )
    bench.commit("name", set_text(bench.show, ["u203", "u204"], "purpose", "Ferry wash"))
    bench.keep_version("focus done")
    gone = tuple(u for u in bench.show.units if u.number not in (421, 422, 442))
    bench.commit("gone", replace(bench.show, units=gone))
    window.go("Versions")
    wait(0.6)
    view = page.compare
    take_row(view.table, 1)
    view.tick(True)
    window.notice.hide()
    shot("versions")
    handover = window.page(HandoverPage)
    window.go("Handover")
    handover.papers.list.setCurrentRow(2)
    handover.papers.since.setCurrentIndex(2)
    handover.papers.refresh()
    shot("handover")
    view.haunt.setChecked(True)
    window.go("Plan")
    shot("ghosts")
    view.haunt.setChecked(False)
    while bench.show is not before:
        bench.undo()
    other = _gala(before)
    folder = Path(tempfile.gettempdir()) / "Sandre Haven"
    folder.mkdir(exist_ok=True)
    file = folder / "Harbour gala.isthmus"
    save_show(other, file)
    theme.set("day")
    window.go("Versions")
    page.show_view("Bring in")
    page.bring.open_path(file)
    units, looks = choose(other, "units", "201-216"), choose(other, "looks", "1-4")
    page.bring.things = frozenset((*units, *looks))
    page.bring.refresh()
    page.bring.clash_table.selectRow(2)
    page.bring.meet("another")
    page.bring.clash_table.selectRow(3)
    window.notice.hide()
    shot("bring-in-day")
    page.bring.clear()
    shutil.rmtree(folder)
    theme.set("night")
    page.show_view("Compare")


def _gala(show: Show) -> Show:
    """Another evening on the same barge, with other units hung."""
    other = with_evening(show)
    units = tuple(
        replace(u, name=f"Gala {u.name}") if u.number < 210 else u
        for u in other.units
        if u.number not in (213, 214)
    )
    ids = {"units": {u.id: f"g{u.id}" for u in other.units if u.number < 210}}
    return renamed_show(replace(other, name="Harbour gala", units=units), ids)


def pictures(view: StageView, count: int) -> None:
    """Wait until so many more pictures are drawn."""
    goal, end = view.pictures.count + count, time.monotonic() + 15
    while view.pictures.count < goal and not view.pictures.failure and time.monotonic() < end:
        wait(0.1)


def _two_truths(folder: Path) -> None:
    """What paper asks beside what the simulator does."""
    with running_rig() as client:
        window = Window(lantern_tide(), client.address)
        window.resize(*SIZE)
        window.show()
        window.go("Stage")
        window.output.switch(True)
        light_the_stage(window)
        window.page(StagePage).show_truth("Side by side")
        pictures(window.page(StagePage).view, 12)
        pictures(window.page(StagePage).other, 6)
        window.grab().save(str(folder / "stage-rig.png"))
        print(folder / "stage-rig.png")
        window._closing = True
        window.shut_down()
        window.close()


def _routes(window: Window, shot: Shot) -> None:
    """The views of the Routes page, with a simulator beside it in which a node has failed and
    another program sends.
    """
    bench, page, before = window.bench, window.page(RoutesPage), window.bench.show
    with running_rig() as client:
        window.go("Routes")
        window.net.look(True)
        made = core.add_node(
            before, "Slipway", "127.0.0.7", "quay, by the crane", (32, 33), spare=True
        )
        made = core.mirror(made, "ferry-b", made.nodes[-1].id, "spare")
        made = core.change_output(
            made,
            "o1",
            protocol="sacn",
            delivery="unicast",
            host="127.0.0.1",
            sacn=1,
            priority=110,
            label="heard here too",
        )
        bench.commit("a spare", core.add_output(made, 1, "127.0.0.2", 0))
        window.output.switch(True)
        light_the_stage(window)
        client.do("node", name="Ferry A", ports=[0, 5])
        client.do("send", protocol="sacn", number=1, to="127.0.0.1", level=60, priority=100)
        wait(1.0)
        client.do("node", name="Ferry B", on=False)
        page.show_view("Routes")
        end = time.monotonic() + 12
        while (
            not any(s.rule == "node-missing" and "Ferry B" in s.text for s in bench.known.snags)
            and time.monotonic() < end
        ):
            wait(0.2)  # a node that has gone is told after some silence
        page.routes.choose("o3")
        shot("routes")
        window.output.switch(False)
        window.net.look(False)
        while bench.show is not before:
            bench.undo()
        window.notice.hide()
        bench.levels.change(lambda live: live.restore({}))


@contextlib.contextmanager
def running_rig() -> Iterator[RigClient]:
    """The demo's simulator on a thread."""
    rig = StandInRig(read_scenario(SCENARIO))
    thread = threading.Thread(target=rig.serve)
    thread.start()
    client = RigClient(rig.address)
    try:
        yield client
    finally:
        client.close()
        rig.stop()
        thread.join()
        rig.close()


# the names of the pictures, and what takes them
SCENES: tuple[tuple[tuple[str, ...], Scene], ...] = (
    (("readiness",), _readiness),
    (("profiles",), _profiles),
    (("patch",), _patch),
    (("routes",), _routes),
    (("plan",), _plan),
    (("stage",), _stage),
    (("looks", "cues"), _looks),
    (("pixels", "layers", "wiring-day"), _pixels),
    (("versions", "handover", "ghosts", "bring-in-day"), _versions),
    (("roll-call", "findings"), _roll_call),
    (("stage-rig",), _two_truths),
)
