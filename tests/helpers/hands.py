"""Hands for a real window: clicks, drags, keys, and what stands in dialogs."""

from __future__ import annotations

import traceback
import warnings
from collections.abc import Callable
from typing import Any

import numpy as np
from PySide6.QtCore import (
    QCoreApplication,
    QEvent,
    QEventLoop,
    QObject,
    QPoint,
    QPointF,
    Qt,
    QTimer,
)
from PySide6.QtGui import QGuiApplication, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QLineEdit,
    QMenu,
    QPushButton,
    QTableView,
    QWidget,
)
from shiboken6 import isValid

from helpers.tools import until as patient
from isthmus.standin import RigClient

NONE = Qt.KeyboardModifier.NoModifier


def settle(seconds: float = 0.05) -> None:
    """The window goes on for a while. QTest.qWait would keep every other thread waiting meanwhile: it holds Python's lock."""
    loop = QEventLoop()
    QTimer.singleShot(round(seconds * 1000), loop.quit)
    loop.exec()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)  # as qWait does


def until(test: Callable[[], object], seconds: float = 12.0) -> bool:
    return patient(test, seconds, settle)


def activate(widget: QWidget) -> None:
    """Without a window manager no one gives the focus back when a dialog closes."""
    window = widget.window()

    def active() -> bool:
        window.activateWindow()  # asked again: on a busy machine the first may come too early
        return window.isActiveWindow()

    if not window.isActiveWindow():
        until(active, 2.9)


def child(parent: QWidget, name: str, kind: type = QWidget) -> QWidget:
    found = [
        w
        for w in parent.findChildren(kind)
        if w.isVisible() and (not name or w.objectName() == name)
    ]
    assert found, f"nothing visible is called {name}"
    return found[0]


def click(
    widget: QWidget,
    at: QPointF | QPoint | None = None,
    modifier: Qt.KeyboardModifier = NONE,
    button: Qt.MouseButton = Qt.MouseButton.LeftButton,
) -> None:
    point = at.toPoint() if isinstance(at, QPointF) else at
    QTest.mouseClick(widget, button, modifier, point if point is not None else QPoint())
    settle()


def press(parent: QWidget, name: str) -> None:
    """Click a button by its name."""
    click(child(parent, name, QPushButton))


def drag(
    widget: QWidget,
    start: QPointF,
    end: QPointF,
    modifier: Qt.KeyboardModifier = NONE,
    steps: int = 6,
) -> None:
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, modifier, start.toPoint())
    for i in range(1, steps + 1):
        at = start + (end - start) * (i / steps)
        event = QMouseEvent(
            QEvent.Type.MouseMove,
            at,
            QPointF(widget.mapToGlobal(at.toPoint())),
            Qt.MouseButton.NoButton,
            Qt.MouseButton.LeftButton,
            modifier,
        )
        QApplication.sendEvent(widget, event)
        settle(0.01)
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, modifier, end.toPoint())
    settle()


def keys(widget: QWidget, text: str) -> None:
    for number, line in enumerate(text.split("\n")):
        if number:
            QTest.keyClick(widget, Qt.Key.Key_Return)
        QTest.keyClicks(widget, line)
    settle(0.02)


def key(widget: QWidget, code: Qt.Key, modifier: Qt.KeyboardModifier = NONE) -> None:
    """One key. Letters that act on a page do so in an active window only, and no window manager
    makes it that again when a dialog closes.
    """
    if widget.window().windowType() != Qt.WindowType.Popup:
        activate(widget)
    QTest.keyClick(widget, code, modifier)
    settle()


def shortcut(
    window: QWidget,
    code: Qt.Key,
    modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.ControlModifier,
) -> None:
    """A key pressed wherever the focus is."""
    activate(window)
    target = QApplication.focusWidget() or window
    QTest.keyClick(target, code, modifier)
    settle()


def retype(field: QWidget, text: str, finish: Qt.Key = Qt.Key.Key_Tab) -> None:
    click(field)
    key(field, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    key(field, Qt.Key.Key_Backspace)
    keys(field, text)
    key(field, finish)


def search(page: Any, text: str) -> None:
    """Type into the library's search field and go on to what was found."""
    retype(child(page, "search", QLineEdit), text, Qt.Key.Key_Return)
    settle(0.1)


def choose(combo: QWidget, words: str) -> None:
    """Choose an entry of a drop-down with the keyboard: typed when it takes typing, else stepped to."""
    assert isinstance(combo, QComboBox)
    if combo.isEditable():
        line = combo.lineEdit()
        assert line
        line.setFocus()
        key(line, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        keys(line, words)
        popup = combo.completer().popup() if combo.completer() else None
        if popup and popup.isVisible():
            QTest.keyClick(popup, Qt.Key.Key_Down)
            QTest.keyClick(popup, Qt.Key.Key_Return)
        settle()
        return
    combo.setFocus()
    for _ in range(combo.count()):
        if words in combo.currentText():
            return
        key(combo, Qt.Key.Key_Down)
    assert words in combo.currentText()


def cell(table: QTableView, row: int, column: int) -> QPointF:
    return QPointF(table.visualRect(table.model().index(row, column)).center())


class _Story(QObject):
    """What becomes of the focus and of editors while something is typed."""

    KINDS = ("FocusIn", "FocusOut", "WindowActivate", "WindowDeactivate", "Hide")

    def __init__(self) -> None:
        super().__init__()
        self.lines: list[str] = []

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        name = event.type().name
        if name in self.KINDS and (isinstance(watched, QLineEdit) or name.startswith("Window")):
            calls = " ".join(f"{f.name}:{f.lineno}" for f in traceback.extract_stack()[-8:-1])
            self.lines.append(f"{name} {type(watched).__name__} in {calls}")
        return False


def type_in_cell(table: QTableView, row: int, column: int, text: str) -> None:
    """A window may lose the keys for a moment, with no window manager to give them back: a cell that closes then is
    begun again, and what happened is told.
    """
    app = QApplication.instance()
    assert app is not None
    for _ in range(3):
        story = _Story()
        app.installEventFilter(story)
        try:
            activate(table)
            table.scrollTo(table.model().index(row, column))
            at = cell(table, row, column)
            click(table.viewport(), at)
            QTest.mouseDClick(table.viewport(), Qt.MouseButton.LeftButton, NONE, at.toPoint())
            until(lambda: any(e.isVisible() for e in table.viewport().findChildren(QLineEdit)))
            editor = child(table.viewport(), "", QLineEdit)
            key(editor, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
            if isValid(editor) and editor.hasFocus():
                keys(editor, text)
                if isValid(editor) and editor.hasFocus():  # nor between the letters
                    key(editor, Qt.Key.Key_Return)
                    return
        finally:
            app.removeEventFilter(story)
        warnings.warn(f"cell {row}, {column} closed: {story.lines[-30:]}", stacklevel=2)
    raise AssertionError(f"no cell stays open at {row}, {column}: {story.lines}")


def dialog(name: str = "") -> QDialog:
    """The dialog that is open now."""
    assert until(lambda: isinstance(QApplication.activeModalWidget(), QDialog))
    found = QApplication.activeModalWidget()
    assert isinstance(found, QDialog) and (not name or found.objectName() == name), (
        found.objectName() if found else found
    )
    return found


def answer_file_dialog(path: str) -> None:
    """Type a path into the file dialog that is about to open, and take it."""

    def answer(tries: int = 100) -> None:
        found = QApplication.activeModalWidget()
        if not isinstance(found, QFileDialog):
            if tries:
                QTimer.singleShot(30, lambda: answer(tries - 1))
            return
        line = found.findChild(QLineEdit, "fileNameEdit")
        line.setFocus()
        QTest.keyClick(line, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        QGuiApplication.clipboard().setText(
            path
        )  # typed letter by letter, Qt's dialog walks through folders
        QTest.keyClick(line, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
        accept = found.findChild(QDialogButtonBox).buttons()[0]
        QTest.mouseClick(accept, Qt.MouseButton.LeftButton)

    QTimer.singleShot(30, answer)


def answer_question(words: str | None) -> list[str]:
    """Press a button of the question that is about to open (None: Escape). Returns where its words will be put."""
    heard: list[str] = []

    def answer(tries: int = 100) -> None:
        found = QApplication.activeModalWidget()
        if not isinstance(found, QDialog) or found.objectName() != "question":
            if tries:
                QTimer.singleShot(30, lambda: answer(tries - 1))
            return
        heard.append(found.windowTitle())
        if words is None:
            QTest.keyClick(found, Qt.Key.Key_Escape)
        else:
            press(found, words)

    QTimer.singleShot(30, answer)
    return heard


def answer_text(text: str) -> None:
    """Type into the line that is about to be asked for."""

    def answer(tries: int = 80) -> None:
        found = QApplication.activeModalWidget()
        if found is None or found.objectName() != "ask text":
            if tries:
                QTimer.singleShot(30, lambda: answer(tries - 1))
            return
        line = child(found, "asked text")
        key(line, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        keys(line, text)
        press(found, "OK")

    QTimer.singleShot(40, answer)


def findings_now(checks: Any) -> list[Any]:
    """What can be concluded now, once it is worked out."""
    told: list[Any] = []
    checks.conclude(told.append)
    assert until(lambda: told)
    return told[-1]


def pick_in_menu(*path: str) -> None:
    """Walk through the menu that is about to open, as a hand does, and take its entry."""

    def take(tries: int = 60) -> None:
        menu = QApplication.activePopupWidget()
        if not isinstance(menu, QMenu):
            if tries:
                QTimer.singleShot(30, lambda: take(tries - 1))
            return
        for words in path[:-1]:
            act = next(a for a in menu.actions() if words in a.text())
            menu = act.menu()
        act = next(a for a in menu.actions() if path[-1] in a.text())
        top = QApplication.activePopupWidget()
        assert act.isEnabled(), f"{act.text()} is not to be had"
        top.close()
        act.trigger()

    QTimer.singleShot(30, take)


def places(bench, ids) -> np.ndarray:
    return np.array([bench.show.unit(u).position for u in ids])


def wheel(widget: QWidget, by: int, at: QPointF | None = None) -> None:
    """Turn the wheel over a widget; what it does not take goes to what it is in."""
    at = at or QPointF(widget.rect().center())
    window = widget.window()
    place = QPointF(widget.mapTo(window, at.toPoint()))
    QTest.wheelEvent(window.windowHandle(), place, QPoint(0, by))
    settle()


def heard(rig: RigClient, times: int = 2) -> bool:
    """Wait until the simulator has had so many more packets on every port that gets any, so that
    it does what is asked now.
    """

    def counts() -> dict[int, int]:
        return {p["port_address"]: p["packets"] for p in rig.ask("state")["ports"] if p["packets"]}

    before = counts()
    return until(lambda: all(counts().get(p, 0) >= n + times for p, n in before.items()))
