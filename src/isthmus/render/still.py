"""Pictures without a window: one PNG, or many as a GIF that turns round the rig or walks through
levels.
"""

from __future__ import annotations

import io
from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from isthmus.errors import EntryFault, NetworkFault
from isthmus.output.view import RigView
from isthmus.render.client import MAX_PIXELS, Picture, RenderClient, Request
from isthmus.render.look import look_of
from isthmus.render.scene import scene_of
from isthmus.show.records import Show
from isthmus.stage import Camera
from isthmus.stage.drawing import Drawing
from isthmus.stage.space import space_of

BODY = (0.17, 0.175, 0.19)
SECONDS = 60.0  # a picture may take, by software and large
GIF_SIDE = 1000


def stills(
    show: Show,
    view: RigView,
    shots: Iterable[tuple[Camera, NDArray[np.uint8]]],
    size: tuple[int, int],
    drawing: Drawing,
) -> Iterator[bytes]:
    """RGBA bytes for each (camera, frame), drawn by a process of its own. Raises NetworkFault when
    it cannot be drawn.
    """
    check_size(size)
    space = space_of(view.rig.positions, view.rig.structures)
    look = replace(look_of(drawing), space=(space.low, space.high))
    client = RenderClient()
    client.start()
    try:
        _expect(client, "ready")
        scene = scene_of(show, view.rig, drawing.triangles)
        tint = np.tile(np.array(BODY), (max(1, len(view.rig.order)), 1))
        for camera, frame in shots:
            beams, bodies = view.pose(frame, drawing.drawn())
            client.ask(Request(size, camera, beams, bodies, tint, look, scene))
            scene = None
            yield bytes(client.pixels(_expect(client, "picture")))
    finally:
        client.stop()


def check_size(size: tuple[int, int]) -> None:
    """Raises EntryFault for a size no picture is drawn at."""
    wide, high = size
    if not (16 <= wide <= 8192 and 16 <= high <= 8192 and wide * high <= MAX_PIXELS):
        raise EntryFault(
            f"A picture of {wide}x{high} cannot be drawn.",
            do="Choose 16 to 3840 by 16 to 2400 pixels.",
        )


def _expect(client: RenderClient, what: str) -> Picture:
    while True:
        news = client.wait(SECONDS)
        if isinstance(news, Picture) or news == what:
            return news  # type: ignore[return-value]
        if news == "failed":
            raise NetworkFault(
                "the stage cannot be drawn here.",
                where=client.failure,
                do="Install libegl1 and libgl1-mesa-dri.",
            )
        if news is None:
            raise NetworkFault("the stage could not be drawn in time.", do="Choose a smaller size.")


def png(pixels: bytes, size: tuple[int, int]) -> bytes:
    from PIL import Image

    out = io.BytesIO()
    Image.frombytes("RGBA", size, pixels).convert("RGB").save(out, "PNG")
    return out.getvalue()


def gif(
    pictures: Iterable[bytes],
    size: tuple[int, int],
    seconds: float,
    told: Callable[[int], object] = lambda n: None,
) -> bytes:
    """An endless GIF of pictures that follow each other in `seconds`. `told` hears how many are
    drawn, and may raise Cancelled.
    """
    from PIL import Image

    frames = []
    for pixels in pictures:
        frames.append(
            Image.frombytes("RGBA", size, pixels)
            .convert("RGB")
            .convert("P", palette=Image.Palette.ADAPTIVE, colors=200)
        )
        told(len(frames))
    if not frames:
        raise EntryFault("There is no picture to keep.")
    out = io.BytesIO()
    frames[0].save(
        out,
        "GIF",
        save_all=True,
        append_images=frames[1:],
        duration=max(20, round(seconds * 1000 / len(frames))),
        loop=0,
    )
    return out.getvalue()


def turntable(camera: Camera, pictures: int) -> list[Camera]:
    """The camera once round its target."""
    return [camera.turned(360.0 * i / pictures, 0.0) for i in range(pictures)]
