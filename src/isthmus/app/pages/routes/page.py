"""The Routes page: routes as a picture and a table, nodes, the own network, the watch, and the
simulator.
"""

from __future__ import annotations

from isthmus.app.kit.actions import Action
from isthmus.app.kit.theme import theme
from isthmus.app.kit.widgets import PageView, bind
from isthmus.app.model.house import House
from isthmus.app.pages.base import Page
from isthmus.app.pages.routes.actions import actions_of
from isthmus.app.pages.routes.views.network import NetworkView
from isthmus.app.pages.routes.views.nodes import NodesView
from isthmus.app.pages.routes.views.rig import RigView
from isthmus.app.pages.routes.views.routes import RoutesView
from isthmus.app.pages.routes.views.watch import WatchView
from isthmus.routes import routed, universes_in_use
from isthmus.snags import Snag

VIEWS = ("Routes", "Nodes", "Network", "Watch", "Simulator")


class RoutesPage(Page):
    title = "Routes"
    unlit = frozenset({"Nodes", "Network", "Watch"})
    context = (
        *("routes.add", "routes.change", "routes.number", "routes.mirror", "routes.take_over", ""),
        *(
            "routes.dark",
            "routes.hold",
            "routes.live",
            "",
            "routes.flash",
            "routes.chase",
            "routes.end_proof",
        ),
        *("", "nodes.change", "nodes.remove", "nodes.expect", "", "routes.remove"),
    )

    def __init__(self, house: House) -> None:
        super().__init__(house)
        bench, actions, net, over = house.bench, house.actions, house.net, house.over
        self.net = net
        self.add_switches(VIEWS)
        self.head.row.addSpacing(12)
        self.head.add(actions.button("routes.add", "Add an output…"))
        self.head.add(actions.button("routes.propose", "Route unrouted universes"))
        self.routes = RoutesView(bench, actions, over)
        self.nodes = NodesView(bench, net, actions, over)
        self.network = NetworkView(bench, net, over)
        self.watch = WatchView(bench, net, over)
        self.rig = RigView(bench, house.rig.address if house.rig else None)
        made: tuple[PageView, ...] = (self.routes, self.nodes, self.network, self.watch, self.rig)
        self.take_views(dict(zip(VIEWS, made, strict=True)))
        bind(bench.changed, self, self.refresh)
        bind(bench.known.network_changed, self, self._told)
        theme.changed.connect(self.refresh)
        self.refresh()

    def actions(self) -> list[Action]:
        return actions_of(self)

    def visit(self, snag: Snag) -> None:
        if snag.universe:
            self.routes.show_universe(snag.universe)

    def _told(self) -> None:
        self.routes.picture.refresh()
        self._say()

    def refresh(self) -> None:
        self._say()
        self.routes.refresh()
        if self.view in ("Nodes", "Network"):
            self.views[self.view].refresh()

    def _say(self) -> None:
        show = self.bench.show
        use, lead = universes_in_use(show), routed(show)
        lost = [u for u in use if u not in lead]
        parts = [str(len(use)), "universes with units", str(len(show.outputs)), "outputs"]
        parts += [str(len(lost)), "have no output"] if lost else []
        self.head.say(*parts)
