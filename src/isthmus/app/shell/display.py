"""Whether there is a display to open a window on, asked before Qt is: Qt ends the program without a
word that helps.
"""

from __future__ import annotations

import re
import socket
from collections.abc import Iterator, Mapping
from pathlib import Path

PATIENCE = 2.0  # seconds
X_SOCKET, X_PORT = "/tmp/.X11-unix/X", 6000
_CLONE = Path(__file__).parents[4] / "run"  # where it was not installed as a package


def no_display(environ: Mapping[str, str]) -> str:
    """Why no window can be opened, and what to do; empty where one can."""
    if environ.get("QT_QPA_PLATFORM"):  # asked for by name
        return ""
    named = [name for name in ("WAYLAND_DISPLAY", "DISPLAY") if environ.get(name)]
    if any(_answers(places(name, environ)) for name in named):
        return ""
    start = "./run app" if _CLONE.exists() else "xvfb-run isthmus-app"
    if not named:
        return (
            "there is no display. Start it from a desktop, or set DISPLAY; "
            f"{start} starts it on a virtual one."
        )
    values = " and ".join(f"{name}={environ[name][:60]}" for name in named)
    return (
        f"no display answers at {values}. Has that session ended, or is it another user's? Start "
        f"it from a desktop; with {' and '.join(named)} unset, {start} starts it on a virtual one."
    )


def places(name: str, environ: Mapping[str, str]) -> Iterator[str | tuple[str, int]]:
    """Where a display would listen: sockets of this computer (those that begin with a null are
    not files), or another computer's port.
    """
    value = environ[name]
    if name == "WAYLAND_DISPLAY":
        yield str(Path(environ.get("XDG_RUNTIME_DIR", "")) / value)
    elif found := re.fullmatch(r"([^:]*):(\d{1,4})(?:\.\d+)?", value):
        host, number = found[1], int(found[2])
        if host in ("", "unix"):
            yield f"\0{X_SOCKET}{number}"
            yield f"{X_SOCKET}{number}"
        else:
            yield host, X_PORT + number


def _answers(where: Iterator[str | tuple[str, int]]) -> bool:
    return any(_listens(place) for place in where)


def _listens(place: str | tuple[str, int]) -> bool:
    try:
        if isinstance(place, tuple):
            socket.create_connection(place, PATIENCE).close()
        else:
            with socket.socket(socket.AF_UNIX) as found:
                found.settimeout(PATIENCE)
                found.connect(place)
    except (OSError, ValueError):
        return False
    return True
