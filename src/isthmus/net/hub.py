"""The live side of the network: sockets by adapter, the watch, polls and answers, on a thread of
its own.

What is known is told as a `View`, a value; whoever asks gets the newest. Nothing is polled until
a person wants to look, and nothing leaves this computer unless a destination or an adapter that was
chosen lies outside.
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from isthmus.errors import NetworkFault, os_reason
from isthmus.net.adapters import LOOPBACK, Adapter, Choice, choose, read_adapters
from isthmus.net.found import Finder, FoundNode
from isthmus.sockets import Opened, Outlets, join, open_receivers
from isthmus.watch import Source, Watch
from isthmus.watch.supervisor import Captured, Heard
from isthmus.wire import artnet, sacn

POLL_SECONDS = 2.5  # Art-Net 4, "ArtPoll": every 2.5 to 3 s
ADAPTER_SECONDS = 1.0
SOURCE_SECONDS = 0.4
MAX_SENDERS = 1000
LOCAL_BROADCAST = "127.255.255.255"
NOT_YET = Choice(None, "not looked at yet")


@dataclass(frozen=True)
class SacnSource:
    """A sender that tells which universes it sends (E1.31 universe discovery)."""

    name: str
    ip: str
    cid: str
    universes: tuple[int, ...]


@dataclass(frozen=True)
class View:
    """What is known of the network. `asking` is port-address → hosts of nodes with an
    output there.
    """

    adapters: tuple[Adapter, ...] = ()
    choices: dict[str, Choice] = field(default_factory=lambda: {"artnet": NOT_YET, "sacn": NOT_YET})
    nodes: tuple[FoundNode, ...] = ()
    asking: dict[int, tuple[str, ...]] = field(default_factory=dict)
    sacn: tuple[SacnSource, ...] = ()
    sources: tuple[Source, ...] = ()
    trouble: tuple[str, ...] = ()
    looking: bool = False
    looked: bool = False  # a first round of answers has had its time


class Hub:
    """Opens sockets, polls, listens. `changed` is called from its thread, with the new view."""

    def __init__(
        self,
        changed: Callable[[View], None] = lambda view: None,
        opened: Callable[[Outlets], None] = lambda outlets: None,
    ) -> None:
        """`opened` gets new sockets to send from, when adapters or choices have changed."""
        self.view = View()
        self.watch = Watch()
        self.outlets = Outlets()
        self.captured: Captured | None = None
        self.on_rdm: Callable[[artnet.ArtRdm | artnet.ArtTodData, str], None] = lambda packet, ip: (
            None
        )
        self._changed, self._opened = changed, opened
        self._finder = Finder()
        self._pages: dict[str, dict[int, sacn.Discovery]] = {}
        self._sacn: dict[str, tuple[SacnSource, float]] = {}
        self._heard: list[Opened] = []
        self._wanted: dict[str, str] = {"artnet": "", "sacn": ""}
        self._hosts: dict[str, tuple[str, ...]] = {"artnet": (), "sacn": ()}
        self._expected: tuple[str, ...] = ()
        self._groups: tuple[int, ...] = ()
        self._listen = ""
        self._lock = threading.RLock()
        self._ended = threading.Event()
        self._wake = threading.Event()
        self._thread: threading.Thread | None = None
        self._looked_at = 0.0
        self._polled_at = 0.0
        self._open: tuple[object, ...] = ()
        self._masks_asked: dict[
            str, float
        ] = {}  # of nodes the finder knows, so it is bounded as that is
        self._sources_at = 0.0

    # ------------------------------------------------------------ what is wanted

    def want(
        self,
        adapters: dict[str, str] | None = None,
        hosts: Mapping[str, Sequence[str]] | None = None,
        expected: Sequence[str] = (),
        universes: Sequence[int] = (),
        listen: str = "",
    ) -> None:
        """Adapters chosen by protocol (address or name, "" is automatic), destinations by
        protocol, addresses of expected nodes (asked one by one besides the broadcast), sACN
        universes to listen to, and where to listen besides the adapters that are sent by: an
        adapter, or "all".
        """
        with self._lock:
            if adapters is not None:
                self._wanted.update(adapters)
            if hosts is not None:
                self._hosts.update({key: tuple(value) for key, value in hosts.items()})
            self._expected = tuple(expected)
            self._groups = tuple(sorted(set(universes)))
            self._listen = listen
        self.settle()

    def look(self, on: bool) -> None:
        """Begin or end polling."""
        with self._lock:
            if on and not self.view.looking:
                self._looked_at, self._polled_at = time.monotonic(), 0.0
            self.view = replace(self.view, looking=on, looked=self.view.looked and on)
        self._wake.set()

    def poll_soon(self) -> None:
        """Ask again at once instead of when it is due."""
        self._polled_at = 0.0

    def forget(self) -> None:
        """Leave out what is no longer there, and search again."""
        with self._lock:
            self._finder.forget()
            self._sacn.clear()
            self._polled_at = 0.0
            self._looked_at = time.monotonic()
        self.watch.forget()

    # ------------------------------------------------------------ sockets

    def settle(self) -> None:
        """Choose adapters for what is wanted now, and open their sockets again when they are others
        than before.
        """
        adapters = read_adapters()
        with self._lock:
            around = [*self._expected, *(h for hosts in self._hosts.values() for h in hosts)]
            choices = {
                p: choose(adapters, self._wanted[p], self._hosts[p] or around)
                for p in ("artnet", "sacn")
            }
            sent_by = {choices[p].address for p in choices}
            more = tuple(
                a
                for a in adapters
                if a.up and self._listen in ("all", a.ip, a.name) and a.ip not in sent_by
            )
            wanted = (choices["artnet"].adapter, choices["sacn"].adapter, self._groups, more)
            if wanted != self._open or not self.outlets.sockets:
                self._reopen(choices, more)
                self._open = wanted
            if (adapters, choices) != (self.view.adapters, self.view.choices):
                self.view = replace(self.view, adapters=adapters, choices=choices)

    def reopen(self) -> None:
        """Try again for ports that others had."""
        with self._lock:
            self._open = ()
        self.settle()

    def _reopen(self, choices: dict[str, Choice], more: tuple[Adapter, ...]) -> None:
        addresses = choices["artnet"].address, choices["sacn"].address
        art = choices["artnet"].adapter
        broadcast = art.broadcast if art and not art.local else ""
        old_heard, self._heard = self._heard, []
        trouble = []
        old = self.outlets
        keep = {n: s for n, s in old.sockets.items() if _stands(s.getsockname(), n, addresses)}
        if (
            not keep
            or keep != old.sockets
            or (addresses, broadcast) != (old.addresses, old.broadcast)
        ):
            for name in keep:
                del old.sockets[name]
            old.close()  # the engine has its own handles on them until it gets the new ones
            self.outlets = Outlets.open(*addresses, broadcast, keep)
            self._opened(self.outlets)
        trouble += self.outlets.trouble
        for opened in old_heard:
            opened.close()
        self._heard.append(open_receivers(LOOPBACK, LOCAL_BROADCAST, artnet.PORT))
        if broadcast and art:
            self._heard.append(open_receivers(art.ip, broadcast, artnet.PORT))
        groups = [sacn.multicast(u) for u in (*self._groups, sacn.DISCOVERY_UNIVERSE)]
        self._heard.append(join(addresses[1], groups))
        for adapter in more:  # only listened to: nothing is sent by it
            self._heard += [
                open_receivers(adapter.ip, adapter.broadcast, artnet.PORT, unicast=True),
                join(adapter.ip, groups),
            ]
        trouble += [words for opened in self._heard for words in opened.trouble]
        self.watch.use(
            [*self.outlets.sockets.values(), *(s for opened in self._heard for s in opened.sockets)]
        )
        self.view = replace(self.view, trouble=tuple(dict.fromkeys(trouble)))

    # ------------------------------------------------------------ running

    def start(self) -> None:
        """Raises NetworkFault when the watch cannot be started."""
        self.watch.start()
        self.settle()
        self._thread = threading.Thread(target=self._run, name="hub", daemon=True)
        self._thread.start()

    def _run(self) -> None:
        adapters_at = 0.0
        while not self._ended.is_set():
            before = self.view
            for message in self.watch.messages(0.1):
                self._take(message)
            now = time.monotonic()
            if now - adapters_at >= ADAPTER_SECONDS:
                adapters_at = now
                with contextlib.suppress(NetworkFault, OSError):
                    self.settle()
                    self.watch.check()
            if self.view.looking and now - self._polled_at >= POLL_SECONDS:
                self._polled_at = now
                self._poll()
            self._tell(before, now)

    def _tell(self, before: View, now: float) -> None:
        sources = self.view.sources
        if now - self._sources_at >= SOURCE_SECONDS:
            self._sources_at, sources = now, tuple(self.watch.sources())
        with self._lock:
            nodes = self._finder.nodes(now)
            asking: dict[int, list[str]] = {}
            for node in nodes:
                for port in node.ports if not node.silent else ():
                    if port.direction == "out" and port.protocol == "artnet":
                        asking.setdefault(port.number, []).append(node.ip)
            self._sacn = {
                cid: pair
                for cid, pair in self._sacn.items()
                if now - pair[1] < 2.5 * sacn.DISCOVERY_SECONDS
            }
            looked = self.view.looking and (
                self.view.looked or now - self._looked_at > POLL_SECONDS
            )
            self.view = replace(
                self.view,
                nodes=nodes,
                asking={number: tuple(dict.fromkeys(hosts)) for number, hosts in asking.items()},
                sacn=tuple(source for source, _ in self._sacn.values()),
                sources=sources,
                looked=looked,
            )
        if not self._ended.is_set() and _differs(before, self.view):
            self._changed(self.view)

    def _poll(self) -> None:
        """By broadcast on the chosen adapter, and to each expected node singly: it may sit
        behind something.
        """
        packet = artnet.encode_poll()
        with self._lock:
            hosts = [
                LOCAL_BROADCAST,
                self.outlets.broadcast,
                *self._expected,
                *self._hosts["artnet"],
            ]
        for host in dict.fromkeys(h for h in hosts if h):
            self.send(packet, host)

    def send(self, packet: bytes, host: str, port: int = artnet.PORT) -> str:
        """Send one packet by the socket of its side. Returns why it could not be, or ""."""
        name = (
            f"{'sacn' if port == sacn.PORT else 'artnet'} "
            f"{'local' if host.startswith('127.') else 'out'}"
        )
        with self._lock:
            sock = self.outlets.sockets.get(name)
            if sock is None:
                return "No adapter leads there."
            try:
                sock.sendto(packet, (host, port))
            except OSError as error:
                return os_reason(error)
        return ""

    def _take(self, message: Heard | Captured) -> None:
        if isinstance(message, Captured):
            self.captured = message
            return
        now = time.monotonic()
        packet = artnet.decode(message.data) or sacn.decode(message.data)
        if isinstance(packet, (artnet.ArtRdm, artnet.ArtTodData)):
            self.on_rdm(packet, message.ip)
            return
        with self._lock:
            if isinstance(packet, artnet.ArtPollReply):
                known = self._finder.take(packet, message.ip, now)
                if (
                    known and now - self._masks_asked.get(message.ip, -60.0) > 30.0
                ):  # the poll does not tell the mask
                    self._masks_asked[message.ip] = now
                    self.send(artnet.encode_ip_prog(artnet.ArtIpProg()), message.ip)
            elif isinstance(packet, artnet.ArtIpProgReply):
                self._finder.take_mask(message.ip, packet.mask)
            elif isinstance(packet, sacn.Discovery):
                self._take_discovery(packet, message.ip, now)

    def _take_discovery(self, packet: sacn.Discovery, ip: str, now: float) -> None:
        if len(self._pages) > MAX_SENDERS or len(self._sacn) > MAX_SENDERS:
            self._pages.clear()
            return
        cid = packet.cid.hex()
        pages = self._pages.setdefault(cid, {})
        pages[packet.page] = packet
        if all(n in pages for n in range(packet.last + 1)):
            universes = tuple(u for n in range(packet.last + 1) for u in pages[n].universes)
            self._sacn[cid] = SacnSource(packet.source, ip, cid, universes), now
            self._pages.pop(cid)

    def stop(self) -> None:
        self._ended.set()
        if self._thread:
            self._thread.join(3)
        self.watch.stop()
        for opened in self._heard:
            opened.close()
        self.outlets.close()


def _stands(place: tuple[str, int], name: str, addresses: tuple[str, str]) -> bool:
    """Whether an open socket is one that is wanted again."""
    wanted = (
        LOOPBACK if name.endswith("local") else addresses[0 if name.startswith("artnet") else 1]
    )
    return place[0] == wanted and (name.startswith("sacn") or place[1] == artnet.PORT)


def _differs(a: View, b: View) -> bool:
    """Whether a person would want to know: ages and counts alone do not count."""

    def still(view: View) -> tuple[object, ...]:
        nodes = tuple(replace(node, age=float(node.silent)) for node in view.nodes)
        sources = tuple(
            (s.kind, s.number, s.ip, s.cid, s.priority, s.silent, s.name) for s in view.sources
        )
        return (
            view.adapters,
            view.choices,
            nodes,
            view.sacn,
            sources,
            view.trouble,
            view.looking,
            view.looked,
        )

    return still(a) != still(b)
