"""Universes and the ways of writing where they go.

An Art-Net port-address is 15 bits: net (7), sub-net (4), universe (4), Art-Net 4 specification,
"Port-Address". sACN universes go from 1 to 63 999, ANSI E1.31-2018, 6.2.7.
"""

from __future__ import annotations

import ipaddress
import re

from isthmus.errors import EntryFault
from isthmus.show.records import UNIVERSES, Output

MAX_PORT_ADDRESS = 0x7FFF
WORDS = {"artnet": "Art-Net", "sacn": "sACN", "dmx": "DMX"}


def write_port_address(port_address: int) -> str:
    """`0.1.3` for net, sub-net and universe."""
    return f"{port_address >> 8}.{(port_address >> 4) & 15}.{port_address & 15}"


def write_number(protocol: str, number: int) -> str:
    """`Art-Net 0.1.3 = 19`, `sACN 5` or `DMX 5`: the same thing in every notation it has. A DMX
    port has no number of its own: its universe's is said.
    """
    if protocol == "artnet":
        return f"Art-Net {write_port_address(number)} = {number}"
    return f"{WORDS[protocol]} {number}"


def write_output(output: Output) -> str:
    """Where an output goes, in words."""
    if output.protocol == "dmx":
        return f"the DMX port {output.device}"
    how = {"multicast": "multicast", "broadcast": "broadcast", "asked": "to nodes that ask"}.get(
        output.delivery, ", ".join(output.hosts)
    )
    return f"{write_number(output.protocol, output.number)}, {how}"


def notations(universe: int) -> tuple[tuple[str, str], ...]:
    """What a universe is called where numbers are kept alike: sACN counts from 1 as we do, Art-Net
    from 0.
    """
    found = [("Universe", str(universe)), ("sACN", str(universe))]
    if universe - 1 <= MAX_PORT_ADDRESS:
        found += [
            ("Art-Net", write_port_address(universe - 1)),
            ("Port-address", str(universe - 1)),
        ]
    return tuple(found)


def read_port_address(text: str) -> int:
    """Read `19` or `0.1.3`. Raises EntryFault."""
    text = text.strip()
    if re.fullmatch(r"\d{1,5}", text) and int(text) <= MAX_PORT_ADDRESS:
        return int(text)
    if match := re.fullmatch(r"(\d{1,3})[./:](\d{1,2})[./:](\d{1,2})", text):
        net, sub, universe = map(int, match.groups())
        if net <= 127 and sub <= 15 and universe <= 15:
            return net << 8 | sub << 4 | universe
    raise EntryFault(
        f"“{text[:30]}” is not an Art-Net port-address.",
        do="Write 0 to 32767, or net.sub-net.universe such as 0.1.3.",
    )


def read_universe(text: str) -> int:
    """A universe as sACN has it. Raises EntryFault."""
    text = text.strip()
    if re.fullmatch(r"\d{1,5}", text) and 1 <= int(text) <= UNIVERSES:
        return int(text)
    raise EntryFault(f"“{text[:30]}” is not an sACN universe.", do=f"Write 1 to {UNIVERSES}.")


def read_number(protocol: str, text: str) -> int:
    return read_port_address(text) if protocol == "artnet" else read_universe(text)


def read_host(text: str) -> str:
    """An IPv4 address a packet can be sent to. Raises EntryFault."""
    try:
        address = ipaddress.IPv4Address(text.strip())
    except ValueError:
        raise EntryFault(
            f"“{text.strip()[:40]}” is not an IPv4 address.",
            do="Write four numbers from 0 to 255, such as 2.0.0.10.",
        ) from None
    if address.is_unspecified or address.is_multicast:
        raise EntryFault(f"{address} cannot be a node's address.")
    return str(address)


def read_hosts(text: str) -> tuple[str, ...]:
    """One or several addresses, with commas between them."""
    return tuple(
        dict.fromkeys(read_host(part) for part in re.split(r"[,;\s]+", text.strip()) if part)
    )
