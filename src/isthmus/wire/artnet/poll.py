"""Who is there: ArtPoll and ArtPollReply (tables "ArtPoll packet definition", "ArtPollReply packet
definition").
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

from isthmus.wire.artnet.codes import (
    OP_POLL,
    OP_POLL_REPLY,
    PORT,
    PROTOCOL,
    head,
    quad,
    read_quad,
    read_text,
    text,
)

REPLY_BYTES = 239
REPLY_LEAST = 198  # older nodes end after SwRemote and its spares
PORTS = 4  # one reply tells of up to four

# Flags of ArtPoll
WHEN_CHANGED = 0b10  # answer also whenever something changes
DIAGNOSTICS = 0b100
TARGETED = 0b100000

# PortTypes
OUTPUT, INPUT = 0x80, 0x40
# GoodInput
RECEIVING, INPUT_DISABLED, INPUT_ERRORS = 0x80, 0x08, 0x04
# GoodOutputA
SENDING, MERGING, SHORT, LTP, FROM_SACN = 0x80, 0x08, 0x04, 0x02, 0x01
# GoodOutputB
RDM_OFF, CONTINUOUS, DISCOVERY_OFF = 0x80, 0x40, 0x20
# Status1
RDM_ABLE = 0x02
# Status2
DHCP, DHCP_ABLE, BITS_15, SACN_ABLE = 0x02, 0x04, 0x08, 0x10
# Status3
DIRECTION_ABLE = 0x08


@dataclass(frozen=True)
class ArtPoll:
    flags: int = WHEN_CHANGED
    priority: int = 0x10  # DpLow: the least diagnostics that are wanted
    target: tuple[int, int] = (0, 0x7FFF)  # the port-addresses asked, with TARGETED


@dataclass(frozen=True)
class ReplyPort:
    """One of the up to four ports of a reply. Directions and states as the bits of the standard's
    fields.
    """

    types: int = OUTPUT
    good_input: int = 0
    good_output: int = 0
    good_output_b: int = 0
    sw_in: int = 0  # the low four bits of the port-address it sends to
    sw_out: int = 0  # and of the one it listens to

    @property
    def is_output(self) -> bool:
        return bool(self.types & OUTPUT)

    @property
    def is_input(self) -> bool:
        return bool(self.types & INPUT)


@dataclass(frozen=True)
class ArtPollReply:
    """One page of a node's answer: all its ports share net and sub-net; `bind_index` counts the
    pages from 1.
    """

    ip: str
    short_name: str
    long_name: str
    pages: tuple[ReplyPort, ...] = ()
    net: int = 0
    sub: int = 0
    report: str = "#0001 [0000] in order"
    firmware: int = 1
    oem: int = 0xFFFF
    esta: int = 0
    status1: int = 0xD0
    status2: int = BITS_15
    status3: int = 0
    priority: int = 100  # AcnPriority
    style: int = 0
    mac: bytes = bytes(6)
    bind_ip: str = ""
    bind_index: int = 1
    refresh: int = 44
    uid: bytes = bytes(6)

    def port_address(self, port: ReplyPort) -> int:
        return (
            self.net << 8 | self.sub << 4 | ((port.sw_out if port.is_output else port.sw_in) & 15)
        )

    @property
    def ports(self) -> tuple[int, ...]:
        """The port-addresses of the outputs."""
        return tuple(self.port_address(port) for port in self.pages if port.is_output)


def encode_poll(poll: ArtPoll | None = None) -> bytes:
    """ArtPoll; the target range is written only in targeted mode, as older nodes expect 14
    bytes.
    """
    poll = poll or ArtPoll()
    packet = head(OP_POLL) + bytes([poll.flags, poll.priority])
    return (
        packet + struct.pack(">HHHH", poll.target[1], poll.target[0], 0, 0)
        if poll.flags & TARGETED
        else packet
    )


def decode_poll(packet: bytes) -> ArtPoll | None:
    if len(packet) < 14 or struct.unpack_from(">H", packet, 10)[0] < PROTOCOL:
        return None
    target = struct.unpack_from(">HH", packet, 14)[::-1] if len(packet) >= 18 else (0, 0x7FFF)
    return ArtPoll(packet[12], packet[13], (target[0], target[1]))


def reply_for(
    ip: str, short_name: str, long_name: str, port_addresses: tuple[int, ...], **more: object
) -> ArtPollReply:
    """A page of up to four outputs that send. Raises ValueError when they are not of one
    sub-net.
    """
    if len(port_addresses) > PORTS or len({p >> 4 for p in port_addresses}) > 1:
        raise ValueError("one ArtPollReply holds up to four ports of one sub-net")
    first = port_addresses[0] if port_addresses else 0
    pages = tuple(ReplyPort(OUTPUT, 0, SENDING, 0, 0, p & 15) for p in port_addresses)
    return ArtPollReply(ip, short_name, long_name, pages, first >> 8, first >> 4 & 15, **more)  # type: ignore[arg-type]


def encode_poll_reply(reply: ArtPollReply) -> bytes:
    """ArtPollReply, 239 bytes. Raises ValueError with more than four ports."""
    if len(reply.pages) > PORTS:
        raise ValueError("one ArtPollReply holds up to four ports")

    def column(name: str) -> bytes:
        return bytes(getattr(p, name) for p in reply.pages).ljust(PORTS, b"\0")

    out = head(OP_POLL_REPLY, protocol=False) + quad(reply.ip) + struct.pack("<H", PORT)
    out += struct.pack(
        ">HBBHBB", reply.firmware, reply.net, reply.sub, reply.oem, 0, reply.status1
    ) + struct.pack("<H", reply.esta)
    out += text(reply.short_name, 18) + text(reply.long_name, 64) + text(reply.report, 64)
    out += (
        struct.pack(">H", len(reply.pages))
        + column("types")
        + column("good_input")
        + column("good_output")
    )
    out += column("sw_in") + column("sw_out")
    out += (
        bytes([reply.priority, 0, 0]) + bytes(3) + bytes([reply.style]) + reply.mac
    )  # SwMacro, SwRemote; spares
    out += (
        quad(reply.bind_ip or reply.ip)
        + bytes([reply.bind_index, reply.status2])
        + column("good_output_b")
    )
    out += bytes([reply.status3]) + reply.uid + bytes(2) + struct.pack(">H", reply.refresh)
    return out.ljust(REPLY_BYTES, b"\0")


def decode_poll_reply(packet: bytes) -> ArtPollReply | None:
    if len(packet) < REPLY_LEAST:
        return None
    raw = packet.ljust(REPLY_BYTES, b"\0")
    count = min(struct.unpack_from(">H", raw, 172)[0], PORTS)
    pages = tuple(
        ReplyPort(
            raw[174 + i], raw[178 + i], raw[182 + i], raw[213 + i], raw[186 + i], raw[190 + i]
        )
        for i in range(count)
    )
    return ArtPollReply(
        read_quad(raw[10:14]),
        read_text(raw[26:44]),
        read_text(raw[44:108]),
        pages,
        raw[18] & 0x7F,
        raw[19] & 15,
        read_text(raw[108:172]),
        struct.unpack_from(">H", raw, 16)[0],
        struct.unpack_from(">H", raw, 20)[0],
        struct.unpack_from("<H", raw, 24)[0],
        raw[23],
        raw[212],
        raw[217],
        raw[194],
        raw[200],
        raw[201:207],
        read_quad(raw[207:211]),
        raw[211],
        struct.unpack_from(">H", raw, 226)[0],
        raw[218:224],
    )
