"""RDM through nodes: tables of devices and the messages themselves."""

from __future__ import annotations

import struct
from dataclasses import dataclass

from isthmus.wire.artnet.codes import (
    OP_RDM,
    OP_TOD_CONTROL,
    OP_TOD_DATA,
    OP_TOD_REQUEST,
    check_port_address,
    head,
)

RDM_VERSION = 1  # RDM standard V1.0
TOD_FULL, TOD_NAK = 0x00, 0xFF
FLUSH, END, INCREMENTAL_ON, INCREMENTAL_OFF = 0x01, 0x02, 0x03, 0x04
MAX_UIDS = 200  # a packet


@dataclass(frozen=True)
class ArtTodRequest:
    """Asks for the tables of devices of up to 32 port-addresses of one net."""

    net: int
    addresses: tuple[int, ...]  # sub-net and universe, one byte each


@dataclass(frozen=True)
class ArtTodData:
    """A part of the table of devices of one port. `total` is None when there is no table (yet)."""

    port_address: int
    port: int  # 1 to 4, on the page `bind_index`
    bind_index: int
    total: int | None
    block: int
    uids: tuple[bytes, ...]


@dataclass(frozen=True)
class ArtTodControl:
    port_address: int
    command: int = FLUSH


@dataclass(frozen=True)
class ArtRdm:
    """One RDM message on its way; `message` is without the start code 0xCC."""

    port_address: int
    message: bytes


def encode_tod_request(packet: ArtTodRequest) -> bytes:
    """ArtTodRequest, 56 bytes. Raises ValueError with more than 32 addresses."""
    if len(packet.addresses) > 32:
        raise ValueError("ArtTodRequest asks 32 port-addresses at most")
    return (
        head(OP_TOD_REQUEST)
        + bytes(9)
        + bytes([packet.net, TOD_FULL, len(packet.addresses)])
        + bytes(packet.addresses).ljust(32, b"\0")
    )


def encode_tod_data(packet: ArtTodData) -> bytes:
    """ArtTodData. Raises ValueError with more than 200 devices."""
    check_port_address(packet.port_address)
    if len(packet.uids) > MAX_UIDS:
        raise ValueError("ArtTodData holds 200 devices at most")
    answer = TOD_NAK if packet.total is None else TOD_FULL
    out = head(OP_TOD_DATA) + bytes([RDM_VERSION, packet.port]) + bytes(6)
    out += bytes([packet.bind_index, packet.port_address >> 8, answer, packet.port_address & 0xFF])
    return (
        out
        + struct.pack(">HBB", packet.total or 0, packet.block, len(packet.uids))
        + b"".join(packet.uids)
    )


def encode_tod_control(packet: ArtTodControl) -> bytes:
    """ArtTodControl, 24 bytes."""
    check_port_address(packet.port_address)
    return (
        head(OP_TOD_CONTROL)
        + bytes(9)
        + bytes([packet.port_address >> 8, packet.command, packet.port_address & 0xFF])
    )


def encode_rdm(packet: ArtRdm) -> bytes:
    """ArtRdm; the command is ArProcess."""
    check_port_address(packet.port_address)
    low, high = packet.port_address & 0xFF, packet.port_address >> 8
    return head(OP_RDM) + bytes([RDM_VERSION]) + bytes(8) + bytes([high, 0, low]) + packet.message


def decode_rdm_kind(
    packet: bytes, op: int
) -> ArtTodRequest | ArtTodData | ArtTodControl | ArtRdm | None:
    """Any of the four."""
    if len(packet) < 24 or packet[21] > 0x7F:
        return None
    port_address = packet[21] << 8 | packet[23]
    if op == OP_TOD_REQUEST:
        count = min(packet[23], 32)
        return (
            ArtTodRequest(packet[21], tuple(packet[24 : 24 + count]))
            if len(packet) >= 24 + count
            else None
        )
    if op == OP_TOD_CONTROL:
        return ArtTodControl(port_address, packet[22])
    if op == OP_RDM:
        return ArtRdm(port_address, packet[24 : 24 + 257])
    if len(packet) < 28:
        return None
    total, block, count = struct.unpack_from(">HBB", packet, 24)
    if len(packet) < 28 + 6 * count:
        return None
    uids = tuple(packet[28 + 6 * i : 34 + 6 * i] for i in range(count))
    return ArtTodData(
        port_address, packet[13], packet[20], None if packet[22] == TOD_NAK else total, block, uids
    )
