"""Making a free sheet, its words, and printing a sheet."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QFileDialog, QGridLayout, QScrollArea, QWidget

from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.widgets import choice, column_of, field, label
from isthmus.app.model.workbench import Workbench
from isthmus.errors import IsthmusError
from isthmus.patch.groups import members
from isthmus.patch.naming import name_for
from isthmus.plural import many
from isthmus.sheets.arrangement import arrangement_of
from isthmus.sheets.files import pdf, svg
from isthmus.sheets.marks import PAPERS, SCALES, fitting_scale, pages
from isthmus.sheets.sheets import free_sheet, keep
from isthmus.sheets.together import LABELS
from isthmus.show.files import write_atomically
from isthmus.show.records import Sheet


class NewSheet(Frame):
    """A free sheet from the selected units or from groups, asked for a name."""

    def __init__(self, parent: QWidget, bench: Workbench) -> None:
        super().__init__(parent, "New sheet", "Create", self._make, 440)
        self.setObjectName("new sheet")
        self.bench = bench
        taken = [s.name for s in bench.show.sheets]
        self.name = field(
            "sheet name", name_for(bench.show, bench.selection.units(), taken), "its name"
        )
        self.name.selectAll()
        self.how = choice("sheet how", [("grid", "in rows"), ("true", "as on plan")])
        grid = QGridLayout()
        grid.addWidget(label("Name", "quiet"), 0, 0)
        grid.addWidget(self.name, 0, 1)
        grid.addWidget(label("Units are", "quiet"), 1, 0)
        grid.addWidget(self.how, 1, 1)
        self.body.addLayout(grid)
        self.body.addWidget(label("With, side by side", "quiet"))
        count = len(bench.selection.ids)
        self.hand = QCheckBox(f"the {count} selected units" if count else "no units selected")
        self.hand.setObjectName("sheet hand")
        self.hand.setChecked(count > 0)
        self.hand.setEnabled(count > 0)
        self.body.addWidget(self.hand)
        self.groups = []
        inside = QWidget()
        column = column_of(inside, 4)
        for group in bench.show.groups:
            own = ", as it is kept" if group.spots else ""
            box = QCheckBox(f"group {group.name} ({len(members(bench.show, group))}{own})")
            box.setObjectName(f"sheet group {group.name}")
            self.groups.append((box, group))
            column.addWidget(box)
        if self.groups:
            area = QScrollArea()
            area.setWidgetResizable(True)
            area.setWidget(inside)
            area.setMaximumHeight(260)
            self.body.addWidget(area)
        self.name.setFocus()

    def _make(self) -> bool:
        bench = self.bench
        blocks = [("", list(bench.selection.ids))] if self.hand.isChecked() else []
        blocks += [
            (group.name, list(members(bench.show, group)))
            for box, group in self.groups
            if box.isChecked()
        ]
        try:
            kept = {group.name: arrangement_of(group) for _, group in self.groups if group.spots}
            how = self.how.currentData()
            show, made = free_sheet(bench.show, self.name.text(), blocks, how, kept)
        except IsthmusError as error:
            self.say_trouble(str(error))
            self.primary.setEnabled(True)
            return False
        bench.commit(f"sheet {self.name.text().strip()}", show)
        bench.plan.turn_to(made)
        return True


class LabelsDialog(Frame):
    """What is written at units on this sheet."""

    def __init__(self, parent: QWidget, bench: Workbench, one: Sheet) -> None:
        super().__init__(parent, f"Labels on {one.name}", "Apply", self._take, 360)
        self.setObjectName("sheet words")
        self.bench, self.sheet = bench, one
        self.boxes = {}
        for name in LABELS:
            box = QCheckBox(name)
            box.setObjectName(f"label {name}")
            box.setChecked(name in one.labels)
            self.boxes[name] = box
            self.body.addWidget(box)

    def _take(self) -> bool:
        wanted = tuple(name for name, box in self.boxes.items() if box.isChecked())
        made = replace(self.sheet, labels=wanted)
        return self.bench.guard(
            lambda: self.bench.commit(f"labels on {self.sheet.name}", keep(self.bench.show, made))
        )


class PrintDialog(Frame):
    """A sheet to PDF or SVG at a true scale."""

    def __init__(self, parent: QWidget, bench: Workbench, one: Sheet) -> None:
        super().__init__(parent, f"Print {one.name}", "Save as…", self._save, 420)
        self.setObjectName("print sheet")
        self.bench, self.sheet = bench, one
        self.paper = choice(
            "paper", [(p, f"{p} ({w:.0f} x {h:.0f} mm)") for p, (w, h) in PAPERS.items()]
        )
        self.paper.setCurrentIndex(1)
        self.scale = choice("scale")
        self.kind = choice("file kind", [("pdf", "PDF"), ("svg", "SVG")])
        grid = QGridLayout()
        for y, (words, box) in enumerate(
            (("Paper", self.paper), ("Scale", self.scale), ("File", self.kind))
        ):
            grid.addWidget(label(words, "quiet"), y, 0)
            grid.addWidget(box, y, 1)
        self.body.addLayout(grid)
        self.says = label("", "quiet", wrap=True)
        self.body.addWidget(self.says)
        self.paper.currentIndexChanged.connect(lambda _: self._fill())
        self.scale.currentIndexChanged.connect(lambda _: self._say())
        self._fill()

    def _fill(self) -> None:
        fits = fitting_scale(self.bench.show, self.sheet, self.paper.currentData())
        self.scale.clear()
        for scale in SCALES:
            self.scale.addItem(f"1:{scale}{' (fits one page)' if scale == fits else ''}", scale)
        self.scale.setCurrentIndex(SCALES.index(fits))

    def _say(self) -> None:
        if self.scale.currentData() is None:
            return
        try:
            count = len(
                pages(
                    self.bench.show, self.sheet, self.scale.currentData(), self.paper.currentData()
                )
            )
            self.says.setText(
                f"{many(count, 'page')} of {self.paper.currentData()}, with title "
                "block, scale bar and key."
            )
            self.say_trouble("")
        except IsthmusError as error:
            self.say_trouble(str(error))

    def _save(self) -> bool:
        kind = self.kind.currentData()
        name, _ = QFileDialog.getSaveFileName(
            self,
            "Save the sheet",
            f"{self.sheet.name}.{kind}",
            f"*.{kind}",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if not name:
            return False
        show = self.bench.show

        def run() -> None:
            made = pages(show, self.sheet, self.scale.currentData(), self.paper.currentData())
            write_atomically(
                Path(name),
                pdf(show, made, f"{show.name}: {self.sheet.name}")
                if kind == "pdf"
                else svg(show, made),
            )
            self.bench.tell("ok", f"Saved {name}.")

        return self.bench.guard(run)
