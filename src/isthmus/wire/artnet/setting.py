"""Setting a node from afar: ArtAddress, ArtInput, ArtIpProg and its reply."""

from __future__ import annotations

import struct
from dataclasses import dataclass

from isthmus.wire.artnet.codes import (
    OP_ADDRESS,
    OP_INPUT,
    OP_IP_PROG,
    OP_IP_PROG_REPLY,
    head,
    quad,
    read_quad,
    read_text,
    text,
)

KEEP = 0x7F  # NetSwitch, SubSwitch, SwIn, SwOut: leave it as it is (bit 7 set programs it)
KEEP_PRIORITY = 255
# Command of ArtAddress; the last digit of those with a port is its index, 0 to 3
NONE, CANCEL_MERGE, LED_NORMAL, LED_IDENTIFY = 0x00, 0x01, 0x02, 0x04
MERGE_LTP, DIRECTION_OUT, DIRECTION_IN, MERGE_HTP = 0x10, 0x20, 0x30, 0x50
SELECT_ARTNET, SELECT_SACN, CLEAR = 0x60, 0x70, 0x90
RDM_ENABLE, RDM_DISABLE = 0xC0, 0xD0
# Command of ArtIpProg
PROGRAM, PROGRAM_DHCP, PROGRAM_GATEWAY, PROGRAM_IP, PROGRAM_MASK = 0x80, 0x40, 0x10, 0x04, 0x02


@dataclass(frozen=True)
class ArtAddress:
    """What a page of a node is to be set to; empty names and None leave things as they are."""

    bind_index: int = 1
    net: int | None = None
    sub: int | None = None
    sw_in: tuple[int | None, ...] = (None,) * 4
    sw_out: tuple[int | None, ...] = (None,) * 4
    short_name: str = ""
    long_name: str = ""
    priority: int = KEEP_PRIORITY
    command: int = NONE


@dataclass(frozen=True)
class ArtInput:
    """Which inputs of a page are switched off."""

    bind_index: int
    disabled: tuple[bool, ...]


@dataclass(frozen=True)
class ArtIpProg:
    """A node's own address. With command 0 it is only asked."""

    command: int = 0
    ip: str = "0.0.0.0"
    mask: str = "0.0.0.0"
    gateway: str = "0.0.0.0"


@dataclass(frozen=True)
class ArtIpProgReply:
    ip: str
    mask: str
    dhcp: bool
    gateway: str = "0.0.0.0"


def _switch(value: int | None) -> int:
    return KEEP if value is None else 0x80 | value


def _read_switch(raw: int) -> int | None:
    return raw & 0x7F if raw & 0x80 else None


def encode_address(packet: ArtAddress) -> bytes:
    """ArtAddress, 107 bytes."""
    out = head(OP_ADDRESS) + bytes([_switch(packet.net), packet.bind_index])
    out += text(packet.short_name, 18) + text(packet.long_name, 64)
    out += bytes(map(_switch, packet.sw_in)) + bytes(map(_switch, packet.sw_out))
    return out + bytes([_switch(packet.sub), packet.priority, packet.command])


def decode_address(packet: bytes) -> ArtAddress | None:
    if len(packet) < 107:
        return None
    sw_in, sw_out = (
        tuple(_read_switch(value) for value in packet[at : at + 4]) for at in (96, 100)
    )
    return ArtAddress(
        packet[13],
        _read_switch(packet[12]),
        _read_switch(packet[104]),
        sw_in,
        sw_out,
        read_text(packet[14:32]),
        read_text(packet[32:96]),
        packet[105],
        packet[106],
    )


def encode_input(packet: ArtInput) -> bytes:
    """ArtInput, 20 bytes."""
    switches = bytes(map(int, packet.disabled)).ljust(4, b"\0")
    return (
        head(OP_INPUT)
        + bytes([0, packet.bind_index])
        + struct.pack(">H", len(packet.disabled))
        + switches
    )


def decode_input(packet: bytes) -> ArtInput | None:
    if len(packet) < 20:
        return None
    count = min(4, struct.unpack_from(">H", packet, 14)[0])
    return ArtInput(packet[13], tuple(bool(value & 1) for value in packet[16 : 16 + count]))


def encode_ip_prog(packet: ArtIpProg) -> bytes:
    """ArtIpProg, 34 bytes; the port field is no longer used."""
    out = head(OP_IP_PROG) + bytes([0, 0, packet.command, 0]) + quad(packet.ip) + quad(packet.mask)
    return out + bytes(2) + quad(packet.gateway) + bytes(4)


def decode_ip_prog(packet: bytes) -> ArtIpProg | None:
    if len(packet) < 34:
        return None
    return ArtIpProg(
        packet[14], read_quad(packet[16:20]), read_quad(packet[20:24]), read_quad(packet[26:30])
    )


def encode_ip_prog_reply(packet: ArtIpProgReply) -> bytes:
    """ArtIpProgReply, 34 bytes."""
    out = head(OP_IP_PROG_REPLY) + bytes(4) + quad(packet.ip) + quad(packet.mask) + bytes(2)
    return out + bytes([0x40 if packet.dhcp else 0, 0]) + quad(packet.gateway) + bytes(2)


def decode_ip_prog_reply(packet: bytes) -> ArtIpProgReply | None:
    if len(packet) < 28:
        return None
    gateway = read_quad(packet[28:32]) if len(packet) >= 32 else "0.0.0.0"
    return ArtIpProgReply(
        read_quad(packet[16:20]), read_quad(packet[20:24]), bool(packet[26] & 0x40), gateway
    )
