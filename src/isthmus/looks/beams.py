"""A beam made with what a mode has: zoom, iris, frost, focus, gobo, prism, strobe."""

from __future__ import annotations

from isthmus.profiles.chart import ChartChannel
from isthmus.profiles.light import LightProgram
from isthmus.profiles.natural import (
    level_for,
    physical_at,
    physical_for,
    ranges,
    strobe_of,
    value_at,
)
from isthmus.show.records import Wish

Levels = dict[tuple[int, str], float]
OPEN = "open"
NEAR = 0.5  # degrees of field angle, and Hz, that are no difference


def beam_levels(program: LightProgram, wish: Wish) -> tuple[Levels, list[str]]:
    """What to ask for the beam of a wish, and in words what cannot be had."""
    levels: Levels = {}
    short: list[str] = []
    if wish.angle is not None:
        _angle(program, wish.angle, levels, short)
    for name, share, what in (("Iris", wish.iris, "iris"), ("Frost1", wish.frost, "frost")):
        if share is not None:
            _share(program, name, share, what, levels, short)
    if wish.edge is not None:
        _edge(program, wish.edge, levels, short)
    if wish.gobo:
        _named(program, "Gobo", wish.gobo, "gobo", levels, short)
    if wish.prism:
        _prism(program, wish.prism, levels, short)
    if wish.strobe is not None:
        _strobe(program, wish.strobe, levels, short)
    return levels, short


def _of(program: LightProgram, *attributes: str) -> list[ChartChannel]:
    return [c for c in program.chart.channels if c.attribute in attributes]


def _angle(program: LightProgram, angle: float, levels: Levels, short: list[str]) -> None:
    zooms = _of(program, "Zoom")
    for item in zooms:
        levels[item.cell, item.attribute] = level_for(item, angle)
    if zooms:
        now = physical_for(zooms[0], levels[zooms[0].cell, "Zoom"])
        if abs(now - angle) > NEAR:
            short.append(f"{now:.1f}° instead of {angle:.1f}°")
    elif program.assembly.beams:
        field = program.assembly.beams[0].beam.field_angle
        if abs(field - angle) > max(NEAR, 0.1 * angle):
            short.append(f"fixed at {field:.1f}°")


def _share(
    program: LightProgram, name: str, share: float, what: str, levels: Levels, short: list[str]
) -> None:
    """Open is where a channel stands by default: charts write an iris either way."""
    items = _of(program, name)
    for item in items:
        rest = item.default_level
        other = 0.0 if rest > 0.5 else 1.0
        levels[item.cell, name] = rest + (other - rest) * (1.0 - share if name == "Iris" else share)
    if not items and share != (1.0 if name == "Iris" else 0.0):
        short.append(f"no {what}")


def _edge(program: LightProgram, edge: float, levels: Levels, short: list[str]) -> None:
    """Where the beam is sharp depends on how far it goes and on the zoom, which no profile states:
    it is kept as the share of the range, as it was found by eye.
    """
    items = _of(program, "Focus1")
    for item in items:
        levels[item.cell, "Focus1"] = edge
    if not items:
        short.append("no focus")


def names_of(program: LightProgram, kind: str) -> dict[str, tuple[ChartChannel, float]]:
    """Names of what the wheels of a kind (Gobo, Prism) can show: the channel and its level."""
    found: dict[str, tuple[ChartChannel, float]] = {}
    for item in program.chart.channels:
        if item.attribute[: len(kind)] == kind and item.attribute[len(kind) :].isdigit():
            for first, last, name in ranges(item):
                found.setdefault(name, (item, (first + last) // 2 / item.top))
    return found


def _named(
    program: LightProgram, kind: str, wanted: str, what: str, levels: Levels, short: list[str]
) -> None:
    names = names_of(program, kind)
    low = wanted.strip().casefold()
    match = next((name for name in names if name.casefold() == low), None)
    wheels = {id(item): item for item, _ in names.values()}
    for item in wheels.values():  # what else turns in the beam is taken out of it
        levels[item.cell, item.attribute] = item.default_level
    if match is not None:
        item, level = names[match]
        levels[item.cell, item.attribute] = level
    elif low != OPEN:
        short.append(f"no {what} “{wanted}”" if names else f"no {what}s")


def _prism(program: LightProgram, wanted: str, levels: Levels, short: list[str]) -> None:
    """By its name, or “in” for whichever there is."""
    items = [c for c in program.chart.channels if c.attribute in ("Prism1", "Prism2")]
    low = wanted.strip().casefold()
    names = names_of(program, "Prism")
    if any(name.casefold() == low for name in names) and low != OPEN:
        _named(program, "Prism", wanted, "prism", levels, short)
        return
    for item in items:
        levels[item.cell, item.attribute] = item.default_level if low == OPEN else 1.0
        if low != OPEN:
            break
    if low != OPEN and not items:
        short.append("no prism")


def _strobe(program: LightProgram, rate: float, levels: Levels, short: list[str]) -> None:
    items = [(c, f) for c in program.chart.channels if (f := strobe_of(c)) is not None]
    if rate <= 0:
        for item, _ in items:
            mark = item.channel.highlight
            level = item.default_level if mark is None else mark / item.top
            levels[item.cell, item.attribute] = level
        return
    if not items:
        short.append("no strobe")
    for item, function in items:
        value = value_at(function, rate)
        levels[item.cell, item.attribute] = value / item.top
        now = physical_at(function, value)
        words = f"{now:.1f} Hz instead of {rate:.1f} Hz"
        if abs(now - rate) > NEAR and words not in short:
            short.append(words)
