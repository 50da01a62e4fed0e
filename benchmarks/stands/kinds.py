"""The kinds of units that stand here: their channels as a maker would write them down, and how they
look for the slots they get, by hand.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache

from isthmus.profiles.gdtf import write_gdtf
from isthmus.profiles.make import Body, Channel, ModePlan, compose
from isthmus.profiles.make.channels import Band
from isthmus.profiles.store import stored_of
from isthmus.show.records import StoredProfile

Slots = Sequence[int]


@dataclass(frozen=True)
class Look:
    """How a unit looks for a moment: light of each cell (0…1), what colour each is as shares of
    red, green, blue; where its head points in degrees; how wide its beam is (0…1), which picture
    is in it.
    """

    cells: tuple[float, ...]
    tints: tuple[tuple[float, float, float], ...]
    pan: float = 0.0
    tilt: float = 0.0
    wide: float = 0.0
    picture: int = 0

    @property
    def light(self) -> float:
        return max(self.cells, default=0.0)


Physics = Callable[[Slots], Look]
WHITE = (1.0, 1.0, 1.0)
BLACK = Look((0.0,), (WHITE,))


def _mixed(red: float, green: float, blue: float, white: float = 0.0) -> Look:
    """Emitters of one cell, each 0…255. White carries as much as the three together."""
    parts = [(x + white) / 255 for x in (red, green, blue)]
    most = max(parts)
    tint = (parts[0] / most, parts[1] / most, parts[2] / most) if most else WHITE
    return Look((min(1.0, 0.2 * parts[0] + 0.7 * parts[1] + 0.1 * parts[2]),), (tint,))


def _times(look: Look, factor: float, **more: float) -> Look:
    cells = tuple(c * factor for c in look.cells)
    where = {"pan": look.pan, "tilt": look.tilt, "wide": look.wide, "picture": look.picture}
    return Look(cells, look.tints, **{**where, **more})  # type: ignore[arg-type]


def _shutter(slot: int) -> float:
    """Shut below 8 and from 32 to 63 of the strobe's own range it flashes: half of the time."""
    return 0.0 if slot < 8 else 0.5 if 32 <= slot < 200 else 1.0


def _head(slots: Slots) -> dict[str, float]:
    """Pan and tilt of two bytes each: 540 and 270 degrees about the middle."""
    pan, tilt = slots[0] * 256 + slots[1], slots[2] * 256 + slots[3]
    return {"pan": (pan / 65535 - 0.5) * 540, "tilt": (tilt / 65535 - 0.5) * 270}


WHEEL = (WHITE, (1, 0.1, 0.1), (0.1, 1, 0.1), (0.1, 0.1, 1), (1, 0.8, 0.1), (1, 0.1, 1))


def _wheel(slot: int) -> tuple[float, float, float]:
    return WHEEL[min(len(WHEEL) - 1, slot // 20)]


def lantern(s: Slots) -> Look:
    return Look((s[0] / 255,), (WHITE,))


def par_five(s: Slots) -> Look:
    return _times(_mixed(*s[1:5]), s[0] / 255)


def par_eight(s: Slots) -> Look:
    return _times(_mixed(*s[:4]), s[5] / 255 * _shutter(s[4]))


def wash_short(s: Slots) -> Look:
    """Pan, tilt, dimmer, shutter, four emitters, zoom."""
    light = s[4] / 255 * _shutter(s[5])
    return _times(_mixed(*s[6:10]), light, **_head(s[:4]), wide=s[10] / 255)


def wash_long(s: Slots) -> Look:
    """Dimmer of two bytes, shutter, pan, tilt, four emitters, zoom, and two the light minds not."""
    light = (s[0] * 256 + s[1]) / 65535 * _shutter(s[2])
    return _times(_mixed(*s[7:11]), light, **_head(s[3:7]), wide=s[11] / 255)


def spot_basic(s: Slots) -> Look:
    """Pan, tilt, colour wheel, gobo wheel, shutter, dimmer, zoom, focus."""
    look = Look((s[7] / 255 * _shutter(s[6]),), (_wheel(s[4]),))
    return _times(look, 1.0, **_head(s[:4]), wide=s[8] / 255, picture=s[5] // 20)


def spot_extended(s: Slots) -> Look:
    """Shutter, dimmer of two bytes, pan, tilt, colour, gobo, its turning, iris, zoom, focus."""
    look = Look(((s[1] * 256 + s[2]) / 65535 * _shutter(s[0]),), (_wheel(s[7]),))
    return _times(look, 1.0, **_head(s[3:7]), wide=s[11] / 255, picture=s[8] // 20)


def batten_cells(s: Slots) -> Look:
    cells = [_mixed(*s[3 * i : 3 * i + 3]) for i in range(6)]
    return Look(tuple(c.light for c in cells), tuple(c.tints[0] for c in cells))


def batten_whole(s: Slots) -> Look:
    one = _times(_mixed(*s[1:4]), s[0] / 255)
    return Look(one.cells * 6, one.tints * 6)


SHUTTER = Channel(
    "Shutter1",
    1,
    (
        Band(0, 7, "Closed", "Shutter1", 0.0, 0.0),
        Band(8, 31, "Open", "Shutter1", 1.0, 1.0),
        Band(32, 199, "Strobe", "Shutter1Strobe"),
        Band(200, 255, "Open", "Shutter1", 1.0, 1.0),
    ),
    default=255,
)
EMITTERS = tuple(Channel(f"ColorAdd_{c}") for c in "RGBW")
AIM = (Channel("Pan", 2), Channel("Tilt", 2))
NAMES = ("Open", "Red", "Green", "Blue", "Yellow", "Magenta")
COLOURS = Channel(
    "Color1", 1, tuple(Band(20 * i, 20 * i + 19, name) for i, name in enumerate(NAMES))
)
GOBOS = Channel(
    "Gobo1", 1, tuple(Band(20 * i, 20 * i + 19, "Open" if not i else f"Reed {i}") for i in range(4))
)


@dataclass(frozen=True)
class Kind:
    """A kind of unit: its modes, each with its channels, how many slots it takes, and its looks."""

    name: str
    body: str
    modes: tuple[tuple[ModePlan, int, Physics], ...]

    def of(self, mode: str) -> tuple[int, Physics]:
        return next((size, look) for plan, size, look in self.modes if plan.name == mode)


KINDS = (
    Kind("Lamplight 1", "lantern", ((ModePlan("Dimmer", (Channel("Dimmer"),)), 1, lantern),)),
    Kind(
        "Tidepool 4",
        "can",
        (
            (ModePlan("Five", (Channel("Dimmer"), *EMITTERS)), 5, par_five),
            (
                ModePlan(
                    "Eight",
                    (*EMITTERS, SHUTTER, Channel("Dimmer"), Channel("CTC"), Channel("Fans")),
                ),
                8,
                par_eight,
            ),
        ),
    ),
    Kind(
        "Swell 300",
        "mover",
        (
            (
                ModePlan("Short", (*AIM, Channel("Dimmer"), SHUTTER, *EMITTERS, Channel("Zoom"))),
                11,
                wash_short,
            ),
            (
                ModePlan(
                    "Long",
                    (
                        *(Channel("Dimmer", 2), SHUTTER, *AIM, *EMITTERS, Channel("Zoom")),
                        *(Channel("CTC"), Channel("Fans")),
                    ),
                ),
                14,
                wash_long,
            ),
        ),
    ),
    Kind(
        "Heron 700",
        "mover",
        (
            (
                ModePlan(
                    "Basic",
                    (
                        *(*AIM, COLOURS, GOBOS, SHUTTER, Channel("Dimmer"), Channel("Zoom")),
                        Channel("Focus1"),
                    ),
                ),
                10,
                spot_basic,
            ),
            (
                ModePlan(
                    "Extended",
                    (
                        *(SHUTTER, Channel("Dimmer", 2), *AIM, COLOURS, GOBOS),
                        *(Channel("Gobo1Pos"), Channel("Iris"), Channel("Zoom"), Channel("Focus1")),
                    ),
                ),
                13,
                spot_extended,
            ),
        ),
    ),
    Kind(
        "Breakwater 6",
        "cells",
        (
            (ModePlan("Cells", cells=6, cell=EMITTERS[:3]), 18, batten_cells),
            (ModePlan("Whole", (Channel("Dimmer"), *EMITTERS[:3])), 4, batten_whole),
        ),
    ),
)
BY_NAME = {kind.name: kind for kind in KINDS}


@cache
def stored() -> dict[str, StoredProfile]:
    """The profiles the show has of them."""
    out = {}
    for kind in KINDS:
        body = Body(kind.body, columns=6 if kind.body == "cells" else 0)  # type: ignore[arg-type]
        profile = compose("Reed and Oar", kind.name, body, [plan for plan, _, _ in kind.modes])
        out[kind.name] = stored_of(profile, write_gdtf(profile))
    return out
