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
            "Route what leads nowhere",
            lambda: routes.propose(BY_POSITION),
            "Ctrl+Shift+R",
            help=(
                "Give every universe without an output a free port, of the node that stands nearest"
            ),
            group=group,
        ),
        Action(
            "routes.propose_room",
            "Route what leads nowhere, to the emptiest nodes",
            lambda: routes.propose(BY_CAPACITY),
            group=group,
        ),
        Action(
            "routes.change", "Change the chosen outputs…", routes.change, "Ctrl+Alt+O", group=group
        ),
        Action(
            "routes.assign",
            "Assign universes to ports in order…",
            routes.assign,
            group=group,
            help="With gaps, if wanted",
        ),
        Action("routes.number", "Number the chosen outputs in order…", routes.number, group=group),
        Action("routes.mirror", "Mirror a node to another…", routes.mirror, group=group),
        Action("routes.take_over", "Switch to the spare of a node…", routes.take_over, group=group),
        Action("routes.remove", "Take the chosen outputs away", routes.remove_chosen, group=group),
        Action(
            "routes.dark",
            "Chosen outputs dark",
            lambda: routes.master(DARK),
            group=group,
            help="Lights out, heads stay",
        ),
        Action(
            "routes.hold",
            "Chosen outputs hold",
            lambda: routes.master(HOLD),
            group=group,
            help="Go on with what is sent now",
        ),
        Action(
            "routes.live", "Chosen outputs live again", lambda: routes.master(LIVE), group=group
        ),
        Action(
            "output.dark",
            "Everything dark",
            lambda: _toggle(bench, DARK),
            "Ctrl+Shift+B",
            group="Output",
            help="Lights out, heads stay",
        ),
        Action(
            "output.hold",
            "Hold everything",
            lambda: _toggle(bench, HOLD),
            "Ctrl+Shift+H",
            group="Output",
        ),
        Action(
            "routes.flash", "Flash the chosen universe's number", routes.prove_number, group=group
        ),
        Action("routes.chase", "Chase over the chosen universes", routes.prove_chase, group=group),
        Action("routes.end_proof", "End the proof of a route", bench.end_proof, group=group),
        Action(
            "nodes.look",
            "Look for nodes",
            nodes.toggle,
            group=group,
            help="Ask every 2.5 s who is there",
        ),
        Action("nodes.forget", "Look for nodes anew", nodes.forget, group=group),
        Action(
            "nodes.change", "Change what is expected of the chosen node…", nodes.change, group=group
        ),
        Action("nodes.remove", "Take the chosen node away", nodes.remove, group=group),
        Action("nodes.expect", "Expect all nodes that answer", nodes.expect_all, group=group),
        Action("network.plan", "Address plan…", page.network.plan, group=group),
    ]


def _toggle(bench: Workbench, state: str) -> None:
    bench.master(LIVE if bench.masters.everything == state else state)
