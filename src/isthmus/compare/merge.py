"""Edits two people made to copies of one show, joined."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from isthmus.compare import inside
from isthmus.compare.difference import IDS, NOTHING, ORDER, Changed, apply, difference
from isthmus.show.records import Show


@dataclass(frozen=True, eq=False)
class Conflict:
    """What both changed, differently: the change of each; None where that side only changed parts
    of a thing the other side removed.
    """

    place: tuple[str, str, str]
    mine: tuple[Changed, ...]
    theirs: tuple[Changed, ...]


@dataclass(frozen=True, eq=False)
class Merged:
    """What was taken from both, and what a person has to settle. `show` has our side of each
    conflict until then.
    """

    base: Show
    taken: tuple[Changed, ...]
    conflicts: tuple[Conflict, ...]

    @property
    def show(self) -> Show:
        return self.settled({})

    def settled(self, theirs: Mapping[tuple[str, str, str], bool]) -> Show:
        """With their side of the conflicts at these places, and ours of all others."""
        chosen = [
            change
            for one in self.conflicts
            for change in (one.theirs if theirs.get(one.place) else one.mine)
        ]
        return apply((*self.taken, *chosen), self.base)


def merge(base: Show, mine: Show, theirs: Show) -> Merged:
    """Both sides' changes of a base: what one side changed is taken, what both changed alike is
    taken once, what both changed differently is a conflict. Things are known by the ids they have
    in the base; what only they have keeps theirs.
    """
    ours, others = difference(base, mine), difference(base, theirs)
    a = {c.place: c for c in ours.changes if c.member != IDS}
    b = {c.place: c for c in others.changes if c.member != IDS}
    gone_a, gone_b = _gone(a), _gone(b)
    taken: list[Changed] = []
    conflicts: dict[tuple[str, str, str], tuple[list[Changed], list[Changed]]] = {}
    for place, change in a.items():
        other = b.get(place)
        thing = place[:2]
        if thing in gone_b and place[2]:  # changed here, removed there
            conflicts.setdefault((*thing, ""), ([], [b[(*thing, "")]]))[0].append(change)
        elif other is None or _alike(change, other):
            taken.append(change)
        elif place[2] == ORDER and not place[1]:
            taken.append(_order_of_both(change, other))
        elif not place[2] and NOTHING not in (change.new, other.new):
            taken.append(change)
            conflicts |= _by_member(change, other)
        elif (made := inside.joined_list(change.old, change.new, other.new)) is not None:
            taken.append(replace(change, new=made))
        else:
            conflicts[place] = [change], [other]
    for place, change in b.items():
        thing = place[:2]
        if thing in gone_a and place[2]:
            conflicts.setdefault((*thing, ""), ([a[(*thing, "")]], []))[1].append(change)
        elif place not in a:
            taken.append(change)
    settled = {p for p, (x, y) in conflicts.items() if not p[2]}
    taken = [c for c in taken if c.place not in settled]
    return Merged(
        base,
        tuple(taken),
        tuple(Conflict(p, tuple(x), tuple(y)) for p, (x, y) in conflicts.items()),
    )


def _gone(changes: Mapping[tuple[str, str, str], Changed]) -> set[tuple[str, str]]:
    return {place[:2] for place, c in changes.items() if not place[2] and c.new is NOTHING}


def _alike(one: Changed, other: Changed) -> bool:
    return one.new is other.new or (type(one.new) is type(other.new) and one.new == other.new)


def _by_member(
    one: Changed, other: Changed
) -> dict[tuple[str, str, str], tuple[list[Changed], list[Changed]]]:
    """A thing that both added, differently: what they say of it differently."""
    found = {}
    for name in one.new.__struct_fields__:
        a, b = getattr(one.new, name), getattr(other.new, name)
        if a != b:
            ends = [Changed(one.kind, one.key, name, NOTHING, value) for value in (a, b)]
            found[one.kind, one.key, name] = [ends[0]], [ends[1]]
    return found


def _order_of_both(one: Changed, other: Changed) -> Changed:
    """Orders are not settled by hand: ours, with what only they have behind what it was behind."""
    order = list(one.new)
    known = set(order)
    for at, key in enumerate(other.new):
        if key not in known:
            before = next((k for k in reversed(other.new[:at]) if k in known), None)
            order.insert(order.index(before) + 1 if before is not None else 0, key)
            known.add(key)
    return Changed(one.kind, "", ORDER, one.old, tuple(order))
