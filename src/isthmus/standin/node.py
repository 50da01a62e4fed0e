"""One stand-in node: what it does with each packet, and what comes out of its ports. No sockets
here.

Art-Net 4 for ports of that protocol (two senders merge by HTP or LTP, the third is left out), E1.31
for the others (the highest priority wins, equals merge by HTP, priorities by address are used).
"""

from __future__ import annotations

import dataclasses
import random
from dataclasses import dataclass, field

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from isthmus.standin.responder import Responder
from isthmus.standin.scenario import SimNode
from isthmus.wire import artnet, rdm, sacn
from isthmus.wire.artnet import poll_codes as bits
from isthmus.wire.artnet import setting as s

ARTNET_LOSS = 10.0  # Art-Net 4, "Merging": a sender that is silent so long no longer counts
SYNC_LOSS = 4.0
MERGED = 2
Reply = tuple[bytes, str]  # packet, host


@dataclass
class Feed:
    """What one sender last said to one port."""

    slots: NDArray[np.uint8]
    at: float
    sequence: int
    priority: int = 100
    by_address: NDArray[np.uint8] | None = None


@dataclass
class SimPort:
    """One port: its senders, and what comes out."""

    number: int
    is_input: bool = False
    merge: str = "htp"
    disabled: bool = False
    protocol: str = "artnet"
    rdm: bool = True
    feeds: dict[str, Feed] = field(default_factory=dict)
    slots: NDArray[np.uint8] = field(default_factory=lambda: np.zeros(512, np.uint8))
    waiting: bool = False  # for a sync
    packets: int = 0
    lost: int = 0
    sender: str = ""
    at: float = 0.0
    previous: float = 0.0

    def take(self, who: str, slots: bytes, sequence: int, now: float, priority: int = 100) -> None:
        loss = ARTNET_LOSS if self.protocol == "artnet" else sacn.LOSS_SECONDS
        self.feeds = {
            key: feed for key, feed in self.feeds.items() if now - feed.at < loss or key == who
        }
        feed = self.feeds.get(who)
        if feed is None:
            if self.protocol == "artnet" and len(self.feeds) >= MERGED:
                return
            feed = self.feeds[who] = Feed(np.zeros(512, np.uint8), now, sequence)
        else:
            top = 255 if self.protocol == "artnet" else 256
            step = (sequence - feed.sequence) % top
            self.lost += step - 1 if feed.sequence + sequence and 1 < step < 128 else 0
        feed.slots[: len(slots)] = np.frombuffer(slots, np.uint8)
        feed.at, feed.sequence, feed.priority = now, sequence, priority
        self.packets += 1
        self.sender = who
        self.previous, self.at = self.at, now

    def put_out(self) -> None:
        """Merge what the senders say."""
        self.waiting = False
        feeds = list(self.feeds.values())
        if not feeds:
            return
        if self.protocol == "artnet":
            newest = max(feeds, key=lambda f: f.at)
            self.slots = (
                newest.slots.copy()
                if self.merge == "ltp"
                else np.max([f.slots for f in feeds], axis=0)
            )
            return
        rank = np.array(
            [
                f.by_address if f.by_address is not None else np.full(512, f.priority, np.uint8)
                for f in feeds
            ]
        )
        best = rank.max(axis=0)
        levels = np.where((rank == best) & (best > 0), [f.slots for f in feeds], 0)
        self.slots = levels.max(axis=0).astype(np.uint8)

    @property
    def merging(self) -> bool:
        return len(self.feeds) > 1


class Node:
    """A node of a scenario while it runs. `settings` follow what it is told over the network."""

    def __init__(self, settings: SimNode, seed: int = 0) -> None:
        self.settings = settings
        self.on = True
        self.short_name, self.long_name = settings.name[:17], f"Stand-in node {settings.name}"
        self.ports = [
            SimPort(
                number,
                index in settings.inputs,
                settings.merge,
                False,
                settings.protocol,
                settings.rdm,
            )
            for index, number in enumerate(settings.ports, 1)
        ]
        self.mac = bytes([0x02, 0x1D, *settings.ip.encode()[-4:]])
        self.ip, self.mask = settings.ip, settings.mask
        self.synced = -SYNC_LOSS
        self._chance = random.Random(seed)
        self._taken: dict[int, float] = {}  # universe → when it last came: for the cap
        self.counter = 0
        self.bad = 0
        self.responder: Responder | None = None  # of the units behind it

    # ------------------------------------------------------------ what comes in

    def handle(self, data: bytes, sender: str, now: float) -> list[Reply]:
        """One datagram; returns the answers."""
        if not self.on or (self.settings.drop and self._chance.random() < self.settings.drop):
            return []
        packet = artnet.decode(data) or sacn.decode(data)
        if isinstance(packet, artnet.ArtDmx):
            self._levels("artnet", packet.port_address, sender, packet.slots, packet.sequence, now)
        elif isinstance(packet, sacn.Data):
            self._sacn(packet, now)
        elif isinstance(packet, (artnet.ArtSync, sacn.Sync)):
            self.synced = now
            for port in self.ports:
                port.put_out() if port.waiting else None
        elif packet is None:
            self.bad += 1
        else:
            return self._asked(packet, sender)
        return []

    def _asked(self, packet: object, sender: str) -> list[Reply]:
        """What is answered: polls, settings and RDM."""
        if isinstance(packet, artnet.ArtPoll):
            return self.answers(sender)
        if isinstance(packet, artnet.ArtAddress):
            self._set(packet)
            return self.answers(sender)
        if isinstance(packet, artnet.ArtInput):
            for port, off in zip(self._page(packet.bind_index), packet.disabled, strict=False):
                port.disabled = off
            return self.answers(sender)
        if isinstance(packet, artnet.ArtIpProg):
            return self._programmed(packet, sender)
        if isinstance(packet, (artnet.ArtTodRequest, artnet.ArtTodControl, artnet.ArtRdm)):
            return self._rdm(packet, sender)
        return []

    def _within_cap(self, number: int, now: float) -> bool:
        self._taken = {n: at for n, at in self._taken.items() if now - at < ARTNET_LOSS}
        if (
            self.settings.cap
            and number not in self._taken
            and len(self._taken) >= self.settings.cap
        ):
            return False
        self._taken[number] = now
        return True

    def _levels(
        self, protocol: str, number: int, who: str, slots: bytes, sequence: int, now: float
    ) -> None:
        if not self._within_cap(number, now):
            return
        for port in self.ports:
            if not port.is_input and (port.protocol, port.number) == (protocol, number):
                port.take(who, slots, sequence, now)
                if now - self.synced < SYNC_LOSS:
                    port.waiting = True
                else:
                    port.put_out()

    def _sacn(self, packet: sacn.Data, now: float) -> None:
        if packet.preview or not self._within_cap(packet.universe, now):
            return
        who = packet.cid.hex()
        for port in self.ports:
            if port.is_input or (port.protocol, port.number) != ("sacn", packet.universe):
                continue
            if packet.terminated:
                port.feeds.pop(who, None)
            elif packet.start_code == sacn.PER_ADDRESS_PRIORITY:
                if who in port.feeds:
                    port.feeds[who].by_address = np.frombuffer(
                        packet.slots.ljust(512, b"\0"), np.uint8
                    )
                    port.feeds[who].sequence = packet.sequence
            elif packet.start_code == 0:
                port.take(who, packet.slots, packet.sequence, now, packet.priority)
                port.waiting = bool(packet.sync) and now - self.synced < sacn.LOSS_SECONDS
            port.put_out() if not port.waiting else None

    def _rdm(
        self, packet: artnet.ArtTodRequest | artnet.ArtTodControl | artnet.ArtRdm, sender: str
    ) -> list[Reply]:
        """Tables of devices, and messages handed to the units behind a port."""
        if self.responder is None:
            return []
        if isinstance(packet, artnet.ArtTodRequest):
            wanted = {packet.net << 8 | address for address in packet.addresses}
        else:
            wanted = {packet.port_address}
        out: list[Reply] = []
        for bind, page in enumerate(self._pages(), 1):
            for slot, port in enumerate(page, 1):
                if port.number not in wanted or port.is_input or not port.rdm:
                    continue
                index = self.ports.index(port)
                if not isinstance(packet, artnet.ArtRdm):
                    out += [
                        (p, sender)
                        for p in self.responder.table(
                            self.settings.name, index, port.number, bind, slot
                        )
                    ]
                elif isinstance(
                    message := rdm.decode(packet.message, start_code=False), rdm.Message
                ):
                    answer = self.responder.answer(self.settings.name, index, message)
                    if answer is not None:
                        out.append(
                            (
                                artnet.encode_rdm(
                                    artnet.ArtRdm(port.number, rdm.encode(answer, start_code=False))
                                ),
                                sender,
                            )
                        )
        return out

    # ------------------------------------------------------------ who it is

    def _pages(self) -> list[list[SimPort]]:
        """Ports by pages of up to four that share net and sub-net."""
        pages: list[list[SimPort]] = []
        for port in self.ports:
            if pages and len(pages[-1]) < 4 and pages[-1][0].number >> 4 == port.number >> 4:
                pages[-1].append(port)
            else:
                pages.append([port])
        return pages

    def _page(self, bind_index: int) -> list[SimPort]:
        pages = self._pages()
        return pages[max(1, bind_index) - 1] if max(1, bind_index) <= len(pages) else []

    def answers(self, to: str) -> list[Reply]:
        """ArtPollReply, a page for each four ports. A node for sACN alone keeps silent."""
        if self.settings.protocol == "sacn":
            return []
        self.counter += 1
        out = []
        for bind, page in enumerate(self._pages(), 1):
            ports = tuple(
                artnet.ReplyPort(
                    bits.INPUT if p.is_input else bits.OUTPUT,
                    bits.INPUT_DISABLED if p.disabled else 0,
                    (bits.SENDING if p.packets else 0)
                    | (bits.LTP if p.merge == "ltp" else 0)
                    | (bits.MERGING if p.merging else 0),
                    0 if p.rdm else bits.RDM_OFF,
                    p.number & 15,
                    p.number & 15,
                )
                for p in page
            )
            reply = artnet.ArtPollReply(
                self.settings.says or self.ip,
                self.short_name,
                self.long_name,
                ports,
                page[0].number >> 8,
                page[0].number >> 4 & 15,
                f"#0001 [{self.counter % 10000:04d}] in order",
                status1=0xD0 | (bits.RDM_ABLE if self.settings.rdm else 0),
                status3=0 if self.settings.fixed else bits.DIRECTION_ABLE,
                mac=self.mac,
                bind_index=bind,
            )
            out.append((artnet.encode_poll_reply(reply), to))
            if self.settings.twin:
                out.append(
                    (
                        artnet.encode_poll_reply(
                            dataclasses.replace(reply, mac=b"\x02\x1d\xff" + self.mac[3:])
                        ),
                        to,
                    )
                )
        return out

    # ------------------------------------------------------------ being set

    def _set(self, packet: artnet.ArtAddress) -> None:
        self.short_name = packet.short_name or self.short_name
        self.long_name = packet.long_name or self.long_name
        page = self._page(packet.bind_index)
        for slot, port in enumerate(page):
            low = (packet.sw_in if port.is_input else packet.sw_out)[slot]
            net = port.number >> 8 if packet.net is None else packet.net
            sub = port.number >> 4 & 15 if packet.sub is None else packet.sub
            port.number = net << 8 | sub << 4 | (port.number & 15 if low is None else low)
        kind, slot = packet.command & 0xF0, packet.command & 3
        if slot < len(page):
            port = page[slot]
            if kind in (s.DIRECTION_OUT, s.DIRECTION_IN) and not self.settings.fixed:
                port.is_input = kind == s.DIRECTION_IN
            elif kind in (s.MERGE_HTP, s.MERGE_LTP):
                port.merge = "ltp" if kind == s.MERGE_LTP else "htp"
            elif kind in (s.RDM_ENABLE, s.RDM_DISABLE):
                port.rdm = kind == s.RDM_ENABLE

    def _programmed(self, packet: artnet.ArtIpProg, sender: str) -> list[Reply]:
        if packet.command & s.PROGRAM:
            if packet.command & s.PROGRAM_MASK:
                self.mask = packet.mask
            if packet.command & s.PROGRAM_IP:
                self.ip = packet.ip
        return [
            (artnet.encode_ip_prog_reply(artnet.ArtIpProgReply(self.ip, self.mask, False)), sender)
        ]

    def change(self, **changes: object) -> None:
        """Another truth while it runs: what is not about ports holds at once, ports begin again."""
        ports = {"ports", "inputs", "protocol", "merge", "rdm"} & changes.keys()
        self.settings = replace(self.settings, **changes)
        if ports:
            fresh = Node(self.settings)
            self.ports = fresh.ports
        self.ip = str(changes.get("ip", self.ip))
        self.mask = str(changes.get("mask", self.mask))

    def switch(self, on: bool) -> None:
        """Without power nothing comes out, and what was merged is forgotten."""
        self.on = on
        for port in self.ports if not on else ():
            port.feeds.clear()
            port.slots = np.zeros(512, np.uint8)
            port.packets = 0
