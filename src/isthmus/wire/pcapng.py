"""Capture files: pcapng (the open format of IETF draft-ietf-opsawg-pcapng), raw IPv4 packets, UDP
only.

What is written any capture reader takes; what is read may be one of ours or of another program, on
Ethernet or raw IP.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass

SECTION, INTERFACE, ENHANCED = 0x0A0D0D0A, 1, 6
MAGIC = 0x1A2B3C4D
RAW_IP, ETHERNET = 101, 1
MAX_BLOCK = 1 << 18


@dataclass(frozen=True)
class Captured:
    """One UDP datagram. `at` is seconds since 1970."""

    at: float
    source: tuple[str, int]
    target: tuple[str, int]
    payload: bytes


def _block(kind: int, body: bytes) -> bytes:
    body = body.ljust((len(body) + 3) // 4 * 4, b"\0")
    size = struct.pack("<I", len(body) + 12)
    return struct.pack("<I", kind) + size + body + size


def encode_head() -> bytes:
    """Section header, and one interface of raw IP with time in microseconds."""
    section = _block(SECTION, struct.pack("<IHHq", MAGIC, 1, 0, -1))
    return section + _block(INTERFACE, struct.pack("<HHI", RAW_IP, 0, 65535))


def encode_packet(packet: Captured) -> bytes:
    """One enhanced packet block."""
    raw = encode_ip(packet)
    ticks = int(packet.at * 1e6)
    return _block(
        ENHANCED,
        struct.pack("<IIIII", 0, ticks >> 32, ticks & 0xFFFFFFFF, len(raw), len(raw)) + raw,
    )


def encode_ip(packet: Captured) -> bytes:
    """IPv4 and UDP round a payload; the UDP checksum is left out, as IPv4 allows (RFC 768)."""
    size = 28 + len(packet.payload)
    addresses = _quad(packet.source[0]) + _quad(packet.target[0])
    head = struct.pack(">BBHHHBBH", 0x45, 0, size, 0, 0, 64, 17, 0) + addresses
    total = sum(struct.unpack(">10H", head))
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    head = head[:10] + struct.pack(">H", ~total & 0xFFFF) + head[12:]
    return (
        head
        + struct.pack(">HHHH", packet.source[1], packet.target[1], size - 20, 0)
        + packet.payload
    )


def decode_ip(at: float, raw: bytes) -> Captured | None:
    if len(raw) < 28 or raw[0] >> 4 != 4 or raw[9] != 17:
        return None
    start = (raw[0] & 15) * 4
    if start < 20 or len(raw) < start + 8:
        return None
    source, target, size = struct.unpack_from(">HHH", raw, start)
    if size < 8:
        return None
    return Captured(
        at,
        (".".join(map(str, raw[12:16])), source),
        (".".join(map(str, raw[16:20])), target),
        raw[start + 8 : start + size],
    )


def decode(data: bytes) -> Iterator[Captured]:
    """Every UDP datagram of a capture, in the order of the file. Raises ValueError when it is none
    or is broken.
    """
    at, order, links, ticks = 0, "<", [], []
    if len(data) < 12 or struct.unpack_from("<I", data)[0] != SECTION:
        raise ValueError("this is not a pcapng file")
    while at + 12 <= len(data):
        if struct.unpack_from("<I", data, at)[0] == SECTION:
            order = "<" if struct.unpack_from("<I", data, at + 8)[0] == MAGIC else ">"
            links, ticks = [], []
        kind, size = struct.unpack_from(f"{order}II", data, at)
        if size < 12 or size % 4 or size > MAX_BLOCK or at + size > len(data):
            raise ValueError(f"it is broken or cut short at byte {at}")
        body = data[at + 8 : at + size - 4]
        if kind == INTERFACE and len(body) >= 8:
            links.append(struct.unpack_from(f"{order}H", body)[0])
            ticks.append(_resolution(body[8:], order))
        elif kind == ENHANCED and len(body) >= 20:
            where, high, low, length = struct.unpack_from(f"{order}IIII", body)
            if where < len(links):
                raw = body[20 : 20 + length]
                if links[where] == ETHERNET:
                    raw = raw[14:] if raw[12:14] == b"\x08\x00" else b""
                found = decode_ip((high << 32 | low) / ticks[where], raw)
                if found is not None:
                    yield found
        at += size


def _resolution(options: bytes, order: str) -> float:
    """Ticks a second: option if_tsresol, or microseconds."""
    at = 0
    while at + 4 <= len(options):
        code, size = struct.unpack_from(f"{order}HH", options, at)
        if code == 9 and size == 1 and at + 5 <= len(options):
            value = options[at + 4]
            return float(2 ** (value & 0x7F)) if value & 0x80 else float(10 ** (value & 0x7F))
        if code == 0:
            break
        at += 4 + (size + 3) // 4 * 4
    return 1e6


def _quad(address: str) -> bytes:
    return bytes(map(int, address.split(".")))
