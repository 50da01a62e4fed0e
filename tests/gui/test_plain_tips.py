"""Names out of files are words and never markup: every label and tool tip of every
page, with a name that would have a picture fetched."""

from __future__ import annotations

import io
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import msgspec
import pdfplumber
from PySide6.QtCore import QAbstractListModel, Qt
from PySide6.QtWidgets import QAbstractItemView, QLabel, QWidget

import isthmus.phone
from helpers.hands import settle
from helpers.places import show_of
from isthmus.app.shell.window import Window
from isthmus.check import record
from isthmus.net.plan import PlannedDevice, sheet
from isthmus.papers.all_papers import RIG
from isthmus.papers.drawn import as_pdf
from isthmus.papers.marked import as_html
from isthmus.show import Show
from isthmus.show.records import Record

HOSTILE = "<img src='/dev/zero'> "
LEADS = {"id", "key", "file", "profile", "mode", "unit", "structure", "kind", "gel", "mesh", "rule"}
SAID = {"name", "venue", "note", "label", "purpose", "hangs_on", "title", "code", "text", "by"}


def hostile(value: Any, name: str = "") -> Any:
    """The same with markup before every word a person gave."""
    if isinstance(value, Record):
        changes = {n: hostile(getattr(value, n), n) for n in value.__struct_fields__}
        return msgspec.structs.replace(value, **changes)
    if isinstance(value, tuple) and value and isinstance(value[0], Record):
        return tuple(hostile(one) for one in value)
    return HOSTILE + value if name in SAID and isinstance(value, str) else value


def markup(top: QWidget) -> set[str]:
    """Where markup would be taken for such."""
    found = set()
    for widget in (top, *top.findChildren(QWidget)):
        where = f"{type(widget).__name__} {widget.objectName()}"
        if "<img" in widget.toolTip():
            found.add(f"tool tip of {where}: {widget.toolTip()[:60]}")
        words = widget.text() if isinstance(widget, QLabel) else ""
        if "<img" in words and widget.textFormat() != Qt.TextFormat.PlainText:
            found.add(f"{where}: {words[:60]}")
        if isinstance(widget, QAbstractItemView) and widget.model() is not None:
            model = widget.model()
            for row in range(min(60, model.rowCount())):
                columns = 1 if isinstance(model, QAbstractListModel) else model.columnCount()
                for column in range(columns):
                    tip = model.index(row, column).data(Qt.ItemDataRole.ToolTipRole)
                    if isinstance(tip, str) and "<img" in tip:
                        found.add(f"cell {column} of {where}: {tip[:60]}")
    return found


def test_no_name_is_ever_taken_for_markup(make_window) -> None:
    show: Show = hostile(show_of())
    window: Window = make_window(show)
    window.complete()
    found, plain = set[str](), 0
    assert window.bench.show.name.startswith(HOSTILE)
    for name, page in window.pages.items():
        window.go(name)
        for view in page.views:
            page.show_view(view)
            window.bench.selection.select([u.id for u in show.units[:3]])
            settle(0.02)
            found |= {f"{name}, {view}: {line}" for line in markup(window)}
            plain += sum(HOSTILE in label.text() for label in window.findChildren(QLabel))
            plain += sum("&lt;img" in w.toolTip() for w in window.findChildren(QWidget))
    assert plain > 30  # they are there, as words
    assert not found, "\n".join(sorted(found))


class Tags(HTMLParser):
    """What another reader of HTML takes for tags, and for words."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.tags, self.words = set[str](), ""
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.add(tag)

    def handle_data(self, data: str) -> None:
        self.words += data


def test_no_name_is_taken_for_markup_on_paper_or_on_a_phone() -> None:
    show: Show = hostile(show_of())
    named = 0
    for _, make in RIG.values():
        read = Tags(as_html(make(show, None)))
        assert "img" not in read.tags
        named += HOSTILE.strip() in read.words
    assert named > 8
    device = PlannedDevice(HOSTILE, HOSTILE, "2.0.0.1", "2.0.0.2", "255.0.0.0", HOSTILE, (HOSTILE,))
    assert "img" not in Tags(sheet(HOSTILE, [device])).tags
    for printed in (record.as_pdf(show), as_pdf(RIG["position"][1](show, None))):
        with pdfplumber.open(io.BytesIO(printed)) as paper:
            assert "<img" in "".join(page.extract_text() for page in paper.pages)
    scripts = list((Path(isthmus.phone.__file__).parent / "page").glob("*.js"))
    ways = ("innerHTML", "outerHTML", "insertAdjacentHTML", "document.write")
    assert scripts and not [s for s in scripts for way in ways if way in s.read_text()]
