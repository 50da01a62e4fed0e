"""The simulator: nodes on loopback addresses of their own with real sockets, and units that obey
them.

A program of its own (`isthmus rig --scenario FILE`). What it does is told, and changed, over a
small local TCP socket, one line there and one JSON object back: `describe`, `state`, `ports`, or an
object such as `{"do": "node", "name": "Ferry A", "on": false}`, `{"do": "unit", "label": "104",
"faults": []}`, `{"do": "send", "protocol": "artnet", "number": 0, "to": "127.0.0.2"}`, `{"do":
"quiet"}`.
"""

from __future__ import annotations

import base64
import contextlib
import heapq
import json
import selectors
import socket
import time
from collections.abc import Callable
from typing import IO, Any

import numpy as np
from numpy.typing import NDArray

from isthmus.errors import FileFault, IsthmusError, NetworkFault, os_reason
from isthmus.sockets import Opened, join, open_receivers
from isthmus.sockets.opening import plain
from isthmus.standin.node import Node, Reply, SimPort
from isthmus.standin.other import RATE, OtherSender
from isthmus.standin.responder import Responder
from isthmus.standin.scenario import Loaded, SimNode, SimUnit, check_node
from isthmus.standin.units import Units
from isthmus.wire import artnet, sacn

MAX_LINE = 65536
LOCAL_BROADCAST = "127.255.255.255"
NODE_FIELDS = {
    "ip",
    "ports",
    "protocol",
    "inputs",
    "merge",
    "cap",
    "delay",
    "drop",
    "says",
    "mask",
    "twin",
    "dead",
    "fixed",
    "rdm",
    "mirror_of",
}


class StandInRig:
    """Nodes and units of a scenario. Call `serve` to run until told to stop."""

    def __init__(self, loaded: Loaded, serve_port: int = 0, udp_port: int = artnet.PORT) -> None:
        """Raises NetworkFault when an address or port cannot be had."""
        self.loaded = loaded
        self.nodes = {
            node.name: Node(node, seed) for seed, node in enumerate(loaded.scenario.nodes)
        }
        self.units = Units(loaded, self._slots_of)
        self.responder = Responder(
            lambda: self.units.units,
            self.units.modes_of,
            lambda label, new: self.units.change(label, **new),
        )
        for node in self.nodes.values():
            node.responder = self.responder
        self.others: list[OtherSender] = []
        self.selector = selectors.DefaultSelector()
        self.udp_port = udp_port
        self._sockets: dict[str, socket.socket] = {}
        self._shared: list[Opened] = []
        self._later: list[tuple[float, int, Callable[[], None]]] = []
        self._count = 0
        self._running = True
        place = f"127.0.0.1:{serve_port}"
        try:
            for node in loaded.scenario.nodes:
                place = f"{node.ip}:{udp_port}"
                self._listen(self.nodes[node.name])
            place = f"127.0.0.1:{serve_port}"
            self.server = socket.create_server(("127.0.0.1", serve_port))
        except OSError as error:
            self.close()
            do = "End the other program (perhaps another simulator), then start again."
            raise NetworkFault(
                f"the simulator cannot listen. {os_reason(error)}", where=place, do=do
            ) from error
        self._listen_to_all()
        self.server.setblocking(False)
        self.selector.register(self.server, selectors.EVENT_READ, self._accept)

    @property
    def address(self) -> tuple[str, int]:
        host, port = self.server.getsockname()[:2]
        return host, port

    # ------------------------------------------------------------ sockets

    def _listen(self, node: Node) -> None:
        sock = plain(reuse=node.settings.protocol == "sacn")
        try:
            sock.bind((node.ip, sacn.PORT if node.settings.protocol == "sacn" else self.udp_port))
        except OSError:
            sock.close()
            raise
        self.selector.register(sock, selectors.EVENT_READ, lambda s, n=node: self._receive(s, [n]))
        self._sockets[node.settings.name] = sock

    def _listen_to_all(self) -> None:
        """Broadcasts and multicast come to every node that would hear them; where they cannot be
        had, unicast is left.
        """
        for opened in self._shared:
            for sock in opened.sockets:
                self.selector.unregister(sock)
            opened.close()
        heard = open_receivers("127.0.0.1", LOCAL_BROADCAST, self.udp_port)
        groups = sorted(
            {
                p.number
                for n in self.nodes.values()
                for p in n.ports
                if p.protocol == "sacn" and p.number
            }
        )
        grouped = (
            join("127.0.0.1", [sacn.multicast(number) for number in groups]) if groups else Opened()
        )
        self._shared = [heard, grouped]
        for opened, protocol in ((heard, "artnet"), (grouped, "sacn")):
            for sock in opened.sockets:
                self.selector.register(
                    sock,
                    selectors.EVENT_READ,
                    lambda s, k=protocol: self._receive(s, self._of_kind(k)),
                )

    def _of_kind(self, protocol: str) -> list[Node]:
        return [n for n in self.nodes.values() if n.settings.protocol == protocol]

    def _receive(self, sock: socket.socket, nodes: list[Node]) -> None:
        for _ in range(256):
            try:
                data, sender = sock.recvfrom(2048)
            except OSError:  # nothing waits, or the node has moved to another address meanwhile
                return
            now = time.monotonic()
            for node in nodes:
                if node.settings.delay:
                    self._in(
                        node.settings.delay, lambda n=node, d=data, f=sender: self._handle(n, d, f)
                    )
                else:
                    self._handle(node, data, sender, now)

    def _handle(self, node: Node, data: bytes, sender: tuple[str, int], now: float = 0.0) -> None:
        ip = node.ip
        replies = node.handle(data, sender[0], now or time.monotonic())
        self._answer(node, replies, sender[1])
        if node.ip != ip:
            self._moved(node)

    def _answer(self, node: Node, replies: list[Reply], port: int) -> None:
        sock = self._sockets.get(node.settings.name)
        for packet, host in replies:
            with contextlib.suppress(OSError):
                if sock:
                    sock.sendto(packet, (host, port))

    def _moved(self, node: Node) -> None:
        """It was given another address: it goes on there, if this computer lets it."""
        old = self._sockets.pop(node.settings.name, None)
        if old:
            self.selector.unregister(old)
            old.close()
        with contextlib.suppress(OSError):
            self._listen(node)

    def _in(self, seconds: float, run: Callable[[], None]) -> None:
        self._count += 1
        heapq.heappush(self._later, (time.monotonic() + seconds, self._count, run))

    # ------------------------------------------------------------ what comes out

    def _slots_of(self, unit: SimUnit) -> NDArray[np.uint8] | None:
        """What the port a unit is plugged to sends; a mirrored node takes over when that one is
        gone.
        """
        for node in (
            self.nodes.get(unit.node),
            *(n for n in self.nodes.values() if n.settings.mirror_of == unit.node),
        ):
            if node is not None and node.on and unit.port < len(node.ports):
                port = node.ports[unit.port]
                if port.packets and not port.is_input and unit.port + 1 not in node.settings.dead:
                    return port.slots
        return None

    def received(self, index: int) -> NDArray[np.uint8]:
        return self.units.received(index)

    def describe(self) -> dict[str, Any]:
        """Everything that hangs, with the profile files themselves."""
        fields = ("label", "serial", "profile", "mode", "position", "rotation", "gel")
        units = [{name: getattr(u, name) for name in fields} for u in self.units.units]
        files = {
            name: base64.b64encode(data).decode()
            for name, (_, data) in self.loaded.profiles.items()
        }
        return {"name": self.loaded.scenario.name, "units": units, "profiles": files}

    def state(self) -> dict[str, Any]:
        """What every unit, port and node does now."""
        ports = self.ports_now()["ports"]
        nodes = [
            {
                "name": n.settings.name,
                "says": n.short_name,
                "ip": n.ip,
                "on": n.on,
                "protocol": n.settings.protocol,
                **{
                    key: getattr(n.settings, key)
                    for key in ("cap", "delay", "drop", "twin", "mirror_of")
                },
            }
            for n in self.nodes.values()
        ]
        others = [
            {
                "protocol": o.protocol,
                "number": o.number,
                "to": o.to,
                "level": o.level,
                "name": o.name,
            }
            for o in self.others
        ]
        return {
            "units": [self.units.state(i) for i in range(len(self.units.units))],
            "ports": ports,
            "nodes": nodes,
            "others": others,
        }

    def ports_now(self) -> dict[str, Any]:
        """What every port has received."""
        now = time.monotonic()
        return {
            "ports": [
                self._port(node, index, port, now)
                for node in self.nodes.values()
                for index, port in enumerate(node.ports, 1)
            ]
        }

    @staticmethod
    def _port(node: Node, index: int, port: SimPort, now: float) -> dict[str, Any]:
        return {
            "node": node.settings.name,
            "ip": node.ip,
            "port": index,
            "port_address": port.number,
            "protocol": port.protocol,
            "direction": "in" if port.is_input else "out",
            "merge": port.merge,
            "packets": port.packets,
            "lost": port.lost,
            "sender": port.sender,
            "senders": len(port.feeds),
            "age": round(now - port.at, 3) if port.packets else None,
            "spacing_ms": round((port.at - port.previous) * 1e3, 3) if port.previous else None,
            "highest": int(port.slots.max()),
        }

    # ------------------------------------------------------------ being asked and changed

    def _accept(self, server: socket.socket) -> None:
        client, _ = server.accept()
        client.settimeout(1.0)
        buffer = bytearray()
        self.selector.register(client, selectors.EVENT_READ, lambda s: self._asked(s, buffer))

    def _asked(self, client: socket.socket, buffer: bytearray) -> None:
        try:
            data = client.recv(MAX_LINE)
            buffer += data
            if not data or len(buffer) > MAX_LINE:
                raise ConnectionError
            while b"\n" in buffer:
                line, _, rest = bytes(buffer).partition(b"\n")
                buffer[:] = rest
                client.sendall(json.dumps(self.answer(line.strip())).encode() + b"\n")
        except OSError:
            self.selector.unregister(client)
            client.close()

    def answer(self, line: bytes) -> dict[str, Any]:
        """One line of the local socket."""
        known = {b"state": self.state, b"describe": self.describe, b"ports": self.ports_now}
        if line in known:
            return known[line]()
        try:
            order = json.loads(line)
            run = {
                "node": self._do_node,
                "unit": self._do_unit,
                "send": self._do_send,
                "quiet": self._do_quiet,
            }[order.pop("do")]
            run(**order)
        except IsthmusError as error:
            return {"error": str(error)}
        except (ValueError, KeyError, TypeError, AttributeError):
            return {"error": "say state or describe, or do with node, unit, send or quiet"}
        return {"ok": True}

    def _do_node(
        self, name: str, on: bool | None = None, restart: float = 0.0, **changes: Any
    ) -> None:
        node = self.nodes.get(name)
        if node is None or changes.keys() - NODE_FIELDS:
            raise FileFault(f"there is no node {name}, or it has none of that.")
        if on is not None:
            node.switch(on)
        if restart:
            node.switch(False)
            self._in(restart, lambda: node.switch(True))
        if changes:
            changes = {
                key: tuple(value) if isinstance(value, list) else value
                for key, value in changes.items()
            }
            wanted = SimNode(
                **{
                    **{f: getattr(node.settings, f) for f in node.settings.__struct_fields__},
                    **changes,
                }
            )
            check_node(wanted)
            before = node.ip
            node.change(**changes)
            if node.ip != before:
                self._moved(node)
            self._listen_to_all()

    def _do_unit(self, label: str, **changes: Any) -> None:
        self.units.change(label, **changes)

    def _do_send(
        self,
        protocol: str = "artnet",
        number: int = 0,
        to: str = "127.0.0.2",
        seconds: float = 0.0,
        **more: Any,
    ) -> None:
        until = time.monotonic() + seconds if seconds else 0.0
        sender = OtherSender(protocol, int(number), to, until=until, **more)
        sender.packet()  # said now, if it cannot be
        if not to.startswith("127."):
            raise FileFault(f"{to} is not on this computer: a stand-in sends nowhere else.")
        if "other" not in self._sockets:
            self._sockets["other"] = plain()
            self._sockets["other"].bind(("127.0.0.99", 0))
        self.others.append(sender)

    def _do_quiet(self) -> None:
        self.others.clear()

    def _run_later(self) -> None:
        now = time.monotonic()
        while self._later and self._later[0][0] <= now:
            heapq.heappop(self._later)[2]()
        self.others = [o for o in self.others if not o.until or now < o.until]
        for other in self.others:
            if now >= other.due:
                other.due = now + 1 / RATE
                with contextlib.suppress(OSError):
                    self._sockets["other"].sendto(other.packet(), (other.to, other.port))

    # ------------------------------------------------------------ running

    def end_with(self, stream: IO[bytes]) -> None:
        """Stop when the other end of a pipe closes: whoever started us has gone."""

        def ended(_: object) -> None:
            if not stream.read(1):
                self.stop()

        self.selector.register(stream, selectors.EVENT_READ, ended)

    def serve(self, until: float | None = None) -> None:
        """Run until `stop`, or for a time (monotonic clock)."""
        while self._running and (until is None or time.monotonic() < until):
            wait = 0.1
            if self.others:
                wait = 0.5 / RATE
            elif self._later:
                wait = min(wait, max(0.0, self._later[0][0] - time.monotonic()))
            for key, _ in self.selector.select(wait):
                key.data(key.fileobj)
            self._run_later()

    def stop(self) -> None:
        self._running = False

    def close(self) -> None:
        for key in list(self.selector.get_map().values()):
            key.fileobj.close()  # type: ignore[union-attr]
        if "other" in self._sockets:
            self._sockets["other"].close()
        self.selector.close()
