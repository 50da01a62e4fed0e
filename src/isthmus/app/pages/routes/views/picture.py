"""The picture of the routes: universes at the left, outputs between, node ports at the right."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from pathlib import PurePath
from typing import Any

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from isthmus.app.kit import paint
from isthmus.app.kit.painted import Painted
from isthmus.app.kit.theme import font, pen, theme
from isthmus.app.kit.widgets import plain_tip
from isthmus.app.model.workbench import Workbench
from isthmus.net import FoundNode, compare
from isthmus.net.found import pair
from isthmus.plural import many
from isthmus.routes import (
    Port,
    Reach,
    notations,
    routed,
    universes_in_use,
    universes_known,
    write_number,
)
from isthmus.routes import edits as core
from isthmus.routes.ports import WORDS
from isthmus.show.records import Output
from isthmus.snags import FAULT

BOX_H, GAP, TOP, HEAD = 30, 6, 34, 20
LEFT_W, PILL_W, RIGHT_W = 268, 236, 290
ROLES = {"mirror": "mirror", "spare": "spare"}


class RoutePicture(Painted, QWidget):
    """Drag from a universe to a port to route it, or an output to another port; a click chooses,
    Delete removes.
    """

    chose = Signal(str)  # an output
    chose_universe = Signal(int)

    def __init__(self, bench: Workbench, remove: Callable[[str], None]) -> None:
        super().__init__()
        self.bench, self._remove = bench, remove
        self.chosen: str = ""
        self.universe = 0
        self._from: int | str = 0
        self._at = QPointF()
        self._reach = Reach(bench.show)
        self._use: dict[int, int] = {}
        self._known: list[int] = []
        self._routed: set[int] = set()
        self._found: dict[str, FoundNode] = {}
        self._layout: tuple[Any, dict[str, Any]] = (None, {})
        self._wrong: set[tuple[str, int]] = set()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Universes, outputs and node ports")
        self.setObjectName("route picture")
        theme.changed.connect(self.update)

    def refresh(self) -> None:
        show, view = self.bench.show, self.bench.known.network
        self._reach, self._use, self._known = (
            Reach(show),
            universes_in_use(show),
            universes_known(show),
        )
        self._routed = routed(show)
        looked = view is not None and view.looked
        self._found = pair(show, view.nodes) if view else {}
        self._wrong = (
            {(d.node, d.port) for d in compare(show, view.nodes)} if looked and view else set()
        )
        self._looked = looked
        right = sum(HEAD + len(node.ports) * (BOX_H + 4) + 8 for node in show.nodes)
        rows = max(3, len(self._known), len(show.outputs))
        self.setMinimumHeight(max(TOP + rows * (BOX_H + GAP), TOP + right) + 8)
        self.update()

    _looked = False

    # ------------------------------------------------------------ layout

    def _kept(self, name: str, make: Callable[[], Any]) -> Any:
        """What was laid out for this width and these outputs; hundreds of universes are looked at
        with each movement.
        """
        key = self.width(), self._known, self._reach
        if self._layout[0] != key:
            self._layout = key, {}
        if name not in self._layout[1]:
            self._layout[1][name] = make()
        return self._layout[1][name]

    def universe_boxes(self) -> dict[int, QRectF]:
        return self._kept("universes", self._universe_boxes)

    def pill_boxes(self) -> dict[str, QRectF]:
        return self._kept("pills", self._pill_boxes)

    def _port_list(self) -> list[tuple[Port, QRectF]]:
        return self._kept("ports", self._make_port_list)

    def lines(self) -> dict[str, QPainterPath]:
        """Each output's way from its universe by its pill to its ports, as one path."""
        return self._kept("lines", self._make_lines)

    def _universe_boxes(self) -> dict[int, QRectF]:
        return {
            u: QRectF(8, TOP + i * (BOX_H + GAP), LEFT_W, BOX_H) for i, u in enumerate(self._known)
        }

    def _pill_boxes(self) -> dict[str, QRectF]:
        """Outputs in the order of their universes, so that lines cross little."""
        x = LEFT_W + 8 + (self.width() - LEFT_W - RIGHT_W - PILL_W - 16) / 2
        order = sorted(self.bench.show.outputs, key=lambda o: (o.universe, o.role))
        return {
            o.id: QRectF(x, TOP + i * (BOX_H + GAP) + 2, PILL_W, BOX_H - 4)
            for i, o in enumerate(order)
        }

    def port_boxes(self) -> dict[tuple[str, int], QRectF]:
        """(node's address, port's number) → its box."""
        return {(port.node.ip, port.number): box for port, box in self._port_list()}

    def _make_port_list(self) -> list[tuple[Port, QRectF]]:
        found: list[tuple[Port, QRectF]] = []
        y, node = TOP - 8, ""
        x = self.width() - RIGHT_W - 8
        for port in self._reach.ports:
            if port.node.id != node:
                y += 8 if node else 0
                node = port.node.id
                y += HEAD
            found.append((port, QRectF(x, y, RIGHT_W, BOX_H)))
            y += BOX_H + 4
        return found

    @staticmethod
    def _curve(start: QPointF, end: QPointF) -> QPainterPath:
        path = QPainterPath(start)
        middle = (start.x() + end.x()) / 2
        path.cubicTo(middle, start.y(), middle, end.y(), end.x(), end.y())
        return path

    def _make_lines(self) -> dict[str, QPainterPath]:
        left, pills = self.universe_boxes(), self.pill_boxes()
        right = {port.key: box for port, box in self._port_list()}
        found = {}
        for output in self.bench.show.outputs:
            pill, box = pills[output.id], left.get(output.universe)
            path = QPainterPath()
            if box is not None:
                path.addPath(
                    self._curve(
                        QPointF(box.right(), box.center().y()),
                        QPointF(pill.left(), pill.center().y()),
                    )
                )
            for port in self._reach.of_output[output.id]:
                target = right[port.key]
                path.addPath(
                    self._curve(
                        QPointF(pill.right(), pill.center().y()),
                        QPointF(target.left(), target.center().y()),
                    )
                )
            found[output.id] = path
        return found

    # ------------------------------------------------------------ hands

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            over = next(
                (
                    u
                    for u, box in self.universe_boxes().items()
                    if box.contains(QPointF(event.pos()))
                ),
                0,
            )
            if over:
                alike = ", ".join(f"{name} {number}" for name, number in notations(over))
                QToolTip.showText(
                    event.globalPos(), plain_tip(f"Counted alike everywhere it is: {alike}."), self
                )
                return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        self.setFocus()
        universe = next((u for u, box in self.universe_boxes().items() if box.contains(at)), 0)
        pill = next((o for o, box in self.pill_boxes().items() if box.contains(at)), "")
        self._from, self._at = universe or pill, at
        if universe:
            self.choose(universe=universe)
            self.chose_universe.emit(universe)
            return
        hit = QRectF(at.x() - 5, at.y() - 5, 10, 10)
        chosen = pill or next(
            (
                o
                for o, path in self.lines().items()
                if path.intersects(hit) and not self._inside(path, hit)
            ),
            "",
        )
        self.choose(chosen)
        if chosen:
            self.chose.emit(chosen)

    @staticmethod
    def _inside(path: QPainterPath, hit: QRectF) -> bool:
        """An open path counts as filled for Qt: only its line is meant."""
        return not any(hit.contains(path.pointAtPercent(i / 120)) for i in range(121))

    def choose(self, output: str = "", universe: int = 0) -> None:
        self.chosen, self.universe = output, universe
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._at = event.position()
        over = any(
            box.contains(self._at)
            for box in (*self.universe_boxes().values(), *self.pill_boxes().values())
        )
        self.setCursor(
            Qt.CursorShape.CrossCursor if over or self._from else Qt.CursorShape.ArrowCursor
        )
        if self._from:
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        start, self._from = self._from, 0
        target = next(
            (port for port, box in self._port_list() if box.contains(event.position())), None
        )
        if start and target:
            self.bench.guard(lambda: self._lead(start, target))
        self.update()

    def _lead(self, start: int | str, port: Port) -> None:
        show = self.bench.show
        if isinstance(start, int):
            self.bench.commit(f"route universe {start}", core.add(show, core.to_port(start, port)))
        else:
            self.bench.commit("lead an output elsewhere", core.retarget(show, start, port))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        order = list(self.pill_boxes())
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.chosen:
            self._remove(self.chosen)
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and order:
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            at = order.index(self.chosen) + step if self.chosen in order else 0
            self.choose(order[max(0, min(len(order) - 1, at))])
            self.chose.emit(self.chosen)
        else:
            super().keyPressEvent(event)

    # ------------------------------------------------------------ paint

    def draw(self, p: QPainter, event: QPaintEvent) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(event.rect(), theme.color("water2"))
        paint.text(p, 12, 8, "PAPER", font(10, 600, track=1.2), "text2", height=18)
        paint.text(p, 64, 8, "this show's universes", font("caption"), "text3", height=18)
        pills = self.pill_boxes()
        middle = next(iter(pills.values())).x() if pills else self.width() / 2
        paint.text(p, middle, 8, "outputs", font("caption"), "text3", height=18)
        x = self.width() - RIGHT_W - 8
        paint.text(p, x, 8, "RIG", font(10, 600, track=1.2), "text2", height=18)
        paint.text(p, x + 32, 8, "ports of the expected nodes", font("caption"), "text3", height=18)
        outputs = {o.id: o for o in self.bench.show.outputs}
        p.setBrush(Qt.BrushStyle.NoBrush)
        seen = QRectF(event.rect()).adjusted(-4, -HEAD, 4, 4)
        for output_id, path in self.lines().items():
            if (
                not path.controlPointRect().adjusted(-1, -1, 1, 1).intersects(seen)
            ):  # a level line has no height
                continue
            output = outputs[output_id]
            mine = output_id == self.chosen or output.universe == self.universe
            color = (
                "coral"
                if mine
                else theme.universe(output.universe)
                if output.enabled
                else theme.color("text3")
            )
            p.setPen(
                pen(
                    color,
                    2.4 if mine else 1.6,
                    Qt.PenStyle.SolidLine if output.enabled else Qt.PenStyle.DashLine,
                )
            )
            p.drawPath(path)
        for universe, box in self.universe_boxes().items():
            if box.intersects(seen):
                self._paint_universe(p, universe, box)
        for output_id, box in pills.items():
            if box.intersects(seen):
                self._paint_pill(p, outputs[output_id], box)
        self._paint_ports(p, seen)
        if self._from:
            box = (
                self.universe_boxes().get(self._from)
                if isinstance(self._from, int)
                else pills.get(self._from)
            )
            if box is not None:
                p.setPen(pen("coral", 2))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawPath(self._curve(QPointF(box.right(), box.center().y()), self._at))
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(pen("focus", 1.5))
            p.drawRect(QRectF(self.rect()).adjusted(2, 2, -2, -2))

    def _paint_universe(self, p: QPainter, universe: int, box: QRectF) -> None:
        units = self._use.get(universe, 0)
        leads = universe in self._routed
        p.setPen(pen("coral" if universe == self.universe else "line_strong", 1))
        p.setBrush(theme.color("shelf"))
        p.drawRoundedRect(box, 3, 3)
        p.fillRect(QRectF(box.x() + 8, box.y() + 8, 3, box.height() - 16), theme.universe(universe))
        x = box.x() + 18
        x += paint.text(p, x, box.y(), "Universe", font("table"), "text2", height=box.height()) + 6
        x += (
            paint.text(
                p,
                x,
                box.y(),
                str(universe),
                font("body", 600, mono=True),
                "text",
                height=box.height(),
            )
            + 12
        )
        paint.text(
            p, x, box.y(), many(units, "unit"), font("caption"), "text2", height=box.height()
        )
        state = self.bench.levels.masters.universes.get(universe, "")
        end = box.right() - (30 if units and not leads else 12)
        paint.text(
            p, end - 110, box.y(), state, font("caption"), "ochre", paint.RIGHT, 110, box.height()
        )
        if units and not leads:
            paint.severity(p, FAULT, box.right() - 16, box.center().y(), 6)
        self._knob(p, QPointF(box.right(), box.center().y()))

    def _paint_pill(self, p: QPainter, output: Output, box: QRectF) -> None:
        state = self.bench.levels.masters.of(output) if output.enabled else "off"
        chosen = output.id == self.chosen
        style = Qt.PenStyle.SolidLine if output.enabled else Qt.PenStyle.DashLine
        p.setPen(pen("coral" if chosen else "line_strong", 1.6 if chosen else 1, style))
        p.setBrush(theme.color("shoal"))
        p.drawRoundedRect(box, box.height() / 2, box.height() / 2)
        role = "text" if output.enabled else "text3"
        x = box.x() + 14
        x += (
            paint.text(
                p,
                x,
                box.y(),
                WORDS[output.protocol],
                font("caption", 500),
                "text2",
                height=box.height(),
            )
            + 6
        )
        number = write_number(output.protocol, output.number).split(" ", 1)[1].replace(" = ", " · ")
        number = "" if output.device else number
        x += (
            paint.text(
                p, x, box.y(), number, font("table", 500, mono=True), role, height=box.height()
            )
            + 10
        )
        words = (
            state
            or ROLES.get(output.role)
            or (
                ""
                if output.delivery == "unicast"
                else PurePath(output.device).name
                if output.device
                else {"asked": "subscribers"}.get(output.delivery, output.delivery)
            )
        )
        paint.text(
            p,
            x,
            box.y(),
            words,
            font("caption"),
            "ochre" if state else "text3",
            paint.RIGHT,
            box.right() - 14 - x,
            box.height(),
        )
        if output.enabled and output.delivery == "unicast" and not self._reach.of_output[output.id]:
            paint.severity(p, "attention", box.right() + 12, box.center().y(), 5.6)
            paint.text(
                p,
                box.right() + 22,
                box.y(),
                ", ".join(output.hosts),
                font("caption", mono=True),
                "text2",
                height=box.height(),
            )
        self._knob(p, QPointF(box.right(), box.center().y()))

    def _paint_ports(self, p: QPainter, seen: QRectF) -> None:
        fed: dict[tuple[str, int], list[Output]] = defaultdict(list, self._reach.of_port)
        node = ""
        for port, box in self._port_list():
            real = self._found.get(port.node.id)
            if port.node.id != node:
                node = port.node.id
                self._paint_node(p, port, box, real)
            if not box.intersects(seen):
                continue
            outputs = [o for o in fed[port.key] if o.enabled]
            p.setPen(
                pen("line_strong", 1, Qt.PenStyle.SolidLine if outputs else Qt.PenStyle.DotLine)
            )
            p.setBrush(theme.color("shelf"))
            p.drawRoundedRect(box, 3, 3)
            x, h = box.x() + 14, box.height()
            x += paint.text(p, x, box.y(), "Port", font("table"), "text2", height=h) + 5
            x += (
                paint.text(
                    p, x, box.y(), str(port.index), font("body", 600, mono=True), "text", height=h
                )
                + 12
            )
            x += (
                paint.text(p, x, box.y(), WORDS[port.protocol], font("caption"), "text3", height=h)
                + 5
            )
            words = port.words.split(" ", 1)[1]
            x += paint.text(p, x, box.y(), words, font("table", mono=True), "text", height=h) + 10
            found = real.ports[port.index - 1] if real and port.index <= len(real.ports) else None
            told, role, italic = (
                "in" if port.is_input else "" if outputs else "free",
                "text3",
                False,
            )
            if found and (node, port.index) in self._wrong:
                told, role, italic = (
                    found.words.split(" ", 1)[1]
                    if found.number != port.number
                    else found.direction,
                    "ochre",
                    True,
                )
            elif found and found.active and outputs:
                told, role, italic = "live", "teal", True
            paint.text(
                p,
                x,
                box.y(),
                told,
                font("caption", italic=italic),
                role,
                paint.RIGHT,
                box.right() - 10 - x,
                h,
            )
            self._knob(p, QPointF(box.left(), box.center().y()))

    def _paint_node(self, p: QPainter, port: Port, box: QRectF, real: FoundNode | None) -> None:
        y, x = box.y() - HEAD, box.x()
        if self._looked and port.protocol == "artnet":
            wrong = any(node == port.node.id for node, _ in self._wrong)
            paint.severity(
                p, "fault" if real is None else "attention" if wrong else "ok", x + 7, y + 10, 6
            )
            x += 20
        x += paint.text(p, x, y, port.node.name, font("table", 600), "text", height=18) + 8
        x += paint.text(p, x, y, port.node.ip, font("caption", mono=True), "text2", height=18) + 10
        words = (
            "does not answer"
            if self._looked and real is None and port.protocol == "artnet"
            else port.node.place
        )
        role = "fault" if words == "does not answer" else "text3"
        paint.text(
            p,
            x,
            y,
            words,
            font("caption", italic=role == "fault"),
            role,
            width=max(20.0, box.right() - x),
            height=18,
        )

    @staticmethod
    def _knob(p: QPainter, at: QPointF) -> None:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("line_strong"))
        p.drawEllipse(at, 4, 4)
