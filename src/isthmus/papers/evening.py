"""Papers of the evening: the cues of a list, and where units are focused."""

from __future__ import annotations

from collections.abc import Collection

from isthmus.gels import split_gels
from isthmus.looks.cue_edits import cue_list, say_number, say_seconds
from isthmus.looks.edits import of_kind
from isthmus.looks.programme import in_order
from isthmus.looks.realise import apply, wish_of
from isthmus.looks.resolve import Book
from isthmus.looks.used import looks_with
from isthmus.output import Live
from isthmus.papers.table import Column, Group, Paper
from isthmus.patch.cells import addresses
from isthmus.plural import many
from isthmus.profiles.natural import physical_for
from isthmus.show.records import CueList, Palette, Show, Unit

CUES = (
    Column("Cue", 14, figures=True),
    Column("Name", 42),
    Column("Look", 46),
    *(Column(words, 15, figures=True) for words in ("Up", "Down", "Move", "Delay", "Follow")),
    Column("Note", 55),
)
FOCUS = (
    Column("Unit", 14, figures=True),
    Column("Name", 38),
    Column("Purpose", 28),
    Column("Hangs on", 30),
    Column("Address", 20, figures=True),
    Column("Points at x, y, z", 40, figures=True),
    Column("Pan", 16, figures=True),
    Column("Tilt", 16, figures=True),
    Column("Gel", 18),
    Column("Remark", 40),
)


def cue_sheet(show: Show, list_id: str) -> Paper:
    """The cues of a list with their times, seconds. Raises EntryFault for a list that is gone."""
    cues = cue_list(show, list_id)
    title = f"{show.name}: cues of {_called(cues)}"
    return Paper(title, _runs(cues), CUES, [Group("", _cues(show, cues))])


def all_cues(show: Show, only: object = None) -> Paper:
    """The cues of every list, whatever units are asked for."""
    groups = [Group(_called(one), _cues(show, one), _runs(one)) for one in show.cue_lists]
    told = f"{many(len(groups), 'cue list')}. Times are seconds."
    return Paper(f"{show.name}: cues", told, CUES, groups)


def _called(cues: CueList) -> str:
    return cues.name or f"list {cues.number}"


def _cues(show: Show, cues: CueList) -> list[tuple[str, ...]]:
    looks = {one.id: f"{one.number}  {one.name}" for one in show.looks}
    return [
        (
            say_number(cue.number),
            cue.name,
            looks.get(cue.look, "none"),
            *map(say_seconds, (cue.up, cue.down, cue.move, cue.delay or None, cue.follow)),
            cue.note,
        )
        for cue in in_order(cues)
    ]


def _runs(cues: CueList) -> str:
    told = f"{many(len(cues.cues), 'cue')}. Times are seconds."
    if cues.round:
        fading = f"{100 * cues.crossfade:.0f} %"
        told += f" Runs round, {cues.direction}, {cues.rate:g} steps a minute, {fading} fading."
    return told


def focus_sheet(show: Show, only: Collection[str] | None = None) -> Paper:
    """Where each unit points, position by position: of a palette, the units that looks use it for,
    or all that it can be for. Angles are those of the unit itself, degrees.
    """
    live, book = Live(show).blank(), Book(show)
    groups = []
    for palette in of_kind(show, "position"):
        used = looks_with(show, [palette.id])
        lines = [line for look in used for line in look.lines if palette.id in line.palettes]
        ids = dict.fromkeys(u for line in lines for u in book.units_of(line)) or palette.units
        wanted = [
            u for u in show.units if u.id in ids and u.patch and (only is None or u.id in only)
        ]
        units = sorted(wanted, key=lambda u: u.number)
        rows = [_focused(live, palette, unit) for unit in units]
        about = (
            f"In {'look' if len(used) == 1 else 'looks'} {', '.join(str(o.number) for o in used)}."
            if used
            else "In no look."
        )
        if rows:
            groups.append(Group(f"{palette.number}  {palette.name}", rows, about))
    number = sum(len(group.rows) for group in groups)
    told = f"{many(len(groups), 'position')}, {many(number, 'line')}. Metres and degrees."
    return Paper(f"{show.name}: focus", told, FOCUS, groups)


def _focused(live: Live, palette: Palette, unit: Unit) -> tuple[str, ...]:
    asked, short = apply(live, palette, [unit.id])
    program, point = live.program(unit.id), wish_of(palette, unit).point
    degrees = []
    for name in ("Pan", "Tilt"):
        items = [c for c in program.chart.channels if c.attribute == name] if program else []
        found = [
            f"{physical_for(c, asked[key]):.1f}"
            for c in items
            if (key := (unit.id, c.cell, name)) in asked
        ]
        degrees.append(" / ".join(found))
    return (
        str(unit.number),
        unit.name,
        unit.purpose,
        unit.hangs_on,
        addresses(unit),
        ", ".join(f"{v:.2f}" for v in point) if point else "",
        *degrees,
        ", ".join(split_gels(unit.gel)),
        "; ".join(one.words for one in short),
    )
