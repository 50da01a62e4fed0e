"""The drawing settings people choose by name: how finely the stage is drawn."""

from __future__ import annotations

import msgspec

from isthmus.errors import FileFault
from isthmus.show.decoding import decoded
from isthmus.stage.rig import Drawn

FALLS = ("none", "gentle", "true")
CELLS = ("each", "averaged", "pattern")
BODIES = ("none", "outlines", "boxes", "own", "shaped")
TRIANGLES = (300, 1000, 3000, 0)  # of one mesh at most; 0: as many as it has


class Drawing(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Everything of a picture that is set, under a name.

    Haze: how thick, `haze` 0…2; how even, `uneven` 0…1, `grain` (size of its clouds) and `depth`
    (how far they reach into the picture); how moving, `drift`. Light: `room`, `strength` of the
    beams, `exposure` of all of it; how light falls off. Bodies: how exact they are, and of how many
    `triangles` a mesh may be. Fast or faithful: `shade` (structures stop light, bodies catch it),
    `cells`, `coarse` (how many pixels share one of the beam buffer, 1 to 4), `samples` (smoothing
    of still things); `cap` frames a second at most, `hold` frames a second the automatic mode
    holds, 0 without it.
    """

    name: str
    bodies: str = "shaped"
    triangles: int = 3000
    coarse: int = 2
    samples: int = 4
    shade: bool = True
    cells: str = "each"
    fall: str = "true"
    cap: int = 60
    hold: int = 0
    haze: float = 1.0
    uneven: float = 1.0
    grain: float = 1.0
    depth: float = 1.0
    drift: float = 1.0
    room: float = 1.0
    strength: float = 1.0
    exposure: float = 1.0

    def drawn(self, time: float = 0.0, flash: bool = False) -> Drawn:
        """How units become beams and bodies, at so many seconds; outlines are of boxes."""
        bodies = "boxes" if self.bodies == "outlines" else self.bodies
        return Drawn(self.cells, time, flash, True, bodies)


LIGHT = {
    "haze": 2.0,
    "uneven": 1.0,
    "grain": 3.0,
    "depth": 2.0,
    "drift": 3.0,
    "room": 2.0,
    "strength": 2.0,
    "exposure": 2.0,
}  # what a slider sets, and its highest value
QUICK = Drawing(
    name="Quick", bodies="boxes", coarse=4, samples=0, cells="averaged", hold=25, shade=False
)
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
            (made.triangles not in TRIANGLES, "triangles"),
            *((not 0 <= getattr(made, n) <= most, n) for n, most in LIGHT.items()),
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


def levelled(level: Drawing, now: Drawing) -> Drawing:
    """A shipped level says how finely is drawn; haze and light stay as they are."""
    return msgspec.structs.replace(level, **{name: getattr(now, name) for name in LIGHT})


def as_now(settings: object) -> object:
    """Settings as they were first kept said of unevenness only whether there is any."""
    if not isinstance(settings, list):
        return settings
    return [
        {**one, "uneven": float(one["uneven"])}
        if isinstance(one, dict) and isinstance(one.get("uneven"), bool)
        else one
        for one in settings
    ]


def write_settings(settings: tuple[Drawing, ...]) -> bytes:
    """Settings as a file for another machine."""
    return msgspec.json.format(
        msgspec.json.encode({"kind": _FORMAT, "settings": settings}), indent=1
    )


def read_settings(data: bytes, where: str) -> tuple[Drawing, ...]:
    """Raises FileFault for anything else."""
    try:
        raw = decoded(data)
        if not isinstance(raw, dict) or raw.get("kind") != _FORMAT:
            raise FileFault(
                "these are not drawing settings.",
                where=where,
                do="Choose a file that was kept from the drawing settings.",
            )
        found = msgspec.convert(as_now(raw.get("settings")), tuple[Drawing, ...])
    except msgspec.MsgspecError as error:
        raise FileFault(
            f"the drawing settings cannot be read: {error}.", where=where, do="Choose another file."
        ) from error
    return tuple(checked(one, where) for one in found[:40])
