"""The rules, one small function each: a show in, its snags out."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from isthmus.check import holds
from isthmus.patch import edits as patch_edits
from isthmus.patch.spans import all_spans, by_universe, clashes, next_free
from isthmus.profiles import chart, profiles_of
from isthmus.routes import edits as route_edits
from isthmus.routes import routed, universes_in_use, write_port_address
from isthmus.show.address import write_address
from isthmus.show.records import SLOTS, PaperRow, Show, Unit
from isthmus.snags.records import ATTENTION, FAULT, NOTE, Mend, Snag
from isthmus.stage import set_out


def unreadable_profiles(show: Show) -> Iterator[Snag]:
    for key, error in profiles_of(show).faults.items():
        units = tuple(u.id for u in show.units if u.profile == key)
        yield Snag("profile-unreadable", FAULT, f"The profile {key} does not read: {error.what}", "Patch", units, "profile")


def unknown_modes(show: Show) -> Iterator[Snag]:
    profiles = profiles_of(show)
    for unit in show.units:
        if unit.profile in profiles.faults or profiles.mode_of(unit):
            continue
        profile = profiles.profiles.get(unit.profile)
        what = f"{profile.name} has no mode “{unit.mode}”" if profile else f"no profile “{unit.profile}” is in the show"
        yield Snag("mode-unknown", FAULT, f"{unit.number}: {what}.", "Patch", (unit.id,), "profile")


def overlaps(show: Show) -> Iterator[Snag]:
    spans = all_spans(show)
    for clash in clashes(spans):
        later = max((clash.a, clash.b), key=lambda s: (s.start, s.number))
        places = write_address(clash.a.universe, clash.first)
        if clash.last > clash.first:
            places += f" to {write_address(clash.a.universe, clash.last)}"
        unit = show.unit(later.unit)
        spot = next_free([s for s in spans if s.unit != later.unit], later.length, later.universe, later.start)
        mend = None
        if spot and unit and len(unit.patch) == 1:
            mend = Mend(
                f"Move {later.number} to {write_address(*spot)}", lambda s, i=later.unit, at=spot: patch_edits.set_address(s, [i], at)
            )
        text = f"{clash.a.number} and {clash.b.number} both claim {places}."
        yield Snag("overlap", FAULT, text, "Patch", (clash.a.unit, clash.b.unit), "address", mend, clash.a.universe)


def past_the_end(show: Show) -> Iterator[Snag]:
    for span in all_spans(show):
        if span.end > SLOTS:
            yield Snag(
                "past-end",
                FAULT,
                f"{span.number} runs past the end of universe {span.universe}: it starts at {span.start} and takes {span.length} slots.",
                "Patch",
                (span.unit,),
                "address",
                Mend("Give it the next free address", lambda s, i=span.unit: patch_edits.address_next_free(s, [i])),
                span.universe,
            )


def double_numbers(show: Show) -> Iterator[Snag]:
    found: dict[int, list[Unit]] = defaultdict(list)
    for unit in show.units:
        found[unit.number].append(unit)
    for number, units in found.items():
        if len(units) > 1:
            last = units[-1]
            free = patch_edits.next_number(show)
            mend = Mend(f"Make the last one {free}", lambda s, i=last.id, n=free: patch_edits.set_number(s, i, n))
            yield Snag(
                "double-number",
                FAULT,
                f"{len(units)} units have the number {number}.",
                "Patch",
                tuple(u.id for u in units),
                "profile",
                mend,
            )


def no_address(show: Show) -> Iterator[Snag]:
    profiles = profiles_of(show)
    ids = [u.id for u in show.units if not u.patch and profiles.mode_of(u)]
    if ids:
        numbers = ", ".join(str(u.number) for u in show.units if u.id in ids[:6])
        text = (
            f"{numbers} has no address yet."
            if len(ids) == 1
            else f"{len(ids)} units have no address yet: {numbers}{' …' if len(ids) > 6 else ''}."
        )
        label = "Address it at the next free" if len(ids) == 1 else "Address them in order"
        yield Snag(
            "no-address", ATTENTION, text, "Patch", tuple(ids), "address", Mend(label, lambda s: patch_edits.address_next_free(s, ids))
        )


def no_route(show: Show) -> Iterator[Snag]:
    lead = routed(show)
    off = {o.universe for o in show.outputs if not o.enabled}
    spare = route_edits.free_ports(show)
    for universe, count in universes_in_use(show).items():
        if universe in lead:
            continue
        units = tuple(u.id for u in show.units if any(p.universe == universe for p in u.patch))
        mend = None
        if universe in off:
            text = f"Universe {universe} has {count} unit{'s' * (count != 1)}, and its output is switched off."
            ids = [o.id for o in show.outputs if o.universe == universe]
            mend = Mend("Switch it on", lambda s, i=ids[0]: route_edits.change_output(s, i, enabled=True))
        else:
            text = f"Universe {universe} has {count} unit{'s' * (count != 1)} and no output: nothing of it reaches the rig."
            if spare:
                port = spare[0]
                mend = Mend(
                    f"Send it to {port.label}", lambda s, u=universe, p=port: route_edits.add_output(s, u, p.node.ip, p.port_address)
                )
        yield Snag("no-route", FAULT, text, "Routes", units, "route", mend, universe)


def doubled_ports(show: Show) -> Iterator[Snag]:
    found: dict[tuple[str, int], set[int]] = defaultdict(set)
    for output in show.outputs:
        if output.enabled:
            found[output.host, output.port_address].add(output.universe)
    for (host, port), universes in found.items():
        if len(universes) > 1:
            names = " and ".join(map(str, sorted(universes)))
            yield Snag(
                "doubled-port",
                FAULT,
                f"Universes {names} go to the same port, {host} {write_port_address(port)}: they would fight.",
                "Routes",
                (),
                "route",
                None,
                min(universes),
            )


def stray_outputs(show: Show) -> Iterator[Snag]:
    for output in show.outputs:
        if output.enabled and show.nodes and route_edits.port_of(show, output) is None:
            text = (
                f"Universe {output.universe} goes to {output.host} {write_port_address(output.port_address)}, which no expected node has."
            )
            yield Snag("stray-output", ATTENTION, text, "Routes", (), "", None, output.universe)


def no_place(show: Show) -> Iterator[Snag]:
    for unit in show.units:
        if unit.position is None:
            text = f"{unit.number} {unit.name} has no place on the plan."
            yield Snag("no-place", ATTENTION, text, "Plan", (unit.id,), "place", Mend("Set it out", lambda s, i=unit.id: set_out(s, [i])))


def paper_differences(show: Show) -> Iterator[Snag]:
    profiles = profiles_of(show)
    by_number = {u.number: u for u in show.units}
    missing = [row for row in show.paper.rows if row.number not in by_number]
    if missing:
        numbers = ", ".join(str(row.number) for row in missing[:6])
        yield Snag("paper-missing", ATTENTION, f"On the hang list and not patched: {numbers}{' …' if len(missing) > 6 else ''}.", "Patch")
    for row in show.paper.rows:
        unit = by_number.get(row.number)
        if unit is not None:
            yield from _differences(
                show, row, unit, profiles.profiles[unit.profile].name if unit.profile in profiles.profiles else unit.profile
            )


def _differences(show: Show, row: PaperRow, unit: Unit, model: str) -> Iterator[Snag]:
    if row.type and row.type != model:
        yield Snag("paper-type", ATTENTION, f"{row.number} is patched as {model}; the paper says {row.type}.", "Patch", (unit.id,))
    elif row.mode and row.mode != unit.mode:
        found = profiles_of(show).profiles.get(unit.profile)
        mend = (
            Mend(f"Take {row.mode} from the paper", lambda s: patch_edits.set_mode(s, [unit.id], row.mode))
            if found and found.mode(row.mode)
            else None
        )
        yield Snag(
            "paper-mode",
            ATTENTION,
            f"{row.number} is patched in mode {unit.mode}; the paper says {row.mode}.",
            "Patch",
            (unit.id,),
            "",
            mend,
        )
    if row.universe and unit.patch and (unit.patch[0].universe, unit.patch[0].address) != (row.universe, row.address):
        spot = (row.universe, row.address)
        mine = write_address(unit.patch[0].universe, unit.patch[0].address)
        text = f"{row.number} is patched at {mine}; the paper says {write_address(*spot)}."
        yield Snag(
            "paper-address",
            ATTENTION,
            text,
            "Patch",
            (unit.id,),
            "",
            Mend(f"Take {write_address(*spot)} from the paper", lambda s: patch_edits.set_address(s, [unit.id], spot)),
        )
    for name, plain in (("gel", "gel"), ("hangs_on", "hang position")):
        paper, mine = getattr(row, name), getattr(unit, name)
        if paper and paper != mine:
            yield Snag(
                f"paper-{name}",
                NOTE,
                f"The paper gives {row.number} the {plain} {paper}; the patch has {mine or 'none'}.",
                "Patch",
                (unit.id,),
                "",
                Mend(f"Take {paper}", lambda s, n=name, v=paper: patch_edits.set_text(s, [unit.id], n, v)),
            )


def verdicts(show: Show) -> Iterator[Snag]:
    for verdict in show.verdicts:
        unit = show.unit(verdict.unit)
        if unit is None:
            continue
        note = f" “{verdict.note}”" if verdict.note else ""
        if not holds(show, verdict):
            yield Snag(
                "verdict-stale", NOTE, f"{unit.number} was proven before its patch or route changed.", "Roll call", (unit.id,), "answered"
            )
        elif verdict.result == "silent":
            yield Snag("silent", FAULT, f"{unit.number} is silent.{note}", "Roll call", (unit.id,), "answered")
        elif verdict.result == "wrong":
            yield Snag("wrong", FAULT, f"{unit.number} does not do what it should.{note}", "Roll call", (unit.id,), "answered")


def too_wide(show: Show) -> Iterator[Snag]:
    """A mode of more slots than a universe has cannot stand in one stretch."""
    profiles = profiles_of(show)
    for unit in show.units:
        found = profiles.mode_of(unit)
        if found and any(size > SLOTS for _, size in chart(*found).footprints):
            yield Snag("too-wide", FAULT, f"{unit.number} takes more than {SLOTS} slots in one block.", "Patch", (unit.id,), "address")


def unused_universes(show: Show) -> Iterator[Snag]:
    used = by_universe(all_spans(show))
    for universe in sorted({o.universe for o in show.outputs if o.enabled} - set(used)):
        yield Snag("empty-universe", NOTE, f"Universe {universe} is sent and has no unit.", "Routes", (), "", None, universe)


RULES = (
    unreadable_profiles,
    unknown_modes,
    overlaps,
    past_the_end,
    too_wide,
    double_numbers,
    no_address,
    no_route,
    doubled_ports,
    stray_outputs,
    no_place,
    paper_differences,
    verdicts,
    unused_universes,
)
