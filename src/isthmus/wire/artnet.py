"""Art-Net 4 packets as bytes: ArtDmx, ArtPoll and ArtPollReply. No sockets here.

Layouts from the Art-Net 4 specification, protocol revision 14, one table a packet.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

PORT = 0x1936  # 6454
ID = b"Art-Net\0"
PROTOCOL = 14
OP_POLL = 0x2000
OP_POLL_REPLY = 0x2100
OP_DMX = 0x5000
MAX_SLOTS = 512
DMX_HEADER = 18


@dataclass(frozen=True)
class ArtDmx:
    sequence: int
    physical: int
    port_address: int
    slots: bytes


@dataclass(frozen=True)
class ArtPollReply:
    """One node's answer; up to four output ports with their port-addresses."""

    ip: str
    short_name: str
    long_name: str
    ports: tuple[int, ...]


def encode_dmx(sequence: int, port_address: int, slots: bytes, physical: int = 0) -> bytes:
    """ArtDmx: length is even and at least 2, as the specification asks; sequence 0 turns ordering off."""
    if len(slots) > MAX_SLOTS or not 0 <= port_address <= 0x7FFF or not 0 <= sequence <= 255:
        raise ValueError("out of range for ArtDmx")
    if len(slots) % 2 or len(slots) < 2:
        slots = slots + bytes(2 - len(slots) % 2 if len(slots) else 2)
    return (
        ID
        + struct.pack("<H", OP_DMX)
        + struct.pack(">HBBBBH", PROTOCOL, sequence, physical, port_address & 0xFF, port_address >> 8, len(slots))
        + slots
    )


def encode_poll(flags: int = 0b10) -> bytes:
    """ArtPoll asking for an answer now and whenever the node changes."""
    return ID + struct.pack("<H", OP_POLL) + struct.pack(">HBB", PROTOCOL, flags, 0x10)


def encode_poll_reply(reply: ArtPollReply, bind_index: int = 1) -> bytes:
    """ArtPollReply (239 bytes). All ports of one reply share net and sub-net, so port-addresses must too."""
    if len(reply.ports) > 4 or len({p >> 4 for p in reply.ports}) > 1:
        raise ValueError("one ArtPollReply holds up to four ports of one sub-net")
    first = reply.ports[0] if reply.ports else 0
    count = len(reply.ports)
    out = ID + struct.pack("<H", OP_POLL_REPLY) + bytes(map(int, reply.ip.split("."))) + struct.pack("<H", PORT)
    out += struct.pack(">HBBHBBH", 1, first >> 8, (first >> 4) & 15, 0xFFFF, 0, 0xD0, 0)
    out += _text(reply.short_name, 18) + _text(reply.long_name, 64) + _text("#0001 [0000] in order", 64)
    out += struct.pack(">H", count)
    out += bytes([0x80] * count + [0] * (4 - count))  # PortTypes: output, DMX512
    out += bytes(4)  # GoodInput
    out += bytes([0x80] * count + [0] * (4 - count))  # GoodOutputA: data is sent
    out += bytes(4)  # SwIn
    out += bytes([p & 15 for p in reply.ports] + [0] * (4 - count))  # SwOut
    out += bytes(3) + bytes(3) + bytes([0]) + bytes(6)  # priority, macro, remote; spare; style node; MAC
    out += bytes(map(int, reply.ip.split("."))) + bytes([bind_index, 0b1000]) + bytes(4) + bytes(22)
    return out


def decode(packet: bytes) -> ArtDmx | ArtPollReply | int | None:
    """A record for the packets we know, the bare op-code for others, None for what is not Art-Net or is cut short."""
    if len(packet) < 12 or packet[:8] != ID:
        return None
    op = struct.unpack_from("<H", packet, 8)[0]
    if op == OP_DMX:
        if len(packet) < DMX_HEADER:
            return None
        protocol, sequence, physical, low, high, length = struct.unpack_from(">HBBBBH", packet, 10)
        if protocol < PROTOCOL or not 2 <= length <= MAX_SLOTS or len(packet) < DMX_HEADER + length or high > 0x7F:
            return None
        return ArtDmx(sequence, physical, high << 8 | low, packet[DMX_HEADER : DMX_HEADER + length])
    if op == OP_POLL_REPLY:
        return _decode_reply(packet)
    return op


def _decode_reply(packet: bytes) -> ArtPollReply | None:
    if len(packet) < 198:
        return None
    net, sub = packet[18] & 0x7F, packet[19] & 15
    count = min(struct.unpack_from(">H", packet, 172)[0], 4)
    ports = tuple(net << 8 | sub << 4 | packet[190 + i] & 15 for i in range(count) if packet[174 + i] & 0x80)
    return ArtPollReply(".".join(map(str, packet[10:14])), _read_text(packet[26:44]), _read_text(packet[44:108]), ports)


def _text(text: str, size: int) -> bytes:
    return text.encode("ascii", "replace")[: size - 1].ljust(size, b"\0")


def _read_text(raw: bytes) -> str:
    return raw.split(b"\0", 1)[0].decode("ascii", "replace")
