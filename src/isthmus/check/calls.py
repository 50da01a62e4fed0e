"""Who is called and in which order: units or cells, single addresses, or whole groups, positions,
types, ports, universes.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from isthmus.errors import EntryFault
from isthmus.patch.groups import members
from isthmus.patch.index import index_of
from isthmus.profiles import chart, profiles_of
from isthmus.routes import Reach, routed
from isthmus.show.records import Show, Unit

CALLED_BY = {
    "unit": "unit by unit",
    "cell": "cell by cell",
    "address": "address by address",
    "group": "group by group",
    "position": "position by position",
    "type": "type by type",
    "port": "port by port",
    "universe": "universe by universe",
}
ORDERS = {
    "number": "by number",
    "hang": "by hang, as one walks",
    "address": "by address",
    "hand": "as selected",
}


@dataclass(frozen=True)
class Left:
    """A unit that is not called, and why; `outside` when only the filter keeps it out."""

    unit: str
    number: int
    why: str
    outside: bool = False


@dataclass(frozen=True)
class Call:
    """One stop of a roll call: the units that light, or one cell of a unit, or one address."""

    title: str
    units: tuple[str, ...] = ()
    cell: int = 0
    slot: tuple[int, int] | None = None


@dataclass(frozen=True)
class CallPlan:
    calls: tuple[Call, ...]
    left: tuple[Left, ...]


def callable_units(show: Show) -> tuple[list[Unit], list[Left]]:
    """Units that can be called, by number; and the others with the reason."""
    profiles, lead = profiles_of(show), routed(show)
    called, left = [], []
    for unit in sorted(show.units, key=lambda u: u.number):
        if profiles.mode_of(unit) is None:
            left.append(Left(unit.id, unit.number, "its profile or mode is unknown"))
        elif not unit.patch:
            left.append(Left(unit.id, unit.number, "it has no address"))
        elif not any(p.universe in lead for p in unit.patch):
            left.append(
                Left(unit.id, unit.number, f"universe {unit.patch[0].universe} has no output")
            )
        else:
            called.append(unit)
    return called, left


def in_walking_order(units: Sequence[Unit]) -> list[Unit]:
    """As a person walks: position by position from downstage up, at each one from the
    nearer end to the other.
    """
    by_place: dict[str, list[Unit]] = {}
    for unit in units:
        by_place.setdefault(unit.hangs_on, []).append(unit)

    def depth(mine: list[Unit]) -> tuple[bool, float]:
        ys = [u.position[1] for u in mine if u.position]
        return not ys, sum(ys) / len(ys) if ys else 0.0

    out: list[Unit] = []
    at: float | None = None
    for name in sorted(by_place, key=lambda name: (depth(by_place[name]), name)):
        mine = sorted(
            by_place[name], key=lambda u: (u.position is None, u.position or (0, 0, 0), u.number)
        )
        first, last = mine[0].position, mine[-1].position
        if at is not None and first and last and abs(last[0] - at) < abs(first[0] - at):
            mine.reverse()
        out += mine
        at = out[-1].position[0] if out[-1].position else at
    return out


def plan_calls(
    show: Show, by: str = "unit", order: str = "number", only: Sequence[str] | None = None
) -> CallPlan:
    """Raises EntryFault for an unknown way or order, or when nothing can be called."""
    if by not in CALLED_BY or order not in ORDERS:
        raise EntryFault(
            f"“{by}, {order}” is not a way to call.",
            do=f"Use {', '.join(CALLED_BY)}; ordered by {', '.join(ORDERS)}.",
        )
    units, left = callable_units(show)
    if only is not None:
        chosen = set(only)
        outside = (u for u in show.units if u.id not in chosen)
        left = [x for x in left if x.unit in chosen]
        left += [Left(u.id, u.number, "it is outside the filter", True) for u in outside]
        units = [u for u in units if u.id in chosen]
    if not units:
        raise EntryFault(
            "No unit can be called.",
            do="Units need a profile, an address and a universe that has an output.",
        )
    calls = _called_by(show, by, _ordered(units, order, only))
    if not calls:
        raise EntryFault(
            f"Nothing can be called {CALLED_BY[by]}.",
            do="Make groups first, or choose another way.",
        )
    return CallPlan(tuple(calls), tuple(left))


def _ordered(units: list[Unit], order: str, only: Sequence[str] | None) -> list[Unit]:
    """Units come by number; “hand” is the order in which they were selected."""
    if order == "hand" and only is not None:
        place = {unit: at for at, unit in enumerate(only)}
        return sorted(units, key=lambda u: place[u.id])
    if order == "hang":
        return in_walking_order(units)
    if order == "address":
        return sorted(units, key=lambda u: (u.patch[0].universe, u.patch[0].address))
    return units


def _called_by(show: Show, by: str, units: list[Unit]) -> list[Call]:
    if by == "unit":
        return [Call(f"{u.number} {u.name}".strip(), (u.id,)) for u in units]
    if by == "cell":
        return [call for u in units for call in _cells(show, u)]
    if by == "address":
        return _addresses(show, units)
    return _together(show, units, by)


def _cells(show: Show, unit: Unit) -> list[Call]:
    found = profiles_of(show).mode_of(unit)
    cells = chart(*found).cells if found else 0
    name = f"{unit.number} {unit.name}".strip()
    return (
        [Call(f"{name}, cell {c} of {cells}", (unit.id,), c) for c in range(1, cells + 1)]
        if cells > 1
        else [Call(name, (unit.id,))]
    )


def _addresses(show: Show, units: Sequence[Unit]) -> list[Call]:
    wanted = {u.id for u in units}
    numbers = dict.fromkeys(p.universe for u in units for p in u.patch)
    calls = []
    for universe in sorted(numbers):
        taken: dict[int, list[str]] = {}
        for span in index_of(show).universe(universe).spans:
            if span.unit in wanted:
                for address in range(span.start, span.end + 1):
                    taken.setdefault(address, []).append(span.unit)
        calls += [
            Call(
                f"{universe}.{address:03d}",
                tuple(dict.fromkeys(taken[address])),
                0,
                (universe, address),
            )
            for address in sorted(taken)
        ]
    return calls


def _together(show: Show, units: Sequence[Unit], by: str) -> list[Call]:
    profiles = profiles_of(show)
    wanted = {u.id: u for u in units}
    groups: dict[str, list[str]] = {}
    if by == "group":
        groups = {g.name: [u for u in members(show, g) if u in wanted] for g in show.groups}
    elif by == "port":
        reach = Reach(show)
        for port in reach.ports:
            fed = {o.universe for o in reach.of_port.get(port.key, []) if o.enabled}
            groups[f"{port.node.name}, port {port.index}"] = [
                u.id for u in units if any(p.universe in fed for p in u.patch)
            ]
    else:
        for unit in units:
            found = profiles.mode_of(unit)
            names = {
                "position": [unit.hangs_on or "nowhere yet"],
                "type": [found[0].label if found else "unknown"],
                "universe": [
                    f"universe {n}" for n in dict.fromkeys(p.universe for p in unit.patch)
                ],
            }[by]
            for name in names:
                groups.setdefault(name, []).append(unit.id)
    return [Call(name, tuple(ids)) for name, ids in groups.items() if ids]


def numbers_of(show: Show, ids: Collection[str]) -> str:
    """`101, 102, 103 …` by number."""
    numbers = sorted(u.number for u in show.units if u.id in ids)
    return ", ".join(map(str, numbers[:8])) + (" …" if len(numbers) > 8 else "")
