"""The `isthmus` command, run as a process; and the core without Qt."""

from __future__ import annotations

import argparse
import json
import socket
import subprocess
import sys
from importlib import import_module
from pathlib import Path

from helpers.tools import answer, apart, command
from isthmus.cli import MODULES
from isthmus.demo import SCENARIO
from isthmus.show import open_show
from isthmus.standin import RigClient


def test_a_show_can_be_made_added_to_and_read_back(tmp_path: Path) -> None:
    file, out = str(tmp_path / "a.isthmus"), str(tmp_path / "b.isthmus")
    assert command("show", "demo", file).returncode == 0
    code, info = answer("show", "info", file)
    assert (
        code == 0
        and isinstance(info, dict)
        and info["units"] == 66
        and info["crossing"]["route"] == 54
    )
    wish = (
        "patch",
        "add",
        file,
        "--profile",
        "groyne 24",
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
    assert apart("snags", "demo").returncode == 1
    for arguments, code, says in (
        (("show", "info", str(tmp_path / "gone.isthmus")), 3, "no such file"),
        (("patch", "add", "demo", "--profile", "Lapwin 19"), 3, "Perhaps Lapwing 19"),
        (("patch", "add", "demo", "--profile", "Lapwing 19"), 3, "several modes"),
        (
            ("patch", "add", "demo", "--profile", "Groyne 24", "--address", "1.001", "--dry-run"),
            3,
            "both claim 1.001",
        ),
        (
            ("patch", "add", "demo", "--profile", "Groyne 24", "--address", "1.900"),
            3,
            "addresses 1 to 512",
        ),
        (("patch", "add", "demo", "--profile", "Groyne 24"), 3, "has no file"),
        (("send", "demo", "--unit", "999"), 3, "no unit 999"),
        (("send", "demo", "--unit", "101", "--level", "150"), 3, "between 0 and 100"),
        (("rig", "--scenario", str(tmp_path / "x.json")), 3, "no such file"),
        (("sing",), 2, "invalid choice"),
    ):
        done = command(*arguments)
        assert done.returncode == code and says in done.stderr and "Traceback" not in done.stderr, (
            arguments
        )
    code, error = answer("show", "info", "gone")
    assert code == 3 and isinstance(error, dict) and error["error"] and "gone" in error["where"]


def test_who_stops_reading_gets_no_traceback_and_nobody_there_is_a_code() -> None:
    code, told = answer("nodes", "--seconds", "0.1")
    assert code == 1 and told["nodes"] == []
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as other:  # shares its port with no one
        other.bind(("", 6454))
        for verb in ("nodes", "watch"):
            code, told = answer(verb, "--seconds", "0.1")
            assert code == 1 and any("6454" in words for words in told["trouble"]), told
    shown = subprocess.Popen(
        [sys.executable, "-m", "isthmus.cli", "papers", "number", "demo"],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
    )
    assert shown.stdout and shown.stderr
    shown.stdout.close()  # as `| head` does once it has enough
    assert shown.stderr.read() == b"" and shown.wait(60) == 0
    shown.stderr.close()


def test_send_lights_a_unit_of_a_rig_run_beside_it() -> None:
    rig = subprocess.Popen(
        [
            sys.executable,
            "-m",
            "isthmus.cli",
            "rig",
            "--scenario",
            str(SCENARIO),
            "--json",
            "--seconds",
            "20",
        ],
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        assert rig.stdout
        ready = json.loads(rig.stdout.readline())
        assert ready["ready"] and ready["nodes"] == ["127.0.0.2", "127.0.0.3"]
        code, sent = answer("send", "demo", "--unit", "101,421", "--level", "40", "--seconds", "1")
        assert (
            code == 1  # one of them is not reached
            and isinstance(sent, dict)
            and sent["packets"] > 5
            and sent["errors"] == 0
            and sent["not_reached"] == [421]
        )
    finally:
        rig.terminate()
        out, _ = rig.communicate(timeout=30)
    ports = json.loads(out)
    assert [p["packets"] > 0 for p in ports] == [True, True, True, False]


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


def test_routes_are_listed_set_and_proposed_headless(tmp_path: Path) -> None:
    file = str(tmp_path / "a.isthmus")
    command("show", "demo", file)
    code, listed = answer("routes", "list", file)
    assert code == 0 and listed["lead_nowhere"] == [4] and listed["outputs"][2] == {
        **listed["outputs"][2], "universe": 3, "units": 30, "written": "0.1.0", "number": 16, "ports": ["Ferry B, port 1"],
    }  # fmt: skip
    code, proposed = answer("routes", "propose", file, "--dry-run")
    assert code == 0 and proposed == {
        "added": [
            {"universe": 4, "ports": ["Ferry B, port 2"], "to": "Art-Net 0.1.1 = 17, 127.0.0.3"}
        ],
        "saved": None,
    }
    assert (
        answer("routes", "set", file, "4-6", "--sacn", "104", "--step", "2", "--priority", "90")[0]
        == 0
    )
    assert answer("routes", "set", file, "1", "--remove")[0] == 0
    made = [
        (o.universe, o.protocol, o.delivery, o.number, o.priority)
        for o in open_show(Path(file)).outputs
    ]
    assert made == [
        (2, "artnet", "unicast", 1, 100), (3, "artnet", "unicast", 16, 100),
        (4, "sacn", "multicast", 104, 90), (5, "sacn", "multicast", 106, 90), (6, "sacn", "multicast", 108, 90),
    ]  # fmt: skip
    for wrong, says in (
        (("--artnet", "99999"), "not an Art-Net port-address"),
        (("--sacn", "5", "--priority", "201"), "0 to 200"),
        (("--artnet", "1", "--to", "300.1.1.1"), "not an IPv4 address"),
        (("--artnet", "1", "--way", "multicast"), "cannot go multicast"),
    ):
        done = command("routes", "set", file, "9", *wrong)
        assert done.returncode == 3 and says in done.stderr
    code, checked = answer("net", "check", file)
    assert (
        code == 0
        and any(a["name"] == "lo" for a in checked["adapters"])
        and checked["goes_out_by"]["artnet"]["adapter"] == "lo"
    )
    assert all(
        row["address"].startswith("10.")
        for row in answer("net", "plan", file, "--range", "10.x")[1]
    )


def test_nodes_are_asked_others_watched_captured_and_played_back_headless(
    rig: RigClient, tmp_path: Path
) -> None:
    code, found = answer("nodes", "demo", "--seconds", "3")
    assert (
        code == 0
        and [n["name"] for n in found["nodes"]] == ["Ferry A", "Ferry B"]
        and found["differences"] == []
    )
    assert found["nodes"][1]["ports"][0] == {
        "port": 1,
        "direction": "out",
        "number": 16,
        "written": "Art-Net 0.1.0 = 16",
        "merge": "htp",
        "live": False,
    }
    rig.do("send", protocol="sacn", number=7, to="127.0.0.1", level=60, priority=130)
    file = str(tmp_path / "heard.pcapng")
    code, heard = answer("watch", "--seconds", "2", "--levels", "--capture", file)
    (source,) = heard["sources"]
    assert code == 0 and (
        source["protocol"],
        source["number"],
        source["name"],
        source["priority"],
    ) == ("sacn", 7, "Quay desk", 130)
    assert set(source["levels"]) == {60} and source["lost"] == 0
    rig.do("quiet")
    code, played = answer("send", "demo", "--capture", file, "--to", "127.0.0.3")
    assert code == 0 and played["sent"] > 20
    done = command("send", "demo", "--capture", str(tmp_path / "gone.pcapng"))
    assert done.returncode == 3 and "no such file" in done.stderr
    code, sent = answer("send", "demo", "--unit", "401", "--seconds", "2.5")
    assert code == 0 and sent["errors"] == 0 and sent["packets"] > 20 and 10 < sent["rate"] < 48
    assert next(p for p in rig.ask("state")["ports"] if p["port_address"] == 16)["packets"] > 50


def test_every_verb_stands_in_the_module_that_is_imported_for_it() -> None:
    for module, verbs in MODULES.items():
        top = argparse.ArgumentParser()
        group = top.add_subparsers()

        def verb(where, name, run, text, show=True):
            return where.add_parser(name)

        import_module(f"isthmus.cli.{module}").add_verbs(group, verb)
        assert tuple(group.choices) == verbs
