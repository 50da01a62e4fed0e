"""The verbs of looks: palettes, the starter set, and who can do what is wished."""

from __future__ import annotations

import argparse
import math
from collections.abc import Callable, Iterable
from typing import Any

import msgspec

from isthmus.cli.common import DONE, Result, keep, load, saving
from isthmus.errors import EntryFault
from isthmus.looks import KINDS, Short, apply, in_words, look_edits
from isthmus.looks.cue_edits import LONGEST_TIME, say_number, say_seconds
from isthmus.looks.edits import of_kind
from isthmus.looks.lines import named, say_palettes, say_values, say_who
from isthmus.looks.playback import Act, Playback
from isthmus.looks.programme import compile_list, in_order
from isthmus.looks.resolve import Book, levels_of
from isthmus.looks.starters import with_starters
from isthmus.looks.used import by_number, cues_with, looks_with
from isthmus.looks.words import say_palette
from isthmus.output import Live
from isthmus.output.live import Asked
from isthmus.patch.choose import read_choice
from isthmus.plural import many
from isthmus.show.records import SLOTS, CueList, Show

Verb = Callable[..., argparse.ArgumentParser]


def palettes_list(options: argparse.Namespace) -> Result:
    show = load(options.show)
    found = [p for kind in KINDS for p in of_kind(show, kind)]
    rows = [msgspec.to_builtins(p) | {"words": say_palette(show, p)} for p in found]
    lines = [f"{p.kind:>9} {p.number:>4}  {p.name}: {say_palette(show, p)}" for p in found]
    return DONE, rows, lines or ["No palettes. Make some: palettes make-starters"]


def palettes_make_starters(options: argparse.Namespace) -> Result:
    show, fresh, changed = with_starters(load(options.show))
    saved, words = keep(options, show)
    told = f"{many(fresh, 'palette')} made, {changed} made again."
    return DONE, {"made": fresh, "again": changed, "saved": saved}, [told, words]


def palettes_use(options: argparse.Namespace) -> Result:
    """What units would be asked for, and who comes short."""
    show = load(options.show)
    one = named(show, options.palette)
    live = Live(show)
    ids = read_choice(show, options.units or "all").ids
    asked, short = apply(live, one, ids)
    levels, misses = level_rows(show, asked), _short_rows(short)
    touched = len({key[0] for key in asked})
    words = f"{one.kind.capitalize()} {one.number} {one.name}: {many(touched, 'unit')} do it."
    lines = [words, *(f"{s.number:>6}  {s.words}" for s in short)]
    data = {"palette": one.name, "levels": levels, "short": misses, "words": in_words(short)}
    return DONE, data, lines


def load_evening(name: str) -> Show:
    """A show; the demo with its looks and cues."""
    if name == "demo":
        from isthmus.demo.evening import with_evening

        return with_evening(load(name))
    return load(name)


def list_of(show: Show, text: str) -> CueList:
    """A cue list by number or name. Raises EntryFault."""
    low = text.strip().casefold()
    found = [c for c in show.cue_lists if low in (str(c.number), c.name.casefold())]
    if len(found) != 1:
        there = ", ".join(f"{c.number} {c.name}".strip() for c in show.cue_lists) or "none"
        raise EntryFault(f"No cue list is called “{text}”.", do=f"There are: {there}.")
    return found[0]


def _cue_of(cues: CueList, text: str) -> int:
    """The place of a cue in its list, by number. Raises EntryFault."""
    order = in_order(cues)
    at = next((i for i, c in enumerate(order) if say_number(c.number) == text.strip()), -1)
    if at < 0:
        raise EntryFault(f"There is no cue {text} in this list.")
    return at


def _short_rows(short: Iterable[Short]) -> list[dict[str, Any]]:
    return [
        {
            "unit": s.number,
            "kind": s.kind,
            "why": s.words,
            "apart": round(s.apart, 3) if math.isfinite(s.apart) else None,
        }
        for s in short
    ]


def level_rows(show: Show, asked: Asked) -> list[dict[str, Any]]:
    number = {u.id: u.number for u in show.units}
    return [
        {"unit": number[unit], "cell": cell, "attribute": name, "level": round(level, 6)}
        for (unit, cell, name), level in asked.items()
    ]


def looks_list(options: argparse.Namespace) -> Result:
    show = load_evening(options.show)
    rows = []
    found = by_number(show)
    if options.units:  # where these are used
        found = looks_with(show, units=read_choice(show, options.units).ids)
    for one in found:
        lines = [
            {
                "who": say_who(show, line),
                "palettes": say_palettes(show, line),
                "level": line.wish.intensity,
                "values": say_values(line),
            }
            for line in one.lines
        ]
        used = [{"list": name, "cue": n} for name, n in cues_with(show, one.id)]
        rows.append({"number": one.number, "name": one.name, "lines": lines, "cues": used})
    said = []
    for row in rows:
        said.append(f"{row['number']:>4}  {row['name']}")
        said += [
            f"        {v['who']}: {', '.join(t for t in (v['palettes'], v['values']) if t)}"
            + (f" at {100 * v['level']:.0f} %" if v["level"] is not None else "")
            for v in row["lines"]
        ]
    return DONE, rows, said or ["No looks."]


def looks_render(options: argparse.Namespace) -> Result:
    """What a look asks of each unit, and who cannot."""
    show = load_evening(options.show)
    one = look_edits.named(show, options.look)
    levels, short = levels_of(Live(show).blank(), Book(show).wanted(one))
    asked = {key: level for its in levels.values() for key, level in its.items()}
    words = f"Look {one.number} {one.name}: {many(len(levels), 'unit')}."
    lines = [words, *(f"{s.number:>6}  {s.words}" for s in short)]
    rows = {"look": one.number, "levels": level_rows(show, asked), "short": _short_rows(short)}
    return DONE, rows, lines


def cues_list(options: argparse.Namespace) -> Result:
    show = load_evening(options.show)
    looks = {one.id: one for one in show.looks}
    rows, lines = [], []
    for cues in sorted(show.cue_lists, key=lambda c: c.number):
        lines.append(f"{cues.number}  {cues.name}" + (", runs round" if cues.round else ""))
        for cue in in_order(cues):
            look = looks.get(cue.look)
            rows.append(
                {"list": cues.number, "cue": cue.number, "name": cue.name}
                | {"look": look.number if look else None, "up": cue.up, "down": cue.down}
                | {"move": cue.move, "delay": cue.delay, "follow": cue.follow, "note": cue.note}
            )
            lines.append(
                f"  {say_number(cue.number):>6}  {cue.name}: up {say_seconds(cue.up)} s, "
                f"down {say_seconds(cue.down)} s"
            )
    return DONE, rows, lines or ["No cue lists."]


def _gone_to(options: argparse.Namespace) -> tuple[Show, Live, Playback, dict[str, list[Short]]]:
    """A list just gone to a cue, the one before it done; and, by cue, who comes short."""
    show = load_evening(options.show)
    cues, live = list_of(show, options.list), Live(show)
    at = _cue_of(cues, options.cue)
    programme, short = compile_list(show, cues, live.blank())
    playback = Playback(live.compiled.defaults, {cues.id: programme})
    for cue in range(max(0, at - 1), at + 1):
        playback.act(Act(2 * LONGEST_TIME * cue, cues.id, "to", cue))
    return show, live, playback, short


def cues_render(options: argparse.Namespace) -> Result:
    """The slots that are sent so many seconds after the Go of a cue, the one before it done."""
    _, live, playback, short = _gone_to(options)
    ((programme, position),) = playback.running
    whole = position.timing.whole
    seconds = whole if options.at is None else options.at
    live.play(playback.levels(position.start + seconds))
    rows = {
        str(universe): live.frame[row * SLOTS : (row + 1) * SLOTS].tolist()
        for row, universe in enumerate(live.compiled.universes)
    }
    lines = [
        f"Cue {options.cue} after {seconds:g} of {whole:g} s:",
        *(f"universe {u}: {sum(v > 0 for v in slots)} slots not 0" for u, slots in rows.items()),
    ]
    data = {"cue": options.cue, "seconds": seconds, "whole": whole, "universes": rows}
    return DONE, data | {"short": _short_rows(short[programme.cues[position.cue]])}, lines


def cues_go(options: argparse.Namespace) -> Result:
    """What the Go of a cue changes: from what, to what, in how many seconds."""
    show, _, playback, _ = _gone_to(options)
    ((programme, position),) = playback.running
    number = {u.id: u.number for u in show.units}
    rows = [
        {
            "unit": number[key[0]],
            "cell": key[1],
            "attribute": key[2],
            "from": round(float(position.from_value[i]), 4),
            "to": round(float(position.to_value[i]), 4),
            "seconds": float(position.seconds[i]),
        }
        for i, key in enumerate(programme.keys)
        if position.from_value[i] != position.to_value[i] and position.to_weight[i] > 0
    ]
    lines = [
        f"{r['unit']:>6} {r['attribute']}: {100 * r['from']:.0f} to {100 * r['to']:.0f} % "
        f"in {r['seconds']:g} s"
        for r in rows
    ]
    return DONE, rows, lines or ["Nothing changes."]


def add_verbs(verbs: Any, verb: Verb) -> None:
    group = verbs.add_parser("palettes", help="palettes of what light can be").add_subparsers(
        required=True, metavar="WHAT"
    )
    verb(group, "list", palettes_list, "all palettes, and what each wishes")
    made = verb(
        group,
        "make-starters",
        palettes_make_starters,
        "make palettes from what the units and the stage have, or make them again",
    )
    saving(made)
    use = verb(group, "use", palettes_use, "what units would be asked for, and who cannot")
    use.add_argument(
        "--palette", required=True, help="kind and number, such as “colour 4”, or name"
    )
    use.add_argument("--units", "--unit", help="which units (all without)")
    _look_verbs(verbs, verb)


def _look_verbs(verbs: Any, verb: Verb) -> None:
    group = verbs.add_parser("looks", help="looks made of palettes").add_subparsers(
        required=True, metavar="WHAT"
    )
    told = verb(group, "list", looks_list, "all looks, line by line, and the cues that play them")
    told.add_argument("--units", "--unit", help="only looks that use any of these units")
    render = verb(group, "render", looks_render, "what a look asks of each unit, and who cannot")
    render.add_argument("--look", required=True, help="number or name")
    group = verbs.add_parser("cues", help="cue lists").add_subparsers(required=True, metavar="WHAT")
    verb(group, "list", cues_list, "all cues with their times")
    going = verb(group, "go", cues_go, "what the Go of a cue changes, and how fast")
    frame = verb(group, "render", cues_render, "the slots some time after the Go of a cue")
    frame.add_argument("--at", type=float, help="seconds after its Go; without, when it is done")
    for one in (going, frame):
        one.add_argument("--list", default="1", help="number or name of the cue list")
        one.add_argument("--cue", required=True, help="number of the cue")
