"""What is wrong with the network, as far as it can be told from here: each with the calculation and
how to fix it.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from isthmus.net import ipv4
from isthmus.net.adapters import Adapter, Choice, adapter_for
from isthmus.net.found import FoundNode
from isthmus.plural import many
from isthmus.show.records import Show

OUTSIDE, TWICE, MASK, LEADS_NOWHERE, DOWN, GONE = (
    "outside",
    "twice",
    "mask",
    "leads-nowhere",
    "link-down",
    "adapter-gone",
)


@dataclass(frozen=True)
class Trouble:
    """`why` is the calculation in plain words; `ways` how to fix it, the nearest first."""

    kind: str
    severity: str
    text: str
    why: str = ""
    ways: tuple[ipv4.Change, ...] = ()
    ip: str = ""


@dataclass(frozen=True)
class Device:
    """Something that is sent to: an expected node, a found one, or a bare destination."""

    name: str
    ip: str
    mask: str = ""
    universes: tuple[int, ...] = ()


def devices(show: Show, found: Sequence[FoundNode] = ()) -> list[Device]:
    """Everything the show sends to or expects, and what answers besides, by address."""
    sent: dict[str, set[int]] = defaultdict(set)
    for output in show.outputs:
        for host in output.hosts if output.enabled else ():
            sent[host].add(output.universe)
    masks = {node.ip: node.mask for node in found}
    out = [
        Device(n.name, n.ip, n.mask or masks.get(n.ip, ""), tuple(sorted(sent.pop(n.ip, ()))))
        for n in show.nodes
    ]
    known = {d.ip for d in out}
    for node in found:
        if node.ip not in known:
            out.append(
                Device(
                    node.name or node.ip, node.ip, node.mask, tuple(sorted(sent.pop(node.ip, ())))
                )
            )
    return out + [
        Device(host, host, "", tuple(sorted(universes))) for host, universes in sent.items()
    ]


WORDS = {"artnet": "Art-Net", "sacn": "sACN"}


def check(
    show: Show,
    adapters: Sequence[Adapter],
    choices: dict[str, Choice],
    found: Sequence[FoundNode] = (),
) -> list[Trouble]:
    """`choices` are the adapters by protocol ("artnet", "sacn")."""
    all_devices = devices(show, found)
    taken = frozenset([d.ip for d in all_devices] + [a.ip for a in adapters])
    used = {o.protocol for o in show.outputs if o.enabled} | {n.protocol for n in show.nodes}
    out: list[Trouble] = []
    for protocol, choice in choices.items():
        if protocol in used:
            out += _chosen(WORDS[protocol], choice, adapters, all_devices)
    for device in all_devices:
        out += _device(device, adapters, choices, taken)
    return [*out, *_same_address(all_devices, adapters), *_answers_twice(found)]


def _chosen(
    protocol: str, choice: Choice, adapters: Sequence[Adapter], all_devices: Sequence[Device]
) -> Iterator[Trouble]:
    """What is wrong with the adapter of a protocol."""
    adapter = choice.adapter
    if adapter is None:
        yield Trouble(GONE, "fault", f"{protocol} goes nowhere: {choice.why}.")
        return
    if not adapter.up:
        text = f"{adapter.name} has no link: nothing of {protocol} leaves this computer."
        do = "Look at its cable, and at the lamp beside its socket."
        yield Trouble(DOWN, "fault", text, do, (), adapter.ip)
    mine = [d for d in all_devices if not d.ip.startswith("127.") or adapter.local]
    if choice.asked and mine and not any(adapter.holds(d.ip) for d in mine):
        text = (
            f"{adapter.words}, chosen for {protocol}, leads to none of the "
            f"{many(len(mine), 'node')}."
        )
        better = max(adapters, key=lambda a: sum(a.holds(d.ip) for d in mine), default=None)
        count = sum(better.holds(d.ip) for d in mine) if better else 0
        why = "No adapter of this computer does."
        if better and count:
            why = f"{better.words} would lead to {count} of them."
        yield Trouble(LEADS_NOWHERE, "fault", text, why, (), adapter.ip)


def _same_address(all_devices: Sequence[Device], adapters: Sequence[Adapter]) -> Iterator[Trouble]:
    for ip, count in Counter([d.ip for d in all_devices] + [a.ip for a in adapters]).items():
        if count > 1 and not ip.startswith("127."):
            names = [d.name for d in all_devices if d.ip == ip]
            names += [f"{a.name} of this computer" for a in adapters if a.ip == ip]
            text = f"{' and '.join(names)} have the same address, {ip}."
            yield Trouble(TWICE, "fault", text, "Give one of them another.", (), ip)


def _answers_twice(found: Sequence[FoundNode]) -> Iterator[Trouble]:
    """One address, and more than one network card that answers for it."""
    for node in found:
        if len(node.macs) > 1:
            text = f"{many(len(node.macs), 'device')} have the address {node.ip}."
            why = (
                f"Hardware addresses {' and '.join(node.macs)} answer for it. Switch one device "
                "off and see which one goes silent."
            )
            yield Trouble(TWICE, "fault", text, why, (), node.ip)


def _device(
    device: Device, adapters: Sequence[Adapter], choices: dict[str, Choice], taken: frozenset[str]
) -> list[Trouble]:
    holding = adapter_for(adapters, device.ip)
    named = (
        f"{', '.join(map(str, device.universes[:6]))} "
        f"{'go' if len(device.universes) != 1 else 'goes'} there."
    )
    fed = f" Universe{'s' * (len(device.universes) != 1)} {named}" if device.universes else ""
    if holding is None:
        away = [a for a in adapters if not a.local and a.up]
        chosen = [
            c.adapter for c in choices.values() if c.adapter and not c.adapter.local and c.asked
        ]
        nearest = max(
            [*chosen, *away],
            key=lambda a: (a in chosen, ipv4.common_bits(a.ip, device.ip)),
            default=None,
        )
        text = f"{device.name}, {device.ip}, lies outside every network of this computer.{fed}"
        if nearest is None:
            why = "This computer has no adapter with a network: plug one in, or give it an address."
            return [
                Trouble(
                    OUTSIDE, "fault" if device.universes else "attention", text, why, (), device.ip
                )
            ]
        why = ipv4.explain(nearest.name, nearest.ip, nearest.mask, device.name, device.ip)
        ways = ipv4.ways_to_meet(
            nearest.name, nearest.ip, nearest.mask, device.name, device.ip, device.mask, taken
        )
        return [
            Trouble(
                OUTSIDE,
                "fault" if device.universes else "attention",
                text,
                why,
                tuple(ways),
                device.ip,
            )
        ]
    if device.mask and device.mask != holding.mask and not holding.local:
        back = ipv4.same(device.ip, device.mask, holding.ip)
        text = f"{device.name} has the mask {device.mask}, {holding.name} has {holding.mask}."
        why = ipv4.explain(device.name, device.ip, device.mask, holding.name, holding.ip) + (
            " They meet anyway; broadcasts may not."
            if back
            else " It hears this computer and cannot answer."
        )
        way = ipv4.Change(
            "node", device.ip, holding.mask, 1, f"At {device.name} set the mask {holding.mask}."
        )
        return [Trouble(MASK, "attention" if back else "fault", text, why, (way,), device.ip)]
    return []
