"""What comes in, sorted by who sent it: levels are kept by source and universe, everything else is
handed on.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from isthmus.watch.shared import (
    ARTNET,
    MAX_SOURCES,
    SACN,
    SLOTS,
    T_BAD,
    T_FULL,
    T_OTHER,
    T_PACKETS,
    SharedTable,
)
from isthmus.wire import artnet, sacn

SILENT = 30.0  # seconds after which a source gives its row to another when the table is full
LOOKED = 0.5  # seconds for which a full table is not looked through again
RATE_OVER = 1.0  # seconds a rate is counted over
OUT_OF_ORDER = 20  # E1.31 6.7.2: so far back it is an old packet, farther it is a new start


class Heard:
    """One source on one universe."""

    def __init__(
        self, kind: int, number: int, ip: int, row: int, view: memoryview, now: float
    ) -> None:
        self.kind, self.number, self.ip, self.row, self.view = kind, number, ip, row, view
        self.port = self.length = self.sync = self.options = self.start_codes = self.ended = 0
        self.packets = self.lost = self.changes = self.counted = 0
        self.priority = 100 if kind == SACN else 0
        self.sequence = -1
        self.first = self.last = self.rate_at = now
        self.rate = 0.0
        self.cid, self.name, self.head = "", "", b""

    def take(self, slots: memoryview, sequence: int, now: float) -> None:
        self.packets += 1
        self.last = now
        if now - self.rate_at >= RATE_OVER:
            self.rate = (self.packets - self.counted) / (now - self.rate_at)
            self.rate_at, self.counted = now, self.packets
        if self.sequence >= 0:
            if self.kind == SACN:
                step = (sequence - self.sequence - 1) & 0xFF
                self.lost += step if step < 256 - OUT_OF_ORDER else 1
            elif sequence and self.sequence:  # 0 tells that the sender does not count
                step = (sequence - self.sequence - 1) % 255
                self.lost += step if step < 128 else 1
        self.sequence = sequence
        self.length = len(slots)
        if self.view[: self.length] != slots:
            self.changes += 1
            self.view[: self.length] = slots


class Hearing:
    """Takes datagrams; `flush` writes what is known into the shared table."""

    def __init__(self, table: SharedTable, other: Callable[[bytes, int, int], None]) -> None:
        """`other` is handed (datagram, sender's address, port) of what is not levels."""
        self.table, self.words, self._other = table, table.words, other
        self.sources: dict[tuple[int, int | bytes], Heard] = {}
        self._free = list(range(MAX_SOURCES - 1, -1, -1))
        self._levels = memoryview(table.levels.reshape(-1).data)
        self._packets = self._bad = self._others = self._full = 0
        self._full_until = 0.0

    def take(self, data: memoryview, ip: int, port: int, now: float) -> None:
        self._packets += 1
        if data[:8] == artnet.ID:
            self._artnet(data, ip, port, now)
        elif data[:16] == sacn.ROOT:
            self._sacn(data, ip, port, now)
        else:
            self._bad += 1

    def _artnet(self, data: memoryview, ip: int, port: int, now: float) -> None:
        size = len(data)
        if size < 12:
            self._bad += 1
        elif data[8] == 0 and data[9] == 0x50:  # OpDmx, low byte first
            length = data[16] << 8 | data[17] if size >= 20 else 0
            if not 2 <= length <= SLOTS or size < 18 + length or data[15] > 0x7F or data[11] < 14:
                self._bad += 1
                return
            number = data[15] << 8 | data[14]
            heard = self.sources.get((ip, number))
            if (
                heard is None
                and (heard := self._new((ip, number), ARTNET, number, ip, now)) is None
            ):
                return
            heard.port = port
            heard.take(data[18 : 18 + length], data[12], now)
        elif artnet.decode(bytes(data)) is None:
            self._bad += 1
        else:
            self._others += 1
            self._other(bytes(data), ip, port)

    def _sacn(self, data: memoryview, ip: int, port: int, now: float) -> None:
        if len(data) < sacn.HEADER or data[21] != sacn.ROOT_DATA:
            if sacn.decode(bytes(data)) is None:
                self._bad += 1
            else:
                self._others += 1
                self._other(bytes(data), ip, port)
            return
        key = ip, bytes(data[22:38]) + bytes(data[113:115])
        heard = self.sources.get(key)
        head = (
            bytes(data[115:125])
            + bytes(data[108:111])
            + bytes([data[112], data[125], len(data) & 0xFF])
        )
        if (
            heard is None or heard.head != head
        ):  # whole look at the first packet, and whenever its head has changed
            found = sacn.decode(bytes(data))
            if not isinstance(found, sacn.Data):
                self._bad += 1
                return
            if heard is None and (heard := self._new(key, SACN, found.universe, ip, now)) is None:
                return
            if found.start_code:
                heard.start_codes |= 1 if found.start_code == sacn.PER_ADDRESS_PRIORITY else 2
                heard.sequence = found.sequence
                return
            heard.cid, heard.name, heard.port = found.cid.hex(), found.source, port
            heard.priority, heard.sync, heard.options = found.priority, found.sync, found.options
            heard.ended = int(found.terminated)
            heard.head = head
        count = data[123] << 8 | data[124]
        heard.take(data[126 : 125 + count], data[sacn.SEQUENCE_AT], now)

    def _new(
        self, key: tuple[int, int | bytes], kind: int, number: int, ip: int, now: float
    ) -> Heard | None:
        if not self._free:
            if now < self._full_until:
                self._full += 1
                return None
            oldest = min(self.sources.items(), key=lambda pair: pair[1].last)
            if now - oldest[1].last < SILENT:
                self._full_until = now + LOOKED  # a flood is not looked through for each packet
                self._full += 1
                return None
            del self.sources[oldest[0]]
            self._free.append(oldest[1].row)
        row = self._free.pop()
        view = self._levels[row * SLOTS : (row + 1) * SLOTS]
        view[:] = bytes(SLOTS)
        made = self.sources[key] = Heard(kind, number, ip, row, view, now)
        return made

    def forget(self) -> None:
        """Begin again: sources that are still there come back automatically."""
        self.sources.clear()
        self._free = list(range(MAX_SOURCES - 1, -1, -1))
        self.table.rows["kind"] = 0

    def flush(self, now: float) -> None:
        rows = self.table.rows
        kept = np.zeros(MAX_SOURCES, bool)
        for h in self.sources.values():
            if now - h.rate_at > 2 * RATE_OVER:
                h.rate, h.rate_at, h.counted = (
                    (h.packets - h.counted) / (now - h.rate_at),
                    now,
                    h.packets,
                )
            kept[h.row] = True
            # the kind of a new row comes last: until then it counts as free
            heard = (h.priority, h.options, h.start_codes, h.number, h.ip, h.port, h.length, h.sync)
            counted = (h.ended, h.packets, h.lost, h.changes, h.first, h.last, h.rate)
            names = (h.cid.encode(), h.name.encode()[:64])
            rows[h.row] = (rows["kind"][h.row], *heard, *counted, *names)
            rows["kind"][h.row] = h.kind
        rows["kind"][~kept] = 0
        for word, count in (
            (T_PACKETS, self._packets),
            (T_BAD, self._bad),
            (T_OTHER, self._others),
            (T_FULL, self._full),
        ):
            self.words[word] = count
