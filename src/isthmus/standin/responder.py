"""RDM of the stand-in units: the table of devices behind a port, and answers to the messages every
unit must know.

ANSI E1.20-2010; UIDs are of the range the standard keeps for prototypes (0x7FF0, E1.20 annex B and
its register).
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Callable, Sequence

from isthmus.standin.scenario import SimUnit
from isthmus.wire import artnet, rdm

MAKER = 0x7FF0
UNKNOWN_PID, OUT_OF_RANGE = 0x0000, 0x0006  # table A-17
PARAMETERS = (
    *(rdm.DEVICE_LABEL, rdm.MODEL_WORDS, rdm.MAKER_WORDS, rdm.PERSONALITY, rdm.PERSONALITY_WORDS),
    *(rdm.SENSOR_DEFINITION, rdm.SENSOR_VALUE, rdm.LAMP_HOURS),
)
Change = Callable[[str, dict[str, object]], None]
Modes = Callable[[SimUnit], list[tuple[str, int]]]


def uid_of(unit: SimUnit) -> bytes:
    return rdm.uid(MAKER, zlib.crc32(unit.serial.encode()))


class Responder:
    """Answers for the units behind ports. `modes_of` gives a unit's modes by name with their
    footprints, in order.
    """

    def __init__(
        self, units: Callable[[], Sequence[SimUnit]], modes_of: Modes, change: Change
    ) -> None:
        self._units, self._modes_of, self._change = units, modes_of, change
        self.identifying: set[str] = set()
        self.labels: dict[str, str] = {}  # written over RDM

    def devices(self, node: str, port: int) -> tuple[bytes, ...]:
        """UIDs behind a port (from 0); a unit without RDM is not among them."""
        here = [u for u in self._units() if (u.node, u.port) == (node, port)]
        return tuple(uid_of(u) for u in here if not {"no rdm", "dead"} & set(u.faults))

    def table(
        self, node: str, port: int, port_address: int, bind_index: int, slot: int
    ) -> list[bytes]:
        """ArtTodData for one port, in blocks."""
        found = self.devices(node, port)
        size = 200
        blocks = [found[i : i + size] for i in range(0, len(found), size)] or [()]
        return [
            artnet.encode_tod_data(
                artnet.ArtTodData(port_address, slot, bind_index, len(found), number, block)
            )
            for number, block in enumerate(blocks)
        ]

    def answer(self, node: str, port: int, message: rdm.Message) -> rdm.Message | None:
        """None when no one behind the port is meant, or it is meant for all."""
        unit = next(
            (
                u
                for u in self._units()
                if (u.node, u.port) == (node, port) and uid_of(u) == message.to
            ),
            None,
        )
        if unit is None or message.to not in self.devices(node, port):
            return None
        if message.command not in (rdm.GET, rdm.SET):
            return None
        found = self._get(unit, message) if message.command == rdm.GET else self._set(unit, message)
        kind, data = (
            (rdm.ACK, found) if isinstance(found, bytes) else (rdm.NACK, struct.pack(">H", found))
        )
        return rdm.Message(
            message.by,
            message.to,
            message.command + 1,
            message.parameter,
            data,
            message.transaction,
            kind,
        )

    def _get(self, unit: SimUnit, message: rdm.Message) -> bytes | int:
        modes = self._modes_of(unit)
        number = next((i for i, (name, _) in enumerate(modes, 1) if name == unit.mode), 1)
        width = modes[number - 1][1] if modes else 0
        maker, _, model = unit.profile.removesuffix(".gdtf").partition("@")
        asked = message.data[0] if message.data else 0
        if message.parameter == rdm.PERSONALITY_WORDS:
            if not 1 <= asked <= len(modes):
                return OUT_OF_RANGE
            name, size = modes[asked - 1]
            return bytes([asked]) + struct.pack(">H", size) + name.encode("ascii", "replace")[:32]
        if (
            message.parameter == rdm.SENSOR_DEFINITION and asked == 0
        ):  # E1.20, 10.7.1: a temperature in degrees
            return (
                bytes([0, 0x00, 0x01, 0x00])
                + struct.pack(">hhhh", -20, 110, 0, 80)
                + bytes([0])
                + b"Head temperature"
            )
        if message.parameter == rdm.SENSOR_VALUE and asked == 0:
            return bytes([0]) + struct.pack(
                ">hhhh", 31 + zlib.crc32(unit.serial.encode()) % 30, 20, 70, 0
            )
        model_id = zlib.crc32(unit.profile.encode()) & 0xFFFF
        info = rdm.Info(model_id, 0x0101, 1, width, number, len(modes), unit.address, 0, 1)
        kept = {
            rdm.SUPPORTED: b"".join(struct.pack(">H", p) for p in PARAMETERS),
            rdm.DEVICE_INFO: rdm.write_info(info),
            rdm.DMX_START_ADDRESS: struct.pack(">H", unit.address),
            rdm.PERSONALITY: bytes([number, len(modes)]),
            rdm.DEVICE_LABEL: self.labels.get(unit.serial, unit.label).encode("ascii", "replace")[
                :32
            ],
            rdm.MODEL_WORDS: (model or maker).encode("ascii", "replace")[:32],
            rdm.MAKER_WORDS: maker.encode("ascii", "replace")[:32],
            rdm.SOFTWARE_WORDS: b"1.4 stand-in",
            rdm.LAMP_HOURS: struct.pack(">I", zlib.crc32(unit.serial.encode()) % 2000),
            rdm.IDENTIFY: bytes([unit.serial in self.identifying]),
        }
        return kept.get(message.parameter, UNKNOWN_PID)

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
        elif message.parameter == rdm.DEVICE_LABEL and len(data) <= 32:
            self.labels[unit.serial] = rdm.read_words(data)
        else:
            return UNKNOWN_PID
        return b""
