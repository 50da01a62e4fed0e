"""The Looks page: palettes, looks made of them, and cue lists that play looks."""

from __future__ import annotations

from isthmus.app.canvas.stage_drawing import StageDrawing
from isthmus.app.canvas.stage_view import StageView
from isthmus.app.kit.actions import Action
from isthmus.app.kit.widgets import PageView, bind
from isthmus.app.model.house import House
from isthmus.app.model.standing import Standing
from isthmus.app.pages.base import Page
from isthmus.app.pages.looks.views.cues import CuesView
from isthmus.app.pages.looks.views.focus import FocusView
from isthmus.app.pages.looks.views.looks import LooksView
from isthmus.app.pages.looks.views.palettes import PalettesView
from isthmus.plural import many
from isthmus.stage.camera import VIEWS as VIEWS_OF_STAGE

VIEWS = ("Palettes", "Focus", "Looks", "Cues")


class LooksPage(Page):
    title = "Looks"
    context = (
        *("looks.use", "looks.rename", "looks.update", "looks.remove", "", "looks.starters", ""),
        *("cues.go", "cues.back", "cues.pause", "cues.release", ""),
        *("cues.sheet", "cues.focus_sheet"),
    )

    def __init__(self, house: House) -> None:
        super().__init__(house)
        bench = house.bench
        self.add_switches(VIEWS)
        drawing = StageDrawing(house.settings)
        self.palettes = PalettesView(bench)
        self.stage = StageView(bench, drawing)  # one for all views: each takes it when it is seen
        self.stage.set_camera(VIEWS_OF_STAGE["Seats"])
        self.looks = LooksView(bench, self.stage)
        self.cues = CuesView(bench, self.stage)
        self.focus = FocusView(bench, house.focus, self.stage)
        made: tuple[PageView, ...] = (self.palettes, self.focus, self.looks, self.cues)
        self.take_views(dict(zip(VIEWS, made, strict=True)))
        self.standing = Standing(bench)
        bind(bench.changed, self, self._say)
        self._say()

    def _say(self) -> None:
        show = self.bench.show
        counts = {
            "Palettes": many(len(show.palettes), "palette"),
            "Focus": many(sum(p.kind == "position" for p in show.palettes), "position"),
            "Looks": many(len(show.looks), "look"),
            "Cues": many(sum(len(one.cues) for one in show.cue_lists), "cue"),
        }
        self.head.say(*counts[self.view].split(" ", 1))

    def show_view(self, name: str) -> None:
        super().show_view(name)
        self._say()

    def shut_down(self) -> None:
        self.standing.shut_down()
        self.stage.pictures.stop()

    def actions(self) -> list[Action]:
        view, cues = self.palettes, self.cues
        palettes = [
            ("use", "Use the palette", view.use, "selection"),
            ("rename", "Rename the palette", view.begin_naming, ""),
            ("update", "Update the palette from now", view.update_from_now, ""),
            ("remove", "Remove the palette", view.remove, ""),
            ("starters", "Make the starter set", view.make_starters, ""),
        ]
        going = [
            ("go", "Go: the next cue", cues.go, "F8"),
            ("back", "Back: the cue before", cues.back, "Shift+F8"),
            ("pause", "Pause the cue list, or go on", cues.pause, "F9"),
            ("release", "Release the cue list", cues.release, "Shift+F9"),
            ("sheet", "Save the cue sheet…", cues.save_sheet, ""),
            ("focus_sheet", "Save the focus sheet…", self.focus.save_sheet, ""),
        ]
        return [
            *(Action(f"looks.{n}", w, r, when=c, group="Looks") for n, w, r, c in palettes),
            *(Action(f"cues.{n}", w, r, k, group="Looks") for n, w, r, k in going),
        ]
