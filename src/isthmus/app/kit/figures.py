"""Figures typed into fields: metres, degrees, percent, read leniently and told kindly."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtWidgets import QLineEdit

from isthmus.app.kit.widgets import field
from isthmus.errors import EntryFault

AN = {"angle": "an"}


def read_figure(text: str, what: str = "figure") -> float:
    """`-4,25 m`, `30°`, `50 %` as a number. Raises EntryFault."""
    bare = text.strip().replace("−", "-").replace(",", ".").rstrip("°%").removesuffix("m").strip()
    try:
        value = float(bare)
    except ValueError:
        raise EntryFault(
            f"“{text[:20]}” is not {AN.get(what, 'a')} {what}.", do="Write a number such as -4.25."
        ) from None
    if not math.isfinite(value) or abs(value) > 1e6:
        raise EntryFault(
            f"“{text[:20]}” is not {AN.get(what, 'a')} {what}.", do="Write a number such as -4.25."
        )
    return value


def read_change(text: str, what: str = "figure", many: bool = False) -> Callable[[float], float]:
    """What a typed figure makes of an old one. `+0.3` adds to it, and so does `-5` where it is
    typed for many units at once; `=-5` and any other figure replace it. Raises EntryFault.
    """
    bare = text.strip().replace("−", "-")
    if bare.startswith("="):
        fixed = read_figure(bare[1:], what)
        return lambda old: fixed
    value = read_figure(bare, what)
    if bare.startswith("+") or (many and bare.startswith("-")):
        return lambda old: old + value
    return lambda old: value


def write_figure(value: float, digits: int = 2) -> str:
    return f"{round(value, digits) + 0.0:.{digits}f}"


def figure_field(name: str, value: float | str = "", width: int = 64, hint: str = "") -> QLineEdit:
    """A short field for one figure."""
    made = field(name, value if isinstance(value, str) else write_figure(value), hint, mono=True)
    made.setFixedWidth(width)
    return made
