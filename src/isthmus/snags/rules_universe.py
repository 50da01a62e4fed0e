"""Rules that look at one universe: who claims what twice, and whether it leads anywhere."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from isthmus.patch import edits
from isthmus.patch.index import Room, bits
from isthmus.patch.spans import Span
from isthmus.plural import many
from isthmus.profiles import chart
from isthmus.routes import Reach
from isthmus.routes import edits as route_edits
from isthmus.show.address import write_address
from isthmus.show.records import SLOTS
from isthmus.snags.context import Context
from isthmus.snags.records import FAULT, NOTE, Fix, Snag

UniverseRule = Callable[[Context, int], Iterator[Snag]]


def overlaps(at: Context, number: int) -> Iterator[Snag]:
    for clash in at.index.universe(number).clashes:
        later = max((clash.a, clash.b), key=lambda s: (s.start, s.number))
        places = write_address(number, clash.first)
        if clash.last > clash.first:
            places += f" to {write_address(number, clash.last)}"
        text = f"Units {clash.a.number} and {clash.b.number} both use {places}."
        yield Snag(
            "overlap",
            FAULT,
            text,
            "Patch",
            (clash.a.unit, clash.b.unit),
            "address",
            _apart(at, later),
            number,
        )


def _apart(at: Context, later: Span) -> Fix | None:
    unit = at.index.by_id[later.unit]
    if len(unit.patch) != 1 or unit.locked:
        return None
    spot = Room({later.universe: at.index.universe(later.universe)}, [later]).find(
        later.length, later.universe, min(later.start, SLOTS)
    )
    if spot and spot[0] != later.universe:
        spot = Room(at.index.universes, [later]).find(
            later.length, later.universe, min(later.start, SLOTS)
        )
    if spot is None:
        return None
    return Fix(
        f"Move {later.number} to {write_address(*spot)}",
        lambda s: edits.set_address(s, [later.unit], spot),
    )


def room_used_up(at: Context, number: int) -> Iterator[Snag]:
    spans = at.index.universe(number).spans
    for span in spans:
        if span.room > span.length:
            kept = bits(span.end + 1, span.start + span.room - 1)
            within = [o for o in spans if o.unit != span.unit and kept & bits(o.start, o.end)]
            if within:
                last = write_address(number, min(SLOTS, span.start + span.room - 1))
                text = (
                    f"The room kept for {span.number} up to {last} is used by "
                    f"{', '.join(str(o.number) for o in within[:4])}."
                )
                yield Snag(
                    "room-used",
                    NOTE,
                    text,
                    "Patch",
                    (span.unit, *(o.unit for o in within)),
                    "",
                    None,
                    number,
                )


def merged_both_ways(at: Context, number: int) -> Iterator[Snag]:
    for clash in at.index.universe(number).clashes:
        mine, other = _highest(at, clash.a), _highest(at, clash.b)
        for slot in range(clash.first, min(clash.last, SLOTS) + 1):
            if (
                mine.get(slot, None) is not None
                and other.get(slot, None) is not None
                and mine[slot] != other[slot]
            ):
                units = f"Units {clash.a.number} and {clash.b.number}"
                text = (
                    f"{units} share {write_address(number, slot)}, which is HTP in one and LTP "
                    "in the other."
                )
                yield Snag(
                    "merge-mixed",
                    NOTE,
                    text,
                    "Patch",
                    (clash.a.unit, clash.b.unit),
                    "",
                    None,
                    number,
                )
                break


def _highest(at: Context, span: Span) -> dict[int, bool]:
    """Slot → whether its channel merges by highest takes precedence: a dimmer that follows the
    grand master.
    """
    mode = at.profiles.mode_of(at.index.by_id[span.unit])
    found: dict[int, bool] = {}
    for item in chart(*mode).channels if mode else ():
        grand = bool(item.channel.logical) and item.channel.logical[0].master == "Grand"
        for block, offset in item.slots:
            if block == span.block:
                found[span.start + offset - 1] = grand
    return found


def no_route(at: Context, number: int) -> Iterator[Snag]:
    spans = at.index.universe(number).spans
    if number in at.lead or not spans:
        return
    units = tuple(dict.fromkeys(span.unit for span in spans))
    has = f"Universe {number} has {many(len(units), 'unit')}"
    fix = None
    ids = [o.id for o in at.show.outputs if o.universe == number and not o.enabled]
    if ids:
        text = f"{has}, and its output is switched off."
        fix = Fix("Switch it on", lambda s: route_edits.change_output(s, ids[0], enabled=True))
    else:
        text = f"{has} and no output: nothing of it reaches the rig."
        spare = Reach(at.show).free()
        if spare:
            port = spare[0]
            fix = Fix(
                f"Send it to {port.label}",
                lambda s: route_edits.add(s, route_edits.to_port(number, port)),
            )
    yield Snag("no-route", FAULT, text, "Routes", units, "route", fix, number)


def unused(at: Context, number: int) -> Iterator[Snag]:
    if number in at.lead and not at.index.universe(number).spans:
        yield Snag(
            "empty-universe",
            NOTE,
            f"Universe {number} is sent and has no unit.",
            "Routes",
            (),
            "",
            None,
            number,
        )


UNIVERSE_RULES: tuple[UniverseRule, ...] = (
    overlaps,
    room_used_up,
    merged_both_ways,
    no_route,
    unused,
)
