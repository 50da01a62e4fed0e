"""Papers of the rig: by number, by address, by position, gels, outputs, weight and power."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Sequence

from msgspec.structs import replace

from isthmus.gels.resolve import find_gels, split_gels
from isthmus.papers.loads import power_of, weight_of
from isthmus.papers.naming import type_of
from isthmus.papers.table import Column, Group, Paper
from isthmus.patch.cells import addresses
from isthmus.patch.index import free_runs, index_of
from isthmus.patch.spans import by_universe, footprint, unit_spans
from isthmus.plural import many
from isthmus.profiles import profiles_of
from isthmus.profiles.colour import code_of
from isthmus.routes.ports import write_output
from isthmus.routes.reach import Port, goes_to, ports, universes_known
from isthmus.show.address import write_address
from isthmus.show.records import Output, Show, Unit
from isthmus.stage.runs import along_of

NOWHERE = "Nowhere yet"
Only = Collection[str] | None  # ids of units; None for all
UNIT = (Column("Unit", 14, figures=True), Column("Name", 42))


def units_of(show: Show, only: Only) -> list[Unit]:
    """By number."""
    mine = [u for u in show.units if only is None or u.id in only]
    return sorted(mine, key=lambda u: u.number)


def by_number(show: Show, only: Only = None) -> Paper:
    named = any(u.fixture_id for u in show.units)
    columns = (
        *UNIT,
        *([Column("Fixture ID", 24)] if named else []),
        Column("Type", 40),
        Column("Mode", 22),
        Column("Address", 22, figures=True),
        Column("Slots", 12, figures=True),
        Column("Position", 34),
        Column("Purpose", 28),
        Column("Gel", 20),
        Column("Note", 30),
    )
    profiles = profiles_of(show)
    rows = [
        (
            str(u.number),
            u.name,
            *([u.fixture_id] if named else []),
            type_of(show, u),
            u.mode,
            addresses(u) if u.patch else "",
            str(footprint(u, profiles) or ""),
            u.hangs_on,
            u.purpose,
            u.gel,
            u.note,
        )
        for u in units_of(show, only)
    ]
    told = f"{many(len(rows), 'unit')}, {many(_slots(show, only), 'slot')}."
    return Paper(f"{show.name}: units by number", told, columns, [Group("", rows)])


def _slots(show: Show, only: Only) -> int:
    profiles = profiles_of(show)
    return sum(footprint(u, profiles) for u in units_of(show, only) if u.patch)


def by_address(show: Show, only: Only = None) -> Paper:
    """Universe by universe; where all units are on it, with the runs that are free."""
    columns = (
        Column("From", 16, figures=True),
        Column("To", 16, figures=True),
        *UNIT,
        Column("Type", 42),
        Column("Mode", 24),
        Column("Position", 36),
    )
    profiles = profiles_of(show)
    units = {u.id: u for u in units_of(show, only)}
    spans = by_universe(s for u in units.values() for s in unit_spans(u, profiles))
    index = index_of(show)
    groups = []
    for universe in sorted(spans):
        rows = []
        for span in spans[universe]:
            unit = units[span.unit]
            rows.append(
                (
                    write_address(universe, span.start),
                    write_address(universe, span.end),
                    str(unit.number),
                    unit.name,
                    type_of(show, unit),
                    unit.mode,
                    unit.hangs_on,
                )
            )
        free = free_runs(index.universe(universe).taken) if only is None else []
        runs = ", ".join(f"{a}-{b}" if b > a else str(a) for a, b in free)
        wire = goes_to(show, universe)
        told = [f"Goes out as {wire}." if wire else "Has no output."]
        told += [f"Free: {runs}."] if runs else ["Nothing is free."] if only is None else []
        groups.append(Group(f"Universe {universe}", rows, " ".join(told)))
    left = [u for u in units.values() if not u.patch]
    if left:
        rows = [("", "", str(u.number), u.name, type_of(show, u), u.mode, u.hangs_on) for u in left]
        groups.append(Group("Without an address", rows))
    told = f"{many(len(units), 'unit')} in {many(len(spans), 'universe')}."
    return Paper(f"{show.name}: units by address", told, columns, groups, keys=3)


def hung(show: Show, only: Only = None) -> list[tuple[str, list[tuple[Unit, float | None]]]]:
    """Positions with their units in hanging order, each with the metres from the left end of what
    it hangs on; units that hang on nothing by their place from left to right.
    """
    structures = {s.id: s for s in show.structures}
    found: dict[str, list[tuple[Unit, float | None]]] = {}
    for unit in units_of(show, only):
        on = structures.get(unit.structure)
        along = along_of(on, unit.position) if on and unit.position else None
        found.setdefault(unit.hangs_on or NOWHERE, []).append((unit, along))

    def order(pair: tuple[Unit, float | None]) -> tuple[object, ...]:
        unit, along = pair
        if unit.position is None:  # nowhere yet, behind what hangs
            return (True, "", 0.0, unit.number)
        return (False, unit.structure, unit.position[0] if along is None else along, unit.number)

    names = sorted(found, key=lambda name: (name == NOWHERE, name.lower()))
    return [(name, sorted(found[name], key=order)) for name in names]


def by_position(show: Show, only: Only = None) -> Paper:
    columns = (
        *UNIT,
        Column("Metres", 14, figures=True),
        Column("Type", 40),
        Column("Mode", 22),
        Column("Address", 22, figures=True),
        Column("Gel", 22),
        Column("Purpose", 30),
        Column("Height", 14, figures=True),
    )
    groups = []
    for name, units in hung(show, only):
        rows = [
            (
                str(u.number),
                u.name,
                f"{along:.2f}" if along is not None else "",
                type_of(show, u),
                u.mode,
                addresses(u) if u.patch else "",
                u.gel,
                u.purpose,
                f"{u.position[2]:.2f}" if u.position else "",
            )
            for u, along in units
        ]
        groups.append(Group(name, rows, f"{many(len(rows), 'unit')}, {_counted(show, units)}."))
    told = "In hanging order; metres from the left end of what it hangs on, height over the floor."
    return Paper(f"{show.name}: units by position", told, columns, groups)


def _counted(show: Show, units: Iterable[tuple[Unit, float | None]]) -> str:
    kinds = Counter(type_of(show, u) for u, _ in units)
    return ", ".join(f"{count} {name}" for name, count in kinds.most_common())


def gel_list(show: Show, only: Only = None) -> Paper:
    """What to cut: each gel with how many, by position. Of several in one frame each counts."""
    columns = (
        Column("Gel", 34),
        Column("Colour", 16, patch=True),
        Column("Name", 50),
        Column("Book", 34),
        Column("Pieces", 16, figures=True),
        Column("Units", 100),
    )
    groups = []
    for name, units in hung(show, only):
        cut: dict[str, list[int]] = {}
        for unit, _ in units:
            for part in split_gels(unit.gel):
                cut.setdefault(part, []).append(unit.number)
        rows = []
        for part in sorted(cut):
            known = find_gels(show.gels, part)
            gel = known[0] if len(known) == 1 else None
            numbers = ", ".join(map(str, sorted(cut[part])))
            rows.append(
                (
                    part,
                    code_of(gel.rgb) if gel else "",
                    gel.name if gel else "not in a book of the show",
                    gel.book if gel else "",
                    str(len(cut[part])),
                    numbers,
                )
            )
        if rows:
            groups.append(Group(name, rows))
    pieces = sum(int(row[4]) for group in groups for row in group.rows)
    return Paper(f"{show.name}: gels to cut", f"{many(pieces, 'piece')}.", columns, groups)


def universes(show: Show, only: Only = None) -> Paper:
    """Where each universe goes, and which port of which node is behind it."""
    columns = (
        Column("Universe", 18, figures=True),
        Column("Units", 14, figures=True),
        Column("Goes out as", 44),
        Column("To", 40),
        Column("Node and port", 50),
        Column("Where", 44),
    )
    mine = {p.universe for u in units_of(show, only) for p in u.patch}
    counts = Counter(n for u in units_of(show, only) for n in {p.universe for p in u.patch})
    nodes: dict[tuple[str, int, str], Port] = {}
    for port in ports(show):
        if not port.is_input:
            nodes.setdefault((port.protocol, port.number, port.node.ip), port)
    rows = []
    for universe in universes_known(show):
        outputs = [o for o in show.outputs if o.universe == universe]
        if only is not None and universe not in mine:
            continue
        for output in outputs or [None]:
            rows.append(_output_row(universe, counts[universe], output, nodes))
    told = f"{many(len(rows), 'line')}."
    return Paper(f"{show.name}: universes and outputs", told, columns, [Group("", rows)], keys=1)


def _output_row(
    universe: int, count: int, output: Output | None, nodes: dict[tuple[str, int, str], Port]
) -> tuple[str, ...]:
    if output is None:
        return str(universe), str(count), "no output", "", "", ""
    hosts = [output.host, *output.more_hosts] if output.host else []
    found = [nodes.get((output.protocol, output.number, host)) for host in hosts]
    there = [port for port in found if port is not None]
    off = "" if output.enabled else " (off)"
    return (
        str(universe),
        str(count),
        f"{write_output(output)}{off}",
        ", ".join(hosts) or output.delivery,
        ", ".join(port.label for port in there),
        ", ".join(port.node.place for port in there if port.node.place),
    )


def weight_and_power(show: Show, only: Only = None) -> Paper:
    """By position, from what is typed or profiles state; what they do not is counted, never taken
    for 0.
    """
    return _weighed(show, f"{show.name}: weight and power", hung(show, only))


def weight_by_line(show: Show, only: Only = None) -> Paper:
    """The same by DMX line: what the units of each universe weigh and take."""
    lines: dict[int, list[tuple[Unit, float | None]]] = {}
    for unit in sorted(units_of(show, only), key=lambda unit: unit.number):
        for universe in sorted({patched.universe for patched in unit.patch}) or [0]:
            lines.setdefault(universe, []).append((unit, None))
    named = [(f"Universe {one}" if one else "On no line", lines[one]) for one in sorted(lines)]
    return _weighed(show, f"{show.name}: weight and power by line", named)


def _weighed(
    show: Show, title: str, parts: Sequence[tuple[str, list[tuple[Unit, float | None]]]]
) -> Paper:
    columns = (
        *UNIT,
        Column("Metres", 16, figures=True),
        Column("Type", 50),
        Column("kg", 16, figures=True),
        Column("W", 18, figures=True),
    )
    every = {unit.id: unit for _, units in parts for unit, _ in units}
    kinds = {(unit.profile, unit.mode): unit for unit in every.values()}
    stated = {kind: power_of(show, replace(unit, power=None)) for kind, unit in kinds.items()}

    def watts(unit: Unit) -> float | None:
        return stated[unit.profile, unit.mode] if unit.power is None else unit.power

    groups = []
    for name, units in parts:
        weights = [weight_of(show, u) for u, _ in units]
        powers = [watts(u) for u, _ in units]
        rows = [
            (
                str(u.number),
                u.name,
                f"{along:.2f}" if along is not None else "",
                type_of(show, u),
                _figure(kg, "{:.1f}"),
                _figure(power, "{:.0f}"),
            )
            for (u, along), kg, power in zip(units, weights, powers, strict=True)
        ]
        groups.append(Group(name, rows, f"{_sums(weights, powers)}."))
    all_kg = [weight_of(show, unit) for unit in every.values()]
    all_w = [watts(unit) for unit in every.values()]
    about = (
        f"{_sums(all_kg, all_w)}. As typed, else as profiles state it; without cables and rigging."
    )
    return Paper(title, about, columns, groups)


def _sums(weights: list[float | None], powers: list[float | None]) -> str:
    return f"{_sum(weights, 'kg', '{:.1f}')}; {_sum(powers, 'W', '{:.0f}')}"


def _figure(value: float | None, how: str) -> str:
    return "unknown" if value is None else how.format(value)


def _sum(values: list[float | None], unit: str, how: str) -> str:
    known = [value for value in values if value is not None]
    unknown = len(values) - len(known)
    left = f"{many(unknown, 'unit')} of unknown {unit}" if unknown else ""
    told = f"{how.format(sum(known))} {unit}" if known else ""
    return " and ".join(words for words in (told, left) if words)
