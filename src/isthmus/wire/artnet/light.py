"""Levels: ArtDmx, ArtNzs (other start codes), ArtSync."""

from __future__ import annotations

import struct
from dataclasses import dataclass

from isthmus.wire.artnet.codes import (
    MAX_SLOTS,
    OP_DMX,
    OP_NZS,
    OP_SYNC,
    PROTOCOL,
    check_port_address,
    head,
)

DMX_HEADER = 18


@dataclass(frozen=True)
class ArtDmx:
    """Levels of one universe. `sequence` goes round 1…255; 0 says that the order is not told."""

    sequence: int
    physical: int
    port_address: int
    slots: bytes


@dataclass(frozen=True)
class ArtNzs:
    """Slots with another start code than 0."""

    sequence: int
    start_code: int
    port_address: int
    slots: bytes


@dataclass(frozen=True)
class ArtSync:
    """Nodes sent out what they got since the last one, together."""


def encode_dmx(sequence: int, port_address: int, slots: bytes, physical: int = 0) -> bytes:
    """ArtDmx: the length is even and at least 2. Raises ValueError when something is out of
    range.
    """
    check_port_address(port_address)
    if len(slots) > MAX_SLOTS or not 0 <= sequence <= 255:
        raise ValueError("out of range for ArtDmx")
    if len(slots) % 2 or len(slots) < 2:
        slots = slots + bytes(2 - len(slots) % 2 if len(slots) else 2)
    return (
        head(OP_DMX)
        + struct.pack(
            ">BBBBH", sequence, physical, port_address & 0xFF, port_address >> 8, len(slots)
        )
        + slots
    )


def encode_nzs(packet: ArtNzs) -> bytes:
    """ArtNzs. Raises ValueError: start code 0 belongs to ArtDmx."""
    check_port_address(packet.port_address)
    if not 1 <= packet.start_code <= 255 or not 1 <= len(packet.slots) <= MAX_SLOTS:
        raise ValueError("out of range for ArtNzs")
    low, high = packet.port_address & 0xFF, packet.port_address >> 8
    return (
        head(OP_NZS)
        + struct.pack(">BBBBH", packet.sequence, packet.start_code, low, high, len(packet.slots))
        + packet.slots
    )


def encode_sync() -> bytes:
    """ArtSync: Aux1 and Aux2 are zero."""
    return head(OP_SYNC) + bytes(2)


def decode_levels(packet: bytes, op: int) -> ArtDmx | ArtNzs | None:
    if len(packet) < DMX_HEADER:
        return None
    protocol, sequence, second, low, high, length = struct.unpack_from(">HBBBBH", packet, 10)
    if (
        protocol < PROTOCOL
        or not 1 <= length <= MAX_SLOTS
        or len(packet) < DMX_HEADER + length
        or high > 0x7F
    ):
        return None
    slots, port_address = packet[DMX_HEADER : DMX_HEADER + length], high << 8 | low
    if op == OP_DMX:
        return ArtDmx(sequence, second, port_address, slots) if length >= 2 else None
    return ArtNzs(sequence, second, port_address, slots) if second else None
