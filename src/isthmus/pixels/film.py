"""Pictures written as a film: MP4 (MPEG-4) by PyAV, or GIF, by the ending of the name."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterable
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from isthmus.errors import EntryFault, FileFault
from isthmus.pixels.plans import SetPlan
from isthmus.pixels.ready import middles
from isthmus.profiles.colour import encode_srgb
from isthmus.show.files import write_atomically
from isthmus.show.records import PixelGrid

Codes = NDArray[np.uint8]
ENDINGS = (".mp4", ".mkv", ".gif")
LONGEST = 1920  # pixels


def grid_picture(grid: PixelGrid, plan: SetPlan, seconds: float) -> Codes:
    """What a set shows on its grid, (height, width, 3) as a screen has it, large enough to be seen:
    a square for each cell.
    """
    side = max(1, min(24, LONGEST // max(grid.width, grid.height)))
    shown = np.zeros((grid.height * side, grid.width * side, 3), np.uint8)
    codes = (255 * encode_srgb(np.asarray(plan.colours(seconds)[:3].T, np.float64)) + 0.5).astype(
        np.uint8
    )
    gap = 1 if side >= 6 else 0
    for (x, y), code in zip(middles(grid) - 0.5, codes, strict=True):
        left, top = round(x * side), round(y * side)
        shown[max(0, top) + gap : top + side, max(0, left) + gap : left + side] = code
    return shown


def write_film(
    path: Path,
    pictures: Iterable[Codes],
    rate: float,
    told: Callable[[int], object] = lambda count: None,
) -> int:
    """How many pictures were written. `told` hears how many, and may raise Cancelled. Raises
    EntryFault for another ending, FileFault when it cannot be written.
    """
    if path.suffix.lower() not in ENDINGS:
        raise EntryFault(
            f"A film cannot be written as “{path.name}”.", do=f"End it in {', '.join(ENDINGS)}."
        )
    if path.suffix.lower() == ".gif":
        return _gif(path, pictures, rate, told)
    import av
    from av.error import FFmpegError

    count = 0
    whole = io.BytesIO()
    try:
        form = "mp4" if path.suffix.lower() == ".mp4" else "matroska"
        with av.open(whole, "w", format=form) as out:
            stream = out.add_stream("mpeg4", rate=Fraction(rate).limit_denominator(1000))
            stream.pix_fmt, stream.bit_rate = "yuv420p", 8_000_000
            for codes in pictures:
                even = codes[: codes.shape[0] // 2 * 2, : codes.shape[1] // 2 * 2]
                if not count:
                    stream.width, stream.height = even.shape[1], even.shape[0]
                frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(even), format="rgb24")
                out.mux(stream.encode(frame))
                count += 1
                told(count)
            out.mux(stream.encode())
    except FFmpegError as error:
        raise FileFault(f"the film could not be written ({error}).", where=path.name) from error
    write_atomically(path, whole.getvalue())
    return count


def _gif(path: Path, pictures: Iterable[Codes], rate: float, told: Callable[[int], object]) -> int:
    from PIL import Image

    frames = []
    for codes in pictures:
        image = Image.fromarray(codes)
        frames.append(image.convert("P", palette=Image.Palette.ADAPTIVE, colors=200))
        told(len(frames))
    whole = io.BytesIO()
    frames[0].save(
        whole,
        "GIF",
        save_all=True,
        append_images=frames[1:],
        duration=max(20, round(1000 / rate)),
        loop=0,
    )
    write_atomically(path, whole.getvalue())
    return len(frames)
