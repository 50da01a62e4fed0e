"""Colours, sizes and fonts from `assets/tokens.json`: the one source for the stylesheet, the
palette and painters.
"""

from __future__ import annotations

import functools
import json
from importlib import resources
from typing import Any

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontDatabase, QFontMetricsF, QPalette, QPen
from PySide6.QtWidgets import QApplication

from isthmus.fonts import faces

ASSETS = resources.files("isthmus.app") / "assets"
TOKENS: dict[str, Any] = json.loads((ASSETS / "tokens.json").read_text())
SIZE: dict[str, int] = TOKENS["size"]
TYPE: dict[str, Any] = TOKENS["type"]
LINE: dict[str, float] = TOKENS["line"]
SANS, MONO = TOKENS["fonts"]["sans"], TOKENS["fonts"]["mono"]


class Theme(QObject):
    """The theme in force. Painters ask it each time; `changed` tells them to paint again."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.name = "night"
        self._colors: dict[str, QColor] = {}

    def color(self, role: str, alpha: float | None = None) -> QColor:
        kept = self._colors.get(role)
        if kept is None:
            value = TOKENS["themes"][self.name][role]
            # tokens are #RRGGBBAA, Qt reads #AARRGGBB
            kept = self._colors[role] = QColor(
                f"#{value[7:9]}{value[1:7]}" if len(value) == 9 else value
            )
        if alpha is None:
            return kept  # shared by all who paint with it: copy it before changing it
        color = QColor(kept)
        color.setAlphaF(alpha)
        return color

    def universe(self, number: int, part: str = "line") -> QColor:
        hues = TOKENS["themes"][self.name]["universe"]
        key = f"universe {(number - 1) % len(hues)} {part}"
        kept = self._colors.get(key)
        if kept is None:
            kept = self._colors[key] = QColor(hues[(number - 1) % len(hues)][part])
        return kept

    def set(self, name: str) -> None:
        self.name = name
        self._colors.clear()
        app = QApplication.instance()
        if isinstance(app, QApplication):
            app.setPalette(palette())
            app.setStyleSheet(stylesheet())
        self.changed.emit()


theme = Theme()


def load_fonts() -> None:
    for file in faces():
        QFontDatabase.addApplicationFontFromData(file.read_bytes())


@functools.cache
def font(
    size: int | str = "body",
    weight: int = 400,
    mono: bool = False,
    italic: bool = False,
    track: float = 0.0,
) -> QFont:
    made = QFont(MONO if mono else SANS)
    made.setPixelSize(TYPE[size] if isinstance(size, str) else size)
    made.setWeight(QFont.Weight(weight))
    made.setItalic(italic)
    made.setHintingPreference(QFont.HintingPreference.PreferVerticalHinting)
    if track:
        made.setLetterSpacing(QFont.SpacingType.AbsoluteSpacing, track)
    return made


_ADVANCE: dict[tuple[str, str], float] = {}


def advance(of: QFont, text: str) -> float:
    """Width of a text in pixels, remembered."""
    key = (of.key(), text)
    kept = _ADVANCE.get(key)
    if kept is None:
        if len(_ADVANCE) > 20000:
            _ADVANCE.clear()
        kept = _ADVANCE[key] = QFontMetricsF(of).horizontalAdvance(text)
    return kept


def pen(
    role: str | QColor,
    width: float = 1.0,
    style: Qt.PenStyle = Qt.PenStyle.SolidLine,
    cap: Qt.PenCapStyle = Qt.PenCapStyle.FlatCap,
) -> QPen:
    made = QPen(theme.color(role) if isinstance(role, str) else role, width, style)
    made.setCapStyle(cap)
    made.setJoinStyle(Qt.PenJoinStyle.MiterJoin)
    return made


def palette() -> QPalette:
    roles = QPalette.ColorRole
    made = QPalette()
    for role, token in {
        roles.Window: "deep",
        roles.Base: "deep",
        roles.AlternateBase: "shelf",
        roles.Button: "shoal",
        roles.WindowText: "text",
        roles.Text: "text",
        roles.ButtonText: "text",
        roles.Highlight: "coral",
        roles.HighlightedText: "on_coral",
        roles.ToolTipBase: "shoal",
        roles.ToolTipText: "text",
        roles.PlaceholderText: "text3",
        roles.Link: "coral_text",
        roles.Mid: "line",
        roles.Midlight: "line",
        roles.Light: "bank",
        roles.Dark: "line_strong",
        roles.Shadow: "abyss",
        roles.Accent: "coral",
        roles.BrightText: "fault",
    }.items():
        made.setColor(role, theme.color(token))
    for role in (roles.WindowText, roles.Text, roles.ButtonText):
        made.setColor(QPalette.ColorGroup.Disabled, role, theme.color("text_off"))
    return made


def stylesheet() -> str:
    c = TOKENS["themes"][theme.name]
    return f"""
* {{ outline: none; }}
QWidget {{ color: {c["text"]}; }}
QToolTip {{ background: {c["shoal"]}; color: {c["text"]}; border: 1px solid {c["line_strong"]}; padding: 4px 6px; }}
QLabel {{ background: transparent; }}
QLabel[kind="quiet"] {{ color: {c["text2"]}; }}
QLabel[kind="fault"] {{ color: {c["fault"]}; }}
QLabel[kind="attention"] {{ color: {c["ochre"]}; }}
QDialog {{ background: {c["shelf"]}; border: 1px solid {c["line_strong"]}; }}
QLineEdit, QPlainTextEdit, QSpinBox, QDoubleSpinBox {{ background: {c["shoal"]}; border: 1px solid {c["line"]};
  border-radius: 3px; padding: 0 8px;
  selection-background-color: {c["coral"]}; selection-color: {c["on_coral"]}; placeholder-text-color: {c["text3"]}; }}
QPlainTextEdit {{ padding: 4px 4px; }}
QLineEdit:hover, QSpinBox:hover {{ background: {c["bank"]}; }}
QLineEdit:focus, QPlainTextEdit:focus, QSpinBox:focus, QComboBox:focus {{ border: 2px solid {c["focus"]}; padding: 0 7px; }}
QLineEdit:disabled {{ color: {c["text2"]}; background: transparent; }}
QLineEdit[mixed="true"] {{ border: 1px dashed {c["line_strong"]}; background: transparent; }}
QLineEdit[bad="true"] {{ border: 2px solid {c["fault"]}; padding: 0 7px; }}
QSpinBox::up-button, QSpinBox::down-button {{ width: 0; border: none; }}
QComboBox {{ background: {c["shoal"]}; border: 1px solid {c["line"]}; border-radius: 3px; padding: 0 8px; }}
QComboBox:hover {{ background: {c["bank"]}; }}
QComboBox::drop-down {{ width: 20px; border: none; }}
QComboBox::down-arrow {{ image: none; width: 0; height: 0; }}
QComboBox QAbstractItemView {{ background: {c["shelf"]}; border: 1px solid {c["line_strong"]};
  selection-background-color: {c["select_row"]};
  selection-color: {c["text"]}; }}
QPushButton {{ background: {c["shoal"]}; border: 1px solid {c["line"]}; border-radius: 3px; padding: 0 10px; }}
QPushButton:hover {{ background: {c["bank"]}; }}
QPushButton:pressed {{ background: {c["line"]}; }}
QPushButton:focus {{ border: 2px solid {c["focus"]}; padding: 0 9px; }}
QPushButton:checked {{ border: 1px solid {c["coral"]}; background: {c["select_row"]}; }}
QPushButton:disabled {{ color: {c["text_off"]}; }}
QPushButton[kind="primary"] {{ background: {c["coral"]}; border: 1px solid {c["coral"]}; color: {c["on_coral"]}; }}
QPushButton[kind="primary"]:hover {{ background: {c["coral_hover"]}; border-color: {c["coral_hover"]}; }}
QPushButton[kind="primary"]:pressed {{ background: {c["coral_press"]}; }}
QPushButton[kind="primary"]:focus {{ border: 2px solid {c["focus"]}; }}
QPushButton[kind="primary"]:disabled {{ background: {c["shoal"]}; border-color: {c["line"]}; color: {c["text_off"]}; }}
QPushButton[kind="quiet"] {{ background: transparent; border: 1px solid transparent; padding: 0 5px; color: {c["text2"]}; }}
QPushButton[kind="quiet"]:hover {{ border: 1px solid {c["line"]}; color: {c["text"]}; }}
QPushButton[kind="quiet"]:checked {{ border: 1px solid {c["coral"]}; background: {c["select_row"]}; color: {c["text"]}; }}
QPushButton[kind="quiet"]:focus {{ border: 2px solid {c["focus"]}; padding: 0 4px; }}
QPushButton[kind="quiet"]:disabled {{ color: {c["text_off"]}; }}
QPushButton[kind="link"] {{ background: transparent; border: none; border-bottom: 1px solid {c["line_strong"]};
  border-radius: 0; padding: 0;
  text-align: left; }}
QPushButton[kind="link"]:hover {{ color: {c["coral_text"]}; }}
QPushButton[kind="link"]:focus {{ border: 2px solid {c["focus"]}; }}
QPushButton[kind="output"] {{ background: transparent; border: 1px solid {c["line_strong"]}; }}
QPushButton[kind="output"]:hover {{ background: {c["bank"]}; }}
QToolButton {{ background: transparent; border: 1px solid transparent; border-radius: 3px; }}
QToolButton:hover {{ background: {c["bank"]}; border: 1px solid {c["line"]}; }}
QToolButton:focus {{ border: 2px solid {c["focus"]}; }}
QFrame[kind="popup"] {{ background: {c["shelf"]}; border: 1px solid {c["line_strong"]}; }}
QMenu {{ background: {c["shelf"]}; border: 1px solid {c["line_strong"]}; padding: 4px 0; }}
QMenu::item {{ padding: 5px 28px 5px 16px; }}
QMenu::item:selected {{ background: {c["select_row"]}; color: {c["text"]}; }}
QMenu::item:disabled {{ color: {c["text_off"]}; }}
QMenu::separator {{ height: 1px; background: {c["line"]}; margin: 4px 0; }}
QTableView, QListView, QTreeView {{ background: {c["deep"]}; border: none;
  selection-background-color: {c["select_row"]}; selection-color: {c["text"]}; }}
QTableView:focus, QListView:focus {{ border: none; }}
QDialog QTableView, QDialog QListView {{ background: {c["deep"]}; border: 1px solid {c["line"]};
  selection-background-color: {c["select_row"]};
  selection-color: {c["text"]}; gridline-color: {c["line_faint"]}; }}
QHeaderView {{ background: {c["shelf"]}; border: none; }}
QHeaderView::section {{ background: {c["shelf"]}; color: {c["text2"]}; border: none;
  border-bottom: 1px solid {c["line_strong"]}; padding: 4px 6px; font-size: {TYPE["caption"]}px; font-weight: 500; }}
QSlider::groove:horizontal {{ height: 4px; background: {c["line"]}; }}
QSlider::sub-page:horizontal {{ background: {c["text2"]}; }}
QSlider::handle:horizontal {{ width: 10px; margin: -6px 0; background: {c["text2"]}; border-radius: 2px; }}
QSlider::handle:horizontal:focus {{ background: {c["coral"]}; }}
QCheckBox {{ spacing: 8px; }}
QCheckBox::indicator, QTableView::indicator {{ width: 14px; height: 14px; border: 1px solid {c["line_strong"]}; border-radius: 3px; background: {c["shoal"]}; }}
QCheckBox::indicator:checked, QTableView::indicator:checked {{ background: {c["coral"]}; border: 1px solid {c["coral"]}; }}
QCheckBox:focus {{ border-bottom: 1px solid {c["focus"]}; }}
QProgressBar {{ background: {c["shoal"]}; border: 1px solid {c["line"]}; border-radius: 3px; text-align: center; }}
QProgressBar::chunk {{ background: {c["teal"]}; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
QScrollBar::handle {{ background: {c["line_strong"]}; min-height: 28px; min-width: 28px; border-radius: 2px; margin: 3px; }}
QScrollBar::handle:hover {{ background: {c["text3"]}; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
QScrollArea {{ background: transparent; border: none; }}
"""
