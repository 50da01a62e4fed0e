"""A fault in drawing ends in words in its place: everything that draws itself is made to raise."""

from __future__ import annotations

import sys

import pytest
from PySide6.QtCore import QModelIndex, QRect
from PySide6.QtGui import QImage, QPainter
from PySide6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem, QWidget

from helpers.hands import settle
from isthmus.app.kit import painted
from isthmus.app.kit.painted import Painted, PaintedItems
from isthmus.demo.evening import with_evening
from isthmus.demo.wall import with_wall


def kinds(base: type) -> set[type]:
    return {base} | {k for one in base.__subclasses__() for k in kinds(one)}


def test_whatever_draws_itself_may_raise_and_the_window_stands(
    make_window, demo, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = make_window(with_wall(with_evening(demo)))
    window.complete()
    told: list[type] = []
    monkeypatch.setattr(sys, "excepthook", lambda kind, error, trace: told.append(kind))
    monkeypatch.setattr(painted, "_told", set())

    def broken(*_: object) -> None:
        raise ZeroDivisionError("in the middle of it")

    classes = {k for k in kinds(Painted) if "draw" in vars(k)} - {Painted}
    assert len(classes) > 40 and all(issubclass(k, QWidget) for k in classes)
    for kind in classes:
        monkeypatch.setattr(kind, "draw", broken)
    for name in window.pages:
        window.go(name)
        settle()
        for _ in range(2):
            window.grab()  # paints all of it
    assert 10 < len(told) <= len(classes)  # each once, however often it is drawn
    own = {k for k in kinds(QWidget) if k.__module__.startswith("isthmus")}
    assert {k.__name__ for k in own if "paintEvent" in vars(k)} == {"PatchTable"}  # its ground
    items = {k for k in kinds(QStyledItemDelegate) if k.__module__.startswith("isthmus")}
    assert not [k for k in items if "paint" in vars(k) and k is not PaintedItems]


def test_a_cell_that_cannot_be_drawn_says_so(qapp, monkeypatch: pytest.MonkeyPatch) -> None:
    told: list[object] = []
    monkeypatch.setattr(sys, "excepthook", lambda *what: told.append(what))

    class Broken(PaintedItems):
        def draw(self, p: QPainter, option: QStyleOptionViewItem, index: object) -> None:
            p.translate(5000, 0)
            raise KeyError("gone")

    image = QImage(200, 40, QImage.Format.Format_ARGB32)
    image.fill(0)
    option = QStyleOptionViewItem()
    option.rect = QRect(0, 0, 200, 40)
    delegate = Broken()
    with painted.painter_on(image) as p:
        for _ in range(3):
            delegate.paint(p, option, QModelIndex())
    colours = {image.pixel(x, y) for x in range(200) for y in range(40)}
    assert 0 not in colours and len(colours) > 2 and len(told) == 1  # words on a ground
