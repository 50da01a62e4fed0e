"""Layer sets: what is shown on a grid, layer by layer."""

from __future__ import annotations

import time
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QVBoxLayout

from isthmus.app.kit.edited import choose_row, edited_table, hold_row, row_here, show_rows
from isthmus.app.kit.first import FirstSteps
from isthmus.app.kit.widgets import PageView, beside, bind, button, choice, label, take_row, tick
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.pixels.models.sets import SetsModel
from isthmus.app.pages.pixels.views.bringing import Bringing
from isthmus.app.pages.pixels.views.laid import LaidPicture
from isthmus.app.pages.pixels.views.layer_form import LayerForm
from isthmus.app.pages.pixels.views.strips import Strips
from isthmus.errors import EntryFault
from isthmus.looks import look_edits
from isthmus.patch.numbers import read_numbers
from isthmus.pixels import layer_edits as core
from isthmus.pixels.dark import Dark, dark_units
from isthmus.pixels.fields import read_field, said
from isthmus.pixels.grids import grid_named
from isthmus.pixels.media import Brought, longest_for, put_media, too_small
from isthmus.pixels.plans import LayerPlan, SetPlan
from isthmus.pixels.ready import Studio
from isthmus.plural import many
from isthmus.show.records import LayerSet, Look, LookLine, Media, PictureLayer, PixelGrid, Wish

LOOK_MS = 400
FIRST = "wave"  # what a first layer shows: something that moves
WORDS = {"text": "words", "media": "own picture or film…"}


class LayersView(PageView):
    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench, self.playing = bench, bench.playing
        # of what is looked at, apart from what is shown
        self._studio = Studio(bench.playing.picturing.frames.of)
        beside(self, self._left(), self._right())
        self.first = FirstSteps(
            self,
            "No grids yet",
            "Layers are shown on a grid of cells. Propose one first, from where units hang.",
            [],
        )
        bind(bench.changed, self, self.refresh)
        self._later = QTimer(self)  # what keeps cells dark is looked for now and then
        self._later.setInterval(LOOK_MS)
        self._later.timeout.connect(self._said)
        bind(self.playing.changed, self, self._showing)
        self.refresh()

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.sets = SetsModel(lambda: self.bench.show, self._write_set)
        self.table = edited_table(self.sets, "layer sets", "Layer sets", (30, 90, 60), 1)
        self.table.selectionModel().currentRowChanged.connect(lambda *_: self._chosen())
        self.table.setMaximumHeight(170)
        column.addWidget(self.table, 1)
        line = QHBoxLayout()
        line.setSpacing(6)
        line.addWidget(button("New set", run=self.new_set, name="new layer set"))
        self.gone = button("Remove", run=self.remove_set, name="remove layer set")
        line.addWidget(self.gone)
        line.addStretch(1)
        column.addLayout(line)
        self.strips = Strips(self.plan_of)
        self.strips.currentItemChanged.connect(lambda *_: self._layer_chosen())
        self.strips.moved.connect(self._move)
        self.strips.flipped.connect(lambda name: self._change(name, on=not self._layer(name).on))
        column.addWidget(self.strips, 3)
        add = QHBoxLayout()
        add.setSpacing(6)
        self.source = choice("new layer", [(s, WORDS.get(s, s)) for s in core.SOURCES])
        self.source.setCurrentIndex(self.source.findData(FIRST))
        add.addWidget(self.source, 1)
        add.addWidget(button("Add", run=self.add, name="add layer"))
        column.addLayout(add)
        more = QHBoxLayout()
        more.setSpacing(6)
        self.own = [
            button("Copy", run=self.double, name="copy layer"),
            button("Remove", run=self.remove, name="remove layer"),
            button("Forward", run=lambda: self.shift(1), name="layer forward"),
            button("Back", run=lambda: self.shift(-1), name="layer back"),
        ]
        for one in self.own:
            more.addWidget(one)
        column.addLayout(more)
        return column

    def _right(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.title = label("", size="section", weight=600)
        column.addWidget(self.title)
        self.picture = LaidPicture(self.bench, self.blind_plan)
        self.picture.framed.connect(
            lambda changes: self._change(self.strips.layer_here(), **changes)
        )
        column.addWidget(self.picture, 3)
        self.about = label("", "quiet")
        column.addWidget(self.about)
        self.form = LayerForm(self._write_field)
        scroll = QScrollArea()
        scroll.setWidget(self.form)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        column.addWidget(scroll, 2)
        own = QHBoxLayout()
        own.setSpacing(6)
        self.only = button("Only selected units", run=self.only_units, name="layer units")
        self.on = tick("Shown", "layer shown")
        self.on.clicked.connect(lambda on: self._change(self.strips.layer_here(), on=on))
        self.dark = tick("Dark where no layer is", "set dark")
        self.dark.clicked.connect(lambda on: self._put("change", dark=on))
        self.finer = button("Fit again", run=self.fit_again, name="fit media")
        for one in (self.only, self.on, self.dark, self.finer):
            own.addWidget(one)
        own.addStretch(1)
        column.addLayout(own)
        last = QHBoxLayout()
        last.setSpacing(6)
        self.show_button = button("Show it", "primary", self.show_it, 30, "show layer set")
        last.addWidget(self.show_button)
        self.look_button = button("New look with it", run=self.new_look, name="look of layer set")
        last.addWidget(self.look_button)
        self.raise_button = button("Raise the masters", run=self.light, name="raise masters")
        last.addWidget(self.raise_button)
        self.told = label("", "quiet", wrap=True)
        self.told.setObjectName("layers told")
        self.bringing = Bringing(self, self.bench, self.told, self._said)
        last.addWidget(self.bringing.stop)
        last.addWidget(self.told, 1)
        column.addLayout(last)
        return column

    # ------------------------------------------------------------ what is so

    def entered(self) -> None:
        hold_row(self.table)
        (self.strips if self.sets.rows else self.source).setFocus(Qt.FocusReason.OtherFocusReason)

    def left(self) -> None:
        self._later.stop()
        self.bringing.cancel()

    def refresh(self) -> None:
        show = self.bench.show
        self.first.show_if(not show.grids)
        show_rows(self.table, self.sets, sorted(show.layer_sets, key=lambda one: one.number))
        if self.sets.rows and not self.table.currentIndex().isValid():
            take_row(self.table, 0)
        self._chosen()

    def set_here(self) -> LayerSet | None:
        return row_here(self.table, self.sets)

    def grid_here(self) -> PixelGrid | None:
        one = self.set_here()
        grids = {grid.id: grid for grid in self.bench.show.grids}
        return grids.get(one.grid) if one else None

    def _chosen(self) -> None:
        one, grid = self.set_here(), self.grid_here()
        self.strips.take(one)
        self.picture.take(grid)
        on = f"on {grid.name or f'grid {grid.number}'}" if grid else "its grid is gone"
        self.title.setText(f"Set {one.number}  {one.name}, {on}" if one else "No layer set yet")
        for part in (self.gone, self.show_button, self.look_button, self.dark):
            part.setEnabled(one is not None)
        self.dark.setChecked(one is None or one.dark)
        self._layer_chosen()
        self._said()

    def _layer_chosen(self) -> None:
        one, here = self.set_here(), self.strips.layer_here()
        layer = next((x for x in one.layers if x.id == here), None) if one else None
        for part in (*self.own, self.only, self.on):
            part.setEnabled(layer is not None)
        self.on.setChecked(layer is None or layer.on)
        media = self._media(layer) if layer else None
        self.finer.setVisible(media is not None and too_small(media, self._longest()))
        self.form.take(layer)
        self.picture.show_layer(layer)
        self.about.setText(self._about(layer) if layer else "Add a layer to show something.")
        self.only.setText("On all units" if layer and layer.units else "Only selected units")

    def _media(self, layer: PictureLayer) -> Media | None:
        return next((m for m in self.bench.show.media if m.id == layer.media), None)

    def _about(self, layer: PictureLayer) -> str:
        show, source = self.bench.show, WORDS.get(layer.source, layer.source)
        told = f"{said(layer)}: {source.removesuffix('…')}"
        media = self._media(layer)
        if media is not None:
            size = next((len(f.data) for f in show.files if f.name == media.file), 0)
            of = f"{media.size[0]} × {media.size[1]}"
            told = f"{said(layer)}: {media.name}, {of}, {size / 1e6:.2f} MB in the show"
            if too_small(media, self._longest()):
                told += ", coarser than the grid"
        return told + (f"; only on {many(len(layer.units), 'unit')}" if layer.units else "")

    def plan_of(self, layer: PictureLayer) -> LayerPlan | None:
        """A layer made ready to be looked at."""
        grid = self.grid_here()
        return self._studio.layer(self.bench.show, layer, grid) if grid else None

    def blind_plan(self, dragged: Mapping[str, float]) -> SetPlan | None:
        """The set as it would be, with what a hand changes of its layer just now; None while it is
        what is sent.
        """
        one, show = self.set_here(), self.bench.show
        if one is None or (self.playing.picturing.shows(one.id) and not dragged):
            return None
        if dragged:
            show, _ = core.put_set(show, core.change_layer(one, self.strips.layer_here(), dragged))
        made = self._studio.pictures(show, self.bench.levels.live, [one.id])
        return made.sets.get(one.id)

    def _showing(self) -> None:
        """Told again where another set is shown, or none."""
        one = self.set_here()
        shown = one is not None and self.playing.picturing.shows(one.id)
        if shown != self._later.isActive() and self.isVisible():
            self._said()

    def _said(self) -> None:
        one = self.set_here()
        shown = one is not None and self.playing.picturing.shows(one.id)
        self.show_button.setText("End it" if shown else "Show it")
        if shown != self._later.isActive():
            self._later.start() if shown and self.isVisible() else self._later.stop()
        dark = self._dark() if shown else []
        self.raise_button.setVisible(any(d.why for d in dark))
        if shown:
            self.told.setText(" ".join(d.in_words() for d in dark) or "Shown on the rig.")
        else:
            self.told.setText("Blind: how the set would be. Nothing of it is sent." if one else "")

    def _dark(self) -> list[Dark]:
        grid, levels = self.grid_here(), self.bench.levels
        if grid is None:
            return []
        canvas = self._studio.canvas(levels.live, grid)
        return dark_units(levels.view, levels.live, grid, canvas)

    # ------------------------------------------------------------ sets

    def _put(self, verb: str, one: LayerSet | None = None, **changed: Any) -> None:
        here = one or self.set_here()
        if here is None:
            return

        def run() -> None:
            show, made = core.put_set(self.bench.show, replace(here, **changed))
            self.bench.commit(f"{verb} layer set {core.set_of(show, made).number}", show)
            choose_row(self.table, self.sets, made)

        self.bench.guard(run)

    def new_set(self) -> None:
        """A set on the grid of the current one, or on the first."""
        grids = sorted(self.bench.show.grids, key=lambda grid: grid.number)
        grid = self.grid_here() or (grids[0] if grids else None)
        if grid is None:
            self.bench.tell("attention", "There is no grid yet. Propose one first.")
            return
        self._put("make", LayerSet(id="", number=0, grid=grid.id, name=grid.name))

    def remove_set(self) -> None:
        one = self.set_here()
        if one is not None:
            self.playing.end_set(one.id)
            used = [look for look in self.bench.show.looks if one.id in look.pictures]
            self.bench.commit(
                f"remove layer set {one.number}", core.remove_set(self.bench.show, one.id)
            )
            if used:
                self.bench.tell("attention", f"{len(used)} looks showed it and do so no more.")

    def _write_set(self, row: Any, column: int, text: str) -> bool:
        def run() -> None:
            if column == 0:
                [number] = read_numbers(text)
                changed = {"number": number}
            elif column == 1:
                changed = {"name": text}
            else:
                changed = {"grid": grid_named(self.bench.show, text).id}
            show, _ = core.put_set(self.bench.show, replace(row, **changed))
            self.bench.commit(f"change layer set {row.number}", show)

        return self.bench.guard(run)

    # ------------------------------------------------------------ layers

    def _layer(self, layer_id: str) -> PictureLayer:
        one = self.set_here()
        assert one is not None
        return core.layer_of(one, layer_id)

    def _change(self, layer_id: str, **changes: Any) -> None:
        one = self.set_here()
        if one is not None and layer_id:
            self._put("change", core.change_layer(one, layer_id, changes))

    def _write_field(self, name: str, text: str) -> bool:
        one, layer_id = self.set_here(), self.strips.layer_here()
        if one is None or not layer_id:
            return False

        def run() -> None:
            changes = read_field(self._layer(layer_id), name, text)
            self._change(layer_id, **dict(changes))

        return self.bench.guard(run)

    def add(self) -> None:
        """One more layer in front; the first makes its set too."""
        source = self.source.currentData()
        if self.set_here() is None:
            self.new_set()
        if self.set_here() is None:
            return
        if source == "media":
            self.open_media()
        else:
            self._add(source)

    def _add(self, source: str, **has: Any) -> None:
        one = self.set_here()
        if one is None:
            return
        made = core.add_layer(one, source, **has)
        self._put("add a layer to", made)
        self.strips.choose(made.layers[-1].id)

    def remove(self) -> None:
        one = self.set_here()
        if one is not None and self.strips.layer_here():
            self._put("remove a layer of", core.remove_layer(one, self.strips.layer_here()))

    def double(self) -> None:
        one = self.set_here()
        if one is not None and self.strips.layer_here():
            self._put("copy a layer of", core.double_layer(one, self.strips.layer_here()))

    def shift(self, by: int) -> None:
        """Forward is to the front."""
        one, here = self.set_here(), self.strips.layer_here()
        if one is not None and here:
            self._move(here, [x.id for x in one.layers].index(here) + by)

    def _move(self, layer_id: str, to: int) -> None:
        one = self.set_here()
        if one is not None:
            self._put("reorder", core.move_layer(one, layer_id, to))

    def only_units(self) -> None:
        """The layer on the selected units alone, or on all again."""
        layer_id = self.strips.layer_here()
        if not layer_id:
            return
        layer, mine = self._layer(layer_id), tuple(self.bench.selection.ids)
        if layer.units:
            self._change(layer_id, units=())
        elif mine:
            self._change(layer_id, units=mine)
        else:
            self.bench.tell("attention", "No units are selected. Select those it is for.")

    # ------------------------------------------------------------ pictures brought in

    def _longest(self) -> int:
        grid = self.grid_here()
        return longest_for(grid.width, grid.height) if grid else 0

    def open_media(self) -> None:
        if self.grid_here() is not None:
            self.bringing.open(self._longest(), self._brought)

    def bring(self, path: Path) -> None:
        """Read and fitted, then a layer in front."""
        if self.grid_here() is not None:
            self.bringing.read(path, self._longest(), self._brought)

    def _brought(self, brought: Brought) -> None:
        one = self.set_here()
        show, media = put_media(self.bench.show, brought)
        if one is None:
            return
        made = core.add_layer(one, "media", media=media, name=brought.media.name)
        show, _ = core.put_set(show, made)
        self.bench.commit(f"bring in {brought.media.name}", show)
        self.strips.choose(made.layers[-1].id)
        self.bench.tell("ok", brought.words)

    def fit_again(self) -> None:
        """As fine as the grid is by now."""
        media = self._media(self._layer(self.strips.layer_here()))
        if media is not None:
            self.bringing.fit_again(media, self._longest(), lambda b: self._fitted(media, b))

    def _fitted(self, media: Media, brought: Brought) -> None:
        show, _ = put_media(self.bench.show, brought, instead=media.id)
        self.bench.commit(f"fit {media.name} again", show)
        self.bench.tell("ok", brought.words)

    # ------------------------------------------------------------ shown

    def show_it(self) -> None:
        """Show the set on the rig, or end it."""
        one = self.set_here()
        if one is None:
            return
        if self.playing.picturing.shows(one.id):
            self.playing.end_set(one.id)
            return
        self.playing.show_set(one.id)
        self.picture.began = time.monotonic()
        if not self.bench.levels.sending:
            self.bench.tell("attention", "Output is off: nothing of it leaves the computer.")

    def light(self) -> None:
        """Ask for what lights the units that stay dark."""
        asks = {key: level for dark in self._dark() for key, level in dark.asks.items()}
        self.bench.levels.change(lambda live: live.ask(asks), "raise the masters")
        self._said()

    def new_look(self) -> None:
        """A look that lights the units of the grid and shows the set."""
        one, grid = self.set_here(), self.grid_here()

        def run() -> None:
            if one is None or grid is None:
                raise EntryFault("This set has no grid.", do="Type one into its row.")
            units = tuple(dict.fromkeys(cell.unit for cell in grid.cells))
            line = LookLine(units=units, wish=Wish(intensity=1.0))
            made = Look(id="", number=0, name=one.name, lines=(line,), pictures=(one.id,))
            show, look = look_edits.put(self.bench.show, made)
            number = look_edits.look(show, look).number
            self.bench.commit(f"make look {number}", show)
            self.bench.tell("ok", f"Look {number} lights {len(units)} units and shows the set.")

        self.bench.guard(run)
