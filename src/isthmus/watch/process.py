"""The watch process: `python -m isthmus.watch.process --fd N --channel N`.

The interface hands it the sockets to read, and may ask it to write a capture; answers of nodes go
back to it.
"""

from __future__ import annotations

import argparse
import base64
import contextlib
import gc
import os
import selectors
import signal
import socket
import struct
import sys
import time
from pathlib import Path

from isthmus.sockets import Receiver, receive_message, send_message
from isthmus.watch.hearing import Hearing
from isthmus.watch.shared import T_ALIVE, T_CAPTURED, T_UNTOLD, SharedTable
from isthmus.wire import pcapng, sacn

FLUSH = 0.1
ROUNDS = 8  # batches from one socket before the next gets its turn
HANDED_ON = 400  # packets that are not levels, in each FLUSH: 100 nodes answer with as many pages


class Capture:
    """A capture file while it is written."""

    def __init__(self, path: str) -> None:
        self.path = path
        self._file = Path(path).open("wb")  # noqa: SIM115
        self._file.write(pcapng.encode_head())
        self._offset = time.time() - time.monotonic()
        self.count = 0

    def take(self, data: bytes, ip: int, port: int, target: tuple[str, int], now: float) -> None:
        source = socket.inet_ntoa(struct.pack(">I", ip))
        self._file.write(
            pcapng.encode_packet(pcapng.Captured(now + self._offset, (source, port), target, data))
        )
        self.count += 1

    def close(self) -> None:
        self._file.close()


class Process:
    def __init__(self, table: SharedTable, channel: socket.socket) -> None:
        self.table, self.channel = table, channel
        self.hearing = Hearing(table, self._hand_on)
        self.receiver = Receiver()
        self.selector = selectors.DefaultSelector()
        self.selector.register(channel, selectors.EVENT_READ)
        self.sockets: dict[int, tuple[str, int]] = {}
        self.capture: Capture | None = None
        self.running = True
        self.left = HANDED_ON

    def _hand_on(self, data: bytes, ip: int, port: int) -> None:
        self.left -= 1
        if self.left < 0:  # something floods the network: the interface must not drown
            self.table.words[T_UNTOLD] += 1
            return
        message = {
            "kind": "packet",
            "ip": ip,
            "port": port,
            "data": base64.b64encode(data).decode(),
        }
        try:
            send_message(self.channel, message, wait=False)
        except BlockingIOError:
            self.table.words[T_UNTOLD] += 1  # the interface is busy: nodes answer again
        except OSError:
            self.running = False

    def _told(self) -> None:
        received = receive_message(self.channel)
        if received is None:
            self.running = False
            return
        message, sockets = received
        if message["kind"] == "sockets":
            for fd in list(self.sockets):
                self.selector.unregister(fd)
                os.close(fd)
            self.sockets = {
                fd: tuple(address)
                for fd, address in zip(sockets, message["addresses"], strict=False)
            }
            for fd in self.sockets:
                self.selector.register(fd, selectors.EVENT_READ)
        elif message["kind"] == "forget":
            self.hearing.forget()
        elif message["kind"] == "capture":
            self._capture(message["path"])

    def _capture(self, path: str) -> None:
        said = {
            "kind": "captured",
            "path": self.capture.path if self.capture else path,
            "count": 0,
            "error": "",
        }
        try:
            if self.capture:
                said["count"] = self.capture.count
                self.capture.close()
                self.capture = None
            if path:
                self.capture = Capture(path)
        except OSError as error:
            self.capture = None
            said["error"] = str(error.strerror or error)
        with contextlib.suppress(OSError):
            send_message(self.channel, said)

    def _read(self, fd: int, now: float) -> None:
        target = self.sockets[fd]
        for _ in range(ROUNDS):
            many = 0
            with contextlib.suppress(OSError):
                for data, ip, port in self.receiver.take(fd):
                    many += 1
                    if self.capture:
                        self._write(bytes(data), ip, port, target, now)
                    self.hearing.take(data, ip, port, now)
            if many < 64:
                return

    def _write(self, data: bytes, ip: int, port: int, target: tuple[str, int], now: float) -> None:
        assert self.capture
        if target[0] == "0.0.0.0" and isinstance(found := sacn.decode(data), sacn.Data):
            target = sacn.multicast(found.universe), target[1]
        try:
            self.capture.take(data, ip, port, target, now)
            self.table.words[T_CAPTURED] = self.capture.count
        except OSError:  # the disk is full: what is there stays readable
            self._capture("")

    def run(self) -> None:
        flushed = 0.0
        while self.running:
            for key, _ in self.selector.select(FLUSH):
                if key.fileobj is self.channel:
                    self._told()
                elif key.fd in self.sockets:
                    self._read(key.fd, time.monotonic())
            now = time.monotonic()
            if now - flushed >= FLUSH:
                flushed, self.left = now, HANDED_ON
                self.hearing.flush(now)
                self.table.words[T_ALIVE] = int(now * 1e9)
        self._capture("") if self.capture else None


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("--fd", type=int, required=True)
    parser.add_argument("--channel", type=int, required=True)
    options = parser.parse_args()
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    with contextlib.suppress(OSError):
        os.nice(-10)
    gc.collect()
    gc.freeze()
    Process(SharedTable(options.fd), socket.socket(fileno=options.channel)).run()
    return 0


if __name__ == "__main__":
    sys.exit(main())
