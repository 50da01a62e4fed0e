"""What can be done on the Stage page."""

from __future__ import annotations

from typing import TYPE_CHECKING

from isthmus.app.kit.actions import Action
from isthmus.app.kit.dialogs import ask_text
from isthmus.app.pages.stage.dialogs.fan import FanDialog
from isthmus.app.pages.stage.dialogs.look import LookDialog
from isthmus.app.pages.stage.dialogs.picture import PictureDialog
from isthmus.patch.naming import name_for
from isthmus.stage import VIEWS

if TYPE_CHECKING:
    from isthmus.app.pages.stage.page import StagePage


def actions_of(page: StagePage) -> list[Action]:
    view, bench, over = page.view, page.bench, page.house.over

    def keep() -> None:
        taken = [v.name for v in bench.show.views]
        proposed = name_for(bench.show, bench.selection.units(), taken)
        name = ask_text(over, "Save view", "Name of the view", proposed)
        if name:
            page.take_view(name)

    return [
        *(
            Action(
                f"stage.{name.lower().replace(' ', '_')}",
                f"Stage: {words}",
                lambda n=name: page.show_truth(n),
                key,
                when,
                group="Stage",
            )
            for name, words, key, when in (
                ("Sent", "what is sent", "Ctrl+[", ""),
                ("Simulated rig", "what the simulated rig does", "Ctrl+]", "rig"),
                ("Side by side", "both side by side", "Ctrl+Shift+[", "rig"),
                ("Difference", "where they differ", "Ctrl+Shift+]", "rig"),
            )
        ),
        Action("stage.fit", "Fit the stage", view.fit, "Ctrl+Shift+Home", group="Stage"),
        Action(
            "stage.fit_hand",
            "Fit the selected units on stage",
            view.fit_hand,
            "Ctrl+Alt+Home",
            "selection",
            group="Stage",
        ),
        Action(
            "stage.aim",
            "Aim on the stage",
            page.switch_aim,
            "T",
            help="Click where the selected beams will meet",
            group="Stage",
            pages=("Plan", "Stage"),
        ),
        Action(
            "units.fan",
            "Fan…",
            lambda: FanDialog(over, bench).open(),
            "F",
            "selection",
            help="Spread a value over the selected units",
            group="Stage",
            pages=("Plan", "Stage"),
        ),
        Action(
            "stage.look",
            "Light and drawing…",
            lambda: LookDialog(over, bench, page.choice, page.house.settings).show(),
            "Ctrl+Alt+G",
            group="Stage",
        ),
        Action("stage.keep_view", "Save view…", keep, group="Stage"),
        Action("stage.forget_view", "Delete selected view", page.forget_view, group="Stage"),
        Action("stage.sit", "See from a seat", page.sit, group="Stage"),
        Action(
            "stage.picture",
            "Picture of this view…",
            lambda: PictureDialog(over, bench, view).open(),
            "Ctrl+Alt+P",
            group="Stage",
        ),
        Action(
            "stage.apart", "Stage in its own window", page.set_apart, "Ctrl+Alt+W", group="Stage"
        ),
        Action(
            "stage.beside_plan", "Plan beside stage", page.beside_plan, "Ctrl+Alt+S", group="Stage"
        ),
        Action("stage.full", "Stage full screen", page.full, "F11", group="Stage"),
        *(
            Action(
                f"stage.view.{name.lower()}",
                f"See the stage from: {name}",
                lambda n=name: page.see_from(n),
                group="Stage",
            )
            for name in VIEWS
        ),
    ]
