"""Universes and the ways of writing where they go.

An Art-Net port-address is 15 bits: net (7), sub-net (4), universe (4), Art-Net 4 specification, "Port-Address".
"""

from __future__ import annotations

import ipaddress
import re

from isthmus.errors import EntryFault

MAX_PORT_ADDRESS = 0x7FFF


def write_port_address(port_address: int) -> str:
    """`0.1.3` for net, sub-net and universe."""
    return f"{port_address >> 8}.{(port_address >> 4) & 15}.{port_address & 15}"


def read_port_address(text: str) -> int:
    """Read `19` or `0.1.3`. Raises EntryFault."""
    text = text.strip()
    if re.fullmatch(r"\d{1,5}", text) and int(text) <= MAX_PORT_ADDRESS:
        return int(text)
    if match := re.fullmatch(r"(\d{1,3})[./:](\d{1,2})[./:](\d{1,2})", text):
        net, sub, universe = map(int, match.groups())
        if net <= 127 and sub <= 15 and universe <= 15:
            return net << 8 | sub << 4 | universe
    raise EntryFault(f"“{text[:30]}” is not an Art-Net port-address.", do="Write 0 to 32767, or net.sub-net.universe such as 0.1.3.")


def read_host(text: str) -> str:
    """An IPv4 address a packet can be sent to. Raises EntryFault."""
    try:
        address = ipaddress.IPv4Address(text.strip())
    except ValueError:
        raise EntryFault(
            f"“{text.strip()[:40]}” is not an IPv4 address.", do="Write four numbers from 0 to 255, such as 2.0.0.10."
        ) from None
    if address.is_unspecified or address.is_multicast:
        raise EntryFault(f"{address} cannot be a node's address.")
    return str(address)
