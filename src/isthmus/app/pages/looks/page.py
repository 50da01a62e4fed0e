"""The Looks page: palettes of what light can be."""

from __future__ import annotations

from isthmus.app.kit.actions import Action
from isthmus.app.kit.widgets import bind
from isthmus.app.model.house import House
from isthmus.app.pages.base import Page
from isthmus.app.pages.looks.views.palettes import PalettesView
from isthmus.plural import many


class LooksPage(Page):
    title = "Looks"
    context = (
        "looks.use",
        "looks.rename",
        "looks.update",
        "",
        "looks.remove",
        "",
        "looks.starters",
    )

    def __init__(self, house: House) -> None:
        super().__init__(house)
        self.palettes = PalettesView(house.bench)
        self.column.addWidget(self.palettes, 1)
        bind(house.bench.changed, self, self._say)
        self._say()

    def _say(self) -> None:
        count = len(self.bench.show.palettes)
        self.head.say(*many(count, "palette").split(" ", 1))

    def entered(self) -> None:
        self.palettes.entered()

    def left(self) -> None:
        self.palettes.left()

    def actions(self) -> list[Action]:
        view = self.palettes
        return [
            Action("looks.use", "Use the palette", view.use, when="selection", group="Looks"),
            Action("looks.rename", "Rename the palette", view.begin_naming, group="Looks"),
            Action(
                "looks.update", "Update the palette from now", view.update_from_now, group="Looks"
            ),
            Action("looks.remove", "Remove the palette", view.remove, group="Looks"),
            Action("looks.starters", "Make the starter set", view.make_starters, group="Looks"),
        ]
