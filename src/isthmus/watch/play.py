"""Playing a capture back: its levels, in its own time, to where they went or to one address."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from pathlib import Path

from isthmus.errors import FileFault, os_reason
from isthmus.show.files import plain_file, read_within
from isthmus.wire import artnet, pcapng, sacn

MAX_BYTES = 2 * 2**30
LONGEST_PAUSE = 5.0


def read_capture(path: Path) -> list[pcapng.Captured]:
    """The levels (ArtDmx, E1.31 data) of a capture file, in order. Raises FileFault."""
    try:
        with plain_file(path) as stream:
            data = read_within(stream, MAX_BYTES)
        if len(data) > MAX_BYTES:
            raise FileFault(
                "it is larger than 2 GiB.",
                where=path.name,
                do="Cut it with a capture program first.",
            )
        packets = list(pcapng.decode(data))
    except OSError as error:
        raise FileFault(os_reason(error), where=path.name) from error
    except ValueError as error:
        raise FileFault(
            f"{error}.",
            where=path.name,
            do="Take a file that was captured by Isthmus, or as pcapng.",
        ) from error
    found = [
        p
        for p in packets
        if isinstance(artnet.decode(p.payload), artnet.ArtDmx)
        or isinstance(sacn.decode(p.payload), sacn.Data)
    ]
    if not found:
        raise FileFault("it holds no levels of Art-Net or sACN.", where=path.name)
    return found


class Playing:
    """Where a playback stands. Call `due` often; it hands out what is to be sent by now."""

    def __init__(
        self,
        packets: Sequence[pcapng.Captured],
        to: str = "",
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        """`to` sends everything to one address instead of where it went."""
        self._packets, self._to, self._clock = packets, to, clock
        self._times: list[float] = []
        at = 0.0
        for before, packet in zip((None, *packets), packets, strict=False):
            at += min(LONGEST_PAUSE, max(0.0, packet.at - before.at)) if before else 0.0
            self._times.append(at)
        self._start = clock()
        self.at = 0

    @property
    def seconds(self) -> float:
        return self._times[-1] if self._times else 0.0

    @property
    def done(self) -> bool:
        return self.at >= len(self._packets)

    @property
    def position(self) -> float:
        return self._times[min(self.at, len(self._times) - 1)] if self._times else 0.0

    @property
    def packets(self) -> list[tuple[bytes, str]]:
        """(payload, host) of everything that will be handed out."""
        return [(packet.payload, self._to or packet.target[0]) for packet in self._packets]

    def due(self) -> list[tuple[bytes, tuple[str, int]]]:
        """(payload, target) of everything that is due."""
        now, found = self._clock() - self._start, []
        while not self.done and self._times[self.at] <= now:
            packet = self._packets[self.at]
            found.append((packet.payload, (self._to or packet.target[0], packet.target[1])))
            self.at += 1
        return found
