"""Which thing of one show is which of another: by id, else by number or name, else by what most of
it says.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from msgspec.msgpack import encode

from isthmus.compare.assigning import assigned
from isthmus.compare.references import key_of, keys_of, references
from isthmus.show.records import Show, Unit

# what things of a kind go by when nobody knows their ids; the first that tells them apart counts
SECOND: dict[str, tuple[Callable[[Any], Any], ...]] = {
    "units": (lambda u: u.number,),
    "structures": (lambda s: (s.kind, s.name) if s.name else None,),
    "sheets": (lambda s: (s.kind, s.name),),
    "nodes": (lambda n: n.ip, lambda n: n.name),
    "outputs": (lambda o: (o.universe, o.host, o.protocol, o.number, o.role),),
    "groups": (lambda g: g.name,),
    "palettes": (lambda p: (p.kind, p.number), lambda p: (p.kind, p.name)),
    "looks": (lambda x: x.number, lambda x: x.name or None),
    "cue_lists": (lambda x: x.number,),
    "grids": (lambda x: x.number, lambda x: x.name or None),
    "media": (lambda m: m.file,),
    "layer_sets": (lambda x: x.number, lambda x: x.name or None),
}
MOST = 1500  # units left on both sides that are matched as a whole
LIKE = 0.5  # of what is said of a unit: less in common, and it is another one


def matched(old: Show, new: Show) -> dict[str, dict[str, str]]:
    """Kind → id in `new` → id in `old`, of things that are the same under other ids."""
    found: dict[str, dict[str, str]] = {}
    for kind, seconds in SECOND.items():
        before, after = getattr(old, kind), getattr(new, kind)
        if before is after:
            continue
        keys, there = set(keys_of(kind, before)), set(keys_of(kind, after))
        if keys <= there or there <= keys:  # nothing that could be something else
            continue
        left = [x for x in before if key_of(kind, x) not in there]
        fresh = [x for x in after if key_of(kind, x) not in keys]
        pairs: dict[str, str] = {}
        for second in seconds:
            pairs |= _paired(kind, left, fresh, second, pairs)
        if kind == "units":
            pairs |= _as_a_whole(left, fresh, pairs)
        if pairs:
            found[kind] = pairs
    return _that_can_be(found, new) if found else found


def _that_can_be(found: dict[str, dict[str, str]], new: Show) -> dict[str, dict[str, str]]:
    """Without those whose other id the newer show names already, for something that is gone."""
    named: dict[str, set[str]] = {}
    for kind, one in references(new):
        named.setdefault(kind, set()).add(one)
    return {
        kind: kept
        for kind, pairs in found.items()
        if (kept := {a: b for a, b in pairs.items() if b not in named.get(kind, ())})
    }


def _paired(
    kind: str, left: list[Any], fresh: list[Any], by: Callable[[Any], Any], have: dict[str, str]
) -> dict[str, str]:
    """Those of which one on each side goes by the same."""
    taken = set(have.values())
    here = _only((by(x), key_of(kind, x)) for x in left if key_of(kind, x) not in taken)
    there = _only((by(x), key_of(kind, x)) for x in fresh if key_of(kind, x) not in have)
    return {there[name]: here[name] for name in there if name in here}


def _only(pairs: Iterable[tuple[Any, str]]) -> dict[Any, str]:
    found: dict[Any, str | None] = {}
    for name, key in pairs:
        if name is not None:
            found[name] = None if name in found else key
    return {name: key for name, key in found.items() if key is not None}


SAID: dict[str, tuple[float, Callable[[Unit], Any]]] = {  # how much it counts; nothing said: None
    "address": (3.0, lambda u: u.patch or None),
    "place": (3.0, lambda u: u.position),
    "profile": (2.0, lambda u: u.profile or None),
    "name": (2.0, lambda u: u.name or None),
    "position": (1.0, lambda u: u.hangs_on or None),
    "mode": (1.0, lambda u: u.mode or None),
    "purpose": (1.0, lambda u: u.purpose or None),
    "gel": (0.5, lambda u: u.gel or None),
}


def _as_a_whole(left: list[Unit], fresh: list[Unit], have: dict[str, str]) -> dict[str, str]:
    """A list from elsewhere, renumbered: the assignment with most in common."""
    taken = set(have.values())
    left = [u for u in left if u.id not in taken]
    fresh = [u for u in fresh if u.id not in have]
    if not left or not fresh or max(len(left), len(fresh)) > MOST:
        return {}
    said = [
        (weight, [_known(of(u)) for u in left], [_known(of(u)) for u in fresh])
        for weight, of in SAID.values()
    ]
    return {fresh[j].id: left[i].id for i, j in assigned(said, LIKE, least=3.0)}


def _known(value: Any) -> bytes | None:
    """What is said as bytes, so that any two values can be told apart; None where nothing is."""
    return None if value is None else encode(value)
