"""What can be done on the Stage page."""

from __future__ import annotations

from typing import TYPE_CHECKING

from isthmus.app.kit.actions import Action
from isthmus.app.kit.dialogs import ask_text
from isthmus.app.pages.stage.dialogs.fan import FanDialog
from isthmus.app.pages.stage.dialogs.look import LookDialog
from isthmus.app.pages.stage.dialogs.picture import PictureDialog
from isthmus.stage import VIEWS

if TYPE_CHECKING:
    from isthmus.app.pages.stage.page import StagePage


def actions_of(page: StagePage) -> list[Action]:
    view, bench, over = page.view, page.bench, page.house.over

    def keep() -> None:
        name = ask_text(over, "Keep this view", "Name of the view", "")
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
                ("Paper asks", "what paper asks", "Ctrl+[", ""),
                ("Rig does", "what the rig does", "Ctrl+]", "rig"),
                ("Side by side", "both side by side", "Ctrl+Shift+[", "rig"),
                ("Difference", "where they differ", "Ctrl+Shift+]", "rig"),
            )
        ),
        Action("stage.fit", "Fit the stage", view.fit, "Ctrl+Shift+Home", group="Stage"),
        Action(
            "stage.fit_hand",
            "Fit the units in hand on stage",
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
            help="Click where the beams in hand shall meet",
            group="Stage",
        ),
        Action(
            "units.fan",
            "Fan…",
            lambda: FanDialog(over, bench).open(),
            "F",
            "selection",
            help="Spread a value over the units in hand",
            group="Stage",
        ),
        Action(
            "stage.look",
            "Light and drawing…",
            lambda: LookDialog(over, bench, [view, page.other], page.house.settings).show(),
            "Ctrl+Alt+G",
            group="Stage",
        ),
        Action("stage.keep_view", "Keep this view…", keep, group="Stage"),
        Action(
            "stage.forget_view", "Forget the view that is chosen", page.forget_view, group="Stage"
        ),
        Action("stage.sit", "See from a seat: click it", page.sit, group="Stage"),
        Action(
            "stage.picture",
            "Picture of this view…",
            lambda: PictureDialog(over, bench, view).open(),
            "Ctrl+Alt+P",
            group="Stage",
        ),
        Action(
            "stage.apart",
            "The stage in a window of its own, or back",
            page.set_apart,
            "Ctrl+Alt+W",
            group="Stage",
        ),
        Action(
            "stage.beside_plan",
            "Plan and stage next to each other, or apart",
            page.beside_plan,
            "Ctrl+Alt+S",
            group="Stage",
        ),
        Action(
            "stage.full",
            "The stage over the whole screen, or back",
            page.full,
            "F11",
            group="Stage",
        ),
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
