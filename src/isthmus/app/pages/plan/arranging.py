"""Arranging what is selected: align, spread, mirror, turn, scale, lock; and choosing by where and
what units are.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace
from PySide6.QtWidgets import QMenu, QWidget

from isthmus.app.canvas.plan_canvas import PlanCanvas
from isthmus.app.kit.dialogs import ask_text
from isthmus.app.kit.figures import read_figure
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault
from isthmus.layout import arrange
from isthmus.layout.choose import ORDERS, alike, every, in_order, inverted
from isthmus.patch.choose import read_choice
from isthmus.patch.edits import change_units
from isthmus.patch.groups import members
from isthmus.plural import many
from isthmus.sheets.sheets import half_sizes

EDGE_WORDS = {
    "left": "left edges",
    "middle": "middles, across",
    "right": "right edges",
    "top": "upper edges",
    "centre": "middles, up and down",
    "bottom": "lower edges",
}
TO_WORDS = {
    "extreme": "to the outermost",
    "first": "to the first selected",
    "figure": "to a figure…",
}


class Arranging:
    """The acts of the Arrange and Choose menus."""

    def __init__(self, bench: Workbench, canvas: PlanCanvas, parent: QWidget) -> None:
        self.bench, self.canvas, self.parent = bench, canvas, parent

    # ------------------------------------------------------------ arranging

    def _apply(
        self, name: str, change: Callable[[np.ndarray, np.ndarray], np.ndarray], least: int = 1
    ) -> None:
        laid = self.canvas.laid
        ids = [i for i in self.bench.selection.ids if i in laid.row]
        if len(ids) < least:
            raise EntryFault(
                f"{name.capitalize()} needs {least} units on this sheet.", do="Select more."
            )
        points = np.array([laid.points[laid.row[i]] for i in ids])
        made = change(points, half_sizes(self.bench.show, self.canvas.sheet, ids))
        self.canvas.lay(
            f"{name} {many(len(ids), 'unit')}",
            {i: (float(x), float(y)) for i, (x, y) in zip(ids, made, strict=True)},
            settle=False,
        )

    def align(self, edge: str, to: str = "extreme") -> None:
        figure = 0.0
        if to == "figure":
            text = ask_text(
                self.parent, "Align", f"Metres to bring the {EDGE_WORDS[edge]} to", "0.00"
            )
            if text is None:
                return
            figure = read_figure(text, "distance")
        self._apply(
            "align", lambda p, h: arrange.align(p, h, edge, to, figure), 1 if to == "figure" else 2
        )

    def spread(self, axis: int, gaps: bool) -> None:
        self._apply("spread", lambda p, h: arrange.distribute(p, h, axis, gaps), 3)

    def mirror(self, axis: int, line: float | None = None) -> None:
        """At a line of the sheet, or at the middle of what is selected."""
        self._apply(
            "mirror",
            lambda p, h: arrange.mirror(
                p, axis, float(arrange.middle(p)[axis]) if line is None else line
            ),
        )

    def mirror_at(self) -> None:
        text = ask_text(
            self.parent, "Mirror", "At which line, metres across (1.5), or up (up 2)", "0"
        )
        if text is not None:
            up = text.strip().lower().startswith("up")
            self.mirror(int(up), read_figure(text.strip()[2:] if up else text, "line"))

    def turn(self, degrees: float | None = None) -> None:
        if degrees is None:
            text = ask_text(
                self.parent,
                "Turn",
                "Degrees, anticlockwise, about their middle (45), or about a point (45 at 2, -1)",
                "45",
            )
            if text is None:
                return
            degrees, about = self._with_point(text)
        else:
            about = None
        self._apply(
            "turn",
            lambda p, h: arrange.turn(
                p, degrees, about if about is not None else arrange.middle(p)
            ),
        )

    def scale(self) -> None:
        text = ask_text(
            self.parent,
            "Scale",
            "A factor or percent, about their middle (1.5), or about a point (50 % at 0, 0)",
            "1.2",
        )
        if text is None:
            return
        factor, about = self._with_point(text)
        factor = factor / 100 if "%" in text else factor
        self._apply(
            "scale",
            lambda p, h: arrange.scale(
                p, factor, about if about is not None else arrange.middle(p)
            ),
        )

    @staticmethod
    def _with_point(text: str) -> tuple[float, np.ndarray | None]:
        value, _, place = text.partition("at")
        if not place:
            return read_figure(value), None
        parts = [p for p in place.replace(";", " ").replace(", ", " ").split() if p]
        if len(parts) != 2:
            raise EntryFault(
                f"“{place.strip()[:20]}” is not a point.", do="Write two figures, such as 2 -1."
            )
        return read_figure(value), np.array([read_figure(p) for p in parts])

    def lock(self) -> None:
        units = self.bench.selection.units()
        on = not all(u.pinned for u in units)
        show = change_units(self.bench.show, {u.id for u in units}, lambda u: replace(u, pinned=on))
        self.bench.commit(
            f"{'lock' if on else 'unlock'} the places of {many(len(units), 'unit')}", show
        )
        self.bench.tell(
            "note", f"{many(len(units), 'place')} are {'locked' if on else 'free to move'}."
        )

    def menu(self) -> QMenu:
        bench = self.bench
        menu = QMenu(self.parent)

        def act(to: QMenu, words: str, run: Callable[[], object]) -> None:
            to.addAction(words).triggered.connect(lambda _=False: bench.guard(run))

        for edge, words in EDGE_WORDS.items():
            inner = menu.addMenu(f"Align {words}")
            for to, how in TO_WORDS.items():
                act(inner, how, lambda e=edge, t=to: self.align(e, t))
        menu.addSeparator()
        for axis, words in ((0, "across"), (1, "up and down")):
            act(menu, f"Spread evenly {words}, by middles", lambda a=axis: self.spread(a, False))
            act(menu, f"Spread evenly {words}, by gaps", lambda a=axis: self.spread(a, True))
        menu.addSeparator()
        act(menu, "Mirror left and right", lambda: self.mirror(0))
        act(menu, "Mirror at the centre line", lambda: self.mirror(0, 0.0))
        act(menu, "Mirror at a line…", self.mirror_at)
        act(menu, "Mirror up and down", lambda: self.mirror(1))
        act(menu, "Turn…", self.turn)
        act(menu, "Scale…", self.scale)
        menu.addSeparator()
        act(menu, "Lock or unlock their places", self.lock)
        return menu

    # ------------------------------------------------------------ choosing

    def choose_menu(self) -> QMenu:
        bench = self.bench
        menu = QMenu(self.parent)

        def act(to: QMenu, words: str, run: Callable[[], object], on: bool = True) -> None:
            made = to.addAction(words)
            made.setEnabled(on)
            made.triggered.connect(lambda _=False: bench.guard(run))

        some = bool(bench.selection.ids)
        here = list(self.canvas.laid.row)
        act(menu, "By number or name…", self.by_text)
        act(menu, "All on this sheet", lambda: bench.selection.select(here))
        act(
            menu,
            "Invert",
            lambda: bench.selection.select(inverted(bench.show, bench.selection.ids, set(here))),
        )
        nth = menu.addMenu("Every n-th")
        for step in (2, 3, 4):
            for first in range(1, step + 1):
                words = (
                    f"every {('second', 'third', 'fourth')[step - 2]}, from the "
                    f"{('first', 'second', 'third', 'fourth')[first - 1]}"
                )
                act(
                    nth,
                    words,
                    lambda s=step, f=first: bench.selection.select(
                        every(bench.selection.ids, s, f)
                    ),
                    some,
                )
        act(nth, "every n-th…", self.every_nth, some)
        menu.addSeparator()
        for how, words in (
            ("type", "Same type"),
            ("mode", "Same type and mode"),
            ("structure", "On the same structure"),
            ("purpose", "Same purpose"),
            ("similar", "Similar: type, gel and structure"),
        ):
            act(
                menu,
                words,
                lambda h=how: bench.selection.select(alike(bench.show, bench.selection.ids, h)),
                some,
            )
        groups = menu.addMenu("Group")
        groups.setEnabled(bool(bench.show.groups))
        for group in bench.show.groups:
            act(groups, group.name, lambda g=group: bench.selection.select(members(bench.show, g)))
        on = menu.addMenu("Hanging on")
        for structure in bench.show.structures:
            mine = [u.id for u in bench.show.units if u.structure == structure.id]
            if mine:
                act(
                    on,
                    f"{structure.name} ({len(mine)})",
                    lambda m=mine: bench.selection.select(in_order(bench.show, m, "left to right")),
                )
        order = menu.addMenu("Order")
        order.setEnabled(some)
        for words in ORDERS:
            act(
                order,
                words,
                lambda w=words: bench.selection.select(
                    in_order(bench.show, bench.selection.ids, w)
                ),
            )
        return menu

    def by_text(self) -> None:
        text = ask_text(
            self.parent, "Choose", "Numbers, ranges or names: 101-106, all but 103, Bow rail"
        )
        if text is not None:
            self.bench.selection.select(read_choice(self.bench.show, text).ids)

    def every_nth(self) -> None:
        text = ask_text(
            self.parent,
            "Every n-th",
            "Which ones: 5 for every fifth, or 5 from 2 to begin with the second",
            "5",
        )
        if text is None:
            return
        step, _, first = text.partition("from")
        self.bench.selection.select(
            every(
                self.bench.selection.ids,
                round(read_figure(step)),
                round(read_figure(first)) if first else 1,
            )
        )
