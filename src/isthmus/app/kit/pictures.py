"""Pictures from files for Qt: decoded within bounds, never by Qt itself."""

from __future__ import annotations

from PySide6.QtGui import QImage

from isthmus.errors import FileFault
from isthmus.pictures import small_picture


def picture_from(data: bytes, longest: int) -> QImage | None:
    """With at most so many pixels a side. None for what cannot be read: this is asked in the middle
    of painting.
    """
    try:
        picture = small_picture(data, longest)
    except FileFault:
        return None
    clear = picture.mode == "RGBA"
    form = QImage.Format.Format_RGBA8888 if clear else QImage.Format.Format_RGB888
    wide, high = picture.size
    return QImage(picture.tobytes(), wide, high, len(picture.mode) * wide, form).copy()
