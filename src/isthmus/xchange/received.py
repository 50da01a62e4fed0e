"""Files that were fetched from stations, kept beside the settings of this computer for a while."""

from __future__ import annotations

import os
import re
from pathlib import Path

import platformdirs

from isthmus.errors import FileFault, os_reason
from isthmus.show.files import write_atomically
from isthmus.xchange.messages import Commit

KEPT = 20


def folder() -> Path:
    return (
        Path(os.environ.get("ISTHMUS_CONFIG") or platformdirs.user_cache_dir("isthmus"))
        / "received"
    )


def keep_received(data: bytes, commit: Commit, station: str) -> Path:
    """Write a fetched file down; the oldest go. Raises FileFault for what is not an MVR."""
    if not data.startswith(b"PK\x03\x04"):
        raise FileFault("what came is not an MVR file.", where=commit.name or "The file")
    name = re.sub(r"[^\w .-]", "", Path(commit.name).stem).strip(" .")[:60] or "rig"
    who = re.sub(r"[^\w .-]", "", station).strip(" .")[:40] or "station"
    place = folder()
    try:
        place.mkdir(parents=True, exist_ok=True)
        path = place / f"{name} of {who}.mvr"
        write_atomically(path, data)
        held = sorted(place.glob("*.mvr"), key=lambda one: one.stat().st_mtime)
        for old in held[:-KEPT]:
            old.unlink(missing_ok=True)
    except OSError as error:
        raise FileFault(f"it is not kept. {os_reason(error)}", where=str(place)) from error
    return path
