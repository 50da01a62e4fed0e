"""Ask a running simulator what hangs and what it does."""

from __future__ import annotations

import base64
import json
import socket
from typing import Any

import numpy as np
from msgspec.structs import replace

from isthmus.errors import NetworkFault, os_reason
from isthmus.show.records import Gel, Patched, Show, StoredProfile, Unit

MAX_ANSWER = 256 * 2**20


class RigClient:
    """One connection; every call is one line there and one line back."""

    def __init__(self, address: tuple[str, int], timeout: float = 5.0) -> None:
        """Raises NetworkFault when no simulator answers there."""
        self.address = address
        try:
            self._socket = socket.create_connection(address, timeout)
        except OSError as error:
            raise NetworkFault(
                f"no simulator answers. {os_reason(error)}",
                where=f"{address[0]}:{address[1]}",
                do="Start it with: isthmus rig --scenario FILE",
            ) from error
        self._file = self._socket.makefile("rb")

    def do(self, what: str, **order: Any) -> dict[str, Any]:
        """Change something: `do("node", name="Ferry A", on=False)`. Raises NetworkFault when it
        cannot be.
        """
        answer = self.ask(json.dumps({"do": what, **order}))
        if "error" in answer:
            raise NetworkFault(str(answer["error"]), where="simulator")
        return answer

    def ask(self, word: str) -> dict[str, Any]:
        """Raises NetworkFault when the rig is gone."""
        try:
            self._socket.sendall(word.encode() + b"\n")
            line = self._file.readline(MAX_ANSWER)
            answer = json.loads(line)
        except (OSError, ValueError) as error:
            raise NetworkFault(
                "the simulator has gone.",
                where=f"{self.address[0]}:{self.address[1]}",
                do="Start it again with: isthmus rig --scenario FILE",
            ) from error
        if not isinstance(answer, dict):
            raise NetworkFault(
                "the simulator answered with something that cannot be understood.",
                where=f"{self.address[0]}:{self.address[1]}",
            )
        return answer

    def close(self) -> None:
        self._file.close()
        self._socket.close()


def rig_show(description: dict[str, Any], structures: Show) -> Show:
    """What hangs as a show of its own, each unit in slots of its own, so that it can be drawn like
    any rig.

    The surroundings (structures) are taken from `structures`; nothing else is.
    """
    stored = tuple(
        StoredProfile(key=name, file=name, data=base64.b64decode(data))
        for name, data in description["profiles"].items()
    )
    units, gels = [], {}
    for index, row in enumerate(description["units"]):
        code = f"gel {index}" if tuple(row["gel"]) != (1.0, 1.0, 1.0) else ""
        if code:
            gels[code] = Gel(book="", code=code, name="", rgb=tuple(row["gel"]))
        units.append(
            Unit(
                id=f"rig{index}",
                number=int(row["label"]) if str(row["label"]).isdigit() else index + 1,
                name=row["serial"],
                profile=row["profile"],
                mode=row["mode"],
                patch=(Patched(universe=index + 1, address=1),),
                gel=code,
                position=tuple(row["position"]),
                rotation=tuple(row["rotation"]),
            )
        )
    return replace(
        structures,
        name=description["name"],
        profiles=stored,
        units=tuple(units),
        gels=tuple(gels.values()),
        outputs=(),
        verdicts=(),
    )


def slots_by_unit(state: dict[str, Any]) -> dict[str, np.ndarray]:
    """Bytes received by each unit of `rig_show`; a dead one has none."""
    return {
        f"rig{index}": np.frombuffer(bytes.fromhex(row["slots"]), np.uint8)
        for index, row in enumerate(state["units"])
    }
