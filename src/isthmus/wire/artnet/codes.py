"""Art-Net 4: the head every packet has, the operation codes, and the small pieces packets are made
of.

From the Art-Net 4 specification, protocol revision 14; the table of each packet is named where it
is laid out.
"""

from __future__ import annotations

import struct

PORT = 0x1936  # 6454, "Packet definitions"
ID = b"Art-Net\0"
PROTOCOL = 14  # ProtVer; every packet but ArtPollReply and ArtIpProgReply's kin carries it

# table 1, "OpCodes"
OP_POLL = 0x2000
OP_POLL_REPLY = 0x2100
OP_DIAG_DATA = 0x2300
OP_COMMAND = 0x2400
OP_DMX = 0x5000
OP_NZS = 0x5100
OP_SYNC = 0x5200
OP_ADDRESS = 0x6000
OP_INPUT = 0x7000
OP_TOD_REQUEST = 0x8000
OP_TOD_DATA = 0x8100
OP_TOD_CONTROL = 0x8200
OP_RDM = 0x8300
OP_TRIGGER = 0x9900
OP_IP_PROG = 0xF800
OP_IP_PROG_REPLY = 0xF900

MAX_SLOTS = 512
MAX_PORT_ADDRESS = 0x7FFF  # 15 bits: net 7, sub-net 4, universe 4 ("Port-Address")


def head(op: int, protocol: bool = True) -> bytes:
    return ID + struct.pack("<H", op) + (struct.pack(">H", PROTOCOL) if protocol else b"")


def text(words: str, size: int) -> bytes:
    """A field of ASCII, ended by at least one zero."""
    return words.encode("ascii", "replace")[: size - 1].ljust(size, b"\0")


def read_text(raw: bytes) -> str:
    return "".join(
        c if c.isprintable() else "?" for c in raw.split(b"\0", 1)[0].decode("ascii", "replace")
    )


def quad(address: str) -> bytes:
    """The four bytes of an IPv4 address. Raises ValueError."""
    parts = [int(part) for part in address.split(".")]
    if len(parts) != 4:
        raise ValueError(f"{address} is not an IPv4 address")
    return bytes(parts)


def read_quad(raw: bytes) -> str:
    return ".".join(map(str, raw[:4]))


def check_port_address(port_address: int) -> None:
    if not 0 <= port_address <= MAX_PORT_ADDRESS:
        raise ValueError(f"{port_address} is not a port-address")
