"""sACN packets as bytes: data, synchronisation and universe discovery. ANSI E1.31-2018; clauses at
each constant.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

PORT = 5568  # ACN_SDT_MULTICAST_PORT, 9.1
ROOT = (
    bytes.fromhex("00100000") + b"ASC-E1.17\0\0\0"
)  # preamble and postamble sizes, packet identifier: 5.1 to 5.3
ROOT_DATA, ROOT_EXTENDED = 0x00000004, 0x00000008  # 5.5, appendix A
DATA_PACKET = 0x00000002  # VECTOR_E131_DATA_PACKET, 6.2.1
EXTENDED_SYNC, EXTENDED_DISCOVERY = 0x00000001, 0x00000002  # 6.3.1, 6.4.1
UNIVERSE_LIST = 0x00000001  # 8.1
DMP_SET = 0x02  # 7.2
HEADER = 126  # up to and with the start code
SEQUENCE_AT, OPTIONS_AT, START_CODE_AT = 111, 112, 125
PREVIEW, TERMINATED, FORCE_SYNC = 0x80, 0x40, 0x20  # 6.2.6
DISCOVERY_UNIVERSE = 64214  # E131_DISCOVERY_UNIVERSE, appendix A
DISCOVERY_SECONDS = 10.0  # E131_UNIVERSE_DISCOVERY_INTERVAL, appendix A
LOSS_SECONDS = 2.5  # E131_NETWORK_DATA_LOSS_TIMEOUT, appendix A
MAX_UNIVERSE = 63999  # 6.2.7
MAX_PRIORITY = 200  # 6.2.3
PAGE = 512  # universes on one page of discovery, 8.5
PER_ADDRESS_PRIORITY = (
    0xDD  # an alternate start code: a priority for each slot, 0 says that the slot is not sourced
)


@dataclass(frozen=True)
class Data:
    """One E1.31 data packet; `slots` come after the start code."""

    cid: bytes
    source: str
    universe: int
    sequence: int
    slots: bytes
    priority: int = 100
    sync: int = 0
    options: int = 0
    start_code: int = 0

    @property
    def preview(self) -> bool:
        return bool(self.options & PREVIEW)

    @property
    def terminated(self) -> bool:
        return bool(self.options & TERMINATED)


@dataclass(frozen=True)
class Sync:
    cid: bytes
    universe: int
    sequence: int


@dataclass(frozen=True)
class Discovery:
    """One page of the universes a source sends."""

    cid: bytes
    source: str
    page: int
    last: int
    universes: tuple[int, ...]


def multicast(universe: int) -> str:
    """239.255.hi.lo (9.3.1)."""
    return f"239.255.{universe >> 8}.{universe & 0xFF}"


def _length(size: int) -> bytes:
    """Flags 0x7 and the length of a layer (5.4)."""
    return struct.pack(">H", 0x7000 | size)


def _name(words: str) -> bytes:
    """UTF-8, 64 bytes, ended by at least one zero (6.2.2)."""
    return words.encode()[:63].decode(errors="ignore").encode().ljust(64, b"\0")


def _read_name(raw: bytes) -> str:
    return "".join(
        c if c.isprintable() else "?" for c in raw.split(b"\0", 1)[0].decode(errors="replace")
    )


def encode_data(packet: Data) -> bytes:
    """Raises ValueError when something is out of range."""
    count = len(packet.slots)
    if not (
        1 <= packet.universe <= MAX_UNIVERSE
        and 0 <= packet.priority <= MAX_PRIORITY
        and count <= 512
        and len(packet.cid) == 16
    ):
        raise ValueError("out of range for E1.31")
    size = HEADER + count
    out = ROOT + _length(size - 16) + struct.pack(">I", ROOT_DATA) + packet.cid
    out += _length(size - 38) + struct.pack(">I", DATA_PACKET) + _name(packet.source)
    out += struct.pack(
        ">BHBBH", packet.priority, packet.sync, packet.sequence, packet.options, packet.universe
    )
    out += _length(size - 115) + struct.pack(">BBHHH", DMP_SET, 0xA1, 0, 1, count + 1)  # 7.3 to 7.6
    return out + bytes([packet.start_code]) + packet.slots


def encode_sync(packet: Sync) -> bytes:
    """49 bytes (6.3)."""
    out = ROOT + _length(33) + struct.pack(">I", ROOT_EXTENDED) + packet.cid
    return (
        out + _length(11) + struct.pack(">IBHH", EXTENDED_SYNC, packet.sequence, packet.universe, 0)
    )


def encode_discovery(cid: bytes, source: str, universes: tuple[int, ...]) -> list[bytes]:
    """The pages that name all universes, in order (6.4, 8)."""
    order = sorted(set(universes))
    pages = [order[i : i + PAGE] for i in range(0, len(order), PAGE)] or [[]]
    out = []
    for number, page in enumerate(pages):
        size = 120 + 2 * len(page)
        packet = ROOT + _length(size - 16) + struct.pack(">I", ROOT_EXTENDED) + cid
        packet += (
            _length(size - 38) + struct.pack(">I", EXTENDED_DISCOVERY) + _name(source) + bytes(4)
        )
        packet += _length(size - 112) + struct.pack(">IBB", UNIVERSE_LIST, number, len(pages) - 1)
        out.append(packet + struct.pack(f">{len(page)}H", *page))
    return out


def decode(packet: bytes) -> Data | Sync | Discovery | None:
    """None for what is not E1.31 or does not hold what it promises."""
    if len(packet) < 49 or packet[:16] != ROOT:
        return None
    root, cid, framing = (
        struct.unpack_from(">I", packet, 18)[0],
        packet[22:38],
        struct.unpack_from(">I", packet, 40)[0],
    )
    if root == ROOT_EXTENDED:
        if framing == EXTENDED_SYNC:
            sequence, universe = struct.unpack_from(">BH", packet, 44)
            return Sync(cid, universe, sequence)
        return _decode_discovery(packet, cid) if framing == EXTENDED_DISCOVERY else None
    if root != ROOT_DATA or framing != DATA_PACKET or len(packet) < HEADER:
        return None
    priority, sync, sequence, options, universe = struct.unpack_from(">BHBBH", packet, 108)
    vector, kind, first, step, count = struct.unpack_from(">BBHHH", packet, 117)
    if (
        (vector, kind, first, step) != (DMP_SET, 0xA1, 0, 1)
        or not 1 <= count <= 513
        or len(packet) < HEADER - 1 + count
    ):
        return None
    if not 1 <= universe <= MAX_UNIVERSE or priority > MAX_PRIORITY:
        return None
    slots = packet[HEADER : HEADER - 1 + count]
    return Data(
        cid,
        _read_name(packet[44:108]),
        universe,
        sequence,
        slots,
        priority,
        sync,
        options,
        packet[START_CODE_AT],
    )


def _decode_discovery(packet: bytes, cid: bytes) -> Discovery | None:
    if len(packet) < 120:
        return None
    length, vector, page, last = struct.unpack_from(">HIBB", packet, 112)
    count = ((length & 0x0FFF) - 8) // 2
    if (
        vector != UNIVERSE_LIST
        or not 0 <= count <= PAGE
        or len(packet) < 120 + 2 * count
        or page > last
    ):
        return None
    return Discovery(
        cid, _read_name(packet[44:108]), page, last, struct.unpack_from(f">{count}H", packet, 120)
    )
