"""Waiting, running the command, and the simulator in a thread."""

from __future__ import annotations

import contextlib
import ctypes
import fcntl
import io
import json
import os
import signal
import socket
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

from isthmus.cli import main
from isthmus.demo import SCENARIO
from isthmus.standin import RigClient, StandInRig, read_scenario
from isthmus.wire import artnet


def until(
    test: Callable[[], object], seconds: float = 12.0, wait: Callable[[float], object] = time.sleep
) -> bool:
    """True as soon as `test` holds. What is waited for gets far longer than it needs: a busy machine is not a fault.

    Under three seconds the time itself is what is tried.
    """
    end = time.monotonic() + (seconds if seconds < 3 else max(40.0, seconds))
    while time.monotonic() < end:
        if test():
            return True
        wait(0.02)
    return bool(test())


def catches_signals(pid: int) -> bool:
    """Whether a process has got as far as to end in its own way when told to, as the kernel sees it."""
    with open(f"/proc/{pid}/status", encoding="ascii") as status:
        caught = next(line.split()[1] for line in status if line.startswith("SigCgt"))
    return bool(int(caught, 16) >> (signal.SIGTERM - 1) & 1)


@contextlib.contextmanager
def running_rig() -> Iterator[RigClient]:
    """The demo's simulator in a thread, with its nodes on 127.0.0.2 and 127.0.0.3."""
    stand_in = StandInRig(read_scenario(SCENARIO))
    thread = threading.Thread(target=stand_in.serve)
    thread.start()
    client = RigClient(stand_in.address, timeout=30)
    try:
        yield client
    finally:
        client.close()
        stand_in.stop()
        thread.join()
        stand_in.close()


def lit(client: RigClient) -> dict[str, float]:
    """Which units of the rig give light, by the label stuck on them."""
    return {u["label"]: u["level"] for u in client.ask("state")["units"] if u["level"] > 0.002}


class Done(NamedTuple):
    returncode: int
    stdout: str
    stderr: str


def command(*arguments: str) -> Done:
    """Run the `isthmus` command; in this process, for most of a short command is the start of Python."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            code = main(arguments)
        except SystemExit as end:
            code = int(end.code or 0)
    return Done(code, out.getvalue(), err.getvalue())


def apart(*arguments: str, **more: Any) -> subprocess.CompletedProcess[str]:
    """Run it as a person does, in a process of its own."""
    return subprocess.run(
        [sys.executable, "-m", "isthmus.cli", *arguments],
        capture_output=True,
        text=True,
        timeout=60,
        **more,
    )


def answer(*arguments: str) -> tuple[int, Any]:
    done = command(*arguments, "--json")
    return done.returncode, json.loads(done.stdout)


def udp_listener(address: str = "127.0.0.9") -> socket.socket:
    sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 20)
    try:
        sock.bind((address, 6454))
    except OSError:
        sock.close()
        raise
    sock.settimeout(3)
    return sock


class Heard:
    """What arrives at an address as Art-Net, slots and when, on a thread of its own."""

    def __init__(self, address: str) -> None:
        self.frames: list[tuple[float, bytes]] = []
        self._sock = udp_listener(address)
        self._sock.settimeout(0.1)
        self._open = True
        self._thread = threading.Thread(target=self._listen)
        self._thread.start()

    def _listen(self) -> None:
        while self._open:
            try:
                packet = artnet.decode(self._sock.recv(2048))
            except TimeoutError:
                continue
            if isinstance(packet, artnet.ArtDmx):
                self.frames.append((time.monotonic(), bytes(packet.slots)))

    def close(self) -> None:
        self._open = False
        self._thread.join()
        self._sock.close()


CLONE_NEWNET, SIOCSIFFLAGS, IFF_UP = 0x40000000, 0x8914, 1


def _own_network() -> bool:
    """A network of this process's own, with nothing but a loopback: needs root. False where it is not allowed."""
    if ctypes.CDLL(None, use_errno=True).unshare(CLONE_NEWNET):
        return False
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
        fcntl.ioctl(sock, SIOCSIFFLAGS, struct.pack("16sh14x", b"lo", IFF_UP))
    return True


def ip(words: str) -> None:
    subprocess.run(["ip", *words.split()], check=True, capture_output=True)


OWN_NETWORK = bool(os.environ.get("PYTEST_XDIST_WORKER")) and _own_network()
