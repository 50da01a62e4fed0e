"""An SVG as PNG: `python -m isthmus.app.canvas.svg_process`, a process apart. Nothing the SVG names
outside itself is ever looked at.
"""

from __future__ import annotations

import os
import sys

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QSize, Qt
from PySide6.QtGui import QGuiApplication, QImage, QPainter
from PySide6.QtSvg import QSvgRenderer

from isthmus.apart import AS_PICTURE, answer
from isthmus.app.kit.theme import load_fonts
from isthmus.errors import FileFault
from isthmus.sheets.pictures import clean_svg

SIDE = 3200


def drawn(data: bytes) -> bytes:
    """Raises FileFault."""
    renderer = QSvgRenderer(QByteArray(clean_svg(data, "")))
    size = renderer.defaultSize()
    if (
        not renderer.isValid()
        or size.isEmpty()
        or size.width() > 100_000
        or size.height() > 100_000
    ):
        raise FileFault("the SVG cannot be read.", do=AS_PICTURE)
    factor = SIDE / max(size.width(), size.height())
    picture = QImage(
        QSize(max(2, round(size.width() * factor)), max(2, round(size.height() * factor))),
        QImage.Format.Format_ARGB32,
    )
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    renderer.render(painter)
    painter.end()
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    picture.save(buffer, "PNG")  # type: ignore[call-overload]
    return bytes(buffer.data().data())


if __name__ == "__main__":
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    app = QGuiApplication(sys.argv[:1])
    load_fonts()
    sys.exit(answer(drawn))
