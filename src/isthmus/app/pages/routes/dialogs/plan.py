"""The address plan: a range is chosen, addresses are proposed; printed, copied, or taken as what
the show expects.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QMarginsF, Qt
from PySide6.QtGui import QGuiApplication, QPageLayout, QPageSize, QPdfWriter, QTextDocument
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QWidget

from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.theme import font
from isthmus.app.kit.widgets import RowsModel, button, choice, label, plain_table
from isthmus.app.model.workbench import Workbench
from isthmus.errors import FileFault, IsthmusError, os_reason
from isthmus.net import View, ipv4
from isthmus.net.plan import RANGES, PlannedDevice, plan, sheet
from isthmus.routes.edits import change_node


class _Model(RowsModel):
    COLUMNS = ("Device", "Place", "Now", "Proposed", "Mask")
    MONO = (2, 3, 4)

    def cells(self, row: PlannedDevice) -> Sequence[str]:
        return row.name, row.place, row.now, row.address, row.mask

    def weight(self, row: PlannedDevice, column: int) -> int:
        return 600 if column == 3 and not row.stays else 400

    def ink(self, row: PlannedDevice, column: int) -> str:
        return "text2" if row.stays or column in (1, 2) else "text"


class PlanDialog(Frame):
    def __init__(self, parent: QWidget, bench: Workbench, view: View) -> None:
        super().__init__(parent, "Address plan", "Set expected addresses", self._take, 720)
        self.bench, self.view = bench, view
        row = QHBoxLayout()
        row.addWidget(label("Range", "quiet"))
        self.range = choice(
            "Range",
            [(key, f"{key}, mask {ipv4.mask_of(bits)}") for key, (_, bits) in RANGES.items()],
        )
        self.range.currentIndexChanged.connect(lambda _: self._propose())
        row.addWidget(self.range)
        row.addStretch(1)
        row.addWidget(button("Save as PDF…", run=lambda: self.bench.guard(self._save)))
        row.addWidget(button("Copy the sentences", run=self._copy))
        self.body.addLayout(row)
        self.model = _Model()
        self.body.addWidget(
            plain_table(self.model, "address plan", "Address plan", (150, 190, 110, 110, 110), 1)
        )
        self.words = label("", "quiet", wrap=True)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.body.addWidget(self.words)
        self._propose()

    def _propose(self) -> None:
        self.say_trouble("")
        try:
            self.model.take(
                plan(self.view.adapters, self.bench.show.nodes, str(self.range.currentData()))
            )
        except IsthmusError as error:
            self.model.take([])
            self.say_trouble(str(error))
        moving = [line for line in self.model.rows if not line.stays]
        told = [line.words + "".join(f"\n    {c}" for c in line.commands) for line in moving[:6]]
        self.words.setText("\n".join(told) if told else "Every device is in this range already.")

    def _copy(self) -> None:
        lines = [
            line.words + "".join(f"\n    {c}" for c in line.commands) for line in self.model.rows
        ]
        QGuiApplication.clipboard().setText("\n".join(lines) + "\n")
        self.bench.tell("ok", "The sentences are on the clipboard.")

    def _save(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self,
            "Save the address plan",
            str(Path.home() / "addresses.pdf"),
            "PDF (*.pdf)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if name:
            write_pdf(
                Path(name if name.endswith(".pdf") else name + ".pdf"),
                sheet(self.bench.show.name, self.model.rows),
            )
            self.bench.tell("ok", f"Saved {name}.")

    def _take(self) -> bool:
        """The show expects the nodes at their new addresses from now on; setting them is done at
        the nodes.
        """
        try:
            show = self.bench.show
            wanted = {line.now: line for line in self.model.rows}
            # by way of addresses no unit has, so that two may change places
            moving = [n for n in show.nodes if n.ip in wanted and not wanted[n.ip].stays]
            for at, node in enumerate(moving):
                show = change_node(show, node.id, ip=f"0.0.{at >> 8}.{at & 255}")
            for node in moving:
                show = change_node(
                    show, node.id, ip=wanted[node.ip].address, mask=wanted[node.ip].mask
                )
            self.bench.commit("take the address plan", show)
        except IsthmusError as error:
            self.say_trouble(str(error))
            return False
        return True


def write_pdf(path: Path, html: str) -> None:
    """A page of HTML as PDF. Raises FileFault."""
    try:
        with path.open("wb"):
            pass
    except OSError as error:
        raise FileFault(os_reason(error), where=str(path)) from error
    writer = QPdfWriter(str(path))
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    writer.setPageMargins(QMarginsF(14, 14, 14, 14), QPageLayout.Unit.Millimeter)
    writer.setTitle("Addresses")
    document = QTextDocument()
    document.setDefaultFont(font("body"))
    document.setHtml(html)
    document.print_(writer)
