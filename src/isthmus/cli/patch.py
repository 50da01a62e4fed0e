"""`isthmus patch`, `isthmus limits`, `isthmus groups`: the patch without a window."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from isthmus.cli.common import DONE, SNAGS, Result, keep, load, saving
from isthmus.errors import EntryFault
from isthmus.hanglist import read_hang_list
from isthmus.library.at_hand import at_hand
from isthmus.patch import Add, footprint, index_of, preview_add
from isthmus.patch.add import PLACES
from isthmus.patch.addresses import (
    ALLOW,
    ROOM,
    SWAP,
    TAKE,
    Move,
    moves_between,
    place,
    read_addresses,
)
from isthmus.patch.cells import addresses_continued
from isthmus.patch.choose import read_choice
from isthmus.patch.edits import renumber_from
from isthmus.patch.groups import (
    change_group,
    freeze,
    make_group,
    members,
    propose_groups,
    remove_groups,
    told,
)
from isthmus.patch.limits import (
    attribute_named,
    handling_words,
    limit_words,
    listed,
    set_handling,
    set_limit,
    take_off,
)
from isthmus.patch.numbers import read_numbers
from isthmus.patch.paper import changes_between, differences, take_paper_side
from isthmus.patch.readdress import HOWS, Wanted, readdress
from isthmus.plural import many
from isthmus.profiles import profiles_of
from isthmus.show import Show, read_address, write_address
from isthmus.show.records import PLAIN_HANDLING
from isthmus.snags import find_snags


def patch_list(options: argparse.Namespace) -> Result:
    show = load(options.show)
    profiles = profiles_of(show)
    chosen = set(read_choice(show, options.units).ids) if options.units else None
    rows = [
        {
            "number": u.number,
            "name": u.name,
            "profile": u.profile,
            "mode": u.mode,
            "address": [write_address(p.universe, p.address) for p in u.patch],
            "slots": footprint(u, profiles),
            "hangs_on": u.hangs_on,
            "gel": u.gel,
        }
        for u in sorted(show.units, key=lambda u: u.number)
        if chosen is None or u.id in chosen
    ]
    lines = [
        f"{r['number']:>6}  {r['name'][:24]:24}  {r['profile'][:28]:28} {r['mode'][:10]:10} "
        f"{', '.join(r['address']) or 'none':>8}  {r['slots']:>3}  {r['hangs_on']}"
        for r in rows
    ]
    return DONE, rows, lines


def patch_add(options: argparse.Namespace) -> Result:
    """Add units of one mode, and say what was added."""
    show = load(options.show)
    preview = preview_add(show, _add_of(show, options))
    clashing = [
        f"{c.a.number} and {c.b.number} both claim {write_address(c.a.universe, c.first)}"
        for c in preview.clashes
    ]
    if clashing and not options.allow_clash:
        more = f", and {len(clashing) - 1} more" if len(clashing) > 1 else ""
        raise EntryFault(
            f"{clashing[0]}{more}.", do="Choose another address, or say --allow-clash."
        )
    rows = [
        {
            "number": u.number,
            "name": u.name,
            "address": [write_address(p.universe, p.address) for p in u.patch],
        }
        for u in preview.units
    ]
    lines = [
        f"{r['number']:>6}  {r['name'][:24]:24}  {', '.join(r['address']) or 'none'}" for r in rows
    ]
    saved, words = keep(options, preview.show)
    return (
        DONE,
        {"added": rows, "notes": preview.notes, "clashes": clashing, "saved": saved},
        [*lines, *preview.notes, words],
    )


def _add_of(show: Show, options: argparse.Namespace) -> Add:
    """What the options ask to be added. Raises EntryFault for a profile or mode unknown."""
    shelf = at_hand(show)
    match = shelf.match(options.profile)
    if match is None:
        near = shelf.nearest(options.profile)
        raise EntryFault(
            f"no profile is called “{options.profile}”.",
            do=f"Perhaps {shelf.profiles.profiles[near].name}?" if near else "",
        )
    key, profile = match
    mode = options.mode or (profile.modes[0].name if len(profile.modes) == 1 else "")
    if not mode:
        raise EntryFault(
            f"{profile.name} has several modes.",
            do=f"Say --mode {' or '.join(m.name for m in profile.modes)}.",
        )
    numbers = read_numbers(options.number) if options.number else []
    return Add(
        shelf.stored[key],
        mode,
        options.count,
        numbers[0] if numbers else None,
        read_address(options.address) if options.address else None,
        options.spacing,
        options.name or "",
        options.hangs_on or "",
        numbers=tuple(numbers) if len(numbers) > 1 else (),
        place=options.place,
    )


def patch_renumber(options: argparse.Namespace) -> Result:
    show = load(options.show)
    ids = read_choice(show, options.units).ids
    after = renumber_from(show, ids, options.first, options.keep_gaps)
    old, new = {u.id: u.number for u in show.units}, {u.id: u.number for u in after.units}
    rows = [{"before": old[i], "after": new[i]} for i in sorted(ids, key=lambda i: old[i])]
    saved, words = keep(options, after)
    return (
        DONE,
        {"renumbered": rows, "saved": saved},
        [*(f"{r['before']:>6} → {r['after']}" for r in rows), words],
    )


def _moved(moves: tuple[Move, ...]) -> tuple[list[dict[str, Any]], list[str]]:
    def places(patch: tuple) -> list[str]:
        return [write_address(p.universe, p.address) for p in patch]

    rows = [
        {"number": m.number, "before": places(m.before), "after": places(m.after)} for m in moves
    ]
    lines = [
        f"{r['number']:>6}  {', '.join(r['before']) or 'none':>10} → "
        f"{', '.join(r['after']) or 'none'}"
        for r in rows
    ]
    return rows, lines


def patch_move(options: argparse.Namespace) -> Result:
    """Units to a start address, one by one."""
    show = load(options.show)
    ids = list(read_choice(show, options.units).ids)
    spots = read_addresses(options.to)
    if len(ids) > 1 and len(spots) == 1:
        texts = [options.to, *addresses_continued(show, ids, [options.to])]
        wish = {unit: read_addresses(text) for unit, text in zip(ids, texts, strict=True)}
    elif len(ids) == len(spots) and len(ids) > 1:
        wish = {unit: [spot] for unit, spot in zip(ids, spots, strict=True)}
    elif not spots:
        wish = {unit: [] for unit in ids}
    else:
        wish = {ids[0]: spots} if len(ids) == 1 else {}
    if not wish:
        raise EntryFault(
            f"{len(spots)} addresses are given for {many(len(ids), 'unit')}.",
            do="Give one, or as many as there are units.",
        )
    placing = place(show, wish)
    after = placing.show
    if placing.in_the_way:
        way = next((w for w in placing.ways if w.key == options.way), None)
        if way is None or way.show is None:
            names = ", ".join(str(u.number) for u in placing.in_the_way[:6])
            why = f" That way is closed: {way.why_not}." if way else ""
            raise EntryFault(
                f"{names} in the way.{why}", do=f"Say --way {ROOM}, {SWAP}, {TAKE} or {ALLOW}."
            )
        after = way.show
    rows, lines = _moved(moves_between(show, after))
    saved, words = keep(options, after)
    return DONE, {"moved": rows, "saved": saved}, [*lines, words]


def patch_readdress(options: argparse.Namespace) -> Result:
    show = load(options.show)
    units = read_choice(show, options.units).ids if options.units else ()
    plan = readdress(
        show,
        Wanted(
            options.how, options.spare, options.every, options.together, options.first, tuple(units)
        ),
    )
    rows, lines = _moved(plan.moves)
    saved, words = keep(options, plan.show)
    data = {
        "moved": rows,
        "universes": list(plan.universes),
        "left": [list(pair) for pair in plan.left],
        "saved": saved,
    }
    told_ = (
        f"{len(rows)} of {plan.considered} units would be set again; {plan.universes[0]} "
        f"universes become {plan.universes[1]}."
    )
    return DONE, data, [*lines, *(f"{n:>6}  stays: {why}" for n, why in plan.left), told_, words]


def patch_check(options: argparse.Namespace) -> Result:
    """Snags of the patch alone."""
    show = load(options.show)
    numbers = {u.id: u.number for u in show.units}
    found = [s for s in find_snags(show) if s.page == "Patch"]
    rows = [
        {
            "rule": s.rule,
            "severity": s.severity,
            "text": s.text,
            "units": [numbers[u] for u in s.units],
        }
        for s in found
    ]
    return (
        (SNAGS if found else DONE),
        rows,
        [f"{s.severity:10} {s.text}" for s in found] or ["No snags in the patch."],
    )


def patch_diff(options: argparse.Namespace) -> Result:
    """The patch against the paper of the show, or against a hang list."""
    show = load(options.show)
    changed: list[dict[str, Any]] = []
    if options.paper:
        read = read_hang_list(Path(options.paper), at_hand(show))
        changed = [
            {"number": c.number, "field": c.field, "before": c.before, "after": c.after}
            for c in changes_between(show.paper, read.paper)
        ]
        show = replace(show, paper=read.paper)
    found = differences(show)
    rows = [
        {
            "number": d.number,
            "field": d.field,
            "paper": d.paper,
            "patch": d.patch,
            "takeable": d.takeable,
        }
        for d in found
    ]
    lines = [
        f"{d.number:>6}  {d.plain if d.unit or d.paper else d.field:14} paper "
        f"{d.paper or 'none':24} patch {d.patch or 'none'}"
        for d in found
    ]
    data: dict[str, Any] = {"differences": rows, "changed_on_paper": changed, "saved": None}
    if options.take_paper:
        data["saved"], words = keep(options, take_paper_side(show, found, at_hand(show)))
        lines.append(words)
    return (SNAGS if found else DONE), data, lines or ["The patch is as the paper says."]


def limits(options: argparse.Namespace) -> Result:
    """List limits and handlings; set or remove with --units."""
    show = load(options.show)
    saved, words = None, ""
    if options.units:
        ids = read_choice(show, options.units).ids
        after: Show = show
        if options.off:
            after = take_off(
                after,
                ids,
                attribute_named(show, ids, options.attribute) if options.attribute else "",
            )
        elif options.attribute:
            after = set_limit(
                after, ids, attribute_named(show, ids, options.attribute), options.low, options.high
            )
        handling = {
            name: True for name in ("invert_pan", "invert_tilt", "swap") if getattr(options, name)
        }
        if options.curve:
            handling["curve"] = options.curve
        after = set_handling(after, ids, **handling) if handling else after
        saved, words = keep(options, after)
        show = after
    profiles = profiles_of(show)
    rows = [
        {
            "number": u.number,
            "limits": [
                {
                    "attribute": x.attribute,
                    "low": x.low,
                    "high": x.high,
                    "words": limit_words(x, profiles.mode_of(u)),
                }
                for x in u.limits
            ],
            "handling": handling_words(u.handling),
        }
        for u in sorted(show.units, key=lambda u: u.number)
        if u.limits or u.handling != PLAIN_HANDLING
    ]
    lines = [f"{line.number:>6}  {line.words}" for line in listed(show)] or [
        "No limit is in force."
    ]
    return DONE, {"limited": rows, "saved": saved}, [*lines, words] if words else lines


def groups(options: argparse.Namespace) -> Result:
    """List groups; make, change or take one away."""
    show = load(options.show)
    after = _groups_changed(show, options)
    saved, words = keep(options, after) if after is not show else (None, "")
    index = index_of(after)
    names = {group.id: group.name for group in after.groups}
    rows = [
        {
            "name": g.name,
            "rule": g.rule,
            "parent": names.get(g.parent, ""),
            "units": [index.by_id[u].number for u in members(after, g)],
        }
        for g in after.groups
    ]
    lines = [f"{g.name:24} {told(after, g)}" for g in after.groups] or ["No groups."]
    return DONE, {"groups": rows, "saved": saved}, [*lines, words] if words else lines


def _groups_changed(show: Show, options: argparse.Namespace) -> Show:
    """The show after what the options ask for, the same when they ask for nothing."""
    if options.propose:
        return propose_groups(show)
    if options.make:
        ids = read_choice(show, options.units).ids if options.units else ()
        if not ids and not options.rule:
            raise EntryFault(
                "a group needs units or a rule.", do="Say --units 1-8 or --rule type:NAME."
            )
        inside = _group_named(show, options.inside) if options.inside else ""
        return make_group(show, options.make, ids, options.rule or "", inside)
    if options.name and options.away:
        return remove_groups(show, [_group_named(show, options.name)])
    if options.name and options.freeze:
        return freeze(show, _group_named(show, options.name))
    if options.name and options.units:
        ids = read_choice(show, options.units).ids
        return change_group(show, _group_named(show, options.name), units=ids, rule="")
    return show


def _group_named(show: Show, name: str) -> str:
    """The id of a group. Raises EntryFault."""
    for group in show.groups:
        if group.name.lower() == name.lower():
            return group.id
    raise EntryFault(
        f"there is no group “{name}”.",
        do=f"There are {', '.join(g.name for g in show.groups[:8]) or 'none yet'}.",
    )


def add_verbs(verbs: Any, verb: Callable[..., argparse.ArgumentParser]) -> None:
    """Put the verbs onto the command line."""
    patches = verbs.add_parser("patch", help="the patch").add_subparsers(
        required=True, metavar="WHAT"
    )
    verb(patches, "list", patch_list, "every unit with its address").add_argument(
        "--units", help="1-8, all but 7, a name"
    )
    add = verb(patches, "add", patch_add, "add units of one mode")
    add.add_argument("--profile", required=True)
    add.add_argument("--mode")
    add.add_argument("--count", type=int, default=1)
    add.add_argument("--number", help="first unit number, or all of them: 101-108, 2-20 step 2")
    add.add_argument("--address", help="universe.address of the first; none leaves them unpatched")
    add.add_argument(
        "--place",
        choices=PLACES,
        default="at",
        help="at the address, a free stretch, the gaps, after the last, or none",
    )
    add.add_argument("--spacing", type=int, default=0, help="slots from one start to the next")
    add.add_argument("--name", help="# becomes the counter, @ the unit number")
    add.add_argument("--hangs-on")
    add.add_argument("--allow-clash", action="store_true")
    move = verb(patches, "move", patch_move, "give units other addresses")
    move.add_argument("units", help="1-8, all but 7, a name")
    move.add_argument("to", help="universe.address, several with commas, or none")
    move.add_argument(
        "--way", choices=(ROOM, SWAP, TAKE, ALLOW), help="what becomes of those in the way"
    )
    again = verb(patches, "readdress", patch_readdress, "addresses solved as a whole")
    again.add_argument("--how", choices=list(HOWS), default="pack")
    again.add_argument("--spare", type=int, default=0, help="slots left free in each universe")
    again.add_argument("--every", type=int, default=1, help="starts at 1, then every so many slots")
    again.add_argument("--together", action="store_true", help="identical units follow one another")
    again.add_argument("--first", type=int, default=1, help="from this universe on")
    again.add_argument("--units", help="only these")
    fresh = verb(
        patches, "renumber", patch_renumber, "numbers from a first one on, in the order they have"
    )
    fresh.add_argument("--units", required=True, help="which: 101-104, all but 201, a name")
    fresh.add_argument("--first", type=int, required=True, help="the first new number")
    fresh.add_argument(
        "--keep-gaps",
        action="store_true",
        help="keep the gaps between the numbers; else they are closed",
    )
    verb(patches, "check", patch_check, "snags of the patch; exit code 1 when there is any")
    diff = verb(patches, "diff", patch_diff, "patch against paper; exit code 1 when they differ")
    diff.add_argument("--paper", metavar="FILE", help="a hang list instead of the show's own paper")
    diff.add_argument(
        "--take-paper", action="store_true", help="take the paper's side of all that can be taken"
    )
    limit = verb(
        verbs, "limits", limits, "limits and handlings in force; set or remove with --units"
    )
    limit.add_argument("--units")
    limit.add_argument("--attribute", help="plain words or the standard's name")
    limit.add_argument("--low", default="", help="degrees, percent or the name of a range")
    limit.add_argument("--high", default="")
    limit.add_argument("--off", action="store_true", help="take limits off")
    limit.add_argument("--curve", choices=("linear", "square", "s"))
    for name in ("invert-pan", "invert-tilt", "swap"):
        limit.add_argument(f"--{name}", action="store_true")
    group = verb(verbs, "groups", groups, "groups: list, make, change, remove")
    group.add_argument("--make", metavar="NAME")
    group.add_argument("--name", help="the group that is changed")
    group.add_argument("--units")
    group.add_argument("--rule", help="type:…, position:…, purpose:… or numbers:…")
    group.add_argument("--inside", metavar="GROUP")
    for name, words in (
        ("--freeze", "keep the units it has now"),
        ("--away", "remove it"),
        ("--propose", "make the usual ones"),
    ):
        group.add_argument(name, action="store_true", help=words)
    for made in (add, move, again, diff, limit, group, fresh):
        saving(made)
