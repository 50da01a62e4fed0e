"""The stand-in rig: nodes that receive Art-Net on loopback addresses of their own, and units that obey them.

A program of its own (`isthmus rig --scenario FILE`). What its units do is told over a small local TCP socket, one
JSON object a line: `describe` (what hangs), `state` (what it does now).
"""

from __future__ import annotations

import base64
import contextlib
import json
import selectors
import socket
import time
from dataclasses import dataclass, field
from typing import IO, Any

import numpy as np

from isthmus.errors import NetworkFault, os_reason
from isthmus.profiles import light_program
from isthmus.profiles.colour import encode_srgb
from isthmus.standin.scenario import Loaded, SimNode
from isthmus.wire import artnet

MAX_LINE = 4096


@dataclass
class NodePort:
    """What came in for one port of a node."""

    slots: np.ndarray = field(default_factory=lambda: np.zeros(512, np.uint8))
    packets: int = 0
    lost: int = 0
    sequence: int = 0
    sender: str = ""
    at: float = 0.0
    previous: float = 0.0

    def take(self, packet: artnet.ArtDmx, sender: str, now: float) -> None:
        if self.packets and packet.sequence and self.sequence:
            step = (packet.sequence - self.sequence) % 255
            self.lost += step - 1 if 1 < step < 128 else 0
        self.sequence, self.sender = packet.sequence, sender
        self.packets += 1
        self.previous, self.at = self.at, now
        self.slots[: len(packet.slots)] = np.frombuffer(packet.slots, np.uint8)


class StandInRig:
    """Nodes and units of a scenario. Call `serve` to run until told to stop."""

    def __init__(self, loaded: Loaded, serve_port: int = 0, udp_port: int = artnet.PORT) -> None:
        """Raises NetworkFault when an address or port cannot be had."""
        self.loaded = loaded
        self.ports = {(node.name, index): NodePort() for node in loaded.scenario.nodes for index in range(len(node.ports))}
        self.selector = selectors.DefaultSelector()
        self.udp_port = udp_port
        self._running = True
        try:
            for node in loaded.scenario.nodes:
                self._listen(node, udp_port)
            self.server = socket.create_server(("127.0.0.1", serve_port))
        except OSError as error:
            self.close()
            place = f"127.0.0.1:{serve_port}" if "node" not in locals() else f"{node.ip}:{udp_port}"
            raise NetworkFault(
                f"the stand-in rig cannot listen. {os_reason(error)}",
                where=place,
                do="End the other program (perhaps another stand-in rig), then start again.",
            ) from error
        self.server.setblocking(False)
        self.selector.register(self.server, selectors.EVENT_READ, self._accept)

    @property
    def address(self) -> tuple[str, int]:
        host, port = self.server.getsockname()[:2]
        return host, port

    def _listen(self, node: SimNode, udp_port: int) -> None:
        sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 20)
        sock.setblocking(False)
        self.selector.register(sock, selectors.EVENT_READ, lambda s, n=node: self._receive(s, n))
        sock.bind((node.ip, udp_port))

    def _receive(self, sock: socket.socket, node: SimNode) -> None:
        for _ in range(256):
            try:
                data, sender = sock.recvfrom(2048)
            except (BlockingIOError, ConnectionError):
                return
            packet = artnet.decode(data)
            if isinstance(packet, artnet.ArtDmx):
                for index, port_address in enumerate(node.ports):
                    if port_address == packet.port_address:
                        self.ports[node.name, index].take(packet, sender[0], time.monotonic())
            elif isinstance(packet, artnet.ArtPoll):
                reply = artnet.reply_for(node.ip, node.name[:17], f"Stand-in node {node.name}", node.ports[:4])
                with contextlib.suppress(OSError, ValueError):
                    sock.sendto(artnet.encode_poll_reply(reply), sender)

    def _accept(self, server: socket.socket) -> None:
        client, _ = server.accept()
        client.settimeout(1.0)
        buffer = bytearray()
        self.selector.register(client, selectors.EVENT_READ, lambda s: self._answer(s, buffer))

    def _answer(self, client: socket.socket, buffer: bytearray) -> None:
        try:
            data = client.recv(MAX_LINE)
            buffer += data
            if not data or len(buffer) > MAX_LINE:
                raise ConnectionError
            while b"\n" in buffer:
                line, _, rest = bytes(buffer).partition(b"\n")
                buffer[:] = rest
                answer = {b"state": self.state, b"describe": self.describe}.get(line.strip(), lambda: {"error": "say state or describe"})()
                client.sendall(json.dumps(answer).encode() + b"\n")
        except OSError:
            self.selector.unregister(client)
            client.close()

    def describe(self) -> dict[str, Any]:
        """Everything that hangs, with the profile files themselves."""
        scenario = self.loaded.scenario
        units = [
            {
                "label": u.label,
                "serial": u.serial,
                "profile": u.profile,
                "mode": u.mode,
                "position": u.position,
                "rotation": u.rotation,
                "gel": u.gel,
            }
            for u in scenario.units
        ]
        files = {name: base64.b64encode(data).decode() for name, (_, data) in self.loaded.profiles.items()}
        return {"name": scenario.name, "units": units, "profiles": files}

    def received(self, index: int) -> np.ndarray:
        """The bytes a unit takes from its port at the address set on it, (width,)."""
        unit, mode = self.loaded.scenario.units[index], self.loaded.modes[index]
        program = light_program(self.loaded.profiles[unit.profile][0], mode)
        out = np.zeros(program.width, np.uint8)
        part = self.ports[unit.node, unit.port].slots[unit.address - 1 : unit.address - 1 + program.width]
        out[: len(part)] = part
        return out

    def state(self) -> dict[str, Any]:
        """What every unit does now. A dead unit does nothing, whatever it is sent."""
        units = []
        for index, unit in enumerate(self.loaded.scenario.units):
            program = light_program(self.loaded.profiles[unit.profile][0], self.loaded.modes[index])
            slots = self.received(index)
            dead = "dead" in unit.faults or not self.ports[unit.node, unit.port].packets
            light = program.read(slots[None])
            level = 0.0 if dead else float(light.intensity()[0])
            rgb = light.rgb[0].max(axis=0) if light.rgb.size else np.zeros(3)
            shown = encode_srgb(rgb / max(rgb.max(), 1e-9)) if level > 0 else np.zeros(3)
            units.append(
                {
                    "label": unit.label,
                    "serial": unit.serial,
                    "level": round(level, 4),
                    "colour": [round(float(c), 3) for c in shown],
                    "pan": round(float(light.pan[0]), 2),
                    "tilt": round(float(light.tilt[0]), 2),
                    "slots": "" if dead else slots.tobytes().hex(),
                }
            )
        ports = [
            {
                "node": node.name,
                "ip": node.ip,
                "port": index + 1,
                "port_address": node.ports[index],
                "packets": p.packets,
                "lost": p.lost,
                "sender": p.sender,
                "age": round(time.monotonic() - p.at, 3) if p.packets else None,
                "spacing_ms": round((p.at - p.previous) * 1e3, 3) if p.previous else None,
            }
            for node in self.loaded.scenario.nodes
            for index in range(len(node.ports))
            for p in [self.ports[node.name, index]]
        ]
        return {"units": units, "ports": ports}

    def end_with(self, stream: IO[bytes]) -> None:
        """Stop when the other end of a pipe closes: whoever started us has gone."""

        def ended(_: object) -> None:
            if not stream.read(1):
                self.stop()

        self.selector.register(stream, selectors.EVENT_READ, ended)

    def serve(self, until: float | None = None) -> None:
        """Run until `stop`, or for a time (monotonic clock)."""
        while self._running and (until is None or time.monotonic() < until):
            for key, _ in self.selector.select(0.1):
                key.data(key.fileobj)

    def stop(self) -> None:
        self._running = False

    def close(self) -> None:
        for key in list(self.selector.get_map().values()):
            key.fileobj.close()  # type: ignore[union-attr]
        self.selector.close()
