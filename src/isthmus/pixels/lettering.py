"""Words as a raster, in the faces that come with Isthmus."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from isthmus.fonts import FOLDER
from isthmus.pixels.sources import Strip

FACES = {
    "sans": "IBMPlexSans-SemiBold.ttf",
    "sans light": "IBMPlexSans-Regular.ttf",
    "sans slanted": "IBMPlexSans-Italic.ttf",
    "mono": "IBMPlexMono-SemiBold.ttf",
}
LEAST, MOST = 16, 160  # pixels a raster is high
WIDEST = 4096
LONGEST = 400  # letters
PACE = 4.0  # seconds in which running words go as far as their box is wide


@lru_cache(64)
def strip_of(
    words: str, face: str, box: tuple[float, float], running: bool, scale: float = 1.0
) -> Strip:
    """Words in a box of so many places (width, height), `scale` of its height. Still words are in
    its middle, made smaller where they would not fit; running ones come in from the right.
    """
    from PIL import Image, ImageDraw, ImageFont

    high = int(np.clip(round(3 * box[1]), LEAST, MOST))
    wide = int(np.clip(round(high * box[0] / box[1]), 1, WIDEST))
    said = " ".join(words.split())[:LONGEST]

    def set_in(size: float):
        font = ImageFont.truetype(str(FOLDER / FACES.get(face, FACES["sans"])), max(4.0, size))
        left, _, right, _ = font.getbbox(said or " ")
        return font, int(np.ceil(right - left))

    size = 0.8 * high * scale  # of an em: tops and tails have room in the height
    font, length = set_in(size)
    if not running and length > wide:
        font, length = set_in(size * wide / length)
    whole = length + wide if running else wide
    picture = Image.new("L", (min(whole, WIDEST * 8), high))
    left = wide if running else (wide - length) / 2
    ImageDraw.Draw(picture).text((left, high / 2), said, fill=255, font=font, anchor="lm")
    strip = np.asarray(picture, np.float32) / np.float32(255)
    long = PACE * whole / wide if running else float("inf")
    return Strip(strip, (wide, high), long)
