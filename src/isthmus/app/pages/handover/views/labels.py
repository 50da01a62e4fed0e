"""Address labels: the sheet, where to begin, what stands on them, and how the page will look."""

from __future__ import annotations

import pypdfium2
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QPixmap, QResizeEvent
from PySide6.QtWidgets import QGridLayout, QLabel, QVBoxLayout

from isthmus.app.kit.widgets import (
    PageView,
    beside,
    bind,
    button,
    choice,
    field,
    label,
    tick,
    units_field,
)
from isthmus.app.model.saving import save_made
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault, IsthmusError
from isthmus.papers.label_sheets import SHEETS, read_sheet
from isthmus.papers.labels import Labels, labelled, labels_pdf
from isthmus.patch.choose import complete, read_choice
from isthmus.plural import many
from isthmus.show.records import Show

TYPED = "typed"
SHARP = 2.0  # pixels of the picture for each of the screen


class LabelsView(PageView):
    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench = bench
        self._page: QImage | None = None
        beside(self, self._left(), self._right())
        bind(bench.changed, self, self.refresh)

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        grid = QGridLayout()
        grid.setSpacing(8)
        names = [(sheet.name, sheet.name) for sheet in SHEETS]
        self.sheet = choice("label sheet", [*names, (TYPED, "Another, typed below")])
        self.typed = field("label sheet typed", "", "3x8 70x37 A4, or roll 62x29")
        self.first = field("first label", "1", mono=True)
        self.only = units_field(
            "label units", "all, or 101-110, a position", lambda t: complete(self.bench.show, t)
        )
        self.url = field("label page", "", "http://10.0.0.5:8462/")
        self.switches = tick("Address switches, in both orders", "label switches")
        self.switches.setChecked(True)
        rows = (
            ("Sheet", self.sheet),
            ("", self.typed),
            ("Begin at label", self.first),
            ("Only", self.only),
            ("Code for phones", self.url),
        )
        for at, (words, part) in enumerate(rows):
            grid.addWidget(label(words, "quiet"), at, 0)
            grid.addWidget(part, at, 1)
        column.addLayout(grid)
        column.addWidget(self.switches)
        column.addWidget(
            label(
                "With the address of the page for phones each label has a code: read by a phone "
                "that has joined, roll call goes to that unit.",
                "quiet",
                wrap=True,
            )
        )
        column.addStretch(1)
        column.addWidget(button("Save the labels…", "primary", self.save, 30, "save labels"))
        self.sheet.activated.connect(lambda _: self.refresh())
        self.switches.toggled.connect(lambda _: self.refresh())
        for line in (self.typed, self.first, self.only, self.url):
            line.textChanged.connect(lambda _: self.refresh())
        return column

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.told = label("", "quiet", wrap=True)
        self.told.setObjectName("about the labels")
        column.addWidget(self.told)
        self.picture = QLabel()
        self.picture.setAccessibleName("The first page of labels")
        self.picture.setAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)
        self.picture.setMinimumSize(200, 200)
        column.addWidget(self.picture, 1)
        return column

    # ------------------------------------------------------------ what is so

    def entered(self) -> None:
        self.refresh()
        self.sheet.setFocus(Qt.FocusReason.OtherFocusReason)

    def wanted(self) -> Labels:
        """As it is set. Raises EntryFault."""
        key = self.sheet.currentData()
        first = self.first.text().strip() or "1"
        if not first.isdecimal():
            raise EntryFault(f"“{first[:20]}” is not the number of a label.")
        sheet = read_sheet(self.typed.text() if key == TYPED else key)
        return Labels(sheet, int(first), self.url.text().strip(), self.switches.isChecked())

    def _chosen(self) -> set[str] | None:
        text = self.only.text().strip()
        return set(read_choice(self.bench.show, text).ids) if text else None

    def refresh(self) -> None:
        self.typed.setEnabled(self.sheet.currentData() == TYPED)
        if not self.isVisible():
            return
        try:
            wanted, only = self.wanted(), self._chosen()
            count = len(labelled(self.bench.show, only))
            self._page = self._first_page(wanted, only)
        except IsthmusError as error:
            self._page = None
            self.told.setText(str(error))
        else:
            pages = -(-(count + wanted.first - 1) // wanted.sheet.count)
            self.told.setText(f"{many(count, 'label')} on {many(pages, 'page')}. The first page:")
        self._paint()

    def _first_page(self, wanted: Labels, only: set[str] | None) -> QImage:
        """Of as many units as are on it: the rest would cost time and is not seen."""
        show = self.bench.show
        ids = dict.fromkeys(unit.id for unit, _ in labelled(show, only))
        few = set(list(ids)[: wanted.sheet.count])
        page = pypdfium2.PdfDocument(labels_pdf(show, wanted, few))[0]
        scale = SHARP * self._room() / max(page.get_size())
        made = page.render(scale=scale).to_pil().convert("RGB")
        data = made.tobytes()
        image = QImage(
            data, made.width, made.height, 3 * made.width, QImage.Format.Format_RGB888
        ).copy()
        image.setDevicePixelRatio(SHARP)
        return image

    def _room(self) -> float:
        return float(max(200, min(self.picture.width(), self.picture.height())))

    def _paint(self) -> None:
        self.picture.setPixmap(QPixmap() if self._page is None else QPixmap.fromImage(self._page))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.refresh()

    # ------------------------------------------------------------ acts

    def save(self) -> None:
        def run() -> None:
            show: Show = self.bench.show
            data = labels_pdf(show, self.wanted(), self._chosen())
            save_made(self.bench, self, "labels", ("pdf",), lambda _: data)

        self.bench.guard(run)
