"""A second sender: another program on the network, for tests and for seeing what the watch says of
it.
"""

from __future__ import annotations

from dataclasses import dataclass

from isthmus.wire import artnet, sacn

RATE = 40.0


@dataclass
class OtherSender:
    """Sends one level in every slot of one universe, or `slots` (hexadecimal) from its first on."""

    protocol: str
    number: int
    to: str
    level: int = 128
    slots: str = ""
    name: str = "Quay desk"
    priority: int = 100
    cid: bytes = b"stand-in sender!"
    until: float = 0.0  # monotonic; 0 for ever
    sequence: int = 0
    due: float = 0.0

    def packet(self) -> bytes:
        slots = (
            bytes.fromhex(self.slots)[:512].ljust(512, b"\0")
            if self.slots
            else bytes([self.level]) * 512
        )
        if self.protocol == "sacn":
            self.sequence = (self.sequence + 1) & 0xFF
            return sacn.encode_data(
                sacn.Data(self.cid, self.name, self.number, self.sequence, slots, self.priority)
            )
        self.sequence = self.sequence % 255 + 1
        return artnet.encode_dmx(self.sequence, self.number, slots)

    @property
    def port(self) -> int:
        return sacn.PORT if self.protocol == "sacn" else artnet.PORT
