"""The starter set: palettes made from what the profiles of a show can do, and from its stage."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from isthmus.looks.beams import OPEN, names_of
from isthmus.looks.edits import BY_HAND, free_number
from isthmus.looks.mixing import mixed
from isthmus.profiles import light_program, profiles_of
from isthmus.profiles.colour import planck_xy
from isthmus.profiles.light import LightProgram
from isthmus.profiles.natural import physical_for, range_in_force, strobe_of
from isthmus.sheets.sheets import sheet
from isthmus.show.records import Palette, Show, Structure, Vec3, Wish, new_id
from isthmus.stage.landing import land, surfaces
from isthmus.stage.transforms import turn_of

FAR = 12.0  # CIEDE2000 a unit that mixes colours may miss a starter colour by
SEATED = 1.2  # metres: eyes of those who sit
ROWS = 5.0  # metres from the front edge of the stage to the middle of the first rows
# sRGB primaries and secondaries, and two between them: what everybody calls by these names
COLOURS = {
    "Red": (0.640, 0.330),
    "Orange": (0.545, 0.405),
    "Yellow": (0.419, 0.505),
    "Green": (0.300, 0.600),
    "Cyan": (0.225, 0.329),
    "Blue": (0.150, 0.060),
    "Violet": (0.220, 0.100),
    "Magenta": (0.321, 0.154),
}
WHITES = (3200, 4200, 5600)
LEVELS = (100, 75, 50, 25, 0)

Programs = dict[str, list[LightProgram]]  # by profile
_NOTHING = Wish()


def starters(show: Show) -> list[Palette]:
    """What can be offered for a show, each with the mark it is known again by; numbers and ids are
    not given yet.
    """
    programs = _programs(show)
    return [
        *(_intensities() if programs else ()),
        *_colours(programs),
        *_positions(show, programs),
        *_beams(programs),
    ]


def with_starters(show: Show) -> tuple[Show, int, int]:
    """The show with its starter set made, or made again: how many were added, and how many are
    others than before. What a person made or changed stays.
    """
    known = {p.made: p for p in show.palettes if p.made}
    fresh = changed = 0
    for one in starters(show):
        if BY_HAND + one.made in known:
            continue
        old = known.get(one.made)
        if old is None:
            made = replace(one, id=new_id(), number=free_number(show, one.kind))
            show, fresh = replace(show, palettes=(*show.palettes, made)), fresh + 1
            continue
        made = replace(one, id=old.id, number=old.number)
        if made != old:
            kept = tuple(made if p.id == old.id else p for p in show.palettes)
            show, changed = replace(show, palettes=kept), changed + 1
    return show, fresh, changed


def _programs(show: Show) -> Programs:
    """Modes in use that give light, by profile."""
    profiles, found = profiles_of(show), dict[str, dict[str, LightProgram]]()
    for unit in show.units:
        mode = profiles.mode_of(unit)
        if mode is not None and light_program(*mode).assembly.beams:
            found.setdefault(unit.profile, {})[unit.mode] = light_program(*mode)
    return {profile: list(modes.values()) for profile, modes in found.items()}


def _palette(
    kind: str, mark: str, name: str, wish: Wish = _NOTHING, types: dict[str, Wish] | None = None
) -> Palette:
    made = f"{kind} {mark}"
    return Palette(id="", number=0, kind=kind, name=name, made=made, wish=wish, types=types or {})


def _intensities() -> Iterator[Palette]:
    for level in LEVELS:
        name = {100: "Full", 0: "Out"}.get(level, f"{level} %")
        yield _palette("intensity", str(level), name, wish=Wish(intensity=level / 100))


# ---------------------------------------------------------------- colours


def _colours(programs: Programs) -> Iterator[Palette]:
    all_of = [p for modes in programs.values() for p in modes]
    mixing = [p for p in all_of if _mixes(p)]
    wanted = {f"White {k} K": planck_xy(float(k)) for k in WHITES} | COLOURS
    for name, at in wanted.items():
        colour = round(at[0], 4), round(at[1], 4)
        if mixing and all(mixed(p, *colour).apart <= FAR for p in mixing):
            yield _palette("colour", name, name, wish=Wish(colour=colour))
    slots: dict[str, tuple[float, float]] = {}
    for program in all_of:
        for name, at in _slots(program):
            slots.setdefault(name, at)
    for name, at in slots.items():
        yield _palette("colour", f"wheel {name}", name, wish=Wish(colour=at, named=name))


def _mixes(program: LightProgram) -> bool:
    return any(c.attribute.startswith(("ColorAdd_", "ColorSub_")) for c in program.chart.channels)


def _slots(program: LightProgram) -> Iterator[tuple[str, tuple[float, float]]]:
    """Names of the colours of its wheels with what they look like before the lamp's own white."""
    for item in (c for c in program.chart.channels if c.attribute.startswith("Color")):
        for value, _, _ in program.wheel_slots(item.attribute, item.cell):
            name = range_in_force(item, value / item.top)
            x, y, z = mixed(program, 1 / 3, 1 / 3, name).xyz
            if name and name.casefold() != OPEN and x + y + z > 0:
                yield name, (round(x / (x + y + z), 4), round(y / (x + y + z), 4))


# ---------------------------------------------------------------- positions


def _positions(show: Show, programs: Programs) -> Iterator[Palette]:
    homes = {profile: home for profile, modes in programs.items() if (home := _home(modes[0]))}
    if not homes:
        return
    yield _palette("position", "home", "Home", types=homes)
    decks = [s for s in show.structures if s.kind in ("deck", "hull")]
    for deck in sorted(decks, key=lambda s: s.size[0] * s.size[1], reverse=True)[:1]:
        for name, (across, up) in _AREAS.items():
            point = _on_top(deck, across, up)
            yield _palette("position", f"deck {name}", name, wish=Wish(point=point))
    for one in show.structures:
        if one.kind not in ("deck", "hull") and one.name:
            yield _palette(
                "position", f"structure {one.id}", one.name, wish=Wish(point=_middle(one))
            )
    for note in sheet(show, "plan").notes:
        point = (round(note.x, 3), round(note.y, 3), _level_under(show, note.x, note.y))
        yield _palette("position", f"mark {note.text}", note.text, wish=Wish(point=point))
    if decks:
        front = min(s.position[1] - s.size[1] / 2 for s in decks)
        point = (0.0, round(front - ROWS, 3), SEATED)
        yield _palette("position", "audience", "Audience", wish=Wish(point=point))


# shares of half its size from its middle: to the audience's right, upstage
_AREAS = {
    "Deck centre": (0.0, 0.0),
    "Downstage left": (0.5, -0.5),
    "Downstage right": (-0.5, -0.5),
    "Upstage left": (0.5, 0.5),
    "Upstage right": (-0.5, 0.5),
}


def _home(program: LightProgram) -> Wish | None:
    found = {c.attribute: c for c in reversed(program.chart.channels)}
    axes = {
        name.lower(): round(physical_for(found[name], found[name].default_level), 1)
        for name in ("Pan", "Tilt")
        if name in found
    }
    return Wish(pan=axes.get("pan"), tilt=axes.get("tilt")) if axes else None


def _on_top(deck: Structure, across: float, up: float) -> Vec3:
    length, depth, height = deck.size
    local = np.array([across * length / 2, up * depth / 2, height / 2])
    x, y, z = turn_of(deck.rotation) @ local + np.array(deck.position)
    return round(float(x), 3), round(float(y), 3), round(float(z), 3)


def _middle(one: Structure) -> Vec3:
    up = one.size[2] / 2 if one.kind in ("mast", "boom", "tower", "mesh") else 0.0
    x, y, z = turn_of(one.rotation) @ (0.0, 0.0, up) + np.array(one.position)
    return round(float(x), 3), round(float(y), 3), round(float(z), 3)


def _level_under(show: Show, x: float, y: float) -> float:
    flat = [s for s in surfaces(show.structures) if s.normal[2] > 0.9]
    points, _ = land(np.array([[x, y, 400.0]]), np.array([[0.0, 0.0, -1.0]]), flat)
    return round(float(points[0, 2]), 3) if np.isfinite(points[0, 2]) else 0.0


# ---------------------------------------------------------------- beams


def _beams(programs: Programs) -> Iterator[Palette]:
    all_of = [p for modes in programs.values() for p in modes]
    has = {c.attribute for p in all_of for c in p.chart.channels}
    gobos = {name: None for p in all_of for name in names_of(p, "Gobo")}
    zooms = {
        profile: sorted((first.physical_from, first.physical_to))
        for profile, modes in programs.items()
        for c in modes[0].chart.channels
        if c.attribute == "Zoom" and (first := c.channel.first)
    }
    shaped = has & {"Zoom", "Iris", "Frost1", "Prism1", "Shutter1"} or gobos
    if shaped:
        wish = Wish(iris=1.0, frost=0.0, gobo=OPEN, prism=OPEN, strobe=0.0)
        yield _palette("beam", "open", "Open", wish=wish)
    for name, end in (("Narrow", 0), ("Wide", 1)):
        if zooms:
            types = {profile: Wish(angle=ends[end]) for profile, ends in zooms.items()}
            yield _palette("beam", name, name, types=types)
    for name in gobos:
        if name.casefold() != OPEN:
            yield _palette("beam", f"gobo {name}", name, wish=Wish(gobo=name))
    if "Prism1" in has:
        yield _palette("beam", "prism", "Prism", wish=Wish(prism="in"))
    if any(strobe_of(c) for p in all_of for c in p.chart.channels):
        for name, rate in (("Strobe slow", 2.0), ("Strobe fast", 10.0)):
            yield _palette("beam", name, name, wish=Wish(strobe=rate))
