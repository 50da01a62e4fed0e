"""Talking RDM through nodes (ANSI E1.20 over Art-Net): one question at a time, so that light comes
first.
"""

from __future__ import annotations

import struct
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from isthmus.errors import NetworkFault
from isthmus.wire import artnet, rdm

if TYPE_CHECKING:
    from isthmus.net.hub import Hub

OWN = rdm.uid(0x7FF0, 0x49534D48)  # a number of the range for prototypes
WAIT, TRIES = 0.35, 3  # seconds for an answer; a node may need a while to get through to a port
PAUSE = 0.012  # between two questions: RDM takes time from the levels on the same line
TABLE_WAIT = 1.2
MAX_DEVICES = 512  # behind one port
MAX_PARTS, MAX_TIMER = 64, 3.0
Send = Callable[[bytes, str], str]  # packet, address; returns why it could not be sent


@dataclass
class _Question:
    """One that waits for its answer."""

    device: bytes
    command: int
    parameter: int
    answer: rdm.Message | None = None


class Talker:
    """Asks devices behind ports. Waits, so call it from a thread of its own."""

    def __init__(self, send: Send, pause: float) -> None:
        self._send, self._pause = send, pause
        self._news = threading.Condition()
        self._waiting: dict[
            tuple[str, int, int], _Question
        ] = {}  # address, port-address, transaction
        self._tables: dict[tuple[str, int], dict[int, artnet.ArtTodData]] = {}
        self._number = 0
        self.ended = threading.Event()
        self.bad = 0  # answers that could not be read

    @classmethod
    def of(cls, hub: Hub) -> Talker:
        made = cls(lambda packet, host: hub.send(packet, host), PAUSE)
        hub.on_rdm = made.take
        return made

    def take(self, packet: artnet.ArtRdm | artnet.ArtTodData, ip: str) -> None:
        """What came from a node; from any thread."""
        with self._news:
            if isinstance(packet, artnet.ArtTodData):
                blocks = self._tables.get((ip, packet.port_address))
                if blocks is None:  # not asked for: tables of all ports there may be fill memory
                    return
                if packet.block in blocks or len(blocks) < MAX_DEVICES:
                    blocks[packet.block] = packet
            else:
                message = rdm.decode(packet.message, start_code=False)
                if isinstance(message, rdm.Broken):
                    self.bad += 1
                elif message.to == OWN:
                    asked = self._waiting.get((ip, packet.port_address, message.transaction))
                    mine = (message.by, message.command - 1, message.parameter)
                    if asked is not None and mine == (asked.device, asked.command, asked.parameter):
                        asked.answer = message
            self._news.notify_all()

    # ------------------------------------------------------------ who is there

    def table(self, ip: str, port_address: int, fresh: bool = True) -> tuple[list[bytes], str]:
        """The devices behind a port, each once, and what is odd about the answer ("" when nothing
        is).

        `fresh` makes the node search again. Raises NetworkFault when it does not answer.
        """
        key = ip, port_address
        with self._news:
            self._tables[key] = {}
        low = port_address & 0xFF
        for attempt in range(2):
            control = artnet.encode_tod_control(artnet.ArtTodControl(port_address))
            request = artnet.encode_tod_request(artnet.ArtTodRequest(port_address >> 8, (low,)))
            self._out(control if fresh and attempt == 0 else request, ip)
            end = time.monotonic() + TABLE_WAIT
            with self._news:
                while (
                    not self._whole(key)
                    and (left := end - time.monotonic()) > 0
                    and not self.ended.is_set()
                ):
                    self._news.wait(left)
                if self._whole(key):
                    break
        blocks = self._tables.get(key)
        if not blocks:
            raise NetworkFault(
                "the node does not say who is there.",
                where=f"{ip}, port-address {port_address}",
                do="Try again, or look at the node.",
            )
        found = [u for _, block in sorted(blocks.items()) for u in block.uids]
        told = next(iter(blocks.values())).total or 0
        odd = []
        if len(set(found)) < len(found):
            odd.append("it names a device twice")
        if len(found) > MAX_DEVICES or told > MAX_DEVICES:
            odd.append(f"it names more than {MAX_DEVICES} devices")
        if len(set(found)) < told <= MAX_DEVICES:
            odd.append(f"it tells of {told} devices and names {len(set(found))}")
        return list(dict.fromkeys(u for u in found if u != rdm.ALL))[:MAX_DEVICES], "; ".join(odd)

    def _whole(self, key: tuple[str, int]) -> bool:
        blocks = self._tables.get(key)
        if not blocks:
            return False
        totals = {b.total for b in blocks.values()}
        if totals == {None}:
            return False
        return sum(len(b.uids) for b in blocks.values()) >= min(
            MAX_DEVICES, max(t or 0 for t in totals)
        )

    # ------------------------------------------------------------ asking one device

    def get(
        self, ip: str, port_address: int, device: bytes, parameter: int, data: bytes = b""
    ) -> bytes:
        """Raises NetworkFault when it is silent, refuses, or answers something else."""
        return self._ask(ip, port_address, device, rdm.GET, parameter, data)

    def set(
        self, ip: str, port_address: int, device: bytes, parameter: int, data: bytes = b""
    ) -> bytes:
        return self._ask(ip, port_address, device, rdm.SET, parameter, data)

    def _ask(
        self, ip: str, port_address: int, device: bytes, command: int, parameter: int, data: bytes
    ) -> bytes:
        where = f"{rdm.write_uid(device)} behind {ip}"
        out, timer_until = b"", time.monotonic() + MAX_TIMER
        attempt = parts = 0
        while attempt < TRIES and parts < MAX_PARTS:
            if self.ended.is_set():
                raise NetworkFault("discovery was ended.", where=where)
            message = self._once(ip, port_address, device, command, parameter, data)
            if message is None:
                attempt += 1
                continue
            if message.port == rdm.NACK:
                code = struct.unpack(">H", message.data[:2])[0] if len(message.data) >= 2 else -1
                raise NetworkFault(
                    f"refused: {rdm.REASONS.get(code, 'it does not say why')}.", where=where
                )
            if message.port == rdm.ACK_TIMER:
                tenths = struct.unpack(">H", message.data[:2])[0] if len(message.data) >= 2 else 1
                if time.monotonic() > timer_until:
                    break
                self.ended.wait(min(1.0, tenths / 10))
                continue
            out += message.data
            if message.port == rdm.ACK:
                return out
            parts += 1  # there is more
        what = "goes on and on" if parts else "does not answer"
        raise NetworkFault(
            f"it {what}.",
            where=where,
            do="Look at its line and its end plug; collisions look like this too.",
        )

    def _once(
        self, ip: str, port_address: int, device: bytes, command: int, parameter: int, data: bytes
    ) -> rdm.Message | None:
        asked = _Question(device, command, parameter)
        with self._news:
            self._number = number = (self._number + 1) % 256
            self._waiting[(ip, port_address, number)] = asked
        question = rdm.Message(device, OWN, command, parameter, data, number)
        try:
            self._out(
                artnet.encode_rdm(
                    artnet.ArtRdm(port_address, rdm.encode(question, start_code=False))
                ),
                ip,
            )
            end = time.monotonic() + WAIT
            with self._news:
                while (
                    asked.answer is None
                    and (left := end - time.monotonic()) > 0
                    and not self.ended.is_set()
                ):
                    self._news.wait(left)
                return asked.answer
        finally:
            with self._news:
                del self._waiting[(ip, port_address, number)]

    def _out(self, packet: bytes, ip: str) -> None:
        why = self._send(packet, ip)
        if why:
            raise NetworkFault(f"nothing could be sent. {why}", where=ip, do="Look at the adapter.")
        self.ended.wait(self._pause)

    def stop(self) -> None:
        """End what is under way."""
        self.ended.set()
        with self._news:
            self._news.notify_all()
