"""Real disks that are full, closed for writing, or pulled out during a save: a sentence, and nothing lost."""

from __future__ import annotations

import shutil
import subprocess
import sys
from pathlib import Path

import pytest

SCRIPT = """
import os, subprocess, sys
from pathlib import Path
from msgspec.structs import replace
from isthmus.demo import lantern_tide
from isthmus.errors import FileFault
from isthmus.show import open_show, save_show
from isthmus.show.journal import Journal
from isthmus.show.records import StoredFile
from isthmus.show.recovery import left_behind
from isthmus.show.versions import with_version

def run(*words): subprocess.run(words, check=True)

disk, safe = Path(sys.argv[1]), Path(sys.argv[2])
run("mount", "-t", "tmpfs", "-o", "size=600k", "none", str(disk))
file = disk / "tide.isthmus"
show = with_version(lantern_tide(), lantern_tide(), "as hung")
save_show(show, file)
large = replace(show, files=(StoredFile(name="a.png", data=os.urandom(900_000)),))
told = []

def refused(what):
    try:
        save_show(what, file)
    except FileFault as fault:
        told.append(str(fault))
    assert open_show(file) == show, "the file that was there is another"
    assert [p.name for p in disk.iterdir() if p.is_file()] == [file.name], "something is left"

refused(large)
troubles = []
journal = Journal(disk / "runs" / "1", troubles.append)
journal.begin(show, file)
now = show
for at in range(4000):  # edits until the disk is full, and the work goes on
    old, now = now, replace(now, venue="v" * 400 + str(at))
    journal.append("edit", old, now)
    if troubles:
        break
journal.wait()
journal.close(forget=False)
assert troubles, "the full disk was never told"
told.append(troubles[0])
[found], _ = left_behind(disk / "runs")
kept = int(found.show.venue.lstrip("v") or 0)
assert 0 < kept <= at and at - kept <= 4, (kept, at)
found.discard()

run("mount", "-o", "remount,ro", str(disk))
refused(replace(show, venue="elsewhere"))
run("mount", "-o", "remount,rw", str(disk))

fsync = os.fsync
def pulled(handle):
    fsync(handle)
    os.fsync = fsync
    run("umount", "-l", str(disk))
os.fsync = pulled
try:
    save_show(replace(show, venue="elsewhere"), file)
except FileFault as fault:
    told.append(str(fault))
save_show(show, safe / "tide.isthmus")
assert open_show(safe / "tide.isthmus") == show
print(*told, sep="\\n")
"""


def test_full_closed_and_pulled_out_disks_end_in_a_sentence(tmp_path: Path) -> None:
    apart = shutil.which("unshare")
    if apart is None or subprocess.run([apart, "-m", "true"], check=False).returncode:
        pytest.skip("no mounts of its own here")
    disk, safe = tmp_path / "disk", tmp_path / "safe"
    disk.mkdir()
    safe.mkdir()
    command = [apart, "-m", sys.executable, "-c", SCRIPT, str(disk), str(safe)]
    run = subprocess.run(command, capture_output=True, text=True, check=False, timeout=100)
    assert run.returncode == 0, run.stderr
    full, unsaved, closed, pulled = run.stdout.splitlines()
    assert "could not be saved" in full and "untouched" in full and "disk is full" in full
    assert "Unsaved work cannot be kept" in unsaved and "free some room" in unsaved
    assert "could not be saved" in closed and "read-only" in closed.lower()
    assert "could not be saved" in pulled and "save somewhere else" in pulled
