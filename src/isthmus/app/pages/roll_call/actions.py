"""What can be done on the Roll call page."""

from __future__ import annotations

from typing import TYPE_CHECKING

from isthmus.app.kit.actions import Action
from isthmus.app.pages.roll_call.views.ways import KEYS
from isthmus.check.ways import WRONG_IN

if TYPE_CHECKING:
    from isthmus.app.pages.roll_call.page import RollCallPage


def actions_of(page: RollCallPage) -> list[Action]:
    bench, call, group = page.bench, page.call, page.title
    return [
        Action(
            "call.begin",
            "Start roll call",
            lambda: bench.guard(page.begin),
            "",
            "no call",
            help="Lights the units one by one, to be marked",
            group=group,
        ),
        Action(
            "call.hand",
            "Test only the selected units",
            lambda: bench.guard(lambda: page.begin(bench.selection.ids)),
            "Ctrl+Shift+C",
            "selection",
            group=group,
        ),
        Action(
            "call.works",
            "Mark: works",
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
        Action("call.clear", "Clear verdict", bench.session.unmark, "C", "call", group=group),
        Action("call.next", "Next", lambda: bench.session.step(1), "N", "call", group=group),
        Action("call.back", "Previous", lambda: bench.session.step(-1), "B", "call", group=group),
        Action("call.again", "Repeat", bench.session.again, "G", "call", group=group),
        Action(
            "call.jump",
            "Test the selected unit now",
            lambda: bench.guard(call.jump_to_hand),
            "J",
            "call",
            group=group,
        ),
        Action(
            "call.act",
            "Next test",
            bench.session.step_act,
            "D",
            "call",
            group=group,
            help="Colour, movement, beam and cells in turn",
        ),
        Action("call.end", "End roll call", bench.session.end, "Ctrl+E", "call", group=group),
        Action(
            "rdm.discover",
            "Discover devices",
            lambda: (page.here("Discovery"), page.discovery.discover()),
            group=group,
            help="By RDM",
        ),
        Action(
            "rdm.identify",
            "Identify selected units",
            page.discovery.identify_in_hand,
            "",
            "selection",
            group=group,
        ),
        *(
            Action(
                f"call.way.{way}",
                f"Fault: {words}",
                lambda w=way: call.wrong_in.toggle(w),
                KEYS[way],
                "call",
                group=group,
            )
            for way, words in WRONG_IN.items()
        ),
    ]
