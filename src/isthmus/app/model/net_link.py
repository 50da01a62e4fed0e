"""The network as the window sees it: the hub on its thread, its news on the interface's, what it
to look at.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from isthmus.app.kit.settings import Settings
from isthmus.app.model.workbench import Workbench
from isthmus.errors import IsthmusError
from isthmus.show import Show

if TYPE_CHECKING:
    from isthmus.net import Hub, View


class NetLink(QObject):
    """`changed` when something about the network is new; `outlets` when there are other sockets to
    send from.
    """

    changed = Signal()
    outlets = Signal(object)
    _told = Signal(object)

    def __init__(self, bench: Workbench, settings: Settings, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.bench, self.settings = bench, settings
        self.hub: Hub | None = None
        self._told.connect(self._take)
        bench.changed.connect(self._follow)

    @property
    def view(self) -> View:
        from isthmus.net import View

        return self.hub.view if self.hub else View()

    def start(self) -> Hub:
        """The hub, begun when first wanted. Raises NetworkFault when it cannot be."""
        from isthmus.net import Hub  # not needed for the first picture

        if self.hub is None:
            hub = Hub(self._told.emit, self.outlets.emit)
            self._want(hub)
            hub.start()
            self.hub = hub
            for words in hub.view.trouble:
                self.bench.tell("note", words)
        return self.hub

    def look(self, on: bool) -> None:
        """Ask nodes who they are, or stop asking."""
        if on or self.hub:
            self.start().look(on)
            self._take(self.view)

    def look_if_asked(self) -> None:
        """Outputs that go to whichever nodes ask need nodes to be asked."""
        if (
            any(o.enabled and o.delivery == "asked" for o in self.bench.show.outputs)
            and not self.view.looking
        ):
            self.look(True)

    def choose(self, protocol: str, adapter: str) -> None:
        """Send a protocol by an adapter (its address; "" lets it be chosen automatically), from now
        on and on this computer.
        """
        self.settings.adapters[protocol] = adapter
        if self.hub:
            self._want(self.hub)
            self._take(self.view)

    def watch_universes(self, universes: tuple[int, ...]) -> None:
        """Listen to these sACN universes besides the show's own."""
        self._extra = universes
        if self.hub:
            self._want(self.hub)

    def listen_on(self, adapter: str) -> None:
        """Hear what comes to another adapter too (its address, or "all"), which nothing is
        sent by.
        """
        self._listen = adapter
        if self.hub:
            self._want(self.hub)

    _extra: tuple[int, ...] = ()
    _listen = ""

    def _want(self, hub: Hub) -> None:
        show = self.bench.show
        hosts = {
            p: [h for o in show.outputs if o.protocol == p and o.enabled for h in o.hosts]
            for p in ("artnet", "sacn")
        }
        universes = {o.number for o in show.outputs if o.protocol == "sacn"} | set(self._extra)
        hub.want(
            self.settings.adapters,
            hosts,
            [n.ip for n in show.nodes if n.protocol == "artnet"],
            sorted(universes),
            self._listen,
        )

    def _follow(self, old: Show, new: Show) -> None:
        if self.hub and (old.outputs is not new.outputs or old.nodes is not new.nodes):
            try:
                self._want(self.hub)
                if self.bench.levels.sending:
                    self.look_if_asked()
            except IsthmusError as error:
                self.bench.tell("fault", str(error))

    def _take(self, view: View) -> None:
        if self.hub is not None:
            self.bench.known.see_network(view)
            self.changed.emit()

    def stop(self) -> None:
        if self.hub is not None:
            hub, self.hub = self.hub, None
            hub.stop()
