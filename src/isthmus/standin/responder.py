"""RDM of the stand-in units: the table of devices behind a port, and answers to the messages every unit must know.

ANSI E1.20-2010; UIDs are of the range the standard keeps for prototypes (0x7FF0, E1.20 annex B and its register).
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Callable, Sequence

from isthmus.standin.scenario import SimUnit
from isthmus.wire import artnet, rdm

MAKER = 0x7FF0
UNKNOWN_PID, OUT_OF_RANGE = 0x0000, 0x0006  # table A-17
Change = Callable[[str, dict[str, object]], None]
Modes = Callable[[SimUnit], list[tuple[str, int]]]


def uid_of(unit: SimUnit) -> bytes:
    return rdm.uid(MAKER, zlib.crc32(unit.serial.encode()))


class Responder:
    """Answers for the units behind ports. `modes_of` gives a unit's modes by name with their footprints, in order."""

    def __init__(self, units: Callable[[], Sequence[SimUnit]], modes_of: Modes, change: Change) -> None:
        self._units, self._modes_of, self._change = units, modes_of, change
        self.identifying: set[str] = set()

    def devices(self, node: str, port: int) -> tuple[bytes, ...]:
        """UIDs behind a port (from 0); a unit without RDM is not among them."""
        here = [u for u in self._units() if (u.node, u.port) == (node, port)]
        return tuple(uid_of(u) for u in here if not {"no rdm", "dead"} & set(u.faults))

    def table(self, node: str, port: int, port_address: int, bind_index: int, slot: int) -> list[bytes]:
        """ArtTodData for one port, in blocks."""
        found = self.devices(node, port)
        size = 200
        blocks = [found[i : i + size] for i in range(0, len(found), size)] or [()]
        return [
            artnet.encode_tod_data(artnet.ArtTodData(port_address, slot, bind_index, len(found), number, block))
            for number, block in enumerate(blocks)
        ]

    def answer(self, node: str, port: int, message: rdm.Message) -> rdm.Message | None:
        """None when nobody behind the port is meant, or it is meant for all."""
        unit = next((u for u in self._units() if (u.node, u.port) == (node, port) and uid_of(u) == message.to), None)
        if unit is None or message.to not in self.devices(node, port):
            return None
        if message.command not in (rdm.GET, rdm.SET):
            return None
        found = self._get(unit, message) if message.command == rdm.GET else self._set(unit, message)
        kind, data = (rdm.ACK, found) if isinstance(found, bytes) else (rdm.NACK, struct.pack(">H", found))
        return rdm.Message(message.by, message.to, message.command + 1, message.parameter, data, message.transaction, kind)

    def _get(self, unit: SimUnit, message: rdm.Message) -> bytes | int:
        modes = self._modes_of(unit)
        number = next((i for i, (name, _) in enumerate(modes, 1) if name == unit.mode), 1)
        width = modes[number - 1][1] if modes else 0
        if message.parameter == rdm.DEVICE_INFO:  # E1.20, 10.5.1
            model = zlib.crc32(unit.profile.encode()) & 0xFFFF
            return struct.pack(">HHHIHBBHHB", 0x0100, model, 0x0101, 1, width, number, len(modes), unit.address, 0, 0)
        if message.parameter == rdm.DMX_START_ADDRESS:
            return struct.pack(">H", unit.address)
        if message.parameter == rdm.PERSONALITY:
            return bytes([number, len(modes)])
        if message.parameter == rdm.DEVICE_LABEL:
            return unit.label.encode()[:32]
        if message.parameter == rdm.IDENTIFY:
            return bytes([unit.serial in self.identifying])
        return UNKNOWN_PID

    def _set(self, unit: SimUnit, message: rdm.Message) -> bytes | int:
        data, modes = message.data, self._modes_of(unit)
        if message.parameter == rdm.DMX_START_ADDRESS and len(data) == 2:
            address = struct.unpack(">H", data)[0]
            if not 1 <= address <= 512:
                return OUT_OF_RANGE
            self._change(unit.label, {"address": address})
        elif message.parameter == rdm.PERSONALITY and len(data) == 1:
            if not 1 <= data[0] <= len(modes):
                return OUT_OF_RANGE
            self._change(unit.label, {"mode": modes[data[0] - 1][0]})
        elif message.parameter == rdm.IDENTIFY and len(data) == 1:
            (self.identifying.add if data[0] else self.identifying.discard)(unit.serial)
        else:
            return UNKNOWN_PID
        return b""
