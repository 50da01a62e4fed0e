"""What a wish says, in words."""

from __future__ import annotations

from isthmus.looks.beams import OPEN
from isthmus.plural import many
from isthmus.show.records import Palette, Show, Wish


def say(wish: Wish) -> str:
    """`0.640, 0.330 (Buoy red)`, `2.00, -1.00, 0.00 m`, `20°, gobo Net, strobe 2 Hz`; "" for
    nothing.
    """
    parts: list[str] = []
    if wish.intensity is not None:
        parts.append(f"{100 * wish.intensity:.0f} %")
    if wish.colour is not None:
        name = f" ({wish.named})" if wish.named else ""
        parts.append(f"x {wish.colour[0]:.3f}, y {wish.colour[1]:.3f}{name}")
    elif wish.named:
        parts.append(wish.named)
    if wish.point is not None:
        parts.append(f"{', '.join(_signed(v) for v in wish.point)} m")
    for name, degrees in (("pan", wish.pan), ("tilt", wish.tilt)):
        if degrees is not None:
            parts.append(f"{name} {_signed(degrees, 1)}°")
    return ", ".join(parts + _beam(wish))


def _beam(wish: Wish) -> list[str]:
    parts: list[str] = []
    if wish.angle is not None:
        parts.append(f"{wish.angle:.1f}°".replace(".0°", "°"))
    if wish.iris is not None:
        parts.append("iris open" if wish.iris >= 1 else f"iris {100 * wish.iris:.0f} %")
    if wish.frost is not None:
        parts.append("no frost" if wish.frost <= 0 else f"frost {100 * wish.frost:.0f} %")
    if wish.edge is not None:
        parts.append(f"focus {100 * wish.edge:.0f} %")
    for name, what in (("gobo", wish.gobo), ("prism", wish.prism)):
        if what:
            parts.append(f"no {name}" if what.casefold() == OPEN else f"{name} {what}")
    if wish.strobe is not None:
        parts.append("no strobe" if wish.strobe <= 0 else f"strobe {wish.strobe:g} Hz")
    return parts


def _signed(value: float, places: int = 2) -> str:
    return f"{value + 0.0:.{places}f}".replace("-", "−")


def say_palette(show: Show, palette: Palette) -> str:
    """What it wishes of all, and for whom it has wishes of their own."""
    told = [say(palette.wish)] if say(palette.wish) else []
    own = [
        many(len(some), what)
        for some, what in ((palette.types, "profile"), (palette.units, "unit"))
        if some
    ]
    if len(palette.types) == 1 and not palette.units and not told:
        return say(next(iter(palette.types.values())))
    if own:
        told.append(f"its own for {' and '.join(own)}")
    return "; ".join(told) or "nothing yet"
