"""What can be done on the Routes page."""

from __future__ import annotations

from typing import TYPE_CHECKING

from isthmus.app.kit.actions import Action
from isthmus.app.model.workbench import Workbench
from isthmus.output.masters import DARK, HOLD, LIVE
from isthmus.routes.propose import BY_CAPACITY, BY_POSITION

if TYPE_CHECKING:
    from isthmus.app.pages.routes.page import RoutesPage


def actions_of(page: RoutesPage) -> list[Action]:
    routes, nodes, bench, group = page.routes, page.nodes, page.bench, page.title
    return [
        Action("routes.add", "Add an output…", routes.add, "Ctrl+Shift+O", group=group),
        Action("routes.node", "Add a node…", routes.add_node, "Ctrl+Shift+N", group=group),
        Action(
            "routes.propose",
            "Route unrouted universes",
            lambda: routes.propose(BY_POSITION),
            "Ctrl+Shift+R",
            help=("Gives every universe without an output a free port of the nearest node"),
            group=group,
        ),
        Action(
            "routes.propose_room",
            "Route unrouted universes to the emptiest nodes",
            lambda: routes.propose(BY_CAPACITY),
            group=group,
        ),
        Action(
            "routes.change", "Change selected outputs…", routes.change, "Ctrl+Alt+O", group=group
        ),
        Action(
            "routes.assign",
            "Assign universes to ports in order…",
            routes.assign,
            group=group,
            help="With gaps, if wanted",
        ),
        Action("routes.number", "Number selected outputs in order…", routes.number, group=group),
        Action("routes.mirror", "Mirror a node to another…", routes.mirror, group=group),
        Action("routes.take_over", "Switch to the spare of a node…", routes.take_over, group=group),
        Action("routes.remove", "Remove selected outputs", routes.remove_chosen, group=group),
        Action(
            "routes.dark",
            "Black out selected outputs",
            lambda: routes.master(DARK),
            group=group,
            help="Turns lights off; heads stay where they are",
        ),
        Action(
            "routes.hold",
            "Hold selected outputs",
            lambda: routes.master(HOLD),
            group=group,
            help="Keeps sending the present levels",
        ),
        Action("routes.live", "Resume selected outputs", lambda: routes.master(LIVE), group=group),
        Action(
            "output.dark",
            "Blackout",
            lambda: _toggle(bench, DARK),
            "Ctrl+Shift+B",
            group="Output",
            help="Turns lights off; heads stay where they are",
        ),
        Action(
            "output.hold",
            "Hold all outputs",
            lambda: _toggle(bench, HOLD),
            "Ctrl+Shift+H",
            group="Output",
        ),
        Action("routes.flash", "Flash universe number", routes.prove_number, group=group),
        Action("routes.chase", "Chase over selected universes", routes.prove_chase, group=group),
        Action("routes.end_proof", "End output test", bench.proving.end, group=group),
        Action(
            "nodes.look",
            "Look for nodes",
            nodes.toggle,
            group=group,
            help="Asks for nodes every 2.5 s",
        ),
        Action("nodes.forget", "Search for nodes again", nodes.forget, group=group),
        Action("nodes.change", "Change expected node…", nodes.change, group=group),
        Action("nodes.remove", "Remove selected node", nodes.remove, group=group),
        Action("nodes.expect", "Add all found nodes", nodes.expect_all, group=group),
    ]


def _toggle(bench: Workbench, state: str) -> None:
    bench.levels.master(LIVE if bench.levels.masters.everything == state else state)
