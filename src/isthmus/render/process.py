"""The render process: `python -m isthmus.render.process --link FD --picture FD`.

Takes requests over a pipe, draws, and leaves the picture in shared memory. A slow or crashing
driver therefore never touches the application. The beam buffer's coarseness follows the time a
picture takes.
"""

from __future__ import annotations

import argparse
import contextlib
import mmap
import os
import sys
import time
from dataclasses import replace
from multiprocessing.connection import Connection

from isthmus.render.client import MAX_PIXELS, Picture, Request
from isthmus.render.renderer import Renderer, standalone_context

COARSEST = 5


def paced(scale: int, finest: int, milliseconds: float, hold: int) -> int:
    """The next coarseness of the beam buffer, so that `hold` pictures a second are held; 0 leaves
    it as it is chosen.

    It goes coarser when a picture takes longer than there is, and finer again only when there is
    room to spare.
    """
    if not hold:
        return finest
    room = 1000.0 / hold
    if milliseconds > 0.92 * room:
        return min(COARSEST, scale + 1)
    return max(finest, scale - 1) if milliseconds < 0.45 * room else max(finest, scale)


def serve(link: Connection, picture: mmap.mmap) -> None:
    renderer = Renderer(standalone_context())
    link.send("ready")
    scale, mean, turn = 2, 20.0, 0
    view = memoryview(picture)
    while True:
        request = link.recv()
        if not isinstance(request, Request):
            return
        started = time.perf_counter()
        if request.scene is not None:
            renderer.set_scene(request.scene)
        width, height = request.size
        finest = request.look.scale
        scale = max(scale, finest) if request.hold else finest
        look = replace(request.look, scale=scale)
        renderer.render(
            request.size, request.camera, request.beams, request.bodies, request.tint, look
        )
        turn = 1 - turn
        start = turn * MAX_PIXELS * 4
        renderer.read_into(view[start : start + width * height * 4])
        took = (time.perf_counter() - started) * 1e3
        link.send(Picture(turn, width, height, took, look.scale))
        mean += 0.15 * (min(took, 200.0) - mean)
        wanted = paced(scale, finest, mean, request.hold)
        if wanted != scale:
            scale, mean = wanted, 0.7 * 1000.0 / max(request.hold, 1)


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("--link", type=int, required=True)
    parser.add_argument("--picture", type=int, required=True)
    options = parser.parse_args()
    link = Connection(options.link)
    with contextlib.suppress(OSError):
        os.nice(5)  # the interface and the engine come first
    try:
        serve(link, mmap.mmap(options.picture, 0))
    except (EOFError, BrokenPipeError, KeyboardInterrupt):
        return 0
    except Exception as error:  # whatever a driver raises is told, not guessed at
        with contextlib.suppress(OSError):
            link.send(f"failed: {type(error).__name__}: {error}")
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
