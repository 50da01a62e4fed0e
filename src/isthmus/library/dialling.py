"""A connection that can be given up at any moment: while a name is looked up, while it is dialled,
and while it is spoken over.
"""

from __future__ import annotations

import contextlib
import errno
import selectors
import socket
import threading
import time

from isthmus.errors import Cancelled

LOOK = 0.05  # seconds between looks at whether it was given up


class Line:
    """One socket at a time. `give_up` may be called from any thread: whoever waits there gets
    Cancelled or the end of the stream at once.
    """

    def __init__(self) -> None:
        self._given_up = threading.Event()
        self._socket: socket.socket | None = None

    @property
    def given_up(self) -> bool:
        return self._given_up.is_set()

    def give_up(self) -> None:
        self._given_up.set()
        if (there := self._socket) is not None:
            with contextlib.suppress(OSError):
                there.shutdown(socket.SHUT_RDWR)

    def dial(self, host: str, port: int, timeout: float) -> socket.socket:
        """Raises OSError, TimeoutError, and Cancelled once it was given up."""
        until = time.monotonic() + timeout
        trouble: OSError = OSError(errno.EHOSTUNREACH, "No address")
        for family, address in self._resolved(host, port, until):
            made = socket.socket(family, socket.SOCK_STREAM)
            try:
                self._connect(made, address, until)
                made.settimeout(timeout)
                self._socket = made
                self._check()
                return made
            except OSError as error:
                made.close()
                trouble = error
            except Cancelled:
                made.close()
                raise
        raise trouble

    def _check(self) -> None:
        if self.given_up:
            raise Cancelled

    def _resolved(
        self, host: str, port: int, until: float
    ) -> list[tuple[int, tuple[str, int] | tuple[str, int, int, int]]]:
        """The system's look-up cannot be ended, so it waits on a thread that may be left behind."""
        found: list[list] = []
        wrong: list[OSError] = []

        def look_up() -> None:
            try:
                found.append(socket.getaddrinfo(host, port, type=socket.SOCK_STREAM))
            except OSError as error:
                wrong.append(error)

        thread = threading.Thread(target=look_up, name="look up a name", daemon=True)
        thread.start()
        while thread.is_alive():
            thread.join(LOOK)
            self._check()
            if time.monotonic() > until:
                raise TimeoutError(errno.ETIMEDOUT, "The name was not found in time")
        if wrong:
            raise wrong[0]
        return [(family, address) for family, _, _, _, address in found[0]]

    def _connect(self, made: socket.socket, address: tuple, until: float) -> None:
        made.setblocking(False)
        code = made.connect_ex(address)
        if code not in (0, errno.EINPROGRESS):
            raise OSError(code, "not connected")
        with selectors.DefaultSelector() as ready:
            ready.register(made, selectors.EVENT_WRITE)
            while code and not ready.select(LOOK):
                self._check()
                if time.monotonic() > until:
                    raise TimeoutError(errno.ETIMEDOUT, "Nothing answers in time")
        code = made.getsockopt(socket.SOL_SOCKET, socket.SO_ERROR)
        if code == errno.ECONNREFUSED:
            raise ConnectionRefusedError(code, "refused")
        if code:
            raise OSError(code, "not connected")
