"""Messages between the interface and its processes: one JSON object a datagram, with open sockets
beside it.

Sockets belong to the interface and are handed on, so that a process that is started again goes on
with the same port.
"""

from __future__ import annotations

import json
import socket
from typing import Any

MAX_MESSAGE = 1 << 16
MAX_SOCKETS = 250  # SCM_MAX_FD is 253


def send_message(
    channel: socket.socket,
    message: dict[str, Any],
    sockets: list[int] | None = None,
    wait: bool = True,
) -> None:
    """Raises OSError when the other end is gone, BlockingIOError when it is busy and is not waited
    for.
    """
    flags = 0 if wait else socket.MSG_DONTWAIT
    socket.send_fds(channel, [json.dumps(message).encode()], (sockets or [])[:MAX_SOCKETS], flags)


def receive_message(channel: socket.socket) -> tuple[dict[str, Any], list[int]] | None:
    """A message and the sockets that came with it; None when the other end is gone."""
    try:
        data, sockets, _, _ = socket.recv_fds(channel, MAX_MESSAGE, MAX_SOCKETS)
    except OSError:
        return None
    if not data:
        return None
    return json.loads(data), list(sockets)
