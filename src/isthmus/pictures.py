"""Pictures from outside, decoded within bounds: how much memory one takes is known from its first
bytes, before any of it is decoded, and it is scaled down a strip at a time.
"""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from isthmus.errors import FileFault

if TYPE_CHECKING:
    from PIL.Image import Image

MOST = 160 * 2**20  # bytes a picture may take while it is decoded: 40 million pixels in colour
_BYTES = {"1": 1, "L": 1, "P": 1, "LA": 4, "PA": 4, "I;16": 8, "I;16B": 8, "I": 8, "F": 8}
PIXELS = 80_000_000
_TURNED = 0x0112  # EXIF: how the camera was held
_STRIP = 2_000_000  # pixels that are scaled at a time
AGAIN = "Export it again, with at most 6000 pixels a side."


def small_picture(
    data: bytes, longest: int, formats: Sequence[str] = ("PNG", "JPEG"), where: str = ""
) -> Image:
    """A picture in RGB or RGBA, upright, with at most `longest` pixels a side. Raises FileFault for
    what is none, is broken, or would take more than `MOST` bytes.
    """
    from PIL import Image, ImageOps

    try:
        with Image.open(io.BytesIO(data), formats=tuple(formats)) as picture:
            wide, high = picture.size
            if wide * high > PIXELS or wide * high * _BYTES.get(picture.mode, 4) > MOST:
                raise FileFault(
                    f"the picture measures {wide} by {high} pixels.", where=where, do=AGAIN
                )
            if not picture.info.get("progressive"):
                picture.draft(None, (longest, longest))
            picture.load()
            made = _scaled(picture, longest)
            made.info = {}  # nothing of where and by whom it was taken is kept
            made.getexif()[_TURNED] = picture.getexif().get(_TURNED, 1)
            return ImageOps.exif_transpose(made)
    except FileFault:
        raise
    except Exception as error:  # Pillow raises whatever a broken file leads to
        raise FileFault(
            f"the picture cannot be read: {str(error)[:120]}.", where=where, do="Export it again."
        ) from error


def _scaled(picture: Image, longest: int) -> Image:
    from PIL import Image

    clear = picture.mode in ("RGBA", "LA", "PA", "La", "RGBa") or "transparency" in picture.info
    mode = "RGBA" if clear else "RGB"
    wide, high = picture.size
    by = min(1.0, longest / max(wide, high))
    if by == 1.0:
        return _as(picture, mode)
    to = max(1, round(wide * by)), max(1, round(high * by))
    made = Image.new(mode, to)
    rows = max(1, round(_STRIP * by / wide))
    for top in range(0, to[1], rows):
        end = min(to[1], top + rows)
        above, below = top * high / to[1], min(float(high), end * high / to[1])
        first = math.floor(above)
        strip = picture.crop((0, first, wide, min(high, math.ceil(below))))
        strip.info = picture.info
        box = (0.0, above - first, float(wide), below - first)
        fine = _as(strip, mode).resize((to[0], end - top), Image.Resampling.BOX, box)
        made.paste(fine, (0, top))
    return made


def _as(picture: Image, mode: str) -> Image:
    """In another mode; greys of 16 bits by their upper eight."""
    if picture.mode.startswith("I"):
        picture = picture.convert("I").point(lambda level: level / 256).convert("L")
    return picture if picture.mode == mode else picture.convert(mode)


def plain_picture(data: bytes, longest: int) -> bool:
    """Whether every reader takes it as it is: upright, no larger than that, 8 bits, in grey or
    colours.
    """
    from PIL import Image

    with Image.open(io.BytesIO(data)) as picture:
        modes = ("1", "L", "P", "LA", "RGB", "RGBA") if picture.format == "PNG" else ("L", "RGB")
        turned = picture.getexif().get(_TURNED, 1) != 1
        return picture.mode in modes and max(picture.size) <= longest and not turned
