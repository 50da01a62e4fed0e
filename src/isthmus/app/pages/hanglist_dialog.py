"""Read a hang list: what was understood, what is wrong line by line, and what taking it would do."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from isthmus.app.dialogs import Frame
from isthmus.app.theme import font, theme
from isthmus.app.widgets import CopyKeys, label
from isthmus.app.workbench import Workbench
from isthmus.library.at_hand import at_hand
from isthmus.patch.hanglist import PLAIN, HangList, take_paper
from isthmus.show import write_address
from isthmus.stage import hang_by_name

HEADINGS = ("Line", "Unit", "Type", "Mode", "Address", "Position", "What is wrong")


class HangListDialog(Frame):
    """Good lines are taken only by the button, and the button says how many."""

    def __init__(self, bench: Workbench, found: HangList, name: str, parent: QWidget) -> None:
        super().__init__(parent, f"Read {name}", "Take", self._take, 860)
        self.setObjectName("hang list")
        self.bench, self.found = bench, found
        self.resize(900, 560)
        have = {u.number for u in bench.show.units}
        new = [row for row in found.paper.rows if row.number not in have]
        bad = {fault.line for fault in found.faults}
        columns = ", ".join(f"{PLAIN[field]} from “{heading}”" for field, heading in found.columns.items())
        ignored = f" Not read: {', '.join(found.ignored)}." if found.ignored else ""
        self.body.addWidget(label(f"Columns: {columns}.{ignored}", "quiet", wrap=True))
        counts = f"{len(found.paper.rows)} good lines, {len(new)} of them new units; {len(bad)} lines cannot be taken."
        self.body.addWidget(label(counts, size="body", weight=500))
        self.table = QTableWidget(0, len(HEADINGS))
        self.table.setObjectName("hang list lines")
        self.table.setHorizontalHeaderLabels(HEADINGS)
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setFont(font("table"))
        self.table.setShowGrid(False)
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        CopyKeys(self.table)
        self._fill()
        self.body.addWidget(self.table, 1)
        self.primary.setText(f"Take {len(new)} new units" if new else "Keep it as the show's paper")
        self.primary.setEnabled(bool(found.paper.rows))
        if bad:
            self.body.addWidget(
                label("Mend the marked lines in the list and read it again; the good ones can be taken now.", "quiet", wrap=True)
            )

    def _fill(self) -> None:
        faults: dict[int, list[str]] = {}
        for fault in self.found.faults:
            faults.setdefault(fault.line, []).append(f"{fault.what} {fault.do}".strip())
        unread = {fault.line for fault in self.found.faults if fault.column == "address"}
        rows = []
        for row in (*self.found.paper.rows, *self.found.rejected):
            address = write_address(row.universe, row.address) if row.universe else "?" if row.line in unread else "none"
            cells = (str(row.number or "?"), row.type, row.mode, address, row.hangs_on)
            rows.append((row.line, cells, " ".join(faults.get(row.line, ()))))
        rows.sort(key=lambda item: (not item[2], item[0]))  # what needs a hand first
        self.table.setRowCount(len(rows))
        for y, (line, cells, wrong) in enumerate(rows):
            for x, words in enumerate((str(line), *cells, wrong[:1].upper() + wrong[1:])):
                item = QTableWidgetItem(words)
                item.setToolTip(words)
                if x in (0, 1, 4):
                    item.setFont(font("table", 500, mono=True))
                if wrong and x in (0, 6):
                    item.setForeground(theme.color("fault"))
                item.setTextAlignment(
                    Qt.AlignmentFlag.AlignVCenter | (Qt.AlignmentFlag.AlignRight if x < 2 else Qt.AlignmentFlag.AlignLeft)
                )
                self.table.setItem(y, x, item)
        header = self.table.horizontalHeader()
        for x in range(len(HEADINGS) - 1):
            header.setSectionResizeMode(x, QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(len(HEADINGS) - 1, QHeaderView.ResizeMode.Stretch)
        self.table.verticalHeader().setDefaultSectionSize(24)

    def _take(self) -> bool:
        before = {u.id for u in self.bench.show.units}
        made = take_paper(self.bench.show, self.found.paper, at_hand(self.bench.show))
        fresh = [u.id for u in made.units if u.id not in before]
        self.bench.commit(f"read hang list “{self.found.paper.title}”", hang_by_name(made, fresh))
        self.bench.select(fresh)
        return True
