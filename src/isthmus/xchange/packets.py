"""Packets of MVR-xchange over TCP: a head of 28 bytes in network order, then JSON or a file.

Source: DIN SPEC 15801:2023-12 (MVR 1.6), “MVR-xchange”, TCP mode. A message may be cut into several
packets; what is sent here is one each.
"""

from __future__ import annotations

import asyncio
import struct
from collections.abc import Callable
from dataclasses import dataclass

from isthmus.errors import NetworkFault

MAGIC, VERSION = 778682, 1
JSON, FILE = 0, 1
HEAD = struct.Struct(">IIIIIQ")  # magic, version, number, count, type, length of what follows
MAX_TEXT = 1 << 20
MAX_PARTS = 65_536
PART = 1 << 18  # bytes read at once: progress and cancelling are seen between two
PATIENCE = 10.0  # seconds in which something more has to come


@dataclass(frozen=True)
class Start:
    number: int
    count: int
    kind: int
    length: int


def write_packet(kind: int, data: bytes) -> bytes:
    return HEAD.pack(MAGIC, VERSION, 0, 1, kind, len(data)) + data


def read_start(data: bytes, limit: int) -> Start:
    """`limit`: the most bytes that a file may have. Raises NetworkFault for what is none."""
    magic, version, number, count, kind, length = HEAD.unpack(data)
    if magic != MAGIC:
        raise NetworkFault("that is not a packet of MVR-xchange.")
    if version != VERSION:
        raise NetworkFault(f"packets of version {version} are not known, only {VERSION}.")
    if kind not in (JSON, FILE):
        raise NetworkFault(f"a packet has the unknown type {kind}.")
    if not 1 <= count <= MAX_PARTS or number > count:
        raise NetworkFault(f"packet {number} of {count} cannot be.")
    most = MAX_TEXT if kind == JSON else limit
    if length > most:
        raise NetworkFault(f"{length} bytes are announced, {most} are the most that are taken.")
    return Start(number, count, kind, length)


async def receive(
    reader: asyncio.StreamReader,
    limit: Callable[[], int],
    patience: float = PATIENCE,
    step: Callable[[int], None] = lambda done: None,
) -> tuple[int, bytes] | None:
    """The next message, JSON or a file; None where the other side has closed before it began.

    The whole of it stays under the limit of its kind, however it is cut; `limit` is asked how many
    bytes a file may have when one begins. `step` hears how many bytes of it have come. Raises
    NetworkFault.
    """
    got = bytearray()
    kind: int | None = None
    left = 1
    while left:
        try:
            raw = await asyncio.wait_for(reader.readexactly(HEAD.size), patience)
        except asyncio.IncompleteReadError as error:
            if kind is None and not error.partial:
                return None
            raise NetworkFault("the other side closed in the middle of a packet.") from error
        except TimeoutError as error:
            raise NetworkFault(f"nothing has come for {patience:g} s.") from error
        most = limit()
        head = read_start(raw, most)
        if kind is None:
            kind, left = head.kind, head.count
        elif head.kind != kind:
            raise NetworkFault("a file and a message are mixed.")
        if len(got) + head.length > (MAX_TEXT if kind == JSON else most):
            raise NetworkFault("the packets of one message are more than is taken.")
        await _fill(reader, got, head.length, patience, step)
        left -= 1
    return kind or 0, bytes(got)


async def _fill(
    reader: asyncio.StreamReader,
    got: bytearray,
    length: int,
    patience: float,
    step: Callable[[int], None],
) -> None:
    until = len(got) + length
    while len(got) < until:
        try:
            part = await asyncio.wait_for(reader.read(min(PART, until - len(got))), patience)
        except TimeoutError as error:
            raise NetworkFault(f"nothing has come for {patience:g} s.") from error
        if not part:
            raise NetworkFault("the other side closed in the middle of a packet.")
        got += part
        step(len(got))
