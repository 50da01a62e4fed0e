"""Whether words have the room they need, on every page, view and dialog: run as a program it walks through all of them and prints what does not fit. A screen is simulated by `QT_SCALE_FACTOR`."""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Iterator
from typing import Any

from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QFontMetrics
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractScrollArea,
    QAbstractSpinBox,
    QApplication,
    QCheckBox,
    QComboBox,
    QDialog,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QTableView,
    QWidget,
)

from helpers.hands import settle, until
from isthmus.app.pages.plan.views.place_bar import PlaceBar

SIZES = ((1024, 700), (1280, 800))  # what has room in these has it in larger ones
SCALED = os.environ.get("QT_SCALE_FACTOR", "1") != "1"
if SCALED:
    SIZES = SIZES[:1]
EXTRA = {QPushButton: 10, QComboBox: 24, QCheckBox: 20, QLineEdit: 12}  # what surrounds the words


def seen(top: QWidget) -> Iterator[QWidget]:
    """All visible widgets below one; what is hidden is not gone into."""
    for child in top.children():
        if isinstance(child, QWidget) and child.isVisible() and not child.isWindow():
            yield child
            yield from seen(child)


def words_of(widget: QWidget) -> str:
    if isinstance(widget, QLineEdit):
        words = widget.placeholderText() if not widget.text() else ""
        return "" if words.startswith("≠") else words  # a summary, elided; the tool tip has all
    if isinstance(widget, QLabel) and widget.wordWrap():
        return ""
    return widget.text() if isinstance(widget, (QAbstractButton, QLabel)) else ""


def cut_off(top: QWidget) -> Iterator[str]:
    """Words wider than their widget, wrapped words higher than theirs, headings wider than their column, and buttons that are outside of what is around them."""
    for widget in seen(top):
        if widget.width() <= 1:
            continue
        metrics = QFontMetrics(widget.font())
        words = words_of(widget).replace("&", "")
        wide = max((metrics.horizontalAdvance(line) for line in words.splitlines()), default=0)
        extra = next((room for kind, room in EXTRA.items() if isinstance(widget, kind)), 0)
        if widget.property("kind") in ("link", "quiet"):
            extra = 0
        if words and wide + extra > widget.width() + 2:
            yield f"{type(widget).__name__} “{words}” needs {wide + extra}, has {widget.width()}"
        if isinstance(widget, QLabel) and widget.wordWrap() and widget.text():
            need = widget.heightForWidth(widget.width())
            if need > widget.height() + 2:
                yield f"label “{widget.text()[:50]}” needs {need} of height, has {widget.height()}"
        if isinstance(widget, QPushButton) and not scrolls(widget):
            around = widget.parentWidget()
            if around and not around.rect().contains(QRect(widget.pos(), widget.size())):
                yield f"button “{words}” is outside"
        if isinstance(widget, QTableView) and not widget.horizontalHeader().isHidden():
            yield from headings_cut(widget)


def headings_cut(table: QTableView) -> Iterator[str]:
    header = table.horizontalHeader()
    metrics = QFontMetrics(header.font())
    for column in range(header.count()):
        text = str(table.model().headerData(column, Qt.Orientation.Horizontal) or "")
        if not header.isSectionHidden(column):
            need = metrics.horizontalAdvance(text) + 6
            if need > header.sectionSize(column) + 2:
                has = header.sectionSize(column)
                yield f"heading “{text}” of {table.objectName()} needs {need}, has {has}"


def scrolls(widget: QWidget) -> bool:
    return any(isinstance(up, QAbstractScrollArea) for up in ancestors(widget))


def ancestors(widget: QWidget) -> list[QWidget]:
    found, up = [], widget.parentWidget()
    while up is not None:
        found.append(up)
        up = up.parentWidget()
    return found


def overlapping(top: QWidget) -> Iterator[str]:
    """Buttons, fields and labels of one parent that are on one another."""
    kinds = (QPushButton, QComboBox, QLineEdit, QPlainTextEdit, QTableView, QLabel)
    groups: dict[int, list[tuple[int, int, int, int, QWidget]]] = {}
    for w in seen(top):
        if isinstance(w, kinds) and not (isinstance(w, QLabel) and not w.text()):
            box = w.geometry()
            edges = box.left() + 1, box.right() - 1, box.top() + 1, box.bottom() - 1
            groups.setdefault(id(w.parentWidget()), []).append((*edges, w))
    for siblings in groups.values():
        siblings.sort(key=lambda one: one[0])  # from the left: then few lie beside one another
        for i, (_, right, top_, bottom, a) in enumerate(siblings):
            for left, _, other_top, other_bottom, b in siblings[i + 1 :]:
                if left > right:
                    break
                if other_top <= bottom and top_ <= other_bottom:
                    yield f"{named(a)} and {named(b)} overlap"


def named(widget: QWidget) -> str:
    return widget.objectName() or words_of(widget) or type(widget).__name__


def outside(top: QWidget, size: tuple[int, int]) -> Iterator[str]:
    if top.width() > size[0] or top.height() > size[1]:
        yield f"it takes {top.width()} x {top.height()} of {size[0]} x {size[1]}"


def nameless(top: QWidget) -> Iterator[str]:
    """Fields and tables that say no name, or that the Tab key does not reach."""
    kinds = (QAbstractSpinBox, QComboBox, QLineEdit, QPlainTextEdit, QTableView, QCheckBox)
    for w in seen(top):
        inside = any(
            isinstance(up, (QAbstractSpinBox, QComboBox, QTableView)) for up in ancestors(w)
        )
        if not isinstance(w, kinds) or inside:
            continue
        if not (w.accessibleName() or words_of(w)):
            yield f"{type(w).__name__} {w.objectName()} has no name"
        if w.isEnabled() and w.focusPolicy() == Qt.FocusPolicy.NoFocus:
            yield f"{type(w).__name__} {w.objectName()} cannot be reached"


def trouble_in(top: QWidget) -> list[str]:
    """What does not fit once the layout has come to rest."""
    found: list[str] = []

    def fits() -> bool:
        found[:] = [*cut_off(top), *overlapping(top)]
        return not found

    until(fits, 1)
    return found


def kinds_of(kind: type) -> set[type]:
    """All dialogs of the application, by class."""
    found = {kind} if kind.__module__.startswith("isthmus") else set()
    return found.union(*(kinds_of(below) for below in kind.__subclasses__()))


def in_page(window: Any, title: str, page: Any) -> dict[str, list[str]]:
    """What does not fit in the views of a page, at each size."""
    trouble: dict[str, list[str]] = {}
    window.go(title)
    if title == "Plan":  # the row of figures is there only while units are placed
        window.bench.selection.select(["u101", "u102"])
        window.bench.plan.rearrange(True)
        page.findChild(PlaceBar).begin("grid")
    for view in page.view_names or ("",):
        if view:
            page.show_view(view)
        trouble[f"{title} {view}"] = list(nameless(page))
        for size in SIZES:
            window.resize(*size)
            settle(0.08)
            trouble[f"{title} {view} at {size[0]}"] = [*trouble_in(window), *outside(window, size)]
    return {place: found for place, found in trouble.items() if found}


def walk() -> dict[str, list[str]]:
    """Place → what does not fit there."""
    from helpers.places import dialogs_of, show_of
    from isthmus.app.shell.main import make_application
    from isthmus.app.shell.window import Window

    app = make_application(["room"])
    app.setQuitOnLastWindowClosed(False)
    window = Window(show_of(), ahead=False)
    window.resize(*SIZES[0])
    window.show()
    window.setUpdatesEnabled(False)  # rooms are measured, not painted
    window.complete()
    window.go("Profiles")
    profiles = window.pages["Profiles"]
    until(lambda: len(profiles.link.shelf.columns) > 500 and not profiles.link.busy, 60)
    profiles.library.search()
    trouble: dict[str, list[str]] = {}
    opened: set[type] = set()
    try:
        for name, opens in [] if SCALED else dialogs_of(window):
            opens()
            until(lambda: bool(dialogs()), 5)
            for shown in dialogs():
                opened.add(type(shown))
                settle(0.1)
                if found := [*trouble_in(shown), *outside(shown, SIZES[0]), *nameless(shown)]:
                    trouble[f"dialog {name}"] = found
                shown.close()
            until(lambda: not dialogs(), 5)
        for title, page in window.pages.items():
            trouble |= in_page(window, title, page)
    finally:
        window._closing = True
        window.close()
        window.shut_down()
    never = [kind.__name__ for kind in kinds_of(QDialog) - opened if kind.__name__ not in BASES]
    if never and not SCALED:
        trouble["dialogs never opened"] = never
    return trouble


BASES = {"Frame"}


def dialogs() -> list[QDialog]:
    return [w for w in QApplication.topLevelWidgets() if isinstance(w, QDialog) and w.isVisible()]


if __name__ == "__main__":
    sys.stdout.write(json.dumps(walk()))
