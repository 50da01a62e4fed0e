"""Fixes of a cause: an edit of the show that takes what really hangs into it, or a setting sent to
a unit or a node.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field

from msgspec.structs import replace

from isthmus.check.findings.cause import ELSEWHERE, Cause
from isthmus.check.findings.lines import reaches
from isthmus.check.findings.model import Model
from isthmus.check.matched import Match
from isthmus.check.setting import Change
from isthmus.patch.addresses import blocks_at, put
from isthmus.patch.edits import change_units, set_mode
from isthmus.patch.limits import set_handling
from isthmus.plural import many
from isthmus.profiles import profiles_of
from isthmus.routes import Reach
from isthmus.routes.edits import change_output
from isthmus.show.records import PLAIN_HANDLING, Patched, Show


@dataclass(frozen=True)
class Fix:
    """`edit` changes the show; or `changes` are sent to devices, `port` = (node id, port, number)
    to a node.
    """

    label: str
    edit: Callable[[Show], Show] | None = field(default=None, compare=False)
    changes: tuple[Change, ...] = ()
    port: tuple[str, int, int] | None = None


def mends_for(model: Model, cause: Cause, matches: Sequence[Match] = ()) -> list[Fix]:
    """What could be done about a cause from here, the edit of the show first."""
    if cause.kind in ("address", "double", "exchanged", "shifted", "run", "mode"):
        return _places(model, cause, matches)
    unit = str(cause.about[0])
    handling = {
        "swapped": "swap",
        "pan inverted": "invert_pan",
        "tilt inverted": "invert_tilt",
    }.get(cause.kind)
    if handling and unit in model.units:
        now = bool(getattr(model.units[unit].handling, handling))
        words = {
            "swap": "Swap pan and tilt",
            "invert_pan": "Invert pan",
            "invert_tilt": "Invert tilt",
        }[handling]
        return [
            Fix(
                f"{words} of {model.units[unit].number} in the show",
                lambda s: set_handling(s, [unit], **{handling: not now}),
            )
        ]
    if cause.kind == "show" and unit in model.units:
        free = lambda s: change_units(  # noqa: E731
            s, [unit], lambda u: replace(u, limits=(), handling=PLAIN_HANDLING)
        )
        return [Fix(f"Take limits and handling off {model.units[unit].number}", free)]
    if cause.kind == "port number":
        return _number(model, cause)
    if cause.kind == "output off":
        universe, output = int(str(cause.about[0])), str(cause.about[1])
        return [
            Fix(
                f"Switch that output of universe {universe} on",
                lambda s: change_output(s, output, enabled=True),
            )
        ]
    if cause.kind == "ports exchanged":
        a, b = int(str(cause.about[0])), int(str(cause.about[1]))
        ports = {cause.about[2], cause.about[3]}
        return [
            Fix(f"Exchange where universes {a} and {b} go", lambda s: _exchange(s, a, b, ports))
        ]
    return []


def _places(model: Model, cause: Cause, matches: Sequence[Match]) -> list[Fix]:
    """Take modes and addresses as they are into the patch; or set the units as the patch
    has them.
    """
    if any(s.fault == ELSEWHERE for s in cause.states.values()):
        return []
    targets = {u: (s.mode, s.places[0][1], s.places[0][2]) for u, s in cause.states.items()}
    count = len(targets)
    who = str(model.units[next(iter(targets))].number) if count == 1 else many(count, "unit")
    what = "mode" if cause.kind == "mode" else "addresses" if count > 1 else "address"
    out = [Fix(f"Take the {what} of {who} into the patch as it is", lambda s: as_hung(s, targets))]
    if cause.kind == "double":  # two units at one address would stay so in the patch as well
        out = []
    by_unit = {m.unit.id: m.device for m in matches if m.unit and m.device}
    changes: list[Change] = []
    for unit, state in cause.states.items():
        device = by_unit.get(unit)
        if device is None or device.info is None:
            return out
        normal = model.expected(unit)
        if state.mode != normal.mode:
            named = [
                i for i, (name, _) in enumerate(device.personalities, 1) if name == normal.mode
            ]
            if not named:
                return out
            changes.append(Change(device, "mode", device.mode, normal.mode, named[0]))
        if device.address != normal.places[0][2]:
            changes.append(
                Change(
                    device,
                    "address",
                    f"{device.address:03d}",
                    f"{normal.places[0][2]:03d}",
                    normal.places[0][2],
                )
            )
    if changes:
        out.append(Fix(f"Set {who} by RDM as the patch has it", None, tuple(changes)))
    return out


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


def _number(model: Model, cause: Cause) -> list[Fix]:
    key, universe, number = cause.about
    node_id, port = key  # type: ignore[misc]
    node = next((n for n in model.show.nodes if n.id == node_id), None)
    if node is None:
        return []
    wanted, reach = int(str(number)), Reach(model.show)
    mine = [
        o for o in reach.of_port.get((node_id, port), ()) if o.enabled and o.universe == universe
    ]

    def follow(show: Show) -> Show:
        for output in mine:
            show = change_output(
                show,
                output.id,
                **({"port_address": wanted} if output.protocol == "artnet" else {"sacn": wanted}),
            )
        nodes = tuple(
            replace(n, ports=tuple(wanted if i == port else x for i, x in enumerate(n.ports, 1)))
            if n.id == node_id
            else n
            for n in show.nodes
        )
        return replace(show, nodes=nodes)

    shared = any(
        len(reach.of_output[o.id]) > 1 for o in mine
    )  # what feeds other ports as well stays as it is
    taken = any(  # two universes at one number would only be mixed
        o.enabled
        and o.universe != universe
        and (o.protocol, o.number) == (node.protocol, wanted)
        and reaches(o, node.ip)
        for o in model.show.outputs
    )
    out = (
        []
        if shared or taken
        else [Fix(f"Send universe {universe} to where the port listens", follow)]
    )
    if node.protocol == "artnet":
        out.append(
            Fix(
                f"Set port {port} of {node.name} back",
                None,
                (),
                (node.id, port, node.ports[port - 1]),
            )
        )
    return out


def _exchange(show: Show, a: int, b: int, ports: Collection[object]) -> Show:
    """The two universes go where the other one went, at these ports."""
    other, reach = {a: b, b: a}, Reach(show)
    here = {
        o.id
        for o in show.outputs
        if o.universe in other and any(p.key in ports for p in reach.of_output[o.id])
    }
    return replace(
        show,
        outputs=tuple(
            replace(o, universe=other[o.universe]) if o.id in here else o for o in show.outputs
        ),
    )
