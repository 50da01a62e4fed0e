"""Fixes of a cause: an edit of the show that takes what really hangs into it, or a setting sent to
a unit or a node.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from isthmus.check.devices import Device
from isthmus.check.findings.cause import ELSEWHERE
from isthmus.check.findings.model import Model, State
from isthmus.check.matched import Match
from isthmus.check.setting import Change
from isthmus.patch.addresses import blocks_at, put
from isthmus.patch.edits import set_mode
from isthmus.plural import many
from isthmus.profiles import profiles_of
from isthmus.show.records import Patched, Show


@dataclass(frozen=True)
class Fix:
    """`edit` changes the show; or `changes` are sent to devices, `port` = (node id, port, number)
    to a node.
    """

    label: str
    edit: Callable[[Show], Show] | None = field(default=None, compare=False)
    changes: tuple[Change, ...] = ()
    port: tuple[str, int, int] | None = None


def place_fixes(
    model: Model, states: Mapping[str, State], matches: Sequence[Match], what: str = "address"
) -> list[Fix]:
    """Take modes and addresses as they are into the patch; or set the units as the patch
    has them, by RDM where all of them were discovered.
    """
    if any(s.fault == ELSEWHERE for s in states.values()):
        return []
    targets = {u: (s.mode, s.places[0][1], s.places[0][2]) for u, s in states.items()}
    count = len(targets)
    who = str(model.units[next(iter(targets))].number) if count == 1 else many(count, "unit")
    some = "addresses" if what == "address" and count > 1 else what
    out = [Fix(f"Take the {some} of {who} into the patch as it is", lambda s: as_hung(s, targets))]
    by_unit = {m.unit.id: m.device for m in matches if m.unit and m.device}
    changes: list[Change] = []
    for unit in states:
        needed = _set_by_rdm(by_unit.get(unit), model.expected(unit))
        if needed is None:
            return out
        changes += needed
    if changes:
        out.append(Fix(f"Set {who} by RDM as the patch has it", None, tuple(changes)))
    return out


def _set_by_rdm(device: Device | None, normal: State) -> list[Change] | None:
    """What is to be set at a device; None when it cannot be told or reached."""
    if device is None or device.info is None:
        return None
    changes: list[Change] = []
    if device.mode != normal.mode:
        named = [i for i, (name, _) in enumerate(device.personalities, 1) if name == normal.mode]
        if not named:
            return None
        changes.append(Change(device, "mode", device.mode, normal.mode, named[0]))
    address = normal.places[0][2]
    if device.address != address:
        now, then = f"{device.address:03d}", f"{address:03d}"
        changes.append(Change(device, "address", now, then, address))
    return changes


def block_as_hung(show: Show, unit_id: str, block: int, universe: int, address: int) -> Show:
    """One block of a unit where it really listens, the others as they are."""
    unit = show.unit(unit_id)
    rest = tuple(p for p in unit.patch if p.block != block) if unit else ()
    here = Patched(block=block, universe=universe, address=address)
    return put(show, {unit_id: tuple(sorted((*rest, here), key=lambda p: p.block))})


def as_hung(show: Show, targets: Mapping[str, tuple[str, int, int]]) -> Show:
    """Units put where they really listen: unit → (mode, universe, address). Raises EntryFault for a
    mode no unit has.
    """
    for unit, (mode, _, _) in targets.items():
        found = show.unit(unit)
        if found and found.mode != mode:
            show = set_mode(show, [unit], mode)
    profiles = profiles_of(show)
    patches: dict[str, tuple[Patched, ...]] = {}
    for unit_id, (_, universe, address) in targets.items():
        unit = show.unit(unit_id)
        mode_of = profiles.mode_of(unit) if unit else None
        if unit and mode_of:
            patches[unit_id] = blocks_at(*mode_of, universe, address)
    return put(show, patches)
