"""No accepted work is lost: kills, lost power, torn and damaged files, two windows on one file, undo that is bounded."""

from __future__ import annotations

import json
import os
import random
import shutil
import subprocess
import sys
import threading
import zipfile
from pathlib import Path

import pytest
from benchmarks.fuzzing.shows import mangled_show
from benchmarks.kill import edited, kills
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import fields, replace
from PySide6.QtCore import QItemSelectionModel, Qt, QTimer
from PySide6.QtWidgets import QApplication, QTableView

from helpers.hands import (
    answer_file_dialog,
    answer_question,
    child,
    click,
    key,
    press,
    retype,
    settle,
    shortcut,
)
from isthmus.app.model.workbench import UNTITLED
from isthmus.app.shell import files
from isthmus.app.shell.main import begin
from isthmus.compare.words import differences
from isthmus.demo import lantern_tide
from isthmus.demo.evening import with_evening
from isthmus.demo.wall import with_wall
from isthmus.errors import FileFault
from isthmus.patch import edits
from isthmus.show import History, Show, open_show, save_show
from isthmus.show import holding as holds
from isthmus.show.change import apply_change, change_between
from isthmus.show.container import Damage, decode_show, open_damaged
from isthmus.show.journal import Journal
from isthmus.show.records import Group, StoredProfile, Unit
from isthmus.show.recovery import left_behind, recovery_folder

POOL = [Unit(id=f"u{i}", number=i, extra={"new": i} if i % 3 else {}) for i in range(12)]
SHOWS = st.builds(
    Show,
    name=st.sampled_from(["Reed", "Łuk"]),
    units=st.lists(st.sampled_from(POOL), max_size=14).map(tuple),
    groups=st.lists(
        st.builds(Group, id=st.sampled_from("ab"), name=st.text(max_size=4)), max_size=3
    ).map(tuple),
    profiles=st.lists(
        st.builds(
            StoredProfile, key=st.just("p"), file=st.just("p.gdtf"), data=st.binary(max_size=9)
        ),
        max_size=2,
    ).map(tuple),
)


@given(SHOWS, SHOWS)
def test_a_change_put_on_the_show_it_was_made_from_gives_the_other(old: Show, new: Show) -> None:
    assert apply_change(old, change_between("edit", old, new)) == ("edit", new)


def test_killed_at_any_moment_of_editing_saving_and_recovering_nothing_accepted_is_lost() -> None:
    accepted, lost, unreadable = kills(3)
    assert accepted > 0 and (lost, unreadable) == (0, 0)


def put(names: dict[Path, int], path: Path, file: int | None) -> None:
    """A name for a file, or gone."""
    names.pop(path, None)
    if file is not None:
        names[path] = file


class Disk:
    """What a disk was told, in order, so that lost power can be played.

    What was written and not synced is gone or torn; names that came, went or were given to another file count once their
    folder is synced, and before that as far as the disk happened to get.
    """

    def __init__(self, patch: pytest.MonkeyPatch, root: Path) -> None:
        self.root, self.done = root, []
        self.turn = threading.Lock()  # the window and its syncing thread, each in its order
        self.real = {name: getattr(os, name) for name in ("write", "fsync", "replace", "unlink")}
        for name in ("write", "fsync"):
            patch.setattr(
                os, name, lambda fd, *rest, name=name: self.on_descriptor(name, fd, *rest)
            )
        patch.setattr(os, "replace", lambda a, b, **more: self.on_path("replace", a, b))
        patch.setattr(os, "unlink", lambda a, **more: self.on_path("unlink", a))

    def on_descriptor(self, name: str, fd: int, *rest):
        with self.turn:
            path = Path(f"/proc/self/fd/{fd}").readlink()
            result = self.real[name](fd, *rest)
            gone = path.name.endswith(" (deleted)")  # synced all the same, and nobody's any more
            if self.root in (path, *path.parents) and not gone:
                if name == "fsync" and path.is_dir():
                    self.done.append(("folder", path))
                else:
                    data = bytes(rest[0][:result]) if rest else path.read_bytes()
                    self.done.append((name, path, data))
        return result

    def on_path(self, name: str, *paths):
        with self.turn:
            result = self.real[name](*paths)
            self.done.append((name, *map(Path, paths)))
        return result

    def after(self, count: int, chance: random.Random) -> dict[Path, bytes]:
        """What could stand on the disk when the power goes after so many of these."""
        names: dict[Path, int] = {}  # as programs see them
        kept: dict[Path, int] = {}  # as the disk surely has them
        pending: list[tuple[Path, Path, int | None]] = []  # (folder, name, file or gone), in order
        synced: list[bytes] = []
        written: list[bytes] = []
        for name, path, *rest in self.done[:count]:
            if name == "folder":
                for p in pending:
                    if p[0] == path:
                        put(kept, *p[1:])
                pending = [p for p in pending if p[0] != path]
            elif name in ("write", "fsync"):
                if path not in names:
                    names[path] = len(synced)
                    synced.append(b"")
                    written.append(b"")
                    pending.append((path.parent, path, names[path]))
                at = names[path]
                written[at] = written[at] + rest[0] if name == "write" else rest[0]
                synced[at] = written[at] if name == "fsync" else synced[at]
            elif name == "replace" and path in names:
                names[rest[0]] = names.pop(path)
                pending += [(path.parent, path, None), (path.parent, rest[0], names[rest[0]])]
            elif name == "unlink" and names.pop(path, None) is not None:
                pending.append((path.parent, path, None))
        for _, path, at in pending[: chance.randrange(len(pending) + 1)]:
            put(kept, path, at)
        torn = {
            at: written[at][: chance.randrange(len(synced[at]), len(written[at]) + 1)]
            for at in kept.values()
        }
        return {path: torn[at] for path, at in kept.items()}


def test_when_the_power_goes_at_any_moment_what_was_synced_opens(tmp_path: Path) -> None:
    chance = random.Random(7)
    home, file = tmp_path / "on", tmp_path / "on" / "show.isthmus"
    (home / "recovery").mkdir(parents=True)
    patch = pytest.MonkeyPatch()
    patch.setattr("isthmus.show.journal.COMPACT_ENTRIES", 6)
    disk = Disk(patch, home)
    journal = Journal(home / "recovery" / "run")
    show = Show(name="0", units=tuple(POOL))
    journal.begin(show, None)
    safe: list[
        tuple[int, int]
    ] = []  # (how much was done, the last edit that was surely on the disk)
    for number in range(1, 25):
        new = replace(edited(show, "edit", number), name=str(number))
        journal.append(f"edit {number}", show, new)
        show = new
        if number % 3 == 0:
            assert journal.wait()
            safe.append((len(disk.done), number))
        if number == 15:
            save_show(show, file)
            journal.begin(show, file, holds.stamp_of(file).digest)
            safe.append((len(disk.done), number))
    journal.close(forget=False)
    patch.undo()
    for count in [n for n in range(1, len(disk.done) + 1) for _ in range(3)]:
        shutil.rmtree(home)
        (home / "recovery" / "run").mkdir(parents=True)
        for path, data in disk.after(count, chance).items():
            path.write_bytes(data)
        found, told = left_behind(home / "recovery")
        least = max((n for done, n in safe if done <= count), default=0)
        most = 24
        names = [int(f.show.name) for f in found] + (
            [int(open_show(file).name)] if file.exists() else []
        )
        assert least <= max(names, default=0) <= most, (count, names, least)
        assert not told or not least
        for item in found:
            assert item.show.units[11].number == 11
            item.let_go()


ENDED = """
import os, signal, sys
from PySide6.QtCore import QTimer
from isthmus.app.shell import main
from isthmus.patch import edits
real = main.begin
def begin(window, *rest, **more):
    real(window, *rest, **more)
    window.bench.commit("rename", edits.set_text(window.bench.show, ["u101"], "name", "Before the end"))
    os.kill(os.getpid(), signal.SIGHUP)
main.begin = begin
sys.exit(main.main(["isthmus-app", sys.argv[1]]))
"""


def test_a_signal_ends_without_a_question_and_what_is_not_saved_is_offered(
    demo: Show, tmp_path: Path
) -> None:
    save_show(demo, tmp_path / "a.isthmus")
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, "-c", ENDED, str(tmp_path / "a.isthmus")],
        env=env,
        timeout=60,
        capture_output=True,
        text=True,
    )
    [found], _ = left_behind(recovery_folder())
    assert (
        done.returncode == 0
        and found.show.unit("u101").name == "Before the end"
        and found.original == tmp_path / "a.isthmus"
    ), done.stderr
    assert not holds._note(tmp_path / "a.isthmus").exists()


def test_recovered_work_is_told_in_sentences_and_its_copy_goes_only_when_another_stands(
    make_window, demo: Show, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "tide.isthmus"
    window = make_window(demo)
    window.bench.save(file)
    window.bench.commit("rename", edits.set_text(demo, ["u101"], "name", "Nearly lost"))
    left = recovery_folder() / "dead"
    assert window.files.keeper.journal.wait()
    shutil.copytree(
        window.files.keeper.folder, left
    )  # as a kill leaves it: whole, or without its notes, or torn
    (left / "about.json").unlink(missing_ok=True)
    journal = max(left.glob("*.journal"), key=lambda p: int(p.stem))
    journal.write_bytes(journal.read_bytes() + b"\x09\x00\x00\x00torn")
    window.bench.adopt(Show(), None)
    window.files.end(forget=True)  # the file is free again
    later = make_window(None)
    later.open_path(file)  # as the start does, before it looks for what a crash left
    words: list[str] = []
    real = files.ask
    monkeypatch.setattr(
        files,
        "ask",
        lambda parent, title, text, *more: (words.append(text), real(parent, title, text, *more))[
            1
        ],
    )
    heard = answer_question("Recover it")
    later.offer_recovered(left_behind(recovery_folder())[0])
    assert heard == ["Unsaved work was found"] and "1 unit has another name (101)." in words[0]
    assert "The last edit was: rename." in words[0] and "was being written" in words[0]
    assert (
        later.bench.show.unit("u101").name == "Nearly lost"
        and later.bench.history.unsaved == 1
        and not left.exists()
    )
    assert later.bench.path == file and "1 not saved" in later.windowTitle()
    assert later.files.keeper.journal.wait()
    shutil.copytree(later.files.keeper.folder, left)  # killed now, it is all there again
    [again], _ = left_behind(recovery_folder())
    assert again.show == later.bench.show and again.original == file and again.digest
    again.discard()


def test_of_what_a_crash_left_some_is_taken_and_the_rest_can_be_had_by_undo(
    make_window, demo: Show, tmp_path: Path
) -> None:
    file = tmp_path / "tide.isthmus"
    save_show(demo, file)
    window = make_window(None)
    window.open_path(file)
    one = edits.set_text(demo, ["u101"], "name", "Nearly lost")
    both = edits.set_text(one, ["u102", "u103"], "purpose", "by mistake")
    window.bench.commit("rename", one)
    window.bench.commit("purpose", both)
    assert window.files.keeper.journal.wait()
    left = recovery_folder() / "dead"
    shutil.copytree(window.files.keeper.folder, left)
    window.bench.adopt(Show(), None)
    window.files.end(forget=True)
    later = make_window(None)
    later.open_path(file)

    rows: list[list[str]] = []

    def answer() -> None:
        box = QApplication.activeModalWidget()
        table = child(box, "changes", QTableView)
        model = table.model()
        rows.extend([model.index(y, x).data() for x in (1, 2, 4)] for y in range(model.rowCount()))
        table.selectRow(1)
        table.selectionModel().select(
            table.model().index(2, 0),
            QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows,
        )
        key(table, Qt.Key.Key_Space)
        press(box, "Recover it")

    QTimer.singleShot(300, answer)
    later.offer_recovered(left_behind(recovery_folder())[0])
    assert rows == [
        ["unit 101 Nearly lost", "name", "Nearly lost"],
        *([f"unit {n} {demo.unit(f'u{n}').name}", "purpose", "by mistake"] for n in (102, 103)),
    ]
    assert later.bench.show.units == one.units
    assert later.bench.history.undo_name == "recover 1 of 3 changes"
    later.bench.undo()
    assert later.bench.show.units == both.units


def test_a_missing_or_damaged_part_never_keeps_the_rest_from_opening(
    demo: Show, tmp_path: Path
) -> None:
    whole = tmp_path / "whole.isthmus"
    save_show(demo, whole)
    gone = tmp_path / "gone.isthmus"
    with zipfile.ZipFile(whole) as old, zipfile.ZipFile(gone, "w") as new:
        names = old.namelist()
        for name in names:
            if name != names[2]:
                new.writestr(name, old.read(name))
    flipped = bytearray(whole.read_bytes())
    with zipfile.ZipFile(whole) as archive:
        flipped[archive.getinfo(names[3]).header_offset + 200] ^= 255
    broken = tmp_path / "broken.isthmus"
    broken.write_bytes(flipped)
    cut = tmp_path / "cut.isthmus"
    cut.write_bytes(whole.read_bytes()[:-9000])
    for file, says in (
        (gone, "missing or damaged"),
        (broken, "missing or damaged"),
        (cut, "cut short"),
    ):
        show, damage = open_damaged(file)
        assert show.units == demo.units and says in " ".join(damage.words), file
        save_show(show, tmp_path / "again.isthmus")
        assert (
            open_damaged(tmp_path / "again.isthmus")[0] == show
        )  # what is not there is not made up
    cut.write_bytes(whole.read_bytes()[:300])
    with pytest.raises(FileFault, match="cut short"):
        open_show(cut)


def test_two_windows_on_one_file_never_save_over_each_other(
    make_window, demo: Show, tmp_path: Path
) -> None:
    file = tmp_path / "tide.isthmus"
    save_show(demo, file)
    first, second = make_window(None), make_window(None)
    first.open_path(file)
    heard = answer_question("Open read-only")
    second.open_path(file)
    assert (
        heard == ["This show is open elsewhere"]
        and second.bench.read_only
        and "(read-only)" in second.bar.title._path
    )
    answer_question("Work on a copy")
    second.open_path(file)
    assert second.bench.path is None and second.bench.history.unsaved == 1
    second.bench.guard(lambda: second.files._save_to(file))
    assert "open elsewhere" in second.notice.words
    # a note of a process that is gone, or of another start of the machine, is stale; one of another machine counts
    first.files.adopt(Show(), None)
    note = holds._note(file)
    assert not note.exists()
    mine = json.loads(__import__("msgspec").json.encode(holds.myself()))
    for change, counts in (
        ({"pid": 1, "began": 5}, False),
        ({"pid": 1, "boot": "x"}, False),
        ({"host": "elsewhere"}, True),
    ):
        note.write_text(json.dumps(mine | change))
        assert bool(holds.holder_of(file)) == counts
    note.unlink()
    # a person writes underneath: it is noticed before it is overwritten, and goes beside
    first.open_path(file)
    save_show(replace(demo, venue="Elsewhere"), file)
    first.bench.commit("rename", edits.set_text(first.bench.show, ["u101"], "name", "Mine"))
    heard = answer_question("Save beside it as tide 2.isthmus")
    shortcut(first, Qt.Key.Key_S)
    assert heard == ["The file was changed"] and first.bench.path == tmp_path / "tide 2.isthmus"
    assert (
        open_show(file).venue == "Elsewhere"
        and open_show(tmp_path / "tide 2.isthmus").unit("u101").name == "Mine"
    )


def test_a_show_is_named_where_its_title_stands_and_takes_its_files_name_until_then(
    make_window, tmp_path: Path
) -> None:
    window = make_window(Show())
    bench = window.bench
    bench.save(tmp_path / "harbour.isthmus")
    assert bench.show.name == "harbour" and bench.history.unsaved == 0
    bench.save(tmp_path / "quay.isthmus")
    assert open_show(tmp_path / "quay.isthmus").name == "quay"
    click(child(window, "show title"))
    panel = next(
        w for w in QApplication.topLevelWidgets() if w.objectName() == "naming" and w.isVisible()
    )
    retype(child(panel, "title of the show"), "Lantern Tide")
    retype(child(panel, "venue"), "Sandre Haven")
    press(panel, "Apply")
    assert (bench.show.name, bench.show.venue) == ("Lantern Tide", "Sandre Haven") and str(
        tmp_path
    ) in window.bar.title.toolTip()
    (tmp_path / "there.isthmus").write_bytes(b"old")
    heard = []
    answer_file_dialog(str(tmp_path / "new"))  # the ending is added, and nothing is asked twice
    bench.guard(window.files.save_as)
    assert not heard and open_show(tmp_path / "new.isthmus").name == "Lantern Tide"
    begin(window, str(tmp_path / "nowhere.isthmus"), asked=False)
    assert "is not there any more" in window.notice.words
    assert Show().name == UNTITLED


def test_undo_keeps_a_hundred_steps_and_more_only_as_far_as_room_goes() -> None:
    light, heavy = History(Show()), History(Show())
    for n in range(400):
        light.commit(str(n), Show(name=str(n)), 10)
        heavy.commit(str(n), Show(name=str(n)), 50 * 2**20)
    assert (light.steps, light.gone) == (400, 0) and (heavy.steps, heavy.gone) == (100, 300)
    heavy.commit("light", Show(name="x"), 1)
    assert heavy.steps == 100


def test_how_two_shows_differ_is_said_by_kind_and_number(demo: Show) -> None:
    new = replace(demo, units=demo.units[1:], venue="Elsewhere", groups=demo.groups[::-1])
    new = edits.set_text(new, [demo.units[3].id, demo.units[4].id], "purpose", "wash")
    told = differences(demo, new)
    assert "1 unit removed (101)." in told and any(
        "2 units have another purpose" in words for words in told
    )
    assert any("Elsewhere" in words for words in told) and differences(demo, lantern_tide()) == []


def test_nothing_a_show_holds_is_left_out_of_what_differs(demo: Show) -> None:
    """A person who chooses between two shows after a crash must hear of each kind of thing, however new it is."""
    whole = with_wall(with_evening(demo))
    for field in fields(Show):
        held = getattr(whole, field.name)
        if isinstance(held, tuple) and held:
            less = replace(whole, **{field.name: held[1:]})
            assert any("removed" in words for words in differences(whole, less)), field.name
        elif isinstance(held, tuple):
            assert field.name in {
                "verdicts",
                "rounds",
                "answers",
                "views",
                "files",
                "sheets",
                "media",
                "versions",
            } | {"earlier_papers", "beside"}, f"{field.name} is tried nowhere"
    assert "2 grids of cells removed (1, 2)." in differences(whole, replace(whole, grids=()))


def test_shows_with_things_spoiled_are_seen_on_every_page(make_window) -> None:
    """Names that lead nowhere, figures at the ends of their ranges, parts that are missing."""
    window = make_window()
    for seed in (0, 1, 10):  # each opens in part
        damage = Damage()
        show = decode_show(mangled_show(seed), "spoiled", damage)
        assert damage.words
        window.bench.adopt(show, None, damage=damage.words)
        for name, page in window.pages.items():
            window.go(name)
            for view in page.views:
                page.show_view(view)
                settle(0.01)
