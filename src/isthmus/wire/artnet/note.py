"""What else goes over the wire, read but not sent: ArtDiagData, ArtCommand, ArtTrigger."""

from __future__ import annotations

import struct
from dataclasses import dataclass

from isthmus.wire.artnet.codes import OP_COMMAND, OP_DIAG_DATA, read_text


@dataclass(frozen=True)
class ArtDiagData:
    """A sentence of a node, `priority` from 0x10 (low) to 0xE0 (critical); `port` 0 is the node as
    a whole.
    """

    priority: int
    port: int
    text: str


@dataclass(frozen=True)
class ArtCommand:
    esta: int
    text: str


@dataclass(frozen=True)
class ArtTrigger:
    oem: int
    key: int
    subkey: int
    payload: bytes


def decode_note(packet: bytes, op: int) -> ArtDiagData | ArtCommand | ArtTrigger | None:
    if len(packet) < 18:
        return None
    if op == OP_DIAG_DATA:
        length = struct.unpack_from(">H", packet, 16)[0]
        return ArtDiagData(packet[13], packet[14], read_text(packet[18 : 18 + min(length, 512)]))
    if op == OP_COMMAND:
        esta, length = struct.unpack_from(">HH", packet, 12)
        return ArtCommand(esta, read_text(packet[16 : 16 + min(length, 512)]))
    return ArtTrigger(
        struct.unpack_from(">H", packet, 14)[0], packet[16], packet[17], packet[18 : 18 + 512]
    )
