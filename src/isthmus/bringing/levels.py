"""Of a look of theirs only how bright it is: the rest stays as we have it."""

from __future__ import annotations

from msgspec.structs import replace

from isthmus.show.records import Look, LookLine, Show, Wish

BRIGHT = "Dimmer"  # GDTF's attribute


def levels_only(look: Look, show: Show) -> Look:
    """The look with nothing but levels of intensity, palettes of intensity written out."""
    palettes = {p.id: p.wish.intensity for p in show.palettes if p.kind == "intensity"}
    lines = []
    for line in look.lines:
        found = [palettes[p] for p in line.palettes if palettes.get(p) is not None]
        level = line.wish.intensity if line.wish.intensity is not None else [None, *found][-1]
        raw = {name: value for name, value in line.levels.items() if _bright(name)}
        if level is not None or raw:
            wish = Wish(intensity=level)
            lines.append(LookLine(units=line.units, groups=line.groups, wish=wish, levels=raw))
    return replace(look, lines=tuple(lines), pictures=())


def with_levels(mine: Look, levels: Look, show: Show) -> Look:
    """Our look with these levels in the place of its own."""
    bright = {p.id for p in show.palettes if p.kind == "intensity"}
    lines = []
    for line in mine.lines:
        rest = replace(
            line,
            palettes=tuple(p for p in line.palettes if p not in bright),
            wish=replace(line.wish, intensity=None),
            levels={name: value for name, value in line.levels.items() if not _bright(name)},
        )
        if rest.palettes or rest.levels or rest.wish != Wish():
            lines.append(rest)
    return replace(mine, lines=(*lines, *levels.lines))


def _bright(name: str) -> bool:
    return name.partition("/")[0] == BRIGHT
