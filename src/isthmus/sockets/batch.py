"""Many datagrams in one system call: sendmmsg(2) and recvmmsg(2) over arrays that are laid out
once.

A datagram costs Python some microseconds of its own; in batches it costs little more than the
kernel asks.
"""

from __future__ import annotations

import ctypes
import errno
import os
import socket
from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

_libc = ctypes.CDLL(None, use_errno=True)
_HEADER_WORDS = (
    8  # struct mmsghdr on 64-bit Linux: name, namelen, iov, iovlen, control, controllen, flags, len
)
_NAME, _NAME_LENGTH, _VECTOR, _VECTORS, _CONTROL, _CONTROL_LENGTH, _FLAGS, _LENGTH = range(
    _HEADER_WORDS
)
ADDRESS = np.dtype([("family", "<u2"), ("port", ">u2"), ("ip", ">u4"), ("zero", "<u8")])


def _headers(
    buffers: NDArray[np.uint8], sizes: NDArray[np.int64], addresses: NDArray[np.void]
) -> tuple[NDArray[np.uint64], ...]:
    """(headers, vectors) for rows of a buffer; both must outlive the calls."""
    count = len(buffers)
    vectors = np.zeros((count, 2), np.uint64)
    vectors[:, 0] = buffers.ctypes.data + np.arange(count, dtype=np.uint64) * np.uint64(
        buffers.strides[0]
    )
    vectors[:, 1] = sizes
    headers = np.zeros((count, _HEADER_WORDS), np.uint64)
    headers[:, _NAME] = addresses.ctypes.data + np.arange(count, dtype=np.uint64) * np.uint64(16)
    headers[:, _NAME_LENGTH] = 16
    headers[:, _VECTOR] = vectors.ctypes.data + np.arange(count, dtype=np.uint64) * np.uint64(16)
    headers[:, _VECTORS] = 1
    return headers, vectors


class Sender:
    """Datagrams in the rows of `buffers`, each with its size and target; any of them are sent at
    once.
    """

    def __init__(
        self, buffers: NDArray[np.uint8], sizes: Sequence[int], targets: Sequence[tuple[str, int]]
    ) -> None:
        self.buffers = buffers
        self._addresses = np.zeros(max(1, len(targets)), ADDRESS)
        for at, (host, port) in enumerate(targets):
            self._addresses[at] = (
                socket.AF_INET,
                port,
                int.from_bytes(socket.inet_aton(host), "big"),
                0,
            )
        self._headers, self._vectors = _headers(buffers, np.array(sizes, np.int64), self._addresses)

    def send(self, fd: int, rows: NDArray[np.int64]) -> tuple[int, int, int]:
        """Send these rows through a socket. Returns (sent, failed, errno of the last failure); a
        failed one is left out.
        """
        picked = np.ascontiguousarray(self._headers[rows])
        at, sent, failed, reason = 0, 0, 0, 0
        while at < len(picked):
            done = _libc.sendmmsg(
                fd,
                ctypes.c_void_p(picked.ctypes.data + at * _HEADER_WORDS * 8),
                len(picked) - at,
                0,
            )
            if done > 0:
                at += done
                sent += done
                continue
            code = ctypes.get_errno()
            if code == errno.EINTR:
                continue
            at += 1
            failed += 1
            reason = code
        return sent, failed, reason


class Receiver:
    """Takes up to `batch` datagrams at once. What `take` yields is valid until the next call."""

    def __init__(self, batch: int = 256, size: int = 2048) -> None:
        self._buffers = np.zeros((batch, size), np.uint8)
        self._addresses = np.zeros(batch, ADDRESS)
        self._headers, self._vectors = _headers(
            self._buffers, np.full(batch, size, np.int64), self._addresses
        )
        self._view = memoryview(self._buffers.data).cast("B")
        self._batch, self._size = batch, size

    def take(self, fd: int) -> Iterator[tuple[memoryview, int, int]]:
        """(datagram, sender's address as a number, its port) of all that wait; nothing when none
        does.
        """
        self._headers[:, _NAME_LENGTH] = 16
        count = _libc.recvmmsg(
            fd, ctypes.c_void_p(self._headers.ctypes.data), self._batch, socket.MSG_DONTWAIT, None
        )
        if count < 0:
            code = ctypes.get_errno()
            if code in (errno.EAGAIN, errno.EINTR, errno.ECONNREFUSED):
                return
            raise OSError(code, os.strerror(code))
        sizes = (self._headers[:count, _LENGTH] & np.uint64(0xFFFFFFFF)).tolist()
        ips, ports = (
            self._addresses["ip"][:count].tolist(),
            self._addresses["port"][:count].tolist(),
        )
        for row in range(count):
            start = row * self._size
            yield self._view[start : start + sizes[row]], ips[row], ports[row]
