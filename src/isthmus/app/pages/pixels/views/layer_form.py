"""What can be typed about the current layer."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QCompleter, QGridLayout, QLineEdit, QWidget

from isthmus.app.kit.help import dress
from isthmus.app.kit.widgets import choice, field, label
from isthmus.pixels.fields import NAMES, Field, fields_of
from isthmus.show.records import PictureLayer

ACROSS = 3  # fields beside each other
COLOURS = ("colour", "behind")


class LayerForm(QWidget):
    """`write` takes the name of a field and what was typed; whether it was taken."""

    def __init__(self, write: Callable[[str, str], bool]) -> None:
        super().__init__()
        self._write = write
        self._layer: PictureLayer | None = None
        self._source = ""
        self.parts: dict[str, tuple[Field, QLineEdit | QComboBox]] = {}
        self.table = QGridLayout(self)
        self.table.setContentsMargins(0, 0, 0, 0)
        self.table.setHorizontalSpacing(8)
        self.table.setVerticalSpacing(4)

    def take(self, layer: PictureLayer | None) -> None:
        self._layer = layer
        source = layer.source if layer else ""
        if source != self._source:
            self._source = source
            self._build(layer)
        if layer is None:
            return
        for one, widget in self.parts.values():
            words = one.say(layer)
            if isinstance(widget, QComboBox):
                widget.setCurrentIndex(max(0, widget.findData(words)))
            elif not (widget.hasFocus() and widget.isModified()):
                widget.setText(words)

    def _build(self, layer: PictureLayer | None) -> None:
        while (item := self.table.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        self.parts = {}
        for at, one in enumerate(fields_of(layer) if layer else []):
            row, column = divmod(at, ACROSS)
            words = label(one.words, "quiet")
            widget = self._widget(one)
            words.setBuddy(widget)
            self.table.addWidget(words, row, 2 * column)
            self.table.addWidget(widget, row, 2 * column + 1)
            self.parts[one.name] = one, widget
        self.table.setRowStretch(len(self.parts), 1)
        dress(self)
        for column in range(ACROSS):
            self.table.setColumnStretch(2 * column + 1, 1)

    def _widget(self, one: Field) -> QLineEdit | QComboBox:
        name = f"layer {one.words.lower()}"
        if one.choices:
            made = choice(name, list(one.choices))
            made.activated.connect(lambda _, n=one.name: self._chosen(n))
            return made
        line = field(name, mono=one.name != "text")
        line.editingFinished.connect(lambda n=one.name: self._typed(n))
        if one.name in COLOURS:
            offers = QCompleter([*NAMES, *(["nothing"] if one.name == "behind" else [])], line)
            offers.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
            line.setCompleter(offers)
        return line

    def _chosen(self, name: str) -> None:
        widget = self.parts[name][1]
        assert isinstance(widget, QComboBox)
        self._write(name, str(widget.currentData()))

    def _typed(self, name: str) -> None:
        one, widget = self.parts[name]
        assert isinstance(widget, QLineEdit)
        if self._layer is None or not widget.isModified():
            return
        widget.setModified(False)
        if widget.text().strip() != one.say(self._layer) and not self._write(name, widget.text()):
            widget.setText(one.say(self._layer))
