"""Single addresses of a roll call: whose each is, what it does there, and what a verdict about it
says of its owner.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator

from isthmus.check.acts import BEAM, COLOUR, LIGHT, MOVEMENT
from isthmus.check.verdicts import mark
from isthmus.patch.index import index_of
from isthmus.profiles import light_program, profiles_of
from isthmus.profiles.attributes import plain
from isthmus.profiles.chart import ChartChannel
from isthmus.show.records import Show, Unit

Slot = tuple[int, int]


def owners(show: Show, slot: Slot) -> Iterator[tuple[Unit, ChartChannel, int]]:
    """Everybody which units listen at an address: the unit, its channel, and which byte of it, 0
    the coarse one.
    """
    universe, address = slot
    for span in index_of(show).universe(universe).spans:
        unit = index_of(show).by_id.get(span.unit)
        found = profiles_of(show).mode_of(unit) if unit else None
        if not unit or not found or not span.start <= address <= span.end:
            continue
        for item in light_program(*found).chart.channels:
            for byte, place in enumerate(item.slots):
                if place == (span.block, address - span.start + 1):
                    yield unit, item, byte


def say_slot(show: Show, slot: Slot) -> str:
    """Who owns an address and what it does: `101 Low front: pan (coarse)`."""
    return (
        "; ".join(
            f"{unit.number} {unit.name}: {_does(item, byte)}"
            for unit, item, byte in owners(show, slot)
        )
        or "no one"
    )


def _does(item: ChartChannel, byte: int) -> str:
    fine = (
        ""
        if len(item.slots) == 1
        else " (coarse)"
        if byte == 0
        else " (fine)"
        if byte == 1
        else f" (byte {byte + 1})"
    )
    return f"{plain(item.attribute)}{fine}{f', cell {item.cell}' if item.cell else ''}"


def _way(attribute: str) -> tuple[str, str]:
    """(way of being wrong, the act that shows it) of an attribute that does not do its work; ""
    where no way fits.
    """
    if attribute in ("Pan", "Tilt"):
        return attribute.casefold(), MOVEMENT
    if attribute.startswith("Color"):
        return "colour", COLOUR
    return ("beam", BEAM) if attribute in ("Zoom", "Iris", "Gobo1", "Shutter1") else ("", LIGHT)


def mark_slot(
    show: Show, slot: Slot, result: str, note: str = "", what: Collection[str] = (), by: str = ""
) -> Show:
    """What an address that does not do its work says of its owners: they are wrong, and the note
    names the address.

    One that answers alone proves no unit, and changes nothing. Raises EntryFault as `mark`
    does.
    """
    if result not in ("wrong", "silent"):
        return show
    for unit, item, byte in owners(show, slot):
        way, act = _way(item.attribute)
        have = next((v for v in show.verdicts if v.unit == unit.id and v.result == "wrong"), None)
        words = (
            f"{slot[0]}.{slot[1]:03d} {_does(item, byte)} "
            f"{'does nothing' if result == 'silent' else 'wrong'}"
        )
        notes = [have.note] if have and have.note else []
        ways = {*(have.what if have else ()), *(what or ((way,) if way else ()))}
        acts = dict.fromkeys((LIGHT, act, *(have.acts if have else ())))
        all_notes = "; ".join([*notes, ": ".join(x for x in (words, note) if x)])
        show = mark(
            show,
            unit.id,
            "wrong",
            all_notes,
            None,
            ways,
            have.others if have else (),
            tuple(acts),
            by,
        )
    return show
