"""Kills −9 at random moments of a scripted hour of editing; `./run bench kill`. Not part of the
plain run.

Each round starts the window in a process of its own, takes up what the last kill left, edits,
undoes, saves and makes versions, compacting its journal every few entries, and says after each act
that it was accepted. What is then found on the disk is held against the same script played here on
plain lists: it must be the last accepted state, or the one that was just coming, with the versions
a person made, each of which holds what it was made of.
"""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from msgspec.structs import replace

from isthmus.demo import lantern_tide
from isthmus.show import Show, open_show, save_show
from isthmus.show.recovery import left_behind
from isthmus.show.versions import shown, without_versions

KILLS = 200
ACTS = ("edit", "edit", "edit", "many", "remove", "undo", "redo", "save", "version")
FEW = 9  # entries after which the journal is compacted
Versions = dict[str, Show]  # by note, what each was made of
State = tuple[Show, Versions]


def script(seed: int) -> Iterator[tuple[str, int]]:
    chance = random.Random(seed)
    while True:
        yield chance.choice(ACTS), chance.randrange(1 << 30)


def edited(show: Show, kind: str, dice: int) -> Show:
    """What one act makes of a show; the same here and there."""
    units = list(show.units)
    if not units or kind == "many":
        return replace(
            show, units=tuple(replace(u, note=f"n{dice}") for u in units), venue=f"v{dice}"
        )
    at = dice % len(units)
    if kind == "remove" and len(units) > 20:
        return replace(show, units=tuple(units[:at] + units[at + 1 :]))
    units[at] = replace(units[at], name=f"e{dice}")
    return replace(show, units=tuple(units))


def states(start: State, seed: int) -> Iterator[State]:
    """The states the script leads to, by a list and a place in it."""
    line, at = [start], 0
    for kind, dice in script(seed):
        show, versions = line[at]
        if kind == "undo":
            at = max(0, at - 1)
        elif kind == "redo":
            at = min(len(line) - 1, at + 1)
        elif kind == "version":
            line[at + 1 :] = [(show, {**versions, f"k{dice}": show})]
            at += 1
        elif kind != "save":
            made = edited(show, kind, dice)
            if made != show:
                line[at + 1 :] = [(made, versions)]
                at += 1
        yield line[at]


def child(file: Path, seed: int) -> None:
    """One round: recover, then play the script until killed."""
    from PySide6.QtWidgets import QApplication

    from isthmus.app.shell import files
    from isthmus.app.shell.main import begin, make_application
    from isthmus.app.shell.window import Window
    from isthmus.show import journal

    journal.COMPACT_ENTRIES = FEW
    make_application(["kill"])
    files.ask = lambda *_: "take"  # pyright: ignore
    window = Window()
    window.complete = lambda: None
    begin(window, str(file), True)
    window.show()
    bench = window.bench
    print("ready", flush=True)
    for count, (kind, dice) in enumerate(script(seed)):
        if kind == "undo":
            if bench.history.undo_name is not None:
                bench.undo()
        elif kind == "redo":
            if bench.history.redo_name is not None:
                bench.redo()
        elif kind == "save":
            window.files.save()
        elif kind == "version":
            bench.keep_version(f"k{dice}")
        else:
            bench.commit(kind, edited(bench.show, kind, dice))
        print("done", flush=True)  # what the person sees is so
        if count % 5 == 0:
            QApplication.processEvents()


def plain(show: Show) -> Show:
    """The first edit gives a show its own CID; what it once was is held against apart."""
    return replace(without_versions(show), sending=Show().sending)


def alike(there: Show, state: State) -> bool:
    show, versions = state
    made = {v.note: v for v in there.versions if v.note}
    return (
        plain(there) == plain(show)
        and made.keys() == versions.keys()
        and all(plain(shown(there, v)) == plain(versions[note]) for note, v in made.items())
    )


def kills(count: int) -> tuple[int, int, int]:
    """(acts accepted, states lost, files that do not open) over so many kills."""
    accepted = lost = unreadable = 0
    chance = random.Random()
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder)
        file = home / "show.isthmus"
        save_show(lantern_tide(), file)
        now: State = open_show(file), {}
        for _ in range(count):
            seed = chance.randrange(1 << 30)
            environment = os.environ | {
                "ISTHMUS_CONFIG": folder,
                "ISTHMUS_DATA": folder,
                "ISTHMUS_STATE": folder,
                "QT_QPA_PLATFORM": "offscreen",
            }
            command = [sys.executable, "-m", "benchmarks.kill", str(file), str(seed)]
            run = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=environment)
            assert run.stdout is not None
            if run.stdout.readline() != "ready\n":
                raise RuntimeError("the window did not start")
            time.sleep(chance.uniform(0, 1.2))
            run.send_signal(signal.SIGKILL)
            done = run.stdout.read().count("done\n")
            run.wait()
            run.stdout.close()
            accepted += done
            line = states(now, seed)
            reached = [now] + [next(line) for _ in range(done + 1)]
            try:
                saved = open_show(file)
            except Exception:
                unreadable += 1
                saved = now[0]
            found, told = left_behind(home / "recovery")
            unreadable += len(told)
            there = found[0].show if found else saved
            for item in found:
                item.let_go()
            last, coming = reached[done], reached[done + 1]
            if not (alike(there, last) or alike(there, coming)):
                lost += 1
            now = there, (coming if alike(there, coming) else last)[1]
    return accepted, lost, unreadable


def run() -> Iterator[tuple[str, float, float, str, str]]:
    accepted, lost, unreadable = kills(KILLS)
    yield f"{KILLS} kills: edits lost / accepted", lost, accepted, "", "0"
    yield f"{KILLS} kills: files that do not open", unreadable, KILLS, "", "0"


if __name__ == "__main__":
    child(Path(sys.argv[1]), int(sys.argv[2]))
