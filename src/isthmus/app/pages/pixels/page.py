"""The Pixels page: grids of cells, and what is shown on them."""

from __future__ import annotations

from isthmus.app.kit.actions import Action
from isthmus.app.kit.widgets import PageView, bind
from isthmus.app.model.house import House
from isthmus.app.pages.base import Page
from isthmus.app.pages.pixels.views.grid import GridView
from isthmus.app.pages.pixels.views.layers import LayersView
from isthmus.app.pages.pixels.views.wiring import WiringView
from isthmus.plural import many

VIEWS = ("Grids", "Layers", "Wiring")


class PixelsPage(Page):
    title = "Pixels"
    context = (
        *("pixels.propose", "pixels.by_hand", "pixels.test", "", "pixels.remove", ""),
        *("pixels.show", "pixels.media", "pixels.wiring"),
    )

    def __init__(self, house: House) -> None:
        super().__init__(house)
        self.add_switches(VIEWS)
        self.grid = GridView(house.bench, house.rig)
        self.layers = LayersView(house.bench)
        self.wiring = WiringView(house.bench, house.rig)
        made: tuple[PageView, ...] = (self.grid, self.layers, self.wiring)
        self.take_views(dict(zip(VIEWS, made, strict=True)))
        bind(house.bench.changed, self, self._say)
        self._say()

    def _say(self) -> None:
        self.head.say(*many(len(self.bench.show.grids), "grid").split(" ", 1))

    def actions(self) -> list[Action]:
        acts = [
            ("propose", "Propose a grid of the selected units", self.grid.propose, "selection"),
            ("by_hand", "Lay out a grid by hand…", self.grid.by_hand, ""),
            ("test", "Show a test picture, or end it", self.grid.tests.turn, ""),
            ("remove", "Remove the grid", self.grid.remove, ""),
            ("wiring", "Check the wiring of the grid", self.check_wiring, ""),
            ("show", "Show the layer set, or end it", self.layers.show_it, ""),
            ("media", "Bring in a picture or a film…", self.layers.open_media, ""),
        ]
        return [Action(f"pixels.{n}", w, r, when=c, group="Pixels") for n, w, r, c in acts]

    def check_wiring(self) -> None:
        self.here("Wiring")
        self.wiring.begin()

    def shut_down(self) -> None:
        self.left()
