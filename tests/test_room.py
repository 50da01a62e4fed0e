"""Every page at the smallest window and at the usual one: words fit where they stand, and every field has a name."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtGui import QFontMetrics
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractScrollArea,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QTableView,
    QWidget,
)

from hands import press, settle, until
from isthmus.app.pages.profiles.page import VIEWS
from isthmus.app.spine import PAGES
from isthmus.app.theme import theme
from isthmus.show import Show
from test_manual import written


def words_of(widget: QWidget) -> str:
    if isinstance(widget, QComboBox):
        return widget.currentText()
    if isinstance(widget, QLineEdit):
        return widget.placeholderText() if not widget.text() else ""
    return widget.text() if isinstance(widget, (QAbstractButton, QLabel)) else ""


def cut_off(page: QWidget) -> list[str]:
    """What does not fit: words wider than their widget, or widgets that stand outside the one around them."""
    found = []
    for widget in page.findChildren(QWidget):
        if not widget.isVisible() or widget.width() <= 1:
            continue
        words = words_of(widget).replace("&", "")
        wide = max((QFontMetrics(widget.font()).horizontalAdvance(line) for line in words.splitlines()), default=0)
        extra = {QPushButton: 10, QComboBox: 24, QCheckBox: 20, QLineEdit: 12}.get(type(widget), 0)
        wraps = isinstance(widget, QLabel) and widget.wordWrap()
        if isinstance(widget, QPushButton) and widget.property("kind") in ("link", "quiet"):
            extra = 0
        if words and not wraps and not isinstance(widget, QComboBox) and wide + extra > widget.width() + 2:
            found.append(f"{type(widget).__name__} “{words}” needs {wide + extra}, has {widget.width()}")
        if isinstance(widget, QPushButton):
            around = widget.parentWidget()
            scrolls = any(isinstance(up, QAbstractScrollArea) for up in ancestors(widget))
            if around is not None and not scrolls and not around.rect().contains(QRect(widget.pos(), widget.size())):
                found.append(f"button “{words}” stands outside")
    return found


def ancestors(widget: QWidget) -> list[QWidget]:
    found, up = [], widget.parentWidget()
    while up is not None:
        found.append(up)
        up = up.parentWidget()
    return found


def overlapping(page: QWidget) -> list[str]:
    """Buttons and fields that lie on one another."""
    placed = [
        (w, QRect(w.mapTo(page, QPoint(0, 0)), w.size()))
        for w in page.findChildren(QWidget)
        if w.isVisible() and isinstance(w, (QPushButton, QComboBox, QLineEdit, QPlainTextEdit, QTableView))
    ]
    found = []
    for i, (a, where) in enumerate(placed):
        for b, other in placed[i + 1 :]:
            if a in ancestors(b) or b in ancestors(a) or a.parentWidget() is not b.parentWidget():
                continue
            if where.adjusted(1, 1, -1, -1).intersects(other.adjusted(1, 1, -1, -1)):
                found.append(f"{a.objectName() or type(a).__name__} and {b.objectName() or type(b).__name__}")
    return found


@pytest.mark.parametrize("size", [(1280, 800), (1000, 640)])
def test_no_word_is_cut_off_and_nothing_lies_on_anything_on_any_page(make_window, demo: Show, size: tuple[int, int]) -> None:
    window = make_window(demo)
    window.resize(*size)
    settle(0.1)
    trouble: dict[str, list[str]] = {}
    for name in PAGES:
        window.go(name)
        settle(0.15)
        page = window.pages[name]
        trouble[name] = cut_off(page) + overlapping(page)
    window.go("Profiles")
    profiles = window.profiles
    assert until(lambda: len(profiles.link.shelf.columns) > 500 and not profiles.link.busy, 40)
    profiles.library.search()
    profiles.manual.source.setPlainText(written("\t"))
    profiles.manual.read()
    profiles.adapt_copy()
    for view in VIEWS:
        press(profiles, f"view {view}")
        settle(0.2)
        trouble[view] = cut_off(profiles) + overlapping(profiles)
        assert profiles.rect().right() <= window.rect().right()
    assert not any(trouble.values()), "\n".join(f"{name}: {words}" for name, told in trouble.items() for words in told)


def test_every_field_and_table_says_its_name_and_takes_the_focus(make_window, demo: Show) -> None:
    window = make_window(demo, page="Profiles")
    page = window.profiles
    nameless = []
    for view in VIEWS:
        page.show_view(view)
        settle(0.05)
        for kind in (QLineEdit, QComboBox, QPlainTextEdit, QTableView):
            for widget in page.findChildren(kind):
                inner = any(isinstance(up, (QComboBox, QTableView)) for up in ancestors(widget))
                if widget.isVisible() and not inner and not widget.accessibleName() and not getattr(widget, "placeholderText", str)():
                    nameless.append(f"{view}: {kind.__name__} {widget.objectName()}")
                if widget.isVisible() and not inner and widget.isEnabled() and widget.focusPolicy() == Qt.FocusPolicy.NoFocus:
                    nameless.append(f"{view}: {widget.objectName()} cannot be reached")
    assert nameless == []


@pytest.mark.parametrize("name", ["night", "day"])
def test_tab_walks_through_a_view_and_comes_back(make_window, demo: Show, name: str) -> None:
    window = make_window(demo, page="Profiles")
    theme.set(name)
    page = window.profiles
    page.library.needle.setFocus()
    seen: list[QWidget] = []
    for _ in range(160):
        window.focusNextChild()
        now = window.focusWidget()
        if now is page.library.needle:
            break
        seen.append(now)
    assert window.focusWidget() is page.library.needle, "the walk does not come back"
    reached = {w.objectName() for w in seen}
    assert {"footprint", "on channel 1", "has none of", "results", "find in chart", "chart"} <= reached
    theme.set("night")
