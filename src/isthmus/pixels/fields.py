"""What can be typed about a layer: each field, how it is said and how it is read."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from isthmus.errors import EntryFault
from isthmus.pixels.blending import BLENDS
from isthmus.pixels.generators import GENERATORS, Setting
from isthmus.pixels.lettering import FACES
from isthmus.pixels.sampling import FITS
from isthmus.pixels.timing import WAYS
from isthmus.show.records import PictureLayer

Changes = Mapping[str, Any]
MADE = frozenset(GENERATORS)
ALL = frozenset((*GENERATORS, "text", "media"))
MOVING = frozenset((*(n for n, g in GENERATORS.items() if g.moves), "text", "media"))
COLOURED = frozenset((*(n for n, g in GENERATORS.items() if g.coloured), "media"))
NAMES = {  # colours by the names people give them
    "white": "#ffffff",
    "warm white": "#ffd9a8",
    "red": "#ff0000",
    "orange": "#ff6a00",
    "amber": "#ffa200",
    "yellow": "#ffee00",
    "green": "#00ff00",
    "turquoise": "#00ffb0",
    "cyan": "#00ffff",
    "sky": "#4aa8ff",
    "blue": "#0000ff",
    "violet": "#7a00ff",
    "magenta": "#ff00ff",
    "pink": "#ff6fb5",
    "black": "#000000",
}
MASK_WORDS = {"": "none", "ellipse": "ellipse", "soft edge": "soft edge"}


@dataclass(frozen=True)
class Field:
    """`choices` are (value as it is said, words); without any it is typed. `sources`: those it is
    of.
    """

    name: str
    words: str
    say: Callable[[PictureLayer], str]
    read: Callable[[PictureLayer, str], Changes]
    sources: frozenset[str] = ALL
    choices: tuple[tuple[str, str], ...] = ()


def number(text: str, words: str, least: float, most: float) -> float:
    """Raises EntryFault."""
    plain = text.strip().removesuffix("%").removesuffix("°").removesuffix("×").removesuffix("s")
    try:
        value = float(plain.strip().replace(",", ".").replace("−", "-"))
    except ValueError:
        raise EntryFault(f"“{text.strip()}” is not a number.", do=f"{words}: a number.") from None
    if not least <= value <= most:
        raise EntryFault(
            f"{words}: {value:g} is not between {least:g} and {most:g}.", do="Type another."
        )
    return value


def _amount(
    name: str,
    words: str,
    unit: str,
    by: float,
    least: float,
    most: float,
    sources: frozenset[str] = ALL,
) -> Field:
    """A number of the record, said `by` times as large with its unit."""

    def say(layer: PictureLayer) -> str:
        return f"{getattr(layer, name) * by:.4g}{unit}".replace("-", "−")

    def read(layer: PictureLayer, text: str) -> Changes:
        return {name: number(text, words, least, most) / by}

    return Field(name, words, say, read, sources)


def _choice(
    name: str, words: str, choices: Mapping[str, str], sources: frozenset[str] = ALL
) -> Field:
    def read(layer: PictureLayer, text: str) -> Changes:
        low = text.strip().casefold()
        for value, said in choices.items():
            if low in (value.casefold(), said.casefold()):
                return {name: value}
        there = ", ".join(choices.values())
        raise EntryFault(f"{words}: there is no “{text.strip()}”.", do=f"There are {there}.")

    return Field(
        name, words, lambda layer: getattr(layer, name), read, sources, tuple(choices.items())
    )


def _colour(name: str, words: str, empty: bool, sources: frozenset[str] = ALL) -> Field:
    def read(layer: PictureLayer, text: str) -> Changes:
        low = " ".join(text.split()).casefold()
        plain = NAMES.get(low, low).removeprefix("#")
        if empty and plain in ("", "none", "nothing"):
            return {name: ""}
        if not re.fullmatch(r"[0-9a-f]{6}|[0-9a-f]{3}", plain):
            raise EntryFault(
                f"“{text.strip()}” is not a colour.",
                do="Write a name, such as amber, or red, green and blue: #ff8800.",
            )
        whole = plain if len(plain) == 6 else "".join(2 * letter for letter in plain)
        return {name: f"#{whole}"}

    return Field(name, words, lambda layer: getattr(layer, name), read, sources)


def _setting(key: str, words: str, least: float, most: float, usual: float, source: str) -> Field:
    def say(layer: PictureLayer) -> str:
        return f"{layer.settings.get(key, usual):.4g}".replace("-", "−")

    def read(layer: PictureLayer, text: str) -> Changes:
        value = number(text, words, least, most)
        return {"settings": {**layer.settings, key: value}}

    return Field(f"{source}.{key}", words, say, read, frozenset((source,)))


def _text_choice(key: str, words: str, choices: tuple[str, ...]) -> Field:
    def say(layer: PictureLayer) -> str:
        return choices[int(min(len(choices) - 1, max(0, layer.settings.get(key, 0))))]

    def read(layer: PictureLayer, text: str) -> Changes:
        if text not in choices:
            raise EntryFault(f"{words}: there is no “{text}”.", do=", ".join(choices))
        return {"settings": {**layer.settings, key: float(choices.index(text))}}

    pairs = tuple((c, c) for c in choices)
    return Field(f"text.{key}", words, say, read, frozenset(("text",)), pairs)


def _crop() -> Field:
    def say(layer: PictureLayer) -> str:
        return " ".join(f"{100 * share:.3g}" for share in layer.crop)

    def read(layer: PictureLayer, text: str) -> Changes:
        parts = text.replace("%", " ").replace(",", ".").split()
        if len(parts) != 4:
            raise EntryFault(
                "Cropping takes four numbers.",
                do="Percent at left, top, right and bottom: 0 0 0 0.",
            )
        left, top, right, bottom = (number(p, "Crop", 0, 95) / 100 for p in parts)
        if left + right > 0.98 or top + bottom > 0.98:
            raise EntryFault("Nothing would be left of the picture.", do="Crop less.")
        return {"crop": (left, top, right, bottom)}

    return Field("crop", "Crop", say, read, frozenset(("media",)))


def _words_of(setting: Setting) -> str:
    return setting.name.capitalize()


FIELDS: tuple[Field, ...] = (
    Field("text", "Words", lambda x: x.text, lambda x, t: {"text": t[:400]}, frozenset(("text",))),
    _text_choice("face", "Face", tuple(FACES)),
    _text_choice("run", "Moves", ("still", "runs")),
    _setting("scale", "Scale", 0.1, 2.0, 1.0, "text"),
    *(
        _setting(s.name, _words_of(s), s.least, s.most, s.usual, source)
        for source, made in GENERATORS.items()
        for s in made.settings
    ),
    _colour("colour", "Colour", False),
    _colour("behind", "Between", True, ALL - COLOURED - {"plain"}),
    _amount("hue", "Hue", "°", 1, -360, 360, COLOURED),
    _amount("level", "Level", " %", 100, 0, 100),
    _choice("blend", "Blend", {name: name for name in BLENDS}),
    _choice("mask", "Mask", MASK_WORDS),
    _amount("x", "Across", " %", 100, -200, 300),
    _amount("y", "Down", " %", 100, -200, 300),
    _amount("width", "Width", " %", 100, 1, 1000),
    _amount("height", "Height", " %", 100, 1, 1000),
    _amount("turn", "Turn", "°", 1, -360, 360),
    _choice("fit", "Fit", {name: name for name in FITS}, frozenset(("media",))),
    _crop(),
    _amount("speed", "Speed", " ×", 1, 0, 20, MOVING),
    _choice("way", "Runs", {name: name for name in WAYS}, MOVING),
    _amount("begin", "From", " s", 1, 0, 600, frozenset(("media",))),
    _amount("end", "Until", " s", 1, 0, 600, frozenset(("media",))),
)
BY_NAME = {field.name: field for field in FIELDS}


def fields_of(layer: PictureLayer) -> list[Field]:
    """What can be typed about a layer with its source."""
    return [field for field in FIELDS if layer.source in field.sources]


def read_field(layer: PictureLayer, name: str, text: str) -> Changes:
    """What typing into a field changes. Raises EntryFault."""
    field = BY_NAME.get(name) or BY_NAME.get(f"{layer.source}.{name}")
    if field is None or layer.source not in field.sources:
        names = ", ".join(f.name.removeprefix(f"{layer.source}.") for f in fields_of(layer))
        raise EntryFault(f"A layer of {layer.source} has no “{name}”.", do=f"It has {names}.")
    return field.read(layer, text)


def said(layer: PictureLayer) -> str:
    """What a layer is called: its name, its words, or its source."""
    return layer.name or (f"“{layer.text[:24]}”" if layer.source == "text" else layer.source)
