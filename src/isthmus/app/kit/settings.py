"""Settings of this computer, apart from any show. A value that cannot be read falls back; the file
is kept beside.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import msgspec
import platformdirs

from isthmus.errors import IsthmusError
from isthmus.show.decoding import decoded
from isthmus.show.files import plain_file, read_within, write_atomically
from isthmus.stage.drawing import Drawing, as_now


class Settings(msgspec.Struct, kw_only=True):
    """version 1. `window` is width and height in pixels."""

    version: int = 1
    theme: str = "night"
    last_show: str = ""
    window: tuple[int, int] = (1280, 800)
    adapters: dict[
        str, str
    ] = {}  # protocol → address or name of the adapter it goes out by; none is chosen automatically
    look_for_nodes: bool = False
    drawing: str = "Even"  # the drawing setting in use, by name
    drawings: tuple[Drawing, ...] = ()  # own ones
    drawn: Drawing | None = None  # as it was last set, with what was changed since it was chosen
    station_uuid: str = ""  # what other stations know this computer by
    station_name: str = ""
    station_group: str = "Default"
    patch_columns: tuple[str, ...] = ()
    paper_columns: dict[
        str, dict[str, str]
    ] = {}  # heads of a list → field → head, as the person had it last


MOST_BYTES = 16 * 2**20


def config_file() -> Path:
    return (
        Path(os.environ.get("ISTHMUS_CONFIG") or platformdirs.user_config_dir("isthmus"))
        / "settings.json"
    )


def load(told: Callable[[str], object] = lambda words: None) -> Settings:
    """Never fails: a file that cannot be read is kept under another name and told, and the
    defaults are taken.
    """
    file = config_file()
    try:
        with plain_file(file) as stream:
            raw = decoded(read_within(stream, MOST_BYTES))
        if isinstance(raw, dict) and "drawings" in raw:
            raw["drawings"] = as_now(raw["drawings"])
        found = msgspec.convert(raw, Settings)
    except FileNotFoundError:
        return Settings()
    except (OSError, msgspec.MsgspecError):
        aside = file.with_suffix(".json.bad")
        try:
            file.replace(aside)
            told(
                "The settings of this computer were damaged, so everything is as at first. What "
                f"is left of them is in {aside}."
            )
        except OSError:
            pass
        return Settings()
    if found.theme not in ("night", "day"):
        found.theme = "night"
    found.window = (min(7680, max(800, found.window[0])), min(4320, max(560, found.window[1])))
    return found


def save(settings: Settings) -> None:
    """Best effort: settings never stop the work."""
    file = config_file()
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        write_atomically(file, msgspec.json.format(msgspec.json.encode(settings)))
    except (OSError, IsthmusError):
        pass
