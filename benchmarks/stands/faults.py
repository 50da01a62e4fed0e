"""What can be wrong with a rig, each as a change of how it stands and the truth of it."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import replace

from msgspec import structs

from benchmarks.stands.kinds import BY_NAME
from benchmarks.stands.rig import Foreign, Rig, Standing, Truth
from isthmus.show.records import Handling, Limit

Fault = Callable[[Rig], Rig]
Says = Callable[[str, Collection[str], tuple[object, ...]], bool]


def _one(kinds: str | Collection[str], unit: str, *about: object) -> Says:
    """A cause of one of these kinds, about this unit and what follows it."""
    wanted = {kinds} if isinstance(kinds, str) else set(kinds)

    def says(kind: str, units: Collection[str], of: tuple[object, ...]) -> bool:
        return kind in wanted and set(units) == {unit} and of[1 : 1 + len(about)] == about

    return says


def broken(number: int, what: str, figure: float = 0.0) -> Fault:
    """What is broken in a unit: dead, lamp, swapped, pan or tilt inverted or stuck, emitter
    (from 0, red), cell (from 0), held (at most so much light), by itself.
    """

    def change(rig: Rig) -> Rig:
        unit = rig.unit(number)
        heads = BY_NAME[unit.kind].body == "mover"
        kinds = {
            "pan stuck": {"pan"},
            "tilt stuck": {"tilt"},
            "by itself": {"own programme"},
            # from outside nobody tells a lantern's lamp from its plug
            "lamp": {"lamp"} if heads else {"lamp", "dead"},
            "dead": {"dead"} if heads else {"lamp", "dead"},
        }.get(what, {what})
        stands = replace(unit, wrong=(*unit.wrong, what), figure=figure)
        truth = Truth(what, frozenset({unit.id}), _one(kinds, unit.id))
        return rig.with_unit(stands).with_truth(truth)

    return change


def address(number: int, to: int) -> Fault:
    """The unit listens from another address of its own universe."""

    def change(rig: Rig) -> Rig:
        unit = rig.unit(number)
        by = to - unit.address
        size = BY_NAME[unit.kind].of(unit.mode)[0]
        there = [u for u in rig.units.values() if u.line == unit.line and u.address == to]

        def says(kind: str, units: Collection[str], about: tuple[object, ...]) -> bool:
            if set(units) != {unit.id}:
                return False
            double = kind == "double" and bool(there) and about[1] == there[0].id
            return double or (kind == "address" and about[1:] == (by,))

        assert 1 <= to <= 513 - size
        return rig.with_unit(replace(unit, address=to)).with_truth(
            Truth("double" if there else "address", frozenset({unit.id}), says)
        )

    return change


def exchanged(a: int, b: int) -> Fault:
    def change(rig: Rig) -> Rig:
        left, right = rig.unit(a), rig.unit(b)
        pair = frozenset({left.id, right.id})
        rig = rig.with_unit(replace(left, address=right.address))
        rig = rig.with_unit(replace(right, address=left.address))
        return rig.with_truth(
            Truth("exchanged", pair, lambda k, u, _: k == "exchanged" and frozenset(u) == pair)
        )

    return change


def mode(number: int, name: str) -> Fault:
    def change(rig: Rig) -> Rig:
        unit = rig.unit(number)
        return rig.with_unit(replace(unit, mode=name)).with_truth(
            Truth("mode", frozenset({unit.id}), _one("mode", unit.id, name))
        )

    return change


def _hang(rig: Rig, where: str, line: tuple[str, int] | None = None) -> list[Standing]:
    mine = [u for u in rig.units.values() if u.hang == where and line in (None, u.line)]
    return sorted(mine, key=lambda u: u.address)


def _all(kind: str, units: Collection[str], *about: object) -> Truth:
    """A truth of several units: the cause must concern all of them, and may name one more or
    less where a person cannot tell.
    """
    whole = frozenset(units)

    def says(said: str, named: Collection[str], of: tuple[object, ...]) -> bool:
        told = set(of)
        return said == kind and frozenset(named) == whole and all(a in told for a in about)

    return Truth(kind, whole, says)


def shifted(where: str, by: int) -> Fault:
    """A whole hang was set so many too high."""

    def change(rig: Rig) -> Rig:
        mine = _hang(rig, where)
        for u in mine:
            rig = rig.with_unit(replace(u, address=u.address + by))
        return rig.with_truth(_all("shifted", [u.id for u in mine], by))

    return change


def longer(number: int, name: str, hangs: Collection[str] = ()) -> Fault:
    """A unit in another mode, and all addressed after it on its line set on by the difference."""

    def change(rig: Rig) -> Rig:
        unit = rig.unit(number)
        kind = BY_NAME[unit.kind]
        by = kind.of(name)[0] - kind.of(unit.mode)[0]
        after = [
            u
            for u in rig.units.values()
            if u.line == unit.line and u.address > unit.address and (not hangs or u.hang in hangs)
        ]
        rig = rig.with_unit(replace(unit, mode=name))
        for u in after:
            rig = rig.with_unit(replace(u, address=u.address + by))
        if not after:  # the last of its line: nobody can tell that it should have moved others
            return rig.with_truth(Truth("mode", frozenset({unit.id}), _one("mode", unit.id, name)))
        return rig.with_truth(_all("run", [unit.id, *(u.id for u in after)], unit.id, name))

    return change


def hang_mode(where: str, name: str) -> Fault:
    """All units of a hang stand in another mode, at their own addresses."""

    def change(rig: Rig) -> Rig:
        mine = _hang(rig, where)
        for u in mine:
            rig = rig.with_unit(replace(u, mode=name))
        return rig.with_truth(_all("hang mode", [u.id for u in mine], name))

    return change


def line(number: int, node: str, port: int) -> Fault:
    """The unit is plugged to another line."""

    def change(rig: Rig) -> Rig:
        unit = replace(rig.unit(number), line=(node, port))
        comes = rig.universe_at((node, port))
        return rig.with_unit(unit).with_truth(
            Truth("line", frozenset({unit.id}), _one("line", unit.id, comes))
        )

    return change


def _either(*ways: Says) -> Says:
    return lambda kind, units, about: any(says(kind, units, about) for says in ways)


def cut(*numbers: int, kind: str = "hang dark") -> Fault:
    """Nothing comes to these: a cable is out before the first of them."""

    def change(rig: Rig) -> Rig:
        units = frozenset(f"u{n}" for n in numbers)
        truth = _all(kind, units)
        if units == frozenset(_behind(rig, *rig.unit(numbers[0]).line)):
            # all that is behind a port: its cable, or the port itself, look alike
            truth = replace(truth, says=_either(truth.says, _all("port dark", units).says))
        return replace(rig, cut=rig.cut | units).with_truth(truth)

    return change


def _behind(rig: Rig, node: str, port: int | None = None) -> list[str]:
    return [u.id for u in rig.units.values() if u.line[0] == node and port in (None, u.line[1])]


def port_dark(node: str, port: int) -> Fault:
    def change(rig: Rig) -> Rig:
        stands = rig.nodes[node]
        units = _behind(rig, node, port)
        return rig.with_node(replace(stands, dead=(*stands.dead, port))).with_truth(
            _all("port dark", units)
        )

    return change


def node_dark(node: str, answers: bool = False) -> Fault:
    """No power; or, where it still answers, it puts nothing out of any port."""

    def change(rig: Rig) -> Rig:
        stands = replace(rig.nodes[node], on=False, answers=answers)
        units = _behind(rig, node)
        truth = _all("node dark", units)
        if answers and len({rig.units[u].line for u in units}) == 1:  # one line is all there is
            truth = replace(truth, says=_either(truth.says, _all("port dark", units).says))
        return rig.with_node(stands).with_truth(truth)

    return change


def port_number(node: str, port: int, number: int) -> Fault:
    def change(rig: Rig) -> Rig:
        stands = rig.nodes[node]
        numbers = tuple(number if i == port else n for i, n in enumerate(stands.numbers))
        return rig.with_node(replace(stands, numbers=numbers)).with_truth(
            _all("port number", _behind(rig, node, port), number)
        )

    return change


def counts_from(node: str, by: int) -> Fault:
    """All ports of a node are off: it counts from nought where the paper counts from one."""

    def change(rig: Rig) -> Rig:
        stands = rig.nodes[node]
        moved = replace(stands, numbers=tuple(n + by for n in stands.numbers))
        units = _behind(rig, node)
        whole = _all("node numbers", units, by)
        if len({rig.units[u].line for u in units}) > 1:
            return rig.with_node(moved).with_truth(whole)
        # of one port alone, its own number says as much
        says = _all("port number", units).says
        return rig.with_node(moved).with_truth(replace(whole, says=says))

    return change


def crossed(node: str, a: int, b: int) -> Fault:
    """Two cables of a node are exchanged."""

    def change(rig: Rig) -> Rig:
        other = {(node, a): (node, b), (node, b): (node, a)}
        mine = [u for u in rig.units.values() if u.line in other]
        for u in mine:
            rig = rig.with_unit(replace(u, line=other[u.line]))
        return rig.with_truth(_all("ports exchanged", [u.id for u in mine]))

    return change


def sender(
    universe: int, slots: range, rank: str = "beside", value: int = 255, seen: bool = True
) -> Fault:
    """Somebody else sends this universe too, and holds some slots up."""

    def change(rig: Rig) -> Rig:
        units = frozenset(
            u.id for u in rig.paper.units if any(p.universe == universe for p in u.patch)
        )
        other = Foreign(universe, dict.fromkeys(slots, value), rank, seen)

        def says(kind: str, _: Collection[str], about: tuple[object, ...]) -> bool:
            return kind == "sender" and about[0] == universe

        rig = replace(rig, foreign=(*rig.foreign, other))
        return rig.with_truth(Truth("sender", units, says))

    return change


def _in_show(rig: Rig, number: int, **changes: object) -> Rig:
    uid = f"u{number}"
    units = tuple(
        structs.replace(u, **changes) if u.id == uid else u  # type: ignore[arg-type]
        for u in rig.paper.units
    )
    paper = structs.replace(rig.paper, units=units)
    return replace(rig, paper=paper).with_truth(Truth("show", frozenset({uid}), _one("show", uid)))


def limited(number: int, high: float) -> Fault:
    """A limit of the dimmer forgotten in the show."""
    return lambda rig: _in_show(rig, number, limits=(Limit(attribute="Dimmer", high=high),))


def handled(number: int, **how: object) -> Fault:
    """A handling of the unit in the show that does not fit how it hangs (invert_pan=True…)."""
    return lambda rig: _in_show(rig, number, handling=Handling(**how))  # type: ignore[arg-type]
