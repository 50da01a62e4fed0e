"""The Routes page: a picture from universes to node ports, and the same as a table that is typed in."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QGridLayout,
    QHeaderView,
    QLineEdit,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from isthmus.app import paint
from isthmus.app.actions import Action, Registry
from isthmus.app.dialogs import Frame
from isthmus.app.theme import SIZE, font, pen, theme
from isthmus.app.widgets import CopyKeys, Page, Section, bind, button, label
from isthmus.app.workbench import Workbench
from isthmus.errors import EntryFault, IsthmusError
from isthmus.patch.numbers import read_numbers
from isthmus.routes import (
    edits,
    port_of,
    ports,
    read_host,
    read_port_address,
    routed,
    universes_in_use,
    universes_known,
    write_port_address,
)
from isthmus.snags import FAULT

HEADINGS = ("Universe", "Units", "To", "Host", "Port-address", "Net.sub.uni", "On", "Label")
BOX_H, GAP, TOP = 30, 10, 34


class RoutePicture(QWidget):
    """Drag from a universe to a port to route it; click a line to choose it; Delete takes it away."""

    def __init__(self, page: RoutesPage) -> None:
        super().__init__()
        self.page, self.bench = page, page.bench
        self.chosen: str = ""
        self._from: int = 0
        self._at = QPointF()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Universes and node ports")
        self.setObjectName("route picture")
        theme.changed.connect(self.update)

    def refresh(self) -> None:
        rows = max(len(universes_known(self.bench.show)), len(ports(self.bench.show)) + len(self.bench.show.nodes))
        self.setFixedHeight(TOP + max(3, rows) * (BOX_H + GAP) + 8)
        self.update()

    # ------------------------------------------------------------ layout

    def universe_boxes(self) -> dict[int, QRectF]:
        return {u: QRectF(8, TOP + i * (BOX_H + GAP), 210, BOX_H) for i, u in enumerate(universes_known(self.bench.show))}

    def port_boxes(self) -> dict[tuple[str, int], QRectF]:
        found: dict[tuple[str, int], QRectF] = {}
        y, node = TOP, ""
        x = self.width() - 258
        for port in ports(self.bench.show):
            if port.node.id != node:
                y += 0 if not node else GAP
                node = port.node.id
                y += 18
            found[port.node.ip, port.port_address] = QRectF(x, y, 250, BOX_H)
            y += BOX_H + 4
        return found

    def line(self, start: QPointF, end: QPointF) -> QPainterPath:
        path = QPainterPath(start)
        middle = (start.x() + end.x()) / 2
        path.cubicTo(middle, start.y(), middle, end.y(), end.x(), end.y())
        return path

    def lines(self) -> dict[str, QPainterPath]:
        left, right = self.universe_boxes(), self.port_boxes()
        found = {}
        for i, output in enumerate(self.bench.show.outputs):
            if output.universe in left:
                box = left[output.universe]
                target = right.get((output.host, output.port_address))
                end = (
                    QPointF(target.left(), target.center().y())
                    if target
                    else QPointF(self.width() * 0.6, TOP + i * (BOX_H + GAP) + BOX_H / 2)
                )
                found[output.id] = self.line(QPointF(box.right(), box.center().y()), end)
        return found

    # ------------------------------------------------------------ hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        self._from = next((u for u, box in self.universe_boxes().items() if box.contains(at)), 0)
        self._at = at
        hit = QRectF(at.x() - 5, at.y() - 5, 10, 10)
        self.chosen = next((o for o, path in self.lines().items() if path.intersects(hit)), "") if not self._from else ""
        if self.chosen:
            self.page.choose(self.chosen)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._at = event.position()
        over = any(box.contains(self._at) for box in self.universe_boxes().values())
        self.setCursor(Qt.CursorShape.CrossCursor if over or self._from else Qt.CursorShape.ArrowCursor)
        if self._from:
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        universe, self._from = self._from, 0
        target = next((key for key, box in self.port_boxes().items() if box.contains(event.position())), None)
        if universe and target:
            self.bench.guard(lambda: self.bench.commit(f"route universe {universe}", edits.add_output(self.bench.show, universe, *target)))
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.chosen:
            self.page.remove(self.chosen)
        else:
            super().keyPressEvent(event)

    # ------------------------------------------------------------ paint

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        show = self.bench.show
        use, lead = universes_in_use(show), routed(show)
        p.setPen(pen("line", 1))
        p.setBrush(theme.color("water2"))
        p.drawRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1))
        paint.text(p, 12, 8, "PAPER", font(10, 600, track=1.2), "text2", height=18)
        paint.text(p, 64, 8, "this show's universes", font("caption"), "text3", height=18)
        paint.text(p, self.width() - 258, 8, "RIG", font(10, 600, track=1.2), "text2", height=18)
        paint.text(p, self.width() - 226, 8, "ports of the expected nodes", font("caption"), "text3", height=18)
        outputs = {o.id: o for o in show.outputs}
        left, right = self.universe_boxes(), self.port_boxes()
        for output_id, path in self.lines().items():
            output = outputs[output_id]
            stray = (output.host, output.port_address) not in right
            style = Qt.PenStyle.SolidLine if output.enabled else Qt.PenStyle.DashLine
            color = "coral" if output_id == self.chosen else theme.universe(output.universe) if output.enabled else theme.color("text3")
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(pen(color, 2.4 if output_id == self.chosen else 1.8, style))
            p.drawPath(path)
            if stray:
                end = path.pointAtPercent(1)
                paint.severity(p, "attention", end.x() + 8, end.y(), 5.6)
                paint.text(
                    p,
                    end.x() + 18,
                    end.y() - 10,
                    f"{output.host} {write_port_address(output.port_address)}",
                    font("caption", mono=True),
                    "text2",
                )
        for universe, box in left.items():
            self._paint_universe(p, universe, box, use.get(universe, 0), universe in lead)
        self._paint_ports(p, right)
        if self._from:
            p.setPen(pen("coral", 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            box = left[self._from]
            p.drawPath(self.line(QPointF(box.right(), box.center().y()), self._at))
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(pen("focus", 1.5))
            p.drawRect(QRectF(self.rect()).adjusted(2, 2, -2, -2))

    def _paint_universe(self, p: QPainter, universe: int, box: QRectF, units: int, leads: bool) -> None:
        p.setPen(pen("line_strong", 1))
        p.setBrush(theme.color("shelf"))
        p.drawRoundedRect(box, 3, 3)
        p.fillRect(QRectF(box.x() + 8, box.y() + 8, 3, box.height() - 16), theme.universe(universe))
        x = box.x() + 18
        x += paint.text(p, x, box.y(), "Universe", font("table"), "text2", height=box.height()) + 6
        x += paint.text(p, x, box.y(), str(universe), font("body", 600, mono=True), "text", height=box.height()) + 12
        paint.text(p, x, box.y(), f"{units} unit{'s' * (units != 1)}", font("caption"), "text2", height=box.height())
        if units and not leads:
            paint.severity(p, FAULT, box.right() - 16, box.center().y(), 6)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("line_strong"))
        p.drawEllipse(QPointF(box.right(), box.center().y()), 4, 4)

    def _paint_ports(self, p: QPainter, boxes: dict[tuple[str, int], QRectF]) -> None:
        show = self.bench.show
        reached = {(o.host, o.port_address): o for o in show.outputs}
        node = ""
        for port in ports(show):
            box = boxes[port.node.ip, port.port_address]
            if port.node.id != node:
                node = port.node.id
                k = paint.text(p, box.x(), box.y() - 19, port.node.name, font("table", 600), "text", height=18)
                k += paint.text(p, box.x() + k + 8, box.y() - 19, port.node.ip, font("caption", mono=True), "text2", height=18) + 8
                paint.text(
                    p, box.x() + k + 10, box.y() - 19, port.node.place, font("caption"), "text3", width=max(20.0, 250 - k - 10), height=18
                )
            output = reached.get((port.node.ip, port.port_address))
            p.setPen(pen("line_strong", 1, Qt.PenStyle.SolidLine if output else Qt.PenStyle.DotLine))
            p.setBrush(theme.color("shelf"))
            p.drawRoundedRect(box, 3, 3)
            x = box.x() + 14
            x += paint.text(p, x, box.y(), "Port", font("table"), "text2", height=box.height()) + 5
            x += paint.text(p, x, box.y(), str(port.index), font("body", 600, mono=True), "text", height=box.height()) + 14
            x += paint.text(p, x, box.y(), "Art-Net", font("caption"), "text3", height=box.height()) + 5
            x += paint.text(p, x, box.y(), str(port.port_address), font("table", 500, mono=True), "text", height=box.height()) + 10
            paint.text(p, x, box.y(), f"= {write_port_address(port.port_address)}", font("table", mono=True), "text2", height=box.height())
            if not output:
                paint.text(p, box.x(), box.y(), "free", font("caption"), "text3", paint.RIGHT, box.width() - 10, box.height())
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.color("line_strong"))
            p.drawEllipse(QPointF(box.left(), box.center().y()), 4, 4)


class RoutesPage(Page):
    title = "Routes"

    def __init__(self, bench: Workbench, actions: Registry, window: QWidget) -> None:
        super().__init__()
        self.bench, self.window_ = bench, window
        self._filling = False
        self.head.add(button("Add a node…", run=lambda: actions.trigger("routes.node")))
        self.head.add(button("Add an output…", run=lambda: actions.trigger("routes.add")))
        self.head.add(button("Propose the missing", run=lambda: actions.trigger("routes.propose")))
        self.picture = RoutePicture(self)
        self.column.addWidget(self.picture)
        self.column.addSpacing(12)
        self.column.addWidget(Section("Outputs, as a table"))
        self.table = QTableWidget(0, len(HEADINGS))
        self.table.setObjectName("outputs")
        self.table.setAccessibleName("Outputs")
        self.table.setHorizontalHeaderLabels(HEADINGS)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(SIZE["table_row"])
        self.table.setShowGrid(False)
        self.table.setFrameShape(QFrame.Shape.NoFrame)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.horizontalHeader().setFont(font("caption", 500))
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.table.setTabKeyNavigation(False)
        for i, width in enumerate((74, 60, 190, 120, 100, 96, 44)):
            self.table.setColumnWidth(i, width)
        self.table.horizontalHeader().setSectionResizeMode(7, QHeaderView.ResizeMode.Stretch)
        CopyKeys(self.table)
        self.table.itemChanged.connect(self._typed)
        self.table.itemSelectionChanged.connect(self._picked)
        self.column.addWidget(self.table, 1)
        self.column.addWidget(
            label(
                "Drag from a universe to a port, or type in the table. Art-Net counts from 0, universes of the show from 1.",
                "quiet",
                "caption",
            )
        )
        bind(bench.changed, self, self.refresh)
        theme.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        show = self.bench.show
        use, lead = universes_in_use(show), routed(show)
        lost = [u for u in use if u not in lead]
        self.head.say(
            str(len(use)), "universes with units", str(len(show.outputs)), "outputs", *([str(len(lost)), "lead nowhere"] if lost else [])
        )
        self.picture.refresh()
        self._filling = True
        self.table.setRowCount(len(show.outputs))
        for y, o in enumerate(show.outputs):
            port = port_of(show, o)
            cells = (
                str(o.universe),
                str(use.get(o.universe, 0)),
                port.label if port else "no expected node",
                o.host,
                str(o.port_address),
                write_port_address(o.port_address),
                "",
                o.label,
            )
            for x, words in enumerate(cells):
                item = QTableWidgetItem(words)
                mono = x in (0, 1, 3, 4, 5)
                item.setFont(font("table", 500 if x in (0, 4) else 400, mono=mono))
                item.setForeground(theme.color("text" if x in (0, 4) else "text2"))
                if x in (1, 2, 5):
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                if x == 6:
                    item.setFlags((item.flags() | Qt.ItemFlag.ItemIsUserCheckable) & ~Qt.ItemFlag.ItemIsEditable)
                    item.setCheckState(Qt.CheckState.Checked if o.enabled else Qt.CheckState.Unchecked)
                item.setData(Qt.ItemDataRole.UserRole, o.id)
                self.table.setItem(y, x, item)
        self._filling = False

    def _typed(self, item: QTableWidgetItem) -> None:
        if self._filling:
            return
        output, column, text = item.data(Qt.ItemDataRole.UserRole), item.column(), item.text()

        def run() -> None:
            if column == 0:
                change: dict[str, object] = {"universe": read_numbers(text)[0]}
            elif column == 3:
                change = {"host": read_host(text)}
            elif column == 4:
                change = {"port_address": read_port_address(text)}
            elif column == 6:
                change = {"enabled": item.checkState() == Qt.CheckState.Checked}
            else:
                change = {"label": " ".join(text.split())[:80]}
            self.bench.commit(f"change output, {HEADINGS[column].lower()}", edits.change_output(self.bench.show, output, **change))

        if not self.bench.guard(run):
            self.refresh()

    def _picked(self) -> None:
        rows = self.table.selectionModel().selectedRows()
        if rows:
            self.picture.chosen = rows[0].data(Qt.ItemDataRole.UserRole)
            self.picture.update()

    def choose(self, output: str) -> None:
        for y in range(self.table.rowCount()):
            if self.table.model().index(y, 0).data(Qt.ItemDataRole.UserRole) == output:
                self.table.selectRow(y)

    def show_universe(self, universe: int) -> None:
        output = next((o.id for o in self.bench.show.outputs if o.universe == universe), "")
        self.picture.chosen = output
        self.picture.update()

    # ------------------------------------------------------------ acts

    def remove(self, output: str) -> None:
        self.bench.commit("take an output away", edits.remove_outputs(self.bench.show, {output}))

    def remove_chosen(self) -> None:
        if not self.picture.chosen:
            raise EntryFault("No output is chosen.", do="Click a line or a row first.")
        self.remove(self.picture.chosen)

    def propose(self) -> None:
        self.bench.commit("route what leads nowhere", edits.propose(self.bench.show))

    def add(self) -> None:
        use = universes_in_use(self.bench.show)
        lost = [u for u in use if u not in routed(self.bench.show)]
        host = self.bench.show.nodes[0].ip if self.bench.show.nodes else ""
        _Entry(
            self, "Add an output", "Add it", [("Universe", str(lost[0] if lost else 1)), ("Host", host), ("Port-address", "0")], self._add
        ).open()

    def _add(self, values: list[str]) -> None:
        made = edits.add_output(self.bench.show, read_numbers(values[0])[0], read_host(values[1]), read_port_address(values[2]))
        self.bench.commit(f"route universe {values[0]}", made)

    def add_node(self) -> None:
        _Entry(
            self,
            "Add a node",
            "Add it",
            [("Name", ""), ("Address", "2.0.0.10"), ("Place", ""), ("Port-addresses", "0, 1, 2, 3")],
            self._add_node,
        ).open()

    def _add_node(self, values: list[str]) -> None:
        numbers = tuple(read_port_address(part) for part in values[3].replace(";", ",").split(",") if part.strip())
        self.bench.commit(f"add node {values[0]}", edits.add_node(self.bench.show, values[0], read_host(values[1]), values[2], numbers))


class _Entry(Frame):
    """A few typed values, checked when taken."""

    def __init__(self, page: RoutesPage, title: str, primary: str, fields: list[tuple[str, str]], take) -> None:
        super().__init__(page.window_, title, primary, self._take_values, 420)
        self._take = take
        grid = QGridLayout()
        self.lines = []
        for y, (name, value) in enumerate(fields):
            line = QLineEdit(value)
            line.setObjectName(name)
            line.setAccessibleName(name)
            line.setFont(font("table", 500, mono=True))
            line.setFixedHeight(SIZE["control"])
            line.textEdited.connect(lambda _: self.say_trouble(""))
            grid.addWidget(label(name, "quiet"), y, 0)
            grid.addWidget(line, y, 1)
            self.lines.append(line)
        self.body.addLayout(grid)

    def _take_values(self) -> bool:
        try:
            self._take([line.text() for line in self.lines])
        except IsthmusError as error:
            self.say_trouble(str(error))
            return False
        return True


def register(actions: Registry, page: RoutesPage) -> None:
    actions.add(
        Action("routes.add", "Add an output…", page.add, "Ctrl+Shift+O", group="Routes"),
        Action("routes.node", "Add a node…", page.add_node, "Ctrl+Shift+N", group="Routes"),
        Action(
            "routes.propose",
            "Route what leads nowhere",
            page.propose,
            "Ctrl+Shift+R",
            help="Give every universe without an output the next free port",
            group="Routes",
        ),
        Action("routes.remove", "Take the chosen output away", page.remove_chosen, group="Routes"),
    )
