"""Generic profiles composed from parts: dimmers, colour mixers in every usual order, scroller,
haze, simple mover.

A mode's name says its order in words (“three colours, master first, four channels”), so that it is
found by typing just that.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache
from typing import Literal

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.plural import many
from isthmus.profiles import records as r
from isthmus.profiles.attributes import plain
from isthmus.profiles.channel_table import Band
from isthmus.profiles.make.bodies import Body
from isthmus.profiles.make.channels import Channel
from isthmus.profiles.make.compose import ModePlan, body_for, compose, profile_id

MAKER = "Generic"
Place = Literal["none", "first", "last"]
Kind = Literal[
    "dimmer", "colour", "white", "temperature", "cmy", "scroller", "haze", "fog", "fan", "mover"
]
KINDS: dict[Kind, str] = {
    "dimmer": "Dimmer",
    "colour": "Colour mixer",
    "white": "Warm and cold white",
    "temperature": "Colour temperature",
    "cmy": "Cyan magenta yellow",
    "scroller": "Colour scroller",
    "haze": "Hazer",
    "fog": "Fogger",
    "fan": "Fan",
    "mover": "Simple mover",
}
EMITTERS = {
    "R": "ColorAdd_R",
    "G": "ColorAdd_G",
    "B": "ColorAdd_B",
    "W": "ColorAdd_W",
    "A": "ColorAdd_RY",
    "L": "ColorAdd_GY",
    "M": "ColorAdd_GC",
    "C": "ColorAdd_C",
    "U": "ColorAdd_UV",
    "I": "ColorAdd_BM",
    "w": "ColorAdd_WW",
    "c": "ColorAdd_CW",
}
ORDERS = (
    "RGB",
    "GRB",
    "BGR",
    "RBG",
    "BRG",
    "GBR",
    "RGBW",
    "WRGB",
    "GRBW",
    "RGBA",
    "RGBL",
    "RGBC",
    "RGBAW",
    "RGBWA",
    "RGBLA",
    "RGBMA",
    "RGBWAU",
    "RGBAWU",
    "RGBWU",
    "RGBwc",
    "RGBAwc",
    "RGBALCI",
)
_NUMBERS = [
    "no",
    "one",
    "two",
    "three",
    "four",
    "five",
    "six",
    "seven",
    "eight",
    "nine",
    "ten",
    "eleven",
    "twelve",
    "thirteen",
    "fourteen",
    "fifteen",
    "sixteen",
    "seventeen",
    "eighteen",
    "nineteen",
    "twenty",
]
MAX_CELLS = 170
MACHINES: dict[str, tuple[str, ...]] = {
    "scroller": ("Color1", "Fan1"),
    "haze": ("Haze1", "Fan1"),
    "fog": ("Fog1", "Fan1"),
    "fan": ("Fan1",),
}
STROBE = (
    Band(0, 9, "Open", "Shutter1"),
    Band(10, 255, "Strobe, slow to fast", "Shutter1Strobe", 0.5, 18.0),
)


@dataclass(frozen=True)
class Recipe:
    """The parts of a generic profile. `order` holds letters of EMITTERS; `cells` repeats all but
    master and strobe.
    """

    kind: Kind = "colour"
    order: str = "RGB"
    master: Place = "none"
    strobe: Place = "none"
    bits: int = 8
    cells: int = 0
    htp: bool = True
    fan: bool = True


def number_word(count: int) -> str:
    return _NUMBERS[count] if count < len(_NUMBERS) else str(count)


def _colours(recipe: Recipe) -> tuple[Channel, ...]:
    size = recipe.bits // 8
    unknown = [letter for letter in recipe.order if letter not in EMITTERS]
    if unknown or len(set(recipe.order)) != len(recipe.order):
        raise EntryFault(
            f"“{recipe.order}” is not an order of emitters.",
            do=f"Use each of {' '.join(EMITTERS)} at most once.",
        )
    if recipe.kind == "dimmer":
        return (Channel("Dimmer", size, htp=recipe.htp),)
    if recipe.kind == "white":
        return (Channel("ColorAdd_WW", size), Channel("ColorAdd_CW", size))
    if recipe.kind == "temperature":
        return (Channel("CTC", size, low=2700.0, high=6500.0),)
    if recipe.kind == "cmy":
        return tuple(Channel(f"ColorSub_{letter}", size) for letter in "CMY")
    return tuple(Channel(EMITTERS[letter], size) for letter in recipe.order)


def _machine(recipe: Recipe) -> tuple[Channel, ...]:
    wanted = MACHINES[recipe.kind]
    return tuple(
        Channel(name) for name in wanted if recipe.fan or name != "Fan1" or wanted == ("Fan1",)
    )


def plan_of(recipe: Recipe) -> ModePlan:
    """The mode of a recipe, named in words. Raises EntryFault for parts that do not go together."""
    if recipe.bits not in (8, 16):
        raise EntryFault(f"{recipe.bits} bit is neither 8 nor 16.", do="Choose one of them.")
    if not 0 <= recipe.cells <= MAX_CELLS:
        raise EntryFault(f"{recipe.cells} cells are too many.", do=f"Choose up to {MAX_CELLS}.")
    turning: list[Channel] = []
    if recipe.kind == "mover":
        turning = [Channel("Pan", recipe.bits // 8), Channel("Tilt", recipe.bits // 8)]
    core = _machine(recipe) if recipe.kind in MACHINES else _colours(recipe)
    first, last = _masters(recipe, "first"), _masters(recipe, "last")
    if recipe.cells > 1:
        plan = ModePlan("", tuple(first), recipe.cells, (*turning, *core), tuple(last))
    else:
        plan = ModePlan("", (*turning, *first, *core, *last))
    total = _slots(plan.channels) + plan.cells * _slots(plan.cell) + _slots(plan.tail)
    if total > 512:
        raise EntryFault(
            f"that takes {many(total, 'channel')}; a universe has 512.",
            do="Choose fewer cells or 8 bit.",
        )
    return ModePlan(
        _title(recipe, total),
        plan.channels,
        plan.cells,
        plan.cell,
        plan.tail,
        description=", ".join(plain(c.attribute) for c in (*turning, *first, *core, *last)),
    )


def _slots(channels: Iterable[Channel]) -> int:
    return sum(channel.size for channel in channels)


def _masters(recipe: Recipe, place: str) -> list[Channel]:
    """Intensity and strobe of the whole unit that stand in this place: first or last."""
    if recipe.kind in MACHINES:
        return []
    made = []
    if recipe.master == place and recipe.kind != "dimmer":
        made.append(Channel("Dimmer", recipe.bits // 8, htp=recipe.htp))
    if recipe.strobe == place:
        made.append(Channel("Shutter1", 1, STROBE, default=0))
    return made


def _title(recipe: Recipe, total: int) -> str:
    parts = []
    if recipe.kind in ("colour", "mover"):
        parts.append(f"{number_word(len(recipe.order))} colours")
    if recipe.kind == "dimmer":
        parts.append("HTP" if recipe.htp else "LTP")
    elif recipe.kind in ("colour", "white", "temperature", "cmy", "mover"):
        parts.append(
            {"none": "no master", "first": "master first", "last": "master last"}[recipe.master]
        )
    if recipe.strobe != "none":
        parts.append({"first": "strobe before the colours", "last": "strobe last"}[recipe.strobe])
    if recipe.cells > 1:
        parts.append(f"{number_word(recipe.cells)} cells")
    if recipe.kind in ("scroller", "haze", "fog"):
        parts.append("with fan" if recipe.fan else "no fan")
    parts.append(f"{number_word(total)} channel{'s' if total > 1 else ''}")
    if recipe.bits == 16:
        parts.append("16 bit")
    return ", ".join(parts)


def name_of(recipe: Recipe) -> str:
    """The model of a recipe: its kind, and the order of its colours."""
    if recipe.kind in ("colour", "mover"):
        return f"{KINDS[recipe.kind]} {recipe.order}"
    return KINDS[recipe.kind]


def generic_profile(recipes: list[Recipe]) -> r.Profile:
    """One profile with a mode for each recipe of one kind and order. Raises EntryFault."""
    plans = [plan_of(recipe) for recipe in recipes]
    first = recipes[0]
    attributes = {c.attribute for plan in plans for c in (*plan.channels, *plan.cell, *plan.tail)}
    cells = max(recipe.cells for recipe in recipes)
    body = (
        Body("machine", (0.3, 0.15, 0.15))
        if first.kind == "scroller"
        else body_for(attributes, cells)
    )
    words = (
        " ".join(plain(EMITTERS[letter]) for letter in first.order)
        if first.kind in ("colour", "mover")
        else KINDS[first.kind].lower()
    )
    return compose(
        MAKER,
        name_of(first),
        body,
        plans,
        description=f"Composed from parts: {words}.",
        note="Composed from parts",
    )


def _modes(kind: Kind, order: str = "RGB") -> list[Recipe]:
    places: tuple[Place, ...] = ("none", "first", "last")
    return [
        Recipe(kind, order, master, strobe, bits)
        for bits in (8, 16)
        for master in places
        for strobe in places
    ]


def _celled(order: str) -> r.Profile:
    places: tuple[Place, ...] = ("none", "first")
    whole = generic_profile(
        [
            Recipe("colour", order, master, "none", 8, cells)
            for cells in (4, 6, 8, 10, 12, 16, 24, 32)
            for master in places
        ]
    )
    return replace(
        whole,
        name=f"Cells {order}",
        long_name=f"{MAKER} Cells {order}",
        id=profile_id(MAKER, f"Cells {order}"),
    )


@cache
def usual_profiles() -> tuple[r.Profile, ...]:
    """Every generic profile that is offered without asking; any other is composed from a recipe."""
    made = [
        generic_profile(
            [
                Recipe("dimmer", bits=bits, htp=htp, cells=cells)
                for cells in (0, 4, 6, 12, 24)
                for bits in (8, 16)
                for htp in (True, False)
            ]
        )
    ]
    made += [generic_profile(_modes("colour", order)) for order in ORDERS]
    made += [_celled(order) for order in ("RGB", "RGBW")]
    made += [generic_profile(_modes(kind)) for kind in ("white", "temperature", "cmy")]
    made += [
        generic_profile([Recipe(kind, fan=fan) for fan in (False, True)])
        for kind in ("scroller", "haze", "fog")
    ]
    made.append(generic_profile([Recipe("fan")]))
    made += [
        generic_profile(
            [
                Recipe("mover", order, "first", strobe, bits)
                for bits in (8, 16)
                for strobe in ("none", "first")
            ]
        )
        for order in ("RGB", "RGBW")
    ]
    return tuple(made)
