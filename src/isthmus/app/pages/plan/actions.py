"""What can be done on the Plan page."""

from __future__ import annotations

from typing import TYPE_CHECKING

from isthmus.app.kit.actions import Action
from isthmus.layout import set_out

if TYPE_CHECKING:
    from isthmus.app.pages.plan.page import PlanPage


def actions_of(page: PlanPage) -> list[Action]:
    bench, canvas, arranging = page.bench, page.canvas, page.arranging
    page.acts.condition("rearranging", lambda: bench.plan.rearranging and bool(bench.selection.ids))
    return [
        Action(
            "plan.rearrange",
            "Rearrange",
            page.toggle,
            "R",
            help="Let units and structures be moved on plan and stage, or not",
            group="Plan",
            pages=("Plan", "Stage"),
        ),
        Action("plan.fit", "Fit all", lambda: canvas.sight.fit(), "Ctrl+0", group="Plan"),
        Action(
            "plan.fit_hand",
            "Fit selection",
            lambda: canvas.sight.fit(list(bench.selection.ids)),
            "Ctrl+Shift+0",
            "selection",
            group="Plan",
        ),
        Action("plan.back", "Previous view", canvas.sight.back, "Ctrl+Alt+0", group="Plan"),
        Action("plan.nearer", "Zoom in", lambda: canvas.sight.zoom(1.25), "Ctrl++", group="Plan"),
        Action("plan.further", "Zoom out", lambda: canvas.sight.zoom(0.8), "Ctrl+-", group="Plan"),
        Action(
            "plan.aim",
            "Aim on the plan",
            page.switch_aim,
            "Ctrl+T",
            help="Click where the selected beams shall meet",
            group="Plan",
        ),
        Action(
            "plan.lux", "Illuminance in false colours", page.switch_lux, "Ctrl+Alt+Y", group="Plan"
        ),
        Action("plan.new_sheet", "New sheet…", page.new_sheet, group="Plan"),
        Action("plan.print", "Print this sheet to PDF or SVG…", page.print, "Ctrl+P", group="Plan"),
        Action("plan.underlay", "Background drawing…", page.underlay, group="Plan"),
        Action(
            "choose.text",
            "Select by number or name…",
            arranging.by_text,
            "Ctrl+Alt+N",
            group="Plan",
        ),
        *(
            Action(
                f"place.{kind}",
                f"Place: {words}",
                lambda k=kind: (bench.plan.rearrange(True), page.place.begin(k)),
                "",
                "selection",
                group="Plan",
            )
            for kind, words in (
                ("one", "one by one"),
                ("line", "along a line"),
                ("path", "along a path"),
                ("circle", "on a circle"),
                ("grid", "in a grid"),
            )
        ),
        *(
            Action(
                f"align.{edge}",
                f"Align {words}",
                lambda e=edge: arranging.align(e),
                "",
                "rearranging",
                group="Plan",
            )
            for edge, words in (
                ("left", "left"),
                ("right", "right"),
                ("top", "top"),
                ("bottom", "bottom"),
                ("middle", "middles across"),
                ("centre", "middles up and down"),
            )
        ),
        Action(
            "spread.across",
            "Spread evenly across",
            lambda: arranging.spread(0, False),
            "",
            "rearranging",
            group="Plan",
        ),
        Action(
            "spread.up",
            "Spread evenly up and down",
            lambda: arranging.spread(1, False),
            "",
            "rearranging",
            group="Plan",
        ),
        Action(
            "units.lock_place",
            "Lock or unlock places",
            arranging.lock,
            "",
            "selection",
            group="Plan",
        ),
        Action(
            "units.set_out",
            "Place on plan",
            lambda: bench.commit("place", set_out(bench.show, list(bench.selection.ids))),
            "Ctrl+Shift+P",
            "selection",
            help="Place units on the structure their position names, else in front",
            group="Plan",
        ),
    ]
