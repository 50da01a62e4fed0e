"""The drawing settings people choose by name: how finely the stage is drawn."""

from __future__ import annotations

import msgspec

from isthmus.errors import FileFault

FALLS = ("none", "gentle", "true")
CELLS = ("each", "averaged", "pattern")
BODIES = ("boxes", "shaped")


class Drawing(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Drawing settings under a name: `coarse` is how many pixels share one of the beam buffer, 1 to
    4; `cap` frames a second at most; `hold` frames a second the automatic mode holds, 0 without it.
    """

    name: str
    bodies: str = "shaped"
    coarse: int = 2
    samples: int = 4
    uneven: bool = True
    cells: str = "each"
    fall: str = "true"
    cap: int = 60
    hold: int = 0


QUICK = Drawing(name="Quick", bodies="boxes", coarse=4, samples=0, cells="averaged", hold=25)
EVEN = Drawing(name="Even", coarse=3, hold=20)
FINE = Drawing(name="Fine", coarse=2, hold=15)
LEVELS = (QUICK, EVEN, FINE)
_FORMAT = "isthmus drawing settings 1"


def checked(made: Drawing, where: str = "") -> Drawing:
    """Raises FileFault when a setting is none."""
    wrong = [
        words
        for bad, words in (
            (not 1 <= len(made.name.strip()) <= 40, "name"),
            (made.bodies not in BODIES, "bodies"),
            (not 1 <= made.coarse <= 4, "coarse"),
            (made.samples not in (0, 2, 4), "samples"),
            (made.cells not in CELLS, "cells"),
            (made.fall not in FALLS, "fall"),
            (not 1 <= made.cap <= 240, "cap"),
            (not 0 <= made.hold <= 120, "hold"),
        )
        if bad
    ]
    if wrong:
        raise FileFault(
            f"“{made.name[:40]}” is not a drawing setting: {', '.join(wrong)}.",
            where=where,
            do="Choose another file.",
        )
    return made


def write_settings(settings: tuple[Drawing, ...]) -> bytes:
    """Settings as a file for another machine."""
    return msgspec.json.format(
        msgspec.json.encode({"kind": _FORMAT, "settings": settings}), indent=1
    )


def read_settings(data: bytes, where: str) -> tuple[Drawing, ...]:
    """Raises FileFault for anything else."""
    try:
        raw = msgspec.json.decode(data)
        if not isinstance(raw, dict) or raw.get("kind") != _FORMAT:
            raise FileFault(
                "these are not drawing settings.",
                where=where,
                do="Choose a file that was kept from the drawing settings.",
            )
        found = msgspec.convert(raw.get("settings"), tuple[Drawing, ...])
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        raise FileFault(
            f"the drawing settings cannot be read: {error}.", where=where, do="Choose another file."
        ) from error
    return tuple(checked(one, where) for one in found[:40])
