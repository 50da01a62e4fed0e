"""The `isthmus` command, run as a process; and the core without Qt."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

from conftest import answer, command
from isthmus.demo import SCENARIO
from isthmus.show import open_show


def test_a_show_can_be_made_added_to_and_read_back(tmp_path: Path) -> None:
    file, out = str(tmp_path / "a.isthmus"), str(tmp_path / "b.isthmus")
    assert command("show", "demo", file).returncode == 0
    code, info = answer("show", "info", file)
    assert code == 0 and isinstance(info, dict) and info["units"] == 66 and info["crossing"]["route"] == 54
    wish = (
        "patch",
        "add",
        file,
        "--profile",
        "groyne 26",
        "--count",
        "3",
        "--number",
        "701",
        "--address",
        "4.100",
        "--spacing",
        "5",
        "--name",
        "Quay @",
    )
    code, added = answer(*wish, "--save", out)
    assert code == 0 and isinstance(added, dict)
    assert [(a["number"], a["name"], a["address"]) for a in added["added"]] == [
        (701, "Quay 701", ["4.100"]),
        (702, "Quay 702", ["4.105"]),
        (703, "Quay 703", ["4.110"]),
    ]
    assert len(open_show(Path(file)).units) == 66 and len(open_show(Path(out)).units) == 69
    code, rows = answer("patch", "list", out)
    assert code == 0 and isinstance(rows, list) and rows[-1]["number"] == 703
    code, dry = answer(*wish, "--dry-run")
    assert code == 0 and isinstance(dry, dict) and dry["saved"] is None


def test_exit_codes_and_sentences_tell_what_went_wrong(tmp_path: Path) -> None:
    assert command("snags", "demo").returncode == 1
    for arguments, code, says in (
        (("show", "info", str(tmp_path / "gone.isthmus")), 3, "no such file"),
        (("patch", "add", "demo", "--profile", "Lapwin 19"), 3, "Perhaps Lapwing 19"),
        (("patch", "add", "demo", "--profile", "Lapwing 19"), 3, "several modes"),
        (("patch", "add", "demo", "--profile", "Groyne 26", "--address", "1.001", "--dry-run"), 3, "both claim 1.001"),
        (("patch", "add", "demo", "--profile", "Groyne 26", "--address", "1.900"), 3, "addresses 1 to 512"),
        (("patch", "add", "demo", "--profile", "Groyne 26"), 3, "has no file"),
        (("send", "demo", "--unit", "999"), 3, "no unit 999"),
        (("rig", "--scenario", str(tmp_path / "x.json")), 3, "no such file"),
        (("sing",), 2, "invalid choice"),
    ):
        done = command(*arguments)
        assert done.returncode == code and says in done.stderr and "Traceback" not in done.stderr, arguments
    code, error = answer("show", "info", "gone")
    assert code == 3 and isinstance(error, dict) and error["error"] and "gone" in error["where"]


def test_send_lights_a_unit_of_a_rig_run_beside_it() -> None:
    rig = subprocess.Popen(
        [sys.executable, "-m", "isthmus.cli", "rig", "--scenario", str(SCENARIO), "--json", "--seconds", "20"],
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        assert rig.stdout
        ready = json.loads(rig.stdout.readline())
        assert ready["ready"] and ready["nodes"] == ["127.0.0.2", "127.0.0.3"]
        code, sent = answer("send", "demo", "--unit", "101,421", "--level", "40", "--seconds", "1")
        assert code == 0 and isinstance(sent, dict) and sent["packets"] > 60 and sent["errors"] == 0 and sent["not_reached"] == [421]
    finally:
        rig.terminate()
        out, _ = rig.communicate(timeout=5)
    ports = json.loads(out)
    assert [p["packets"] > 20 for p in ports] == [True, True, True, False]


def test_the_core_works_where_qt_cannot_be_imported() -> None:
    code = """
import sys
class Gate:
    def find_spec(self, name, path=None, target=None):
        if name.split('.')[0] in ('PySide6', 'shiboken6'):
            raise ImportError('no Qt here: ' + name)
sys.meta_path.insert(0, Gate())
import pkgutil, importlib, isthmus
for module in pkgutil.walk_packages(isthmus.__path__, "isthmus."):
    if module.name.endswith("__main__"):
        continue
    if not module.name.startswith('isthmus.app'):
        importlib.import_module(module.name)
from isthmus.cli import main
sys.exit(main(['show', 'info', 'demo', '--json']))
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["units"] == 66
    tests = ["test_show.py", "test_profiles.py", "test_patch.py", "test_wire.py", "test_stage.py", "test_check.py"]
    block = "import sys; sys.modules['PySide6'] = None; import pytest; sys.exit(pytest.main(['-q', '-p', 'no:pytest-qt', '-p', 'no:cacheprovider', '-x', '--no-header', *sys.argv[1:]]))"
    here = Path(__file__).parent
    again = subprocess.run([sys.executable, "-c", block, *(str(here / t) for t in tests)], capture_output=True, text=True, cwd=here.parent)
    assert again.returncode == 0, again.stdout[-2000:] + again.stderr[-2000:]
