"""Art-Net 4 packets as bytes. No sockets here; foreign bytes never raise."""

from __future__ import annotations

import struct

from isthmus.wire.artnet import poll as poll_codes
from isthmus.wire.artnet import setting
from isthmus.wire.artnet.codes import (
    ID,
    MAX_PORT_ADDRESS,
    MAX_SLOTS,
    OP_ADDRESS,
    OP_COMMAND,
    OP_DIAG_DATA,
    OP_DMX,
    OP_INPUT,
    OP_IP_PROG,
    OP_IP_PROG_REPLY,
    OP_NZS,
    OP_POLL,
    OP_POLL_REPLY,
    OP_RDM,
    OP_SYNC,
    OP_TOD_CONTROL,
    OP_TOD_DATA,
    OP_TOD_REQUEST,
    OP_TRIGGER,
    PORT,
)
from isthmus.wire.artnet.light import (
    DMX_HEADER,
    ArtDmx,
    ArtNzs,
    ArtSync,
    decode_levels,
    encode_dmx,
    encode_nzs,
    encode_sync,
)
from isthmus.wire.artnet.note import ArtCommand, ArtDiagData, ArtTrigger, decode_note
from isthmus.wire.artnet.poll import (
    ArtPoll,
    ArtPollReply,
    ReplyPort,
    decode_poll,
    decode_poll_reply,
    encode_poll,
    encode_poll_reply,
    reply_for,
)
from isthmus.wire.artnet.rdm import (
    ArtRdm,
    ArtTodControl,
    ArtTodData,
    ArtTodRequest,
    decode_rdm_kind,
    encode_rdm,
    encode_tod_control,
    encode_tod_data,
    encode_tod_request,
)
from isthmus.wire.artnet.setting import (
    ArtAddress,
    ArtInput,
    ArtIpProg,
    ArtIpProgReply,
    decode_address,
    decode_input,
    decode_ip_prog,
    decode_ip_prog_reply,
    encode_address,
    encode_input,
    encode_ip_prog,
    encode_ip_prog_reply,
)

Packet = (
    ArtDmx
    | ArtNzs
    | ArtSync
    | ArtPoll
    | ArtPollReply
    | ArtAddress
    | ArtInput
    | ArtIpProg
    | ArtIpProgReply
    | ArtTodRequest
    | ArtTodData
    | ArtTodControl
    | ArtRdm
    | ArtDiagData
    | ArtCommand
    | ArtTrigger
)

_ONE = {
    OP_POLL: decode_poll,
    OP_POLL_REPLY: decode_poll_reply,
    OP_ADDRESS: decode_address,
    OP_INPUT: decode_input,
    OP_IP_PROG: decode_ip_prog,
    OP_IP_PROG_REPLY: decode_ip_prog_reply,
    OP_SYNC: lambda packet: ArtSync() if len(packet) >= 14 else None,
}
_FAMILY = {
    **dict.fromkeys((OP_DMX, OP_NZS), decode_levels),
    **dict.fromkeys((OP_TOD_REQUEST, OP_TOD_DATA, OP_TOD_CONTROL, OP_RDM), decode_rdm_kind),
    **dict.fromkeys((OP_DIAG_DATA, OP_COMMAND, OP_TRIGGER), decode_note),
}


def op_of(packet: bytes) -> int | None:
    """The operation code; None for what is not Art-Net."""
    return (
        struct.unpack_from("<H", packet, 8)[0] if len(packet) >= 12 and packet[:8] == ID else None
    )


def decode(packet: bytes) -> Packet | None:
    """A record for the packets we know; None for others, for what is not Art-Net and for what is
    cut short.
    """
    op = op_of(packet)
    if op in _ONE:
        return _ONE[op](packet)
    return _FAMILY[op](packet, op) if op in _FAMILY else None


__all__ = [
    "DMX_HEADER",
    "ID",
    "MAX_PORT_ADDRESS",
    "MAX_SLOTS",
    "OP_DMX",
    "OP_POLL",
    "OP_POLL_REPLY",
    "PORT",
    "ArtAddress",
    "ArtCommand",
    "ArtDiagData",
    "ArtDmx",
    "ArtInput",
    "ArtIpProg",
    "ArtIpProgReply",
    "ArtNzs",
    "ArtPoll",
    "ArtPollReply",
    "ArtRdm",
    "ArtSync",
    "ArtTodControl",
    "ArtTodData",
    "ArtTodRequest",
    "ArtTrigger",
    "Packet",
    "ReplyPort",
    "decode",
    "encode_address",
    "encode_dmx",
    "encode_input",
    "encode_ip_prog",
    "encode_ip_prog_reply",
    "encode_nzs",
    "encode_poll",
    "encode_poll_reply",
    "encode_rdm",
    "encode_sync",
    "encode_tod_control",
    "encode_tod_data",
    "encode_tod_request",
    "op_of",
    "poll_codes",
    "reply_for",
    "setting",
]
