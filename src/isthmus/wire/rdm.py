"""RDM messages as bytes: ANSI E1.20-2010, clause 6.2, and the discovery response of 7.5. No port,
no timing here.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

START_CODE, SUB_START_CODE = 0xCC, 0x01  # 6.2.1, 6.2.2
HEAD = 24  # bytes up to the parameter data
MAX_DATA = 231  # 6.2.10.3
ALL = b"\xff" * 6  # 5.4: to everybody
DISCOVERY, DISCOVERY_RESPONSE, GET, GET_RESPONSE, SET, SET_RESPONSE = (
    0x10,
    0x11,
    0x20,
    0x21,
    0x30,
    0x31,
)  # table A-1
ACK, ACK_TIMER, NACK, ACK_OVERFLOW = 0x00, 0x01, 0x02, 0x03  # table A-2
UNIQUE_BRANCH, MUTE, UNMUTE = 0x0001, 0x0002, 0x0003  # table A-3, DISC_…
SUPPORTED, DEVICE_INFO, MODEL_WORDS, MAKER_WORDS, DEVICE_LABEL, SOFTWARE_WORDS = (
    0x0050,
    0x0060,
    0x0080,
    0x0081,
    0x0082,
    0x00C0,
)  # table A-3
PERSONALITY, PERSONALITY_WORDS, DMX_START_ADDRESS, SENSOR_DEFINITION, SENSOR_VALUE = (
    0x00E0,
    0x00E1,
    0x00F0,
    0x0200,
    0x0201,
)
DEVICE_HOURS, LAMP_HOURS, IDENTIFY = 0x0400, 0x0401, 0x1000
REASONS = {  # table A-17, why a request was refused
    0x0000: "it does not know that parameter",
    0x0001: "the request was of the wrong form",
    0x0002: "something is wrong with it",
    0x0003: "it goes by another proxy",
    0x0004: "it is write-protected",
    0x0005: "that cannot be asked or set",
    0x0006: "the value is out of its range",
    0x0007: "its buffer is full",
    0x0008: "the message was too long for it",
    0x0009: "it has no such sub-device",
    0x000A: "its proxy's buffer is full",
}
NO_ADDRESS = 0xFFFF  # of a device without a footprint, 10.5.1


@dataclass(frozen=True)
class Info:
    """DEVICE_INFO, 10.5.1. `personality` counts from 1; address is 0 for a device that takes no
    slots.
    """

    model: int
    category: int
    software: int
    footprint: int
    personality: int
    personalities: int
    address: int
    sub_devices: int
    sensors: int


def read_info(data: bytes) -> Info | None:
    """None for data that is not a device information."""
    if len(data) != 19:
        return None
    _, model, category, software, footprint, now, count, address, subs, sensors = struct.unpack(
        ">HHHIHBBHHB", data
    )
    if footprint > 512 or (address != NO_ADDRESS and address > 512):
        return None
    return Info(
        model,
        category,
        software,
        footprint,
        now,
        count,
        0 if address == NO_ADDRESS else address,
        subs,
        sensors,
    )


def write_info(info: Info) -> bytes:
    address = info.address or NO_ADDRESS
    head = struct.pack(">HHHIH", 0x0100, info.model, info.category, info.software, info.footprint)
    return head + struct.pack(
        ">BBHHB", info.personality, info.personalities, address, info.sub_devices, info.sensors
    )


@dataclass(frozen=True)
class Sensor:
    """SENSOR_DEFINITION, 10.7.1, with its value (10.7.2) where it was asked; `words` says what it
    measures.
    """

    number: int
    kind: int
    unit: int
    words: str
    value: int | None = None


def read_sensor(data: bytes) -> Sensor | None:
    if len(data) < 13:
        return None
    return Sensor(data[0], data[1], data[2], read_words(data[13:45]))


def read_words(data: bytes) -> str:
    """Text of at most 32 characters, without what cannot be printed (10.1: ASCII)."""
    return "".join(
        c for c in data[:32].decode("ascii", "replace").split("\0")[0] if c.isprintable()
    ).strip()


@dataclass(frozen=True)
class Message:
    """One request or response. `port` is the port number of a request, the response type of a
    response.
    """

    to: bytes
    by: bytes
    command: int
    parameter: int
    data: bytes = b""
    transaction: int = 0
    port: int = 1
    waiting: int = 0  # queued messages
    sub_device: int = 0


@dataclass(frozen=True)
class Broken:
    """What looked like a message and is not, with the reason."""

    why: str


def uid(maker: int, device: int) -> bytes:
    return struct.pack(">HI", maker, device)


def write_uid(raw: bytes) -> str:
    """`7F70:0000012A`, maker and device (5.1)."""
    return f"{raw[:2].hex().upper()}:{raw[2:].hex().upper()}"


def encode(message: Message, start_code: bool = True) -> bytes:
    """With its checksum: the sum of all bytes, modulo 65 536 (6.2.11). Raises ValueError for too
    much data.
    """
    if len(message.data) > MAX_DATA or len(message.to) != 6 or len(message.by) != 6:
        raise ValueError("out of range for RDM")
    out = bytes([START_CODE, SUB_START_CODE, HEAD + len(message.data)]) + message.to + message.by
    out += struct.pack(
        ">BBBH", message.transaction, message.port, message.waiting, message.sub_device
    )
    out += struct.pack(">BHB", message.command, message.parameter, len(message.data))
    out += message.data
    out += struct.pack(">H", sum(out) & 0xFFFF)
    return out if start_code else out[1:]


def decode(raw: bytes, start_code: bool = True) -> Message | Broken:
    """A message, or why it is none."""
    if not start_code:
        raw = bytes([START_CODE]) + raw
    if len(raw) < HEAD + 2 or raw[:2] != bytes([START_CODE, SUB_START_CODE]):
        return Broken("too short or another start code")
    length = raw[2]
    if not HEAD <= length <= HEAD + MAX_DATA or len(raw) < length + 2 or raw[23] != length - HEAD:
        return Broken("its length does not hold")
    if sum(raw[:length]) & 0xFFFF != struct.unpack_from(">H", raw, length)[0]:
        return Broken("its checksum does not hold")
    transaction, port, waiting, sub, command, parameter, _ = struct.unpack_from(">BBBHBHB", raw, 15)
    return Message(
        raw[3:9], raw[9:15], command, parameter, raw[HEAD:length], transaction, port, waiting, sub
    )


def encode_discovery_response(own: bytes) -> bytes:
    """Seven 0xFE, a separator, the UID in twelve bytes, its checksum in four: each byte is sent
    with 0xAA and with 0x55 set (7.5).
    """
    spread = b"".join(bytes([b | 0xAA, b | 0x55]) for b in own)
    total = struct.pack(">H", sum(spread) & 0xFFFF)
    return b"\xfe" * 7 + b"\xaa" + spread + b"".join(bytes([b | 0xAA, b | 0x55]) for b in total)


def decode_discovery_response(raw: bytes) -> bytes | None:
    """The UID; None when several answered at once, or no one did. Up to seven preamble bytes may be
    missing (7.5).
    """
    at = raw.find(b"\xaa", 0, 8)
    if at < 0 or raw[:at] != b"\xfe" * at or len(raw) < at + 17:
        return None
    spread, total = raw[at + 1 : at + 13], raw[at + 13 : at + 17]
    if sum(spread) & 0xFFFF != (total[0] & total[1]) << 8 | (total[2] & total[3]):
        return None
    return bytes(spread[i] & spread[i + 1] for i in range(0, 12, 2))
