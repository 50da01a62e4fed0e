"""Groups: made by hand, or kept in step with type, position, purpose or numbers; ordered and
nested.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.patch.index import index_of
from isthmus.patch.numbers import read_numbers, write_numbers
from isthmus.plural import many
from isthmus.profiles import profiles_of
from isthmus.show.records import Group, Show, Unit, new_id

KINDS = ("type", "position", "purpose", "numbers")


def own_units(show: Show, group: Group) -> tuple[str, ...]:
    """Units that stand in the group itself: as kept, or as its rule finds them now, by number."""
    index = index_of(show)
    if not group.rule:
        return tuple(unit for unit in group.units if unit in index.by_id)
    kind, _, value = group.rule.partition(":")
    if kind == "numbers":
        return tuple(
            unit for number in read_numbers(value) for unit in index.numbers.get(number, ())
        )
    found = [unit for unit in show.units if _value(unit, kind, show) == value]
    known = {unit: at for at, unit in enumerate(group.units)}  # an order given by hand is kept
    return tuple(u.id for u in sorted(found, key=lambda u: (known.get(u.id, len(known)), u.number)))


def members(show: Show, group: Group, above: frozenset[str] = frozenset()) -> tuple[str, ...]:
    """The group's own units and those of the groups that stand in it, in order, each once."""
    inner = [
        other
        for other in show.groups
        if other.parent == group.id and other.id not in above | {group.id}
    ]
    deeper = above | {group.id}  # a group that stands in itself, by way of others, ends there
    return tuple(
        dict.fromkeys(
            [*own_units(show, group), *(u for other in inner for u in members(show, other, deeper))]
        )
    )


def _value(unit: Unit, kind: str, show: Show) -> str:
    if kind == "type":
        profile = profiles_of(show).profiles.get(unit.profile)
        return profile.name if profile else unit.profile
    return {"position": unit.hangs_on, "purpose": unit.purpose}.get(kind, "")


def make_group(
    show: Show, name: str, units: Sequence[str] = (), rule: str = "", parent: str = ""
) -> Show:
    """Add a group. Raises EntryFault for a name that is taken or empty, and a rule that says
    nothing.
    """
    name = _checked_name(show, name)
    kind, _, value = rule.partition(":")
    if rule and (kind not in KINDS or not value.strip()):
        raise EntryFault(
            f"“{rule}” is not a rule of a group.", do=f"Write {', '.join(f'{k}:…' for k in KINDS)}."
        )
    if kind == "numbers":
        read_numbers(value)
    if parent and not any(group.id == parent for group in show.groups):
        raise EntryFault("The group it should stand in is not there.")
    return replace(
        show,
        groups=(
            *show.groups,
            Group(id=new_id(), name=name, units=tuple(units), rule=rule, parent=parent),
        ),
    )


def _checked_name(show: Show, name: str, but: str = "") -> str:
    name = " ".join(name.split())[:80]
    if not name:
        raise EntryFault("A group needs a name.")
    if any(group.name.lower() == name.lower() and group.id != but for group in show.groups):
        raise EntryFault(f"There is a group “{name}” already.", do="Give it another name.")
    return name


def change_group(show: Show, group_id: str, **changes: object) -> Show:
    """Change name, units, rule or parent. Raises EntryFault when it would stand in itself."""
    if "name" in changes:
        changes["name"] = _checked_name(show, str(changes["name"]), group_id)
    if changes.get("parent"):
        inside, above = {group_id}, str(changes["parent"])
        parents = {group.id: group.parent for group in show.groups}
        while above:
            if above in inside:
                raise EntryFault("A group cannot stand in itself.")
            inside.add(above)
            above = parents.get(above, "")
    return replace(
        show, groups=tuple(replace(g, **changes) if g.id == group_id else g for g in show.groups)
    )


def remove_groups(show: Show, ids: Collection[str]) -> Show:
    """Take groups away; those that stood in them stand where they stood."""
    parents = {group.id: group.parent for group in show.groups}

    def above(parent: str) -> str:
        while parent in ids:
            parent = parents.get(parent, "")
        return parent

    return replace(
        show,
        groups=tuple(replace(g, parent=above(g.parent)) for g in show.groups if g.id not in ids),
    )


def move_group(show: Show, group_id: str, by: int) -> Show:
    """Move a group up (−1) or down (1) among those beside it."""
    groups = list(show.groups)
    at = next(i for i, g in enumerate(groups) if g.id == group_id)
    beside = [i for i, g in enumerate(groups) if g.parent == groups[at].parent]
    to = beside.index(at) + by
    if not 0 <= to < len(beside):
        return show
    groups[at], groups[beside[to]] = groups[beside[to]], groups[at]
    return replace(show, groups=tuple(groups))


def freeze(show: Show, group_id: str) -> Show:
    """Keep the units a group has now, whatever the patch becomes."""
    group = next(g for g in show.groups if g.id == group_id)
    return change_group(show, group_id, units=own_units(show, group), rule="")


def propose_groups(show: Show) -> Show:
    """A group kept in step for every model and every position, and one for each hundred of
    numbers, where there is none.
    """
    have = {group.rule for group in show.groups}
    names = {group.name.lower() for group in show.groups}
    found: dict[str, str] = {}
    for unit in sorted(show.units, key=lambda u: u.number):
        for kind in ("type", "position"):
            value = _value(unit, kind, show)
            if value:
                found.setdefault(f"{kind}:{value}", value)
    for hundred in dict.fromkeys(
        unit.number // 100 for unit in sorted(show.units, key=lambda u: u.number)
    ):
        first, last = max(1, hundred * 100), hundred * 100 + 99
        found[f"numbers:{first}-{last}"] = f"{first} to {last}"
    made = [
        Group(id=new_id(), name=name, rule=rule)
        for rule, name in found.items()
        if rule not in have and name.lower() not in names and not names.add(name.lower())
    ]
    return replace(show, groups=(*show.groups, *made)) if made else show


def groups_for(show: Show, ids: Collection[str]) -> Show:
    """Groups kept in step for the models and positions of units that were just added, where
    there are none yet.
    """
    wanted = set(ids)
    have = {group.rule for group in show.groups}
    names = {group.name.lower() for group in show.groups}
    made = []
    for unit in (u for u in show.units if u.id in wanted):
        for kind in ("type", "position"):
            value = _value(unit, kind, show)
            rule = f"{kind}:{value}"
            if value and rule not in have and value.lower() not in names:
                have.add(rule)
                names.add(value.lower())
                made.append(Group(id=new_id(), name=value, rule=rule))
    return replace(show, groups=(*show.groups, *made)) if made else show


def told(show: Show, group: Group) -> str:
    """What a group holds, in words."""
    index = index_of(show)
    ids = members(show, group)
    return (
        f"{many(len(ids), 'unit')}: {write_numbers([index.by_id[i].number for i in ids])}"
        if ids
        else "no units"
    )
