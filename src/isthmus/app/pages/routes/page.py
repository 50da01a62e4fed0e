"""The Routes page: routes as a picture and a table, nodes, the own network, the watch, and the stand-in rig."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from isthmus.app.kit.actions import Action, Registry
from isthmus.app.kit.theme import theme
from isthmus.app.kit.widgets import PageView, ViewsPage, bind, button
from isthmus.app.model.net_link import NetLink
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.routes.views.network import NetworkView
from isthmus.app.pages.routes.views.nodes import NodesView
from isthmus.app.pages.routes.views.rig import RigView
from isthmus.app.pages.routes.views.routes import RoutesView
from isthmus.app.pages.routes.views.watch import WatchView
from isthmus.output.masters import DARK, HOLD, LIVE
from isthmus.routes import routed, universes_in_use
from isthmus.routes.propose import BY_CAPACITY, BY_POSITION

VIEWS = ("Routes", "Nodes", "Network", "Watch", "Rig")


class RoutesPage(ViewsPage):
    title = "Routes"

    def __init__(
        self, bench: Workbench, actions: Registry, net: NetLink, rig: tuple[str, int] | None, window: QWidget, inside: QWidget
    ) -> None:
        super().__init__(inside)
        self.bench, self.acts, self.net, self.window_ = bench, actions, net, window
        switches = self.add_switches(VIEWS, self.show_view, "routes view")
        self.head.row.addSpacing(12)
        self.head.add(button("Add an output…", run=lambda: actions.trigger("routes.add")))
        self.head.add(button("Propose the missing", run=lambda: actions.trigger("routes.propose")))
        self.routes = RoutesView(bench, actions, window)
        self.nodes = NodesView(bench, net, actions, window)
        self.network = NetworkView(bench, net, window)
        self.watch = WatchView(bench, net, window)
        self.rig = RigView(bench, rig)
        made: tuple[PageView, ...] = (self.routes, self.nodes, self.network, self.watch, self.rig)
        self.take_views(dict(zip(VIEWS, made, strict=True)), switches)
        bind(bench.changed, self, self.refresh)
        bind(bench.network_changed, self, self._told)
        theme.changed.connect(self.refresh)
        self.refresh()

    # the parts that the rest of the window speaks to
    @property
    def picture(self):
        return self.routes.picture

    @property
    def table(self):
        return self.routes.table

    def show_universe(self, universe: int) -> None:
        self.routes.show_universe(universe)

    def here(self, view: str) -> None:
        """Come to this page, with one of its views."""
        self.acts.trigger("go.routes")
        self.show_view(view)

    def entered(self) -> None:
        if self.view in ("Nodes", "Network"):
            self.bench.guard(self.net.start)
            self.bench.see_network(self.net.view)
        super().entered()
        self.refresh()

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
        parts += [str(len(lost)), "lead nowhere"] if lost else []
        self.head.say(*parts)


def register(actions: Registry, page: RoutesPage) -> None:
    routes, nodes, bench = page.routes, page.nodes, page.bench
    group = "Routes"
    actions.add(
        Action("routes.add", "Add an output…", routes.add, "Ctrl+Shift+O", group=group),
        Action("routes.node", "Add a node…", routes.add_node, "Ctrl+Shift+N", group=group),
        Action(
            "routes.propose",
            "Route what leads nowhere",
            lambda: routes.propose(BY_POSITION),
            "Ctrl+Shift+R",
            help="Give every universe without an output a free port, of the node that stands nearest",
            group=group,
        ),
        Action("routes.propose_room", "Route what leads nowhere, to the emptiest nodes", lambda: routes.propose(BY_CAPACITY), group=group),
        Action("routes.change", "Change the chosen outputs…", routes.change, "Ctrl+Alt+O", group=group),
        Action("routes.assign", "Assign universes to ports in order…", routes.assign, group=group, help="With gaps, if wanted"),
        Action("routes.number", "Number the chosen outputs in order…", routes.number, group=group),
        Action("routes.mirror", "Mirror a node to another…", routes.mirror, group=group),
        Action("routes.take_over", "Switch to the spare of a node…", routes.take_over, group=group),
        Action("routes.remove", "Take the chosen outputs away", routes.remove_chosen, group=group),
        Action("routes.dark", "Chosen outputs dark", lambda: routes.master(DARK), group=group, help="Lights out, heads stay"),
        Action("routes.hold", "Chosen outputs hold", lambda: routes.master(HOLD), group=group, help="Go on with what is sent now"),
        Action("routes.live", "Chosen outputs live again", lambda: routes.master(LIVE), group=group),
        Action(
            "output.dark", "Everything dark", lambda: _toggle(bench, DARK), "Ctrl+Shift+B", group="Output", help="Lights out, heads stay"
        ),
        Action("output.hold", "Hold everything", lambda: _toggle(bench, HOLD), "Ctrl+Shift+H", group="Output"),
        Action("routes.flash", "Flash the chosen universe's number", routes.prove_number, group=group),
        Action("routes.chase", "Chase over the chosen universes", routes.prove_chase, group=group),
        Action("routes.end_proof", "End the proof of a route", bench.end_proof, group=group),
        Action("nodes.look", "Look for nodes", nodes.toggle, group=group, help="Ask every 2.5 s who is there"),
        Action("nodes.forget", "Look for nodes anew", nodes.forget, group=group),
        Action("nodes.change", "Change what is expected of the chosen node…", nodes.change, group=group),
        Action("nodes.remove", "Take the chosen node away", nodes.remove, group=group),
        Action("nodes.expect", "Expect all nodes that answer", nodes.expect_all, group=group),
        Action("network.plan", "Address plan…", page.network.plan, group=group),
        *(
            Action(f"routes.view.{name}", f"Routes: {name}", lambda n=name: page.here(n), f"Alt+Shift+{key}", group=group)
            for key, name in enumerate(VIEWS, 1)
        ),
    )


def _toggle(bench: Workbench, state: str) -> None:
    bench.master(LIVE if bench.masters.everything == state else state)
