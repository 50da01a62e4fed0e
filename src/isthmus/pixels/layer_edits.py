"""Layer sets and their layers made and changed. Pure edits."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from msgspec.structs import replace

from isthmus.errors import EntryFault
from isthmus.pixels.generators import GENERATORS
from isthmus.show.records import LayerSet, PictureLayer, Show, new_id

MOST, MOST_SETS = 32, 999  # layers of a set, and numbers of sets
LONGEST = 40  # letters of a name
SOURCES = (*GENERATORS, "text", "media")


def set_of(show: Show, set_id: str) -> LayerSet:
    """Raises EntryFault when it is gone."""
    found = next((one for one in show.layer_sets if one.id == set_id), None)
    if found is None:
        raise EntryFault("That layer set is gone.")
    return found


def set_named(show: Show, text: str) -> LayerSet:
    """By its number or name. Raises EntryFault."""
    plain = " ".join(text.split()).casefold()
    for one in show.layer_sets:
        if plain in (str(one.number), one.name.casefold()):
            return one
    raise EntryFault(f"There is no layer set “{text.strip()}”.", do="Write its number or name.")


def say_sets(show: Show, ids: tuple[str, ...]) -> str:
    """`Flames, 3`: by name, or by number where there is none."""
    there = {one.id: one for one in show.layer_sets}
    told = [there[i].name or str(there[i].number) for i in ids if i in there]
    return ", ".join(told + ["a set that is gone"] * (len(ids) - len(told)))


def read_sets(show: Show, text: str) -> tuple[str, ...]:
    """Sets by id, of numbers or names. Raises EntryFault."""
    parts = [part for part in text.split(",") if part.strip()]
    return tuple(dict.fromkeys(set_named(show, part).id for part in parts))


def put_set(show: Show, one: LayerSet) -> tuple[Show, str]:
    """A new set (id "") or another in the place of the one with its id. Returns its id too. Raises
    EntryFault for a number that is taken, or too many layers.
    """
    used = {other.number for other in show.layer_sets if other.id != one.id}
    number = one.number or max(used, default=0) + 1
    made = replace(one, id=one.id or new_id(), number=number, name=_name(one.name))
    if not 1 <= number <= MOST_SETS:
        raise EntryFault(f"A layer set has a number from 1 to {MOST_SETS}.")
    if number in used:
        raise EntryFault(f"Layer set {number} is there already.", do="Take another number.")
    if len(made.layers) > MOST:
        raise EntryFault(f"A set has {MOST} layers at most.")
    there = any(o.id == made.id for o in show.layer_sets)
    kept = tuple(made if o.id == made.id else o for o in show.layer_sets)
    return replace(show, layer_sets=kept if there else (*show.layer_sets, made)), made.id


def _name(text: str) -> str:
    return " ".join(text.split())[:LONGEST]


def remove_set(show: Show, set_id: str) -> Show:
    """Looks that showed it do so no more."""
    looks = tuple(
        replace(look, pictures=tuple(p for p in look.pictures if p != set_id))
        if set_id in look.pictures
        else look
        for look in show.looks
    )
    kept = tuple(one for one in show.layer_sets if one.id != set_id)
    return replace(show, layer_sets=kept, looks=looks)


# ------------------------------------------------------------ layers


def add_layer(one: LayerSet, source: str, **has: Any) -> LayerSet:
    """One more in front. Raises EntryFault for a source there is not."""
    if source not in SOURCES:
        raise EntryFault(f"There is no source “{source}”.", do=f"There are {', '.join(SOURCES)}.")
    if source == "text":
        has = {"text": "Words", **has}
    usual = GENERATORS[source].usual() if source in GENERATORS else {}
    has["settings"] = {**usual, **has.get("settings", {})}
    return replace(one, layers=(*one.layers, PictureLayer(id=new_id(), source=source, **has)))


def layer_of(one: LayerSet, layer_id: str) -> PictureLayer:
    """Raises EntryFault when it is gone."""
    found = next((layer for layer in one.layers if layer.id == layer_id), None)
    if found is None:
        raise EntryFault("That layer is gone.")
    return found


def change_layer(one: LayerSet, layer_id: str, changes: Mapping[str, Any]) -> LayerSet:
    """Another source brings its own settings along."""
    old = layer_of(one, layer_id)
    made = replace(old, **{**changes, "name": _name(changes.get("name", old.name))})
    if made.source != old.source and made.source in GENERATORS:
        made = replace(made, settings=GENERATORS[made.source].usual())
    return replace(one, layers=tuple(made if x.id == layer_id else x for x in one.layers))


def move_layer(one: LayerSet, layer_id: str, to: int) -> LayerSet:
    """To another place in the order from back to front."""
    layer = layer_of(one, layer_id)
    rest = [x for x in one.layers if x.id != layer_id]
    to = max(0, min(len(rest), to))
    return replace(one, layers=(*rest[:to], layer, *rest[to:]))


def remove_layer(one: LayerSet, layer_id: str) -> LayerSet:
    return replace(one, layers=tuple(x for x in one.layers if x.id != layer_id))


def double_layer(one: LayerSet, layer_id: str) -> LayerSet:
    """A copy right in front of it."""
    at = next((i for i, x in enumerate(one.layers) if x.id == layer_id), len(one.layers) - 1)
    copy = replace(layer_of(one, layer_id), id=new_id())
    return replace(one, layers=(*one.layers[: at + 1], copy, *one.layers[at + 1 :]))
