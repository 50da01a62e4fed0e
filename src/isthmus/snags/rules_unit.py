"""Rules that look at one unit with its profile, its line on the paper and its verdict; those about
its place are apart.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from isthmus.check import holds
from isthmus.gels import books_at_hand
from isthmus.gels.resolve import find_gels, resolve_gels, split_gels
from isthmus.patch import edits
from isthmus.patch.limits import excluding_home, take_off
from isthmus.patch.paper import Difference, differences_of, take_paper_side
from isthmus.profiles import chart
from isthmus.show.records import SLOTS, Unit
from isthmus.snags.context import Context
from isthmus.snags.records import ATTENTION, FAULT, NOTE, Fix, Snag

UnitRule = Callable[[Context, Unit], Iterator[Snag]]


def unknown_mode(at: Context, unit: Unit) -> Iterator[Snag]:
    if unit.profile in at.profiles.faults or at.profiles.mode_of(unit):
        return
    profile = at.profiles.profiles.get(unit.profile)
    what = (
        f"{profile.name} has no mode “{unit.mode}”"
        if profile
        else f"no profile “{unit.profile}” is in the show"
    )
    yield Snag(
        "mode-unknown", FAULT, f"Unit {unit.number}: {what}.", "Patch", (unit.id,), "profile"
    )


def no_slots(at: Context, unit: Unit) -> Iterator[Snag]:
    found = at.profiles.mode_of(unit)
    if found and unit.patch and not chart(*found).footprint:
        text = f"Unit {unit.number} has an address, and its mode {unit.mode} has no channels."
        fix = Fix("Unpatch", lambda s: edits.set_address(s, [unit.id], None))
        yield Snag("no-slots", ATTENTION, text, "Patch", (unit.id,), "", fix)


def past_the_end(at: Context, unit: Unit) -> Iterator[Snag]:
    for span in at.index.spans[unit.id]:
        if span.end > SLOTS:
            text = (
                f"Unit {span.number} runs past the end of universe {span.universe}: it starts at "
                f"{span.start} and has {span.length} channels."
            )
            fix = Fix(
                "Patch at the next free address", lambda s: edits.address_next_free(s, [unit.id])
            )
            yield Snag("past-end", FAULT, text, "Patch", (unit.id,), "address", fix, span.universe)


def too_wide(at: Context, unit: Unit) -> Iterator[Snag]:
    """A mode of more slots than a universe has cannot stand in one stretch."""
    found = at.profiles.mode_of(unit)
    if found and any(size > SLOTS for _, size in chart(*found).footprints):
        yield Snag(
            "too-wide",
            FAULT,
            f"Unit {unit.number} has more than {SLOTS} channels in one DMX break.",
            "Patch",
            (unit.id,),
            "address",
        )


def unknown_gel(at: Context, unit: Unit) -> Iterator[Snag]:
    for part in split_gels(unit.gel) if unit.gel else ():
        found = find_gels(at.show.gels, part)
        if len(found) != 1:
            why = (
                f"is in {len(found)} swatch books" if found else "is in no swatch book of the show"
            )
            fix = None
            if (
                not found
                and len(
                    {
                        (g.book, g.code)
                        for book in books_at_hand()
                        for g in find_gels(book.gels, part)
                    }
                )
                == 1
            ):
                fix = Fix(
                    "Use the swatch book",
                    lambda s: resolve_gels(s, [u.id for u in s.units], books_at_hand()),
                )
            text = f"Unit {unit.number}: the gel {part} {why}, so its colour is not known."
            yield Snag("gel-unknown", NOTE, text, "Patch", (unit.id,), "", fix)


def limit_against_home(at: Context, unit: Unit) -> Iterator[Snag]:
    for limit, plain in excluding_home(unit, at.profiles.mode_of(unit)):
        text = f"Unit {unit.number}: the {plain} limit excludes its default."
        fix = Fix("Remove the limit", lambda s, a=limit.attribute: take_off(s, [unit.id], a))
        yield Snag("limit-home", ATTENTION, text, "Patch", (unit.id,), "", fix)


def paper_differs(at: Context, unit: Unit) -> Iterator[Snag]:
    row = at.rows.get(unit.number)
    if row is None:
        return
    for difference in differences_of(row, unit, at.profiles, at.show.gels, at.gelled):
        if difference.field == "address" and not unit.patch:
            continue  # that it has none is a snag of its own
        yield _differs(difference, unit)


def _differs(found: Difference, unit: Unit) -> Snag:
    severity = ATTENTION if found.field in ("type", "mode", "address") else NOTE
    text = {
        "type": f"Unit {unit.number} is patched as {found.patch}; the paper says {found.paper}.",
        "mode": (
            f"Unit {unit.number} is patched in mode {found.patch}; the paper says {found.paper}."
        ),
        "address": (
            f"Unit {unit.number} is patched at {found.patch or 'no address'}; the paper says "
            f"{found.paper or 'none'}."
        ),
    }.get(
        found.field,
        f"The paper gives unit {unit.number} the {found.plain} {found.paper}; the patch has "
        f"{found.patch or 'none'}.",
    )
    fix = (
        Fix(f"Use {found.paper or 'it'} from the paper", lambda s: take_paper_side(s, [found]))
        if found.takeable
        else None
    )
    return Snag(f"paper-{found.field}", severity, text, "Patch", (unit.id,), "", fix)


def verdict(at: Context, unit: Unit) -> Iterator[Snag]:
    found = at.verdicts.get(unit.id)
    if found is None:
        return
    note = f" “{found.note}”" if found.note else ""
    if not holds(at.show, found):
        text = f"Unit {unit.number} was proven before its patch or route changed."
        yield Snag("verdict-stale", NOTE, text, "Roll call", (unit.id,), "answered")
    elif found.result == "silent":
        yield Snag(
            "silent",
            FAULT,
            f"Unit {unit.number} is silent.{note}",
            "Roll call",
            (unit.id,),
            "answered",
        )
    elif found.result == "wrong":
        yield Snag(
            "wrong",
            FAULT,
            f"Unit {unit.number} does not do what it should.{note}",
            "Roll call",
            (unit.id,),
            "answered",
        )


UNIT_RULES: tuple[UnitRule, ...] = (
    unknown_mode,
    no_slots,
    past_the_end,
    too_wide,
    unknown_gel,
    limit_against_home,
    paper_differs,
    verdict,
)
