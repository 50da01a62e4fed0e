"""A DMX port of the computer itself: packets of ANSI E1.11 (DMX512-A) on a serial line.

250 kbit/s, eight bits, no parity, two stop bits; before each packet a break and a mark after it,
then the start code and up to 512 slots. A thread of the engine for each port, at a rate of its own.
A port that is pulled out is looked for once a second, and gone on with when it is back.
"""

from __future__ import annotations

import contextlib
import errno
import threading
import time
from collections.abc import Callable
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import serial

BAUD = 250_000
BREAK = 176e-6  # seconds; E1.11 table 6: 92 µs at least, 176 µs is usual
MARK = 12e-6  # after the break: at least so long, at most a second
ENDINGS = 3  # dark packets when nothing is sent any more
LOOK = 1.0  # seconds between looks for a port that is not there
IDLE = 0.02  # seconds between looks whether it is to send
OFF, SENDING, GONE, DENIED, TAKEN, UNFIT, STUCK = range(7)


def state_of(error: OSError) -> int:
    """What a failure says of the port."""
    if error.errno in (errno.EACCES, errno.EPERM):
        return DENIED
    if error.errno in (errno.EAGAIN, errno.EBUSY):
        return TAKEN
    return UNFIT if error.errno is None and "onfigure" in str(error) else GONE


class DmxPort(threading.Thread):
    """Sends `levels` (512 bytes) again and again while it is `on`. `tell` hears a state and how
    many packets went out.
    """

    def __init__(self, device: str, rate: Callable[[], float], tell: Callable[[int, int], None]):
        super().__init__(daemon=True, name=f"DMX {device}")
        self.device = device
        self.levels = bytes(512)
        self.on = False
        self._rate, self._tell = rate, tell
        self._ended = threading.Event()
        self._sent = 0
        self._dark = 0  # dark packets still to go
        self._line: serial.Serial | None = None

    def stop(self) -> None:
        """Dark, then quiet. The thread ends within half a second."""
        self.on = False
        self._ended.set()

    def run(self) -> None:
        try:
            while not (self._ended.is_set() and (self._line is None or not self._dark)):
                if self._line is None and not self._open():
                    self._ended.wait(LOOK if self.on else IDLE)
                    continue
                began = time.monotonic()
                self._step()
                rest = 1.0 / max(self._rate(), 1.0) - (time.monotonic() - began)
                if rest > 0:
                    time.sleep(rest)
        finally:
            self._close(OFF)

    def _open(self) -> bool:
        if not self.on:
            self._tell(OFF, self._sent)
            return False
        import serial

        try:
            self._line = serial.Serial(
                self.device, BAUD, stopbits=2, exclusive=True, timeout=0, write_timeout=1
            )
        except OSError as error:  # SerialException is one
            self._tell(state_of(error), self._sent)
            return False
        except ValueError:
            self._tell(UNFIT, self._sent)
            return False
        return True

    def _step(self) -> None:
        """One packet, or nothing when it is off and dark."""
        assert self._line is not None
        if self.on:
            levels, self._dark = self.levels, ENDINGS
        elif self._dark:
            levels, self._dark = bytes(512), self._dark - 1
        else:
            self._tell(OFF, self._sent)
            self._ended.wait(IDLE)
            return
        line = self._line
        try:
            line.break_condition = True
            time.sleep(BREAK)
            line.break_condition = False
            time.sleep(MARK)
            line.write(b"\0" + levels)
            line.flush()  # until the last bit is out: the next break must not cut it off
        except OSError as error:
            import serial  # loaded long since: only where a port is sent to

            full = isinstance(error, serial.SerialTimeoutException)
            self._close(STUCK if full else GONE)
            self._ended.wait(LOOK)
            return
        self._sent += 1
        self._tell(SENDING, self._sent)

    def _close(self, state: int) -> None:
        if self._line is not None:
            with contextlib.suppress(OSError):
                self._line.close()
            self._line = None
        self._tell(state, self._sent)
