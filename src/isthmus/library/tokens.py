"""Tokens of exchanges, one for each server, kept so that no one else can read them."""

from __future__ import annotations

import json
from pathlib import Path

from isthmus.library.sources import data_folder
from isthmus.show.files import write_atomically

LONGEST = 200


def _file() -> Path:
    return data_folder() / "exchange-tokens.json"


def _all() -> dict[str, str]:
    try:
        read = json.loads(_file().read_bytes()[:100_000])
    except (OSError, ValueError, RecursionError):
        return {}
    return {str(k): str(v) for k, v in read.items()} if isinstance(read, dict) else {}


def keep_token(where: str, token: str) -> None:
    """Keep the token of a server (host:port); an empty one forgets it. Raises FileFault."""
    kept = {k: v for k, v in _all().items() if k != where}
    if token:
        kept[where] = token[:LONGEST]
    _file().parent.mkdir(parents=True, exist_ok=True)
    write_atomically(_file(), json.dumps(kept).encode(), private=True)


def kept_token(where: str) -> str:
    return _all().get(where, "").strip()[:LONGEST]
