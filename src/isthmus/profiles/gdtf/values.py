"""How GDTF writes values in attributes (DIN SPEC 15800, “Attribute value types”): text to value and
back.

A reader raises ValueError for text that does not fit; the caller knows where it stands.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from isthmus.profiles.records import Matrix, XyY


@dataclass(frozen=True)
class Codec:
    """`read(text, size)` and `write(value, size)`; size is the number of bytes of the channel
    around it.
    """

    says: str  # what the text should have been, to complete “is …”
    read: Callable[[str, int], Any]
    write: Callable[[Any, int], str]


@lru_cache(16_384)
def dmx_value(text: str, size: int) -> int:
    """`128/1` in a channel of `size` bytes (DMXValue): bytes are repeated, or shifted with
    an `s`.
    """
    number, _, given = text.strip().partition("/")
    value = int(number)
    shift = given.endswith("s")
    count = int(given.rstrip("s") or size)
    if not (1 <= count <= 8) or value < 0:
        raise ValueError(text)
    value = min(value, 256**count - 1)
    if count >= size:
        return value >> (8 * (count - size))
    raw = value.to_bytes(count, "big")
    filled = raw + bytes(size - count) if shift else (raw * size)[:size]
    return int.from_bytes(filled, "big")


def past_the_channel(text: str, size: int) -> bool:
    """Whether a DMX value is higher than the bytes it is said for can hold."""
    number, _, given = text.strip().partition("/")
    return int(number) >= 256 ** int(given.rstrip("s") or size)


@lru_cache(16_384)
def _number(text: str, _size: int = 1) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(text)
    return value


def _write_number(value: float, _size: int = 1) -> str:
    return repr(value) if isinstance(value, float) else str(value)


def _whole(text: str, _size: int = 1) -> int:
    return int(max(-(2**31), min(2**31, _number(text))))


def _color(text: str, _size: int = 1) -> XyY:
    x, y, luminance = (_number(part) for part in text.split(","))
    return (x, y, luminance)


@lru_cache(2048)
def _matrix(text: str, _size: int = 1) -> Matrix:
    values = [
        _number(part) for part in text.replace("{", " ").replace("}", " ").replace(",", " ").split()
    ]
    if len(values) != 16:
        raise ValueError(text)
    return tuple(tuple(values[row * 4 : row * 4 + 4]) for row in range(4))


def _write_matrix(matrix: Matrix, _size: int = 1) -> str:
    return "".join("{" + ",".join(_write_number(cell) for cell in row) + "}" for row in matrix)


def number_text(value: float) -> str:
    """A number without needless zeros."""
    return f"{value:.6f}".rstrip("0").rstrip(".")


TEXT = Codec("text", lambda text, _: text, lambda value, _: value)
NUMBER = Codec("a number", _number, _write_number)
WHOLE = Codec("a whole number", _whole, lambda value, _: str(value))
XYY = Codec(
    "a colour x,y,Y", _color, lambda value, _: ",".join(_write_number(part) for part in value)
)
MATRIX = Codec("a 4×4 matrix", _matrix, _write_matrix)
DMX = Codec("a DMX value", dmx_value, lambda value, size: f"{value}/{size}")
