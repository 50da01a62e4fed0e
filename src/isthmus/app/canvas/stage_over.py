"""What is written and drawn over a picture of the stage."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter

from isthmus.app.canvas.overlay import draw_handles, ghost, marks, sign, tag
from isthmus.app.kit import paint
from isthmus.app.kit.theme import pen, theme
from isthmus.show.records import Structure
from isthmus.stage.space import corners

if TYPE_CHECKING:
    from isthmus.app.canvas.stage_view import StageView

NAMED = 60  # so many selected carry their number in the picture


class StageOver:
    """Handles, the selection and its order, what is wrong, and signs."""

    def __init__(self, view: StageView) -> None:
        self.view = view

    def paint(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._structure_lines(p)
        self._haunted(p)
        self._marks(p)
        self._wrong(p)
        draw_handles(
            p,
            self.view.hands.handles(),
            self.view.hands.handle_px,
            self.view.hands.pulling.handle.name
            if self.view.hands.pulling.handle
            else self.view.hands.over,
        )
        if self.view.bench.plan.preview_words:
            tag(p, QPointF(12, 10), self.view.bench.plan.preview_words)
        elif self.view.tool is not None:
            tag(p, QPointF(12, 10), self.view.tool.words)
        elif self.view.bench.plan.ghosts and self.view.rig_view is None:
            tag(p, QPointF(12, 10), self.view.bench.plan.ghosts.words)
        if self.view.out_of_view():
            sign(
                p,
                self.view.width(),
                self.view.height(),
                "The rig is out of view",
                "Press Home to see all of it again.",
            )
        strays = self.view.staged.space().strays
        if strays:
            numbers = ", ".join(
                str(self.view.staged.source()[0].rig.numbers[i]) for i in strays[:6]
            )
            tag(
                p,
                QPointF(12, self.view.height() - 28),
                f"Far off, and left out of the haze: {numbers}{' …' if len(strays) > 6 else ''}",
                "text",
            )

    def _haunted(self, p: QPainter) -> None:
        """Where units were in another show."""
        ghosts = self.view.bench.plan.ghosts
        if ghosts is None or self.view.rig_view is not None:
            return
        rig = self.view.staged.source()[0].rig
        rows = {unit: i for i, unit in enumerate(rig.order)}
        places = {u.id: u.position for u in ghosts.show.units if u.position is not None}
        for unit in ghosts.units:
            if unit in places:
                now = rig.positions[rows[unit]] if unit in rows else places[unit]
                at, depth = self.view.project(np.array([places[unit], now]))
                if (depth > 0.3).all():
                    was, here = (QPointF(float(x), float(y)) for x, y in at)
                    ghost(p, was, here if unit in rows else None)

    def _wrong(self, p: QPainter) -> None:
        view = self.view.staged.source()[0]
        rows = {unit: i for i, unit in enumerate(view.rig.order)}
        for unit, (words, severity) in self.view.wrong.items():
            if unit in rows:
                (at,), (depth,) = self.view.project(view.rig.positions[rows[unit]][None])
                if depth > 0.3:
                    paint.severity(p, severity, float(at[0]), float(at[1]), 7)
                    tag(
                        p,
                        QPointF(float(at[0]) + 10, float(at[1]) - 9),
                        f"{view.rig.numbers[rows[unit]]} {words}",
                        "text",
                    )

    def _structure_lines(self, p: QPainter) -> None:
        chosen = self.view.bench.selection.structures
        if self.view.rig_view is None:
            for one in self.view.staged.shown_show().structures:
                if one.id in chosen:
                    self._box(p, one)

    def _box(self, p: QPainter, structure: Structure) -> None:
        """The edges of a structure's box, where all of it is before the eye."""
        at, depth = self.view.project(corners(structure))
        if (depth < 0.3).any():
            return
        p.setPen(pen("coral", 1.2))
        for i, j in (
            (0, 1),
            (2, 3),
            (4, 5),
            (6, 7),
            (0, 2),
            (1, 3),
            (4, 6),
            (5, 7),
            (0, 4),
            (1, 5),
            (2, 6),
            (3, 7),
        ):
            p.drawLine(QPointF(*at[i]), QPointF(*at[j]))

    def _marks(self, p: QPainter) -> None:
        """Number and place in order of the selected units, with the figures of a fan or an aim."""
        view = self.view.staged.source()[0]
        held = self.view.staged.held(view)
        if not held:
            return
        order = {u: i for i, u in enumerate(self.view.bench.selection.ids, 1)}
        by_number = {
            u.number: (order[u.id], self.view.bench.plan.figures.get(u.id, ""))
            for u in self.view.bench.show.units
            if u.id in order
        }
        points, depth = self.view.project(view.rig.positions[held])
        marked, words = [], {}
        for (x, y), away, index in zip(points, depth, held, strict=True):
            nth, figure = by_number.get(view.rig.numbers[index], (0, ""))
            if (
                away > 0.3
                and -20 < x < self.view.width() + 20
                and -20 < y < self.view.height() + 20
            ):
                marked.append((QPointF(float(x), float(y)), nth, str(view.rig.numbers[index])))
                if figure:
                    words[nth] = figure
        if len(marked) > NAMED:  # so many words would hide the rig
            p.setPen(pen("abyss", 1))
            p.setBrush(theme.color("coral"))
            for at, _, _ in marked:
                p.drawEllipse(at, 3.5, 3.5)
            return
        marks(p, sorted(marked, key=lambda m: m[1]), words, QRectF(self.view.rect()))
