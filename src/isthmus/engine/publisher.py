"""Frames and routes into the shared memory: new routes only when they are others."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from isthmus.engine import shared as sh
from isthmus.errors import NetworkFault


def fits(slots: int, routes: int) -> None:
    """Raises NetworkFault for more than there is room for."""
    if slots > sh.MAX_ROWS * sh.SLOTS or routes > sh.MAX_ROUTES:
        raise NetworkFault(
            f"more than {sh.MAX_ROWS} universes or {sh.MAX_ROUTES} outputs cannot be sent.",
            do="Take some routes away.",
        )


class Publisher:
    """The one writer of the frames."""

    def __init__(self, frames: sh.SharedFrames) -> None:
        self.frames = frames
        self._routes: list[sh.Route] | None = None
        self._identity: sh.Identity | None = None

    def publish(
        self,
        frame: NDArray[np.uint8],
        routes: Sequence[sh.Route],
        identity: sh.Identity | None = None,
    ) -> None:
        """A flat frame of whole rows, and where each row goes. Raises NetworkFault for too many."""
        fits(len(frame), len(routes))
        wanted = list(routes)
        if wanted != self._routes or identity != self._identity:
            self._routes, self._identity = wanted, identity
            self.frames.write_routes(wanted, frame, identity)
        else:
            self.frames.write_frame(frame)
