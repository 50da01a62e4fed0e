"""What a unit's gel text means: one gel or several stacked, of which book, and the colour that
makes.
"""

from __future__ import annotations

import contextlib
from collections.abc import Collection, Iterable, Sequence

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from isthmus.errors import EntryFault
from isthmus.gels.books import Book
from isthmus.gels.spectrum import DAYLIGHT, TUNGSTEN, curve_from_rgb, rgb_through
from isthmus.patch.edits import change_units, set_text
from isthmus.plural import many
from isthmus.show.records import Gel, Show, Unit

OPEN = ("open", "none", "no colour", "nc", "clear", "-", "–")
MOST = 6  # gels in one frame


def split_gels(text: str) -> list[str]:
    """`Kelp 7 + Dusk 3` as its parts; an open frame has none."""
    parts = [" ".join(part.split()) for part in text.split("+")]
    return [part for part in parts if part and part.lower() not in OPEN]


def find_gels(gels: Sequence[Gel], name: str) -> list[Gel]:
    """Gels meant by a code, or by book and code; several when the code stands in several books."""
    wanted = name.lower()
    exact = [g for g in gels if f"{g.book} {g.code}".lower() == wanted]
    return exact or [g for g in gels if g.code.lower() == wanted]


def full_name(gel: Gel, gels: Sequence[Gel]) -> str:
    """The shortest text that means this gel and no other: its code, with the book before it where
    another has it too.
    """
    return gel.code if len(find_gels(gels, gel.code)) == 1 else f"{gel.book} {gel.code}"


def colour_of(gels: Sequence[Gel], text: str, daylight: bool = False) -> NDArray[np.float64] | None:
    """Linear sRGB of a gel text relative to the open lamp; None when a part of it is unknown or
    means several gels.
    """
    kept = _KEPT.get(id(gels))
    if kept is None or kept[0] is not gels:
        if len(_KEPT) > 16:
            _KEPT.clear()
        kept = _KEPT[id(gels)] = (gels, {})
    if (text, daylight) not in kept[1]:
        kept[1][text, daylight] = _colour(gels, text, daylight)
    return kept[1][text, daylight]


_KEPT: dict[
    int, tuple[Sequence[Gel], dict[tuple[str, bool], NDArray[np.float64] | None]]
] = {}  # by identity: records hold a dict


def _colour(gels: Sequence[Gel], text: str, daylight: bool) -> NDArray[np.float64] | None:
    found = [find_gels(gels, part) for part in split_gels(text)]
    if not found or any(len(each) != 1 for each in found) or len(found) > MOST:
        return None
    chosen = [each[0] for each in found]
    if len(chosen) == 1:
        return np.array((chosen[0].daylight or chosen[0].rgb) if daylight else chosen[0].rgb)
    curve = np.prod(
        [np.array(g.curve) if g.curve else curve_from_rgb(np.array(g.rgb)) for g in chosen], axis=0
    )
    return rgb_through(curve, DAYLIGHT if daylight else TUNGSTEN)


def set_gel(show: Show, ids: Collection[str], text: str, books: Iterable[Book] = ()) -> Show:
    """Give units a gel, or several stacked with a plus; what the show does not know is taken from
    the books at hand.

    A code no book has is kept as it is typed (the paper may know better); one that two books have
    needs the book.
    """
    offered = [gel for book in books for gel in book.gels]
    parts = []
    for part in split_gels(text):
        choices = {
            (g.book, g.code): g for g in (*find_gels(offered, part), *find_gels(show.gels, part))
        }
        if len(choices) > 1:
            names = " or ".join(f"{b} {c}" for b, c in list(choices)[:4])
            raise EntryFault(
                f"“{part}” stands in {len(choices)} swatch books.", do=f"Write {names}."
            )
        if choices:
            (gel,) = choices.values()
            if gel not in show.gels:
                show = _told_apart(replace(show, gels=(*show.gels, gel)), gel)
            part = full_name(
                gel, [*show.gels, *(other for other in offered if other.book != gel.book)]
            )
        parts.append(part)
    if len(parts) > MOST:
        raise EntryFault(
            f"{many(len(parts), 'gel')} in one frame are too many.", do=f"Stack {MOST} at the most."
        )
    return set_text(show, ids, "gel", " + ".join(parts))


def resolve_gels(show: Show, ids: Collection[str], books: Iterable[Book]) -> Show:
    """Gels that units name already, looked for in the books at hand; what no book has, or several,
    stays as it is.
    """
    books, index = list(books), {unit.id: unit for unit in show.units}
    by_text: dict[str, list[str]] = {}
    for unit_id in ids:
        if unit_id in index and index[unit_id].gel:
            by_text.setdefault(index[unit_id].gel, []).append(unit_id)
    for text, units in by_text.items():
        with contextlib.suppress(EntryFault):
            show = set_gel(show, units, text, books)
    return show


def _told_apart(show: Show, fresh: Gel) -> Show:
    """Units that named an older gel of the same code by the code alone go on meaning it, by its
    book.
    """
    others = [g for g in show.gels if g.code.lower() == fresh.code.lower() and g.book != fresh.book]
    if len(others) != 1:
        return show

    def change(unit: Unit) -> Unit:
        parts = [
            f"{others[0].book} {part}" if part.lower() == fresh.code.lower() else part
            for part in split_gels(unit.gel)
        ]
        return replace(unit, gel=" + ".join(parts)) if parts != split_gels(unit.gel) else unit

    return change_units(show, [unit.id for unit in show.units if unit.gel], change)
