"""`./run`, the one door: what it says when something is missing, and that it is quick when nothing is."""

from __future__ import annotations

import hashlib
import os
import re
import socket
import subprocess
import sys
from pathlib import Path

import pytest

from isthmus.app.shell.display import no_display
from isthmus.show.container import schema

ROOT = Path(__file__).parents[2]


def tools(folder: Path, **scripts: str) -> dict[str, str]:
    """An environment whose PATH holds only what a bare machine has, and stand-ins for the rest."""
    folder.mkdir(exist_ok=True)
    for name in (
        "bash",
        "env",
        "cat",
        "sha256sum",
        "cut",
        "dirname",
        "id",
        "tail",
        "grep",
        "head",
        "mkdir",
        "printf",
    ):
        (folder / name).symlink_to(
            next(p for p in (Path("/bin") / name, Path("/usr/bin") / name) if p.exists())
        )
    for name, text in scripts.items():
        (folder / name).write_text(f"#!/bin/bash\n{text}\n")
        (folder / name).chmod(0o755)
    return {"PATH": str(folder), "HOME": str(folder), "ISTHMUS_VENV": str(folder / "venv")}


def door(env: dict[str, str], *arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        ["/bin/bash", str(ROOT / "run"), *arguments],
        capture_output=True,
        text=True,
        env=env,
        timeout=60,
    )


def test_without_a_verb_it_lists_them_and_a_wrong_one_is_told(tmp_path: Path) -> None:
    env = tools(tmp_path / "bin")
    assert "./run demo" in door(env).stdout and door(env).returncode == 0
    wrong = door(env, "sing")
    assert (
        wrong.returncode == 1
        and "no verb 'sing'" in wrong.stderr
        and "say where the pictures go" in door(env, "shots").stderr
    )


@pytest.mark.parametrize(
    ("python", "says"),
    [
        ("exit 127", "Python 3.11 or newer is needed"),
        (
            'if [[ "$2" == *version_info* ]]; then exit 1; fi; echo Python 3.9.2',
            "Python 3.11 or newer is needed",
        ),
        (
            'if [[ "$2" == *ensurepip* ]]; then exit 1; fi; exit 0',
            "apt-get install -y python3-venv",
        ),
        ('if [[ "$1 $2" == "-m venv" ]]; then exit 1; fi; exit 0', "is the disk full"),
        (
            'if [[ "$1 $2" == "-m venv" ]]; then mkdir -p "$3/bin"; printf "#!/bin/bash\\necho Could not fetch: connection refused; exit 1\\n" > "$3/bin/python"; '
            '/bin/chmod 755 "$3/bin/python"; fi; exit 0',
            "registry could not be reached",
        ),
    ],
)
def test_each_thing_that_can_be_missing_has_its_sentence(
    python: str, says: str, tmp_path: Path
) -> None:
    done = door(tools(tmp_path / "bin", python3=python), "cli", "--version")
    assert done.returncode == 1 and says in done.stderr


def test_missing_system_packages_are_named_with_the_exact_command_for_who_is_not_root(
    tmp_path: Path,
) -> None:
    folder = tmp_path / "bin"
    env = tools(folder, **{"dpkg-query": "exit 1", "id_": ""})
    (folder / "id").unlink()
    (folder / "id").write_text("#!/bin/bash\necho 1000\n")
    (folder / "id").chmod(0o755)
    done = door(env, "cli", "--version")
    assert (
        done.returncode == 1
        and "sudo apt-get install -y --no-install-recommends xvfb" in done.stderr
        and "libegl1" in done.stderr
    )


def test_with_all_in_place_it_goes_straight_on(tmp_path: Path) -> None:
    if not (ROOT / ".venv/.isthmus-stamp").exists():
        pytest.skip("this environment was not made by ./run")
    done = subprocess.run(
        [str(ROOT / "run"), "cli", "--version"],
        capture_output=True,
        text=True,
        env={**os.environ},
        timeout=120,
    )
    assert done.returncode == 0 and done.stdout.strip() == "0.1.0"


def test_the_published_schema_is_the_one_the_records_have_and_the_lock_names_hashes_for_all() -> (
    None
):
    import json

    assert json.loads((ROOT / "docs/show.schema.json").read_text()) == json.loads(
        json.dumps(schema())
    )
    lock = (ROOT / "requirements.lock").read_text()
    packages = [line for line in lock.splitlines() if line and not line.startswith((" ", "#"))]
    assert all(line.endswith("\\") and "==" in line for line in packages) and lock.count(
        "--hash=sha256:"
    ) > len(packages)


def test_every_picture_the_readme_shows_is_there() -> None:
    import re

    shown = re.findall(r"\((docs/screenshots/[\w-]+\.png)\)", (ROOT / "README.md").read_text())
    assert len(shown) > 6 and all((ROOT / name).stat().st_size > 10_000 for name in shown)
    assert len(list((ROOT / "docs/screenshots").glob("*.png"))) < 20


def test_the_benchmarks_print_a_ratio_to_a_baseline_and_refuse_what_they_do_not_know() -> None:
    import re
    import sys

    done = subprocess.run(
        [sys.executable, "-m", "benchmarks", "frame"],
        capture_output=True,
        text=True,
        cwd=ROOT,
        timeout=120,
    )
    assert done.returncode == 0, done.stderr
    rows = [line for line in done.stdout.splitlines()[1:] if line]
    assert len(rows) == 2
    for row in rows:
        found = re.search(r"([\d.]+) ms\s+([\d.]+) ms\s+([\d.]+)", row)
        assert found, row
        figure, baseline, ratio = (float(v) for v in found.groups())
        assert ratio == pytest.approx(figure / baseline, rel=0.05)
    wrong = subprocess.run(
        [sys.executable, "-m", "benchmarks", "sing"],
        capture_output=True,
        text=True,
        cwd=ROOT,
        timeout=120,
    )
    assert wrong.returncode == 2 and "there are start, frame, engine" in wrong.stderr


def test_what_ci_runs_is_the_test_command() -> None:
    text = (ROOT / ".ci/run").read_text()
    assert (
        "./run test" in text
        and os.access(ROOT / ".ci/run", os.X_OK)
        and os.access(ROOT / "run", os.X_OK)
    )


@pytest.mark.parametrize(("tests", "types"), [(0, 0), (0, 1), (1, 0), (5, 0)])
def test_the_test_command_passes_when_the_tests_and_the_types_do_and_only_then(
    tmp_path: Path, tests: int, types: int
) -> None:
    """A folder of its own, where each tool is a script that only ends as it is told."""
    want = hashlib.sha256()
    (tmp_path / "run").write_text((ROOT / "run").read_text())
    for name in ("requirements.lock", "pyproject.toml"):
        (tmp_path / name).write_text(name)
        want.update(name.encode())
    (tmp_path / ".venv/bin").mkdir(parents=True)
    (tmp_path / ".venv/.isthmus-stamp").write_text(f"{want.hexdigest()} {tmp_path}")
    ends = {"ruff": 0, "lint-imports": 0, "pyright": types, "python": tests}
    for name, code in ends.items():
        tool = tmp_path / ".venv/bin" / name
        tool.write_text(f"#!/bin/bash\necho {name} ran\nexit {code}\n")
        tool.chmod(0o755)
    env = {**os.environ, "DISPLAY": ":none"}
    env.pop("ISTHMUS_VENV", None)
    done = subprocess.run(
        ["/bin/bash", str(tmp_path / "run"), "test"], capture_output=True, text=True, env=env
    )
    assert done.stdout.count(" ran") == 5 and done.returncode == (tests or types), done


def test_where_things_are_is_where_they_are() -> None:
    text = (ROOT / "docs" / "architecture.md").read_text()
    section = text.partition("## Where things are")[2].partition("\n## ")[0]
    rows = [line for line in section.splitlines() if line.startswith("| ")][1:]
    named = [re.findall(r"`(src/[^`]+)`", row) for row in rows]
    assert len(rows) >= 10 and all(1 <= len(files) <= 2 for files in named)
    for file in (f for files in named for f in files):
        assert (ROOT / file).is_file(), file


def test_a_display_that_is_gone_is_said_before_qt_is_asked(tmp_path: Path) -> None:
    """Real sockets stand for displays; a program started on a dead one ends with a sentence."""
    assert "there is no display" in no_display({})
    assert "no display answers at DISPLAY=:7431" in no_display({"DISPLAY": ":7431"})
    assert no_display({"DISPLAY": "nonsense"}) and no_display({"DISPLAY": "127.0.0.1:9"})
    with socket.socket(socket.AF_UNIX) as there:
        there.bind("\0/tmp/.X11-unix/X7431")
        there.listen(1)
        assert no_display({"DISPLAY": ":7431.0"}) == ""
    with socket.socket(socket.AF_UNIX) as there:
        there.bind(str(tmp_path / "wayland-3"))
        there.listen(1)
        found = {"WAYLAND_DISPLAY": "wayland-3", "XDG_RUNTIME_DIR": str(tmp_path)}
        assert no_display(found) == ""
    dead = {**os.environ, "DISPLAY": ":7431", "HOME": str(tmp_path)}
    for name in ("QT_QPA_PLATFORM", "WAYLAND_DISPLAY"):
        dead.pop(name, None)
    ended = subprocess.run(
        [sys.executable, "-m", "isthmus.app.shell.main"],
        capture_output=True,
        text=True,
        env=dead,
        timeout=60,
    )
    assert ended.returncode == 3 and "no display answers" in ended.stderr
    assert "Traceback" not in ended.stderr
