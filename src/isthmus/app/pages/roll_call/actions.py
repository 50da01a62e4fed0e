"""What can be done on the Roll call page."""

from __future__ import annotations

from typing import TYPE_CHECKING

from isthmus.app.kit.actions import Action
from isthmus.check.verdicts import WAYS

if TYPE_CHECKING:
    from isthmus.app.pages.roll_call.page import RollCallPage


def actions_of(page: RollCallPage) -> list[Action]:
    bench, call, group = page.bench, page.call, page.title
    return [
        Action(
            "call.begin",
            "Begin roll call",
            lambda: bench.guard(page.begin),
            "Ctrl+R",
            "no call",
            help="Light one after the other",
            group=group,
        ),
        Action(
            "call.hand",
            "Call only the units in hand",
            lambda: bench.guard(lambda: page.begin(bench.selection)),
            "Ctrl+Shift+C",
            "selection",
            group=group,
        ),
        Action(
            "call.works",
            "Mark: answers",
            lambda: bench.guard(lambda: call.mark("works")),
            "A",
            "call",
            group=group,
        ),
        Action(
            "call.wrong",
            "Mark: wrong",
            lambda: bench.guard(lambda: call.mark("wrong")),
            "W",
            "call",
            group=group,
        ),
        Action(
            "call.silent",
            "Mark: silent",
            lambda: bench.guard(lambda: call.mark("silent")),
            "S",
            "call",
            group=group,
        ),
        Action(
            "call.skip",
            "Mark: skipped",
            lambda: bench.guard(lambda: call.mark("skipped")),
            "K",
            "call",
            group=group,
        ),
        Action("call.clear", "Take the verdict away", bench.unmark, "C", "call", group=group),
        Action("call.next", "Next stop", lambda: bench.step_call(1), "N", "call", group=group),
        Action("call.back", "Stop before", lambda: bench.step_call(-1), "B", "call", group=group),
        Action("call.again", "The same stop again", bench.call_again, "G", "call", group=group),
        Action(
            "call.jump",
            "Call the unit in hand now",
            lambda: bench.guard(call.jump_to_hand),
            "J",
            "call",
            group=group,
        ),
        Action(
            "call.act",
            "Next act of the unit called",
            bench.step_act,
            "D",
            "call",
            group=group,
            help="Colour, movement, beam, cells",
        ),
        Action("call.end", "End roll call", bench.end_call, "Ctrl+E", "call", group=group),
        Action(
            "rdm.discover",
            "Discover devices",
            lambda: (page.here("Discovery"), page.discovery.discover()),
            group=group,
            help="By RDM",
        ),
        Action(
            "rdm.identify",
            "Let the units in hand show themselves",
            page.discovery.identify_in_hand,
            "",
            "selection",
            group=group,
        ),
        *(
            Action(
                f"call.way.{way}",
                f"Wrong in: {words}",
                lambda w=way: call.toggle_way(w),
                str(n),
                "call",
                group=group,
            )
            for n, (way, words) in enumerate(WAYS.items(), 1)
        ),
    ]
