"""What to ask of units so that they do what is wished of them, and who cannot, and how near it
comes.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np
from msgspec.structs import asdict, replace

from isthmus.gels import colour_of
from isthmus.looks.beams import beam_levels
from isthmus.looks.difference import apart
from isthmus.looks.mixing import mixed
from isthmus.output import Live
from isthmus.output.aiming import aim_units
from isthmus.output.live import Asked
from isthmus.profiles.colour import RGB_TO_XYZ, chromaticity, white_rgb
from isthmus.profiles.light import LightProgram
from isthmus.profiles.natural import level_for, physical_for
from isthmus.show.records import Palette, Unit, Vec3, Wish

SEEN = 2.0  # CIEDE2000 from which a colour counts as another one
NEAR_DEGREES = 0.5
NOTHING = Wish()
KINDS = {
    "intensity": ("intensity",),
    "colour": ("colour", "named"),
    "position": ("point", "pan", "tilt"),
    "beam": ("angle", "iris", "frost", "edge", "gobo", "prism", "strobe"),
}


@dataclass(frozen=True)
class Short:
    """One unit that cannot do what is wished, of which kind, and how near it comes. `apart` is in
    CIEDE2000 or metres where it can be measured.
    """

    unit: str
    number: int
    kind: str
    words: str
    apart: float = math.nan


def together(*wishes: Wish | None) -> Wish:
    """Wishes laid over one another, the first in front: each says what those before it leave
    open. A colour goes with its name, and an angle of pan with that of tilt.
    """
    made = NOTHING
    for wish in wishes:
        if wish is None:
            continue
        said = {name: value for name, value in asdict(wish).items() if value not in (None, "", {})}
        for names in (("colour", "named"), ("point", "pan", "tilt")):
            if any(getattr(made, name) not in (None, "") for name in names):
                said = {name: value for name, value in said.items() if name not in names}
        open_ = {n: v for n, v in said.items() if getattr(made, n) in (None, "")}
        made = replace(made, **open_)
    return made


def wish_of(palette: Palette, unit: Unit) -> Wish:
    """What a palette wishes of a unit: its own before that of its profile, before that of all."""
    return together(palette.units.get(unit.id), palette.types.get(unit.profile), palette.wish)


def realise(live: Live, wishes: Mapping[str, Wish]) -> tuple[Asked, list[Short]]:
    """Levels to ask for wishes by unit, and who comes short of which. Units not in the show are
    left out.
    """
    asked: Asked = {}
    short: list[Short] = []
    by_id = {unit.id: unit for unit in live.show.units}
    points: dict[str, Vec3] = {}
    for unit_id, wish in wishes.items():
        unit, program = by_id.get(unit_id), live.program(unit_id)
        if unit is None:
            continue
        if program is None:
            short.append(Short(unit_id, unit.number, "", "its mode is not known"))
            continue
        _intensity(live, program, unit, wish, asked, short)
        _colour(live, program, unit, wish, asked, short)
        _degrees(program, unit, wish, asked, short)
        levels, lacks = beam_levels(program, wish)
        asked |= {(unit.id, cell, name): level for (cell, name), level in levels.items()}
        short += [Short(unit.id, unit.number, "beam", words) for words in lacks]
        if wish.point is not None and program.assembly.beams:
            points[unit.id] = wish.point
    _aim(live, points, asked, short)
    order = {unit_id: place for place, unit_id in enumerate(wishes)}
    return asked, sorted(short, key=lambda s: order[s.unit])


def apply(live: Live, palette: Palette, ids: Iterable[str]) -> tuple[Asked, list[Short]]:
    """A palette on units: what to ask, and who comes short."""
    by_id = {unit.id: unit for unit in live.show.units}
    return realise(live, {i: wish_of(palette, by_id[i]) for i in ids if i in by_id})


def _intensity(
    live: Live, program: LightProgram, unit: Unit, wish: Wish, asked: Asked, short: list[Short]
) -> None:
    if wish.intensity is None:
        return
    levels = live.wish_intensity([unit.id], wish.intensity)
    asked |= levels
    if not levels and program.assembly.beams:
        short.append(Short(unit.id, unit.number, "intensity", "no dimmer"))


def _colour(
    live: Live, program: LightProgram, unit: Unit, wish: Wish, asked: Asked, short: list[Short]
) -> None:
    colour = wish.colour or gel_colour(live, wish.named)
    if colour is None and not wish.named:
        return
    if colour is None:
        found = mixed(program, 1 / 3, 1 / 3, wish.named)
        named = mixed(program, 1 / 3, 1 / 3)
        if found.levels == named.levels:  # no wheel has it, and no book of the show
            short.append(Short(unit.id, unit.number, "colour", f"no “{wish.named}”"))
            return
        off = 0.0
    else:
        found = mixed(program, *colour, wish.named)
        off = found.apart
    if not found.makes:
        if not program.assembly.beams:
            return  # gives no light: nothing is missed
        off = _own_gel_apart(live, program, unit, colour) if colour else math.nan
    bright = _bright(live, program, unit)
    asked |= {
        (unit.id, cell, name): level * (bright if name.startswith("ColorAdd_") else 1.0)
        for (cell, name), level in found.levels.items()
    }
    if off > SEEN:
        words = f"ΔE {off:.0f}" if found.makes else f"no colours of its own, ΔE {off:.0f}"
        short.append(Short(unit.id, unit.number, "colour", words, off))


def gel_colour(live: Live, named: str) -> tuple[float, float] | None:
    """The chromaticity of a gel of the show over tungsten, if this names one."""
    rgb = colour_of(live.show.gels, named) if named else None
    return None if rgb is None else chromaticity(rgb * white_rgb(3200.0))


def _own_gel_apart(
    live: Live, program: LightProgram, unit: Unit, colour: tuple[float, float]
) -> float:
    """Of a unit that cannot change its colour: how far its lamp, behind its gel, is from it."""
    gel = colour_of(live.show.gels, unit.gel) if unit.gel else None
    white = np.array(mixed(program, *colour).xyz)
    if gel is None:
        return float(apart(white, *colour))
    lamp = program.assembly.beams[0].beam.color_temperature
    return float(apart(RGB_TO_XYZ @ (gel * white_rgb(lamp)), *colour))


def _bright(live: Live, program: LightProgram, unit: Unit) -> float:
    """Without a dimmer the colours are the intensity too: they stay as bright as they are."""
    if program.has_dimmer:
        return 1.0
    now = [
        live.level(unit.id, name, cell) or 0.0
        for cell in range(program.chart.cells + 1)
        for name, _ in program.emitters(cell)
    ]
    return max(now, default=1.0) or 1.0


def _degrees(
    program: LightProgram, unit: Unit, wish: Wish, asked: Asked, short: list[Short]
) -> None:
    if wish.point is not None:
        return
    for name, degrees in (("Pan", wish.pan), ("Tilt", wish.tilt)):
        if degrees is None:
            continue
        items = [c for c in program.chart.channels if c.attribute == name]
        for item in items:
            level = asked[unit.id, item.cell, name] = level_for(item, degrees)
            now = physical_for(item, level)
        if not items:
            short.append(Short(unit.id, unit.number, "position", f"no {name.lower()}"))
        elif abs(now - degrees) > NEAR_DEGREES:
            words = f"{name.lower()} {now:.1f}° instead of {degrees:.1f}°"
            short.append(Short(unit.id, unit.number, "position", words))


def _aim(live: Live, points: Mapping[str, Vec3], asked: Asked, short: list[Short]) -> None:
    if not points:
        return
    wanted, answers = aim_units(live, list(points), np.array(list(points.values())))
    asked |= wanted
    for answer in answers:
        if not answer.reached:
            beside = f", {answer.miss:.2f} m beside" if math.isfinite(answer.miss) else ""
            head = f"head {answer.head}: " if answer.head else ""
            words = f"{head}{answer.why}{beside}"
            short.append(Short(answer.unit, answer.number, "position", words, answer.miss))


def in_words(short: Iterable[Short]) -> str:
    """Who comes short, together where it is the same; "" without any."""
    heaps: dict[str, list[int]] = {}
    for one in short:
        heaps.setdefault(one.words, []).append(one.number)
    told = []
    for words, numbers in heaps.items():
        who = ", ".join(map(str, dict.fromkeys(numbers[:6])))
        told.append(f"{who}{' …' if len(numbers) > 6 else ''}: {words}")
    return "; ".join(told[:4]) + ("; and more" if len(told) > 4 else "")
