"""What becomes of our show when things of another come: worked out whole, before anything is done.

Their units get the numbers and addresses they are to have; each thing is held against the one of
ours it would be; what comes then refers to ours wherever that stays, and to nothing that is not
there.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from itertools import chain, count
from typing import Any

from msgspec.structs import replace

from isthmus.bringing.free import Free
from isthmus.bringing.levels import levels_only, with_levels
from isthmus.bringing.meeting import what_is_alike, what_meets
from isthmus.bringing.needs import closure, index_of
from isthmus.bringing.stand_in import StandIn, stand_ins
from isthmus.bringing.wanted import CURVES, LIMITS, Thing, Wanted
from isthmus.compare.references import KEYS, kept_to, key_of, references, renamed
from isthmus.errors import EntryFault
from isthmus.patch.spans import all_spans, clashes
from isthmus.plural import many
from isthmus.show.records import UNIVERSES, Show
from isthmus.show.versions import with_version

NEW, ALIKE = "new", "alike"
MAX_NUMBER = 999_999
NAMED = {
    "profiles",
    "gels",
    "verdicts",
    "answers",
    "rounds",
    "earlier_papers",
    "beside",
}  # never under another


@dataclass(frozen=True)
class Coming:
    """One thing of theirs. `how`: new, alike (nothing to do), mine, theirs, another or levels.
    `mine` is the one of ours it meets, `thing` what it is in our show then, None where ours stays.
    """

    kind: str
    key: str
    theirs: Any
    mine: Any
    how: str
    why: str
    thing: Any

    @property
    def place(self) -> Thing:
        return self.kind, self.key

    @property
    def clashes(self) -> bool:
        return self.mine is not None and self.how != ALIKE

    @property
    def hows(self) -> tuple[str, ...]:
        """What can be chosen for it."""
        another = () if self.kind in NAMED else ("another",)
        return ("mine", "theirs", *another, *(("levels",) if self.kind == "looks" else ()))


@dataclass(frozen=True)
class Plan:
    """`show` is ours as it would be; `notes` what to look at before it is done."""

    show: Show
    coming: tuple[Coming, ...]
    stand_ins: tuple[StandIn, ...]
    notes: tuple[str, ...]
    handled: int = 0  # units of ours that get limits or curves of theirs


def plan(show: Show, other: Show, wanted: Wanted, name: str = "") -> Plan:
    """What comes of what is wanted; `name` is the other show's, for the version that is made before
    it. Raises EntryFault for numbers or universes there are not.
    """
    why = closure(other, wanted.things)
    other = _addressed(_numbered(other, why, wanted), why, wanted)
    there = index_of(other)
    meets = what_meets(show, other, why, wanted)
    asked = _units_asked(other, why)
    stand = [
        StandIn(one.theirs, wanted.units[one.theirs], "chosen")
        if one.theirs in wanted.units
        else one
        for one in stand_ins(show, other, asked)
    ]
    coming: list[Coming] = []
    ids: dict[str, dict[str, str]] = {kind: {} for kind in KEYS}
    free = Free(show)
    alike = what_is_alike(show, other, why, meets)
    for thing in (one for one in there if one in why):  # in their order
        kind, key = thing
        mine = meets.get(thing)
        how = NEW if mine is None else ALIKE if thing in alike else wanted.how(thing)
        if (how == "another" and kind in NAMED) or (how == "levels" and kind != "looks"):
            how = "mine"
        made = there[thing]
        if how in (NEW, "another"):
            made = free.another(kind, made)
        elif how == "theirs":
            made = free.in_place_of(kind, made, mine)
        elif how == "levels":
            made = levels_only(made, other)
        ids[kind][key] = key_of(kind, made if how in (NEW, "another") else mine)
        coming.append(Coming(kind, key, there[thing], mine, how, why[thing], made))
    for one in stand:
        if one.ours:
            ids["units"].setdefault(one.theirs, one.ours)
    coming = [_referring(one, ids, show) for one in coming]
    joined = _joined(show, coming)
    made = _handled(joined, other, wanted, {one.theirs: one.ours for one in stand} | ids["units"])
    handled = sum(a is not b for a, b in zip(joined.units, made.units, strict=True))
    if made != show:
        made = with_version(made, show, why=f"before “{name or other.name}” was brought in")
    return Plan(made, tuple(coming), tuple(stand), tuple(_notes(made, coming, stand)), handled)


# ------------------------------------------------------------ numbers and addresses


def _numbered(other: Show, why: Mapping[Thing, str], wanted: Wanted) -> Show:
    if wanted.first is None:
        return other
    units = sorted((u for u in other.units if ("units", u.id) in why), key=lambda u: u.number)
    if not units:
        return other
    low = units[0].number
    numbers = {
        unit.id: wanted.first + (at if wanted.close else unit.number - low)
        for at, unit in enumerate(units)
    }
    if not 1 <= wanted.first <= max(numbers.values()) <= MAX_NUMBER:
        raise EntryFault(f"Unit numbers go from 1 to {MAX_NUMBER}.")
    return replace(
        other, units=tuple(replace(u, number=numbers.get(u.id, u.number)) for u in other.units)
    )


def _addressed(other: Show, why: Mapping[Thing, str], wanted: Wanted) -> Show:
    if wanted.addresses == "keep":
        return other
    mine = [u for u in other.units if ("units", u.id) in why]
    there = sorted({p.universe for u in mine for p in u.patch})
    moved: dict[int, int] = {}
    if isinstance(wanted.addresses, tuple):
        more = (wanted.addresses[-1] + n for n in count(1))
        moved = dict(zip(there, chain(wanted.addresses, more), strict=False))
        if any(not 1 <= universe <= UNIVERSES for universe in moved.values()):
            raise EntryFault(f"Universes go from 1 to {UNIVERSES}.")
    held = {u.id for u in mine}
    return replace(
        other,
        units=tuple(
            replace(
                u,
                patch=tuple(
                    replace(p, universe=moved[p.universe]) for p in u.patch if p.universe in moved
                ),
            )
            if u.id in held
            else u
            for u in other.units
        ),
    )


# ------------------------------------------------------------ what they become


def _units_asked(other: Show, why: Mapping[Thing, str]) -> list[str]:
    """Units that things which come refer to and that do not come themselves."""
    there = index_of(other)
    names = [key for thing in why for kind, key in references(there[thing]) if kind == "units"]
    return [name for name in dict.fromkeys(names) if ("units", name) not in why]


def _referring(one: Coming, ids: Mapping[str, Mapping[str, str]], show: Show) -> Coming:
    """What comes refers to what its things are in our show, and to nothing that is not there."""
    if one.how in ("mine", ALIKE):
        return dataclasses.replace(one, thing=None)
    known: dict[str, Collection[str]] = {
        kind: table.keys() for kind, table in ids.items() if kind not in ("profiles", "files")
    }
    if one.kind == "palettes":
        known["profiles"] = ids["profiles"].keys() | {p.key for p in show.profiles}
    thing = kept_to(one.thing, known)
    made = None if thing is None else renamed(thing, ids)
    if one.how == "levels" and made is not None:
        made = with_levels(one.mine, made, show)
    return dataclasses.replace(one, thing=made)


def _joined(show: Show, coming: Iterable[Coming]) -> Show:
    made: dict[str, list[Any]] = {}
    for one in coming:
        if one.thing is None:
            continue
        things = made.setdefault(one.kind, list(getattr(show, one.kind)))
        if one.how in ("theirs", "levels"):
            key = key_of(one.kind, one.mine)
            at = next(i for i, x in enumerate(things) if key_of(one.kind, x) == key)
            things[at] = one.thing
        else:
            things.append(one.thing)
    return replace(show, **{kind: tuple(things) for kind, things in made.items()}) if made else show


def _handled(show: Show, other: Show, wanted: Wanted, ours: Mapping[str, str]) -> Show:
    """Limits and curves of their units on those of ours that stand for them, or have the number."""
    limits, curves = ((part, "") in wanted.things for part in (LIMITS, CURVES))
    if not (limits or curves):
        return show
    by_number = {unit.number: unit for unit in other.units}
    of = {mine: unit for unit in other.units if (mine := ours.get(unit.id))}
    made = []
    for unit in show.units:
        theirs = of.get(unit.id) or by_number.get(unit.number)
        if theirs is not None and theirs.profile == unit.profile:
            changed = {
                **({"limits": theirs.limits} if limits else {}),
                **({"handling": theirs.handling} if curves else {}),
            }
            if any(getattr(unit, name) != value for name, value in changed.items()):
                unit = replace(unit, **changed)
        made.append(unit)
    return replace(show, units=tuple(made))


def _notes(made: Show, coming: Iterable[Coming], stand: Iterable[StandIn]) -> Iterable[str]:
    fresh = [one.thing for one in coming if one.kind == "units" and one.thing is not None]
    held = {name for clash in clashes(all_spans(made)) for name in (clash.a.unit, clash.b.unit)}
    crowded = [unit for unit in fresh if unit.id in held]
    if crowded:
        names = ", ".join(str(unit.number) for unit in crowded[:6])
        yield f"{many(len(crowded), 'unit')} would share addresses with others ({names})."
    alone = [one for one in stand if not one.ours]
    if alone:
        yield f"{many(len(alone), 'unit')} of theirs have no stand-in: left out of what comes."
