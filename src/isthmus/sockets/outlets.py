"""The sockets a show is sent from: for each protocol one to this computer itself and one out by its
adapter.

They also hear what is sent to those addresses by unicast, so the engine sends from them and the
watch reads them.
"""

from __future__ import annotations

import contextlib
import socket
from dataclasses import dataclass, field

from isthmus.errors import IsthmusError
from isthmus.sockets.opening import ARTNET_PORT, open_sender

LOCAL = "127.0.0.1"
NAMES = ("artnet local", "artnet out", "sacn local", "sacn out")


@dataclass
class Outlets:
    """Open sockets by name, with the addresses they stand on and what could not be had."""

    sockets: dict[str, socket.socket] = field(default_factory=dict)
    addresses: tuple[str, str] = (LOCAL, LOCAL)  # Art-Net, sACN
    broadcast: str = ""  # of Art-Net's adapter
    trouble: list[str] = field(default_factory=list)

    @staticmethod
    def open(
        artnet: str = LOCAL,
        sacn: str = LOCAL,
        broadcast: str = "",
        keep: dict[str, socket.socket] | None = None,
    ) -> Outlets:
        """`keep` are sockets to go on with. What cannot be opened is left out and told in
        `trouble`.
        """
        made = Outlets(dict(keep or {}), (artnet, sacn), broadcast)
        wanted = [("artnet local", LOCAL, ARTNET_PORT), ("sacn local", LOCAL, 0)]
        wanted += [("artnet out", artnet, ARTNET_PORT)] if not artnet.startswith("127.") else []
        wanted += [("sacn out", sacn, 0)] if not sacn.startswith("127.") else []
        for name, address, port in (w for w in wanted if w[0] not in made.sockets):
            try:
                made.sockets[name], told = open_sender(address, port)
                made.trouble += [told] if told else []
            except IsthmusError as error:
                made.trouble.append(str(error))
        return made

    @property
    def source_port(self) -> int:
        """The port Art-Net goes out from: 6454 unless another program has it."""
        for name in ("artnet out", "artnet local"):
            if name in self.sockets:
                return self.sockets[name].getsockname()[1]
        return 0

    def close(self) -> None:
        for sock in self.sockets.values():
            with contextlib.suppress(OSError):
                sock.close()
        self.sockets.clear()
