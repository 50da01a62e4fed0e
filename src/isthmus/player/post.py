"""Messages of the window to the player: put together from what has come, never waited for.

A large one comes in parts, and the window may be held up between two of them: the player must not
stand still meanwhile.
"""

from __future__ import annotations

import pickle
import socket
import struct

_LENGTH = struct.Struct("!Q")
PART = 1 << 20  # bytes taken at once


def send(channel: socket.socket, message: object) -> None:
    """Raises OSError when there is no one at the other end."""
    data = pickle.dumps(message, pickle.HIGHEST_PROTOCOL)
    channel.sendall(_LENGTH.pack(len(data)) + data)


class Inbox:
    """The player's end."""

    def __init__(self, channel: socket.socket) -> None:
        channel.setblocking(False)
        self.channel = channel
        self._came = bytearray()

    def take(self) -> list[object]:
        """All messages that are whole by now. Raises EOFError or OSError when the window is
        gone, but not before its last words were taken.
        """
        gone = False
        while not gone:
            try:
                part = self.channel.recv(PART)
            except BlockingIOError:
                break
            gone = not part
            self._came += part
        found: list[object] = []
        while len(self._came) >= _LENGTH.size:
            end = _LENGTH.size + _LENGTH.unpack_from(self._came)[0]
            if len(self._came) < end:
                break
            found.append(pickle.loads(self._came[_LENGTH.size : end]))
            del self._came[:end]
        if gone and not found:
            raise EOFError
        return found
