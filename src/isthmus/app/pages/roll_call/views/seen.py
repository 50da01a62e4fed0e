"""Pictures that came with verdicts: small beside the words, whole when clicked."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import QLabel, QPushButton, QWidget

from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.pictures import picture_from
from isthmus.show.records import Show

WHOLE = (900, 560)
LONGEST = 1800  # pixels: shown whole on a fine screen


def picture_of(show: Show, unit: str) -> QPixmap | None:
    """The picture of a unit's verdict, or None."""
    name = next((v.picture for v in show.verdicts if v.unit == unit), "")
    stored = next((f for f in show.files if name and f.name == name), None)
    made = picture_from(stored.data, LONGEST) if stored else None
    return QPixmap.fromImage(made) if made else None


class Thumb(QPushButton):
    """One picture as a button. Hidden while there is none."""

    def __init__(self, window: QWidget, size: tuple[int, int] = (80, 44)) -> None:
        super().__init__()
        self.window_ = window
        self.setObjectName("picture")
        self.setFixedSize(size[0] + 6, size[1] + 6)
        self.setIconSize(QSize(*size))
        self.setToolTip("Show the picture whole")
        self.clicked.connect(self._open)
        self._whole: QPixmap | None = None
        self._title = ""
        self.hide()

    def take(self, picture: QPixmap | None, title: str) -> None:
        self._whole, self._title = picture, title
        self.setAccessibleName(f"Picture of {title}")
        if picture is not None:
            self.setIcon(QIcon(picture))
        self.setVisible(picture is not None)

    def _open(self) -> None:
        if self._whole is None:
            return
        dialog = Frame(self.window_, self._title, "Close", lambda: True, 320)
        shown = QLabel()
        shown.setAlignment(Qt.AlignmentFlag.AlignCenter)
        keep = Qt.AspectRatioMode.KeepAspectRatio
        fits = self._whole.width() <= WHOLE[0] and self._whole.height() <= WHOLE[1]
        shown.setPixmap(
            self._whole
            if fits
            else self._whole.scaled(*WHOLE, keep, Qt.TransformationMode.SmoothTransformation)
        )
        dialog.body.addWidget(shown)
        dialog.cancel.hide()
        dialog.open()
