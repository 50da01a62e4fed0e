"""What the watch tells: a table of sources and their levels in a nameless file, written by it
alone.
"""

from __future__ import annotations

import mmap
import os

import numpy as np
from numpy.typing import NDArray

MAX_SOURCES = 4096
SLOTS = 512
ARTNET, SACN = 1, 2

ROW = np.dtype(
    [
        ("kind", "u1"),  # 0 while the row is free
        ("priority", "u1"),
        ("options", "u1"),
        ("start_codes", "u1"),  # bit 0: priorities by address, bit 1: others
        ("number", "<u4"),
        ("ip", "<u4"),
        ("port", "<u2"),
        ("length", "<u2"),
        ("sync", "<u2"),
        ("ended", "<u2"),  # 1 after Stream_Terminated
        ("packets", "<u8"),
        ("lost", "<u8"),
        ("changes", "<u8"),
        ("first", "<f8"),  # seconds of the monotonic clock
        ("last", "<f8"),
        ("rate", "<f8"),
        ("cid", "S32"),  # hexadecimal: a field of bytes would lose zeros at its end
        ("name", "S64"),
    ]
)
# words of the head
(T_ALIVE, T_PACKETS, T_BAD, T_OTHER, T_UNTOLD, T_FULL, T_CAPTURED) = range(7)
_HEAD = 64
_BYTES = _HEAD * 8 + MAX_SOURCES * (ROW.itemsize + SLOTS)


class SharedTable:
    def __init__(self, fd: int | None = None) -> None:
        if fd is None:
            fd = os.memfd_create("isthmus-watch")
            os.ftruncate(fd, _BYTES)
        self.fd = fd
        self.map = mmap.mmap(fd, _BYTES)
        self.words: NDArray[np.int64] = np.frombuffer(self.map, np.int64, _HEAD)
        self.rows = np.frombuffer(self.map, ROW, MAX_SOURCES, _HEAD * 8)
        self.levels: NDArray[np.uint8] = np.frombuffer(
            self.map, np.uint8, MAX_SOURCES * SLOTS, _HEAD * 8 + MAX_SOURCES * ROW.itemsize
        ).reshape(MAX_SOURCES, SLOTS)
