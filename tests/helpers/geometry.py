"""Where beams are by a profile's own XML, turned by SciPy's rotations: nothing of the code that poses or aims."""

from __future__ import annotations

import io
import re
import xml.etree.ElementTree as ET
import zipfile

import numpy as np
from scipy.spatial.transform import Rotation

from isthmus.output import Live
from isthmus.show.records import Show


class Judge:
    """Where the beams of a unit are, from its XML and the bytes it receives."""

    def __init__(self, data: bytes, mode: str) -> None:
        root = ET.fromstring(zipfile.ZipFile(io.BytesIO(data)).read("description.xml"))
        self.tops = {g.get("Name"): g for g in root.find(".//Geometries")}
        self.mode = next(m for m in root.iter("DMXMode") if m.get("Name") == mode)

    def beams(self, slots: np.ndarray, base: np.ndarray) -> list[tuple[np.ndarray, np.ndarray]]:
        found: list[tuple[np.ndarray, np.ndarray]] = []

        def walk(node: ET.Element, at: np.ndarray, shift: int) -> None:
            rows = re.findall(r"\{([^}]*)\}", node.get("Position", ""))
            if rows:
                at = at @ np.array([[float(v) for v in row.split(",")] for row in rows])
            if node.tag == "GeometryReference":
                shift = int(node.find("Break").get("DMXOffset", "1")) - 1
                target = self.tops[node.get("Geometry")]
                walk(target, at, shift)
                return
            for channel in self.mode.iter("DMXChannel") if node.tag == "Axis" else ():
                name = channel.find("LogicalChannel").get("Attribute")
                if channel.get("Geometry") == node.get("Name") and name in ("Pan", "Tilt"):
                    function = next(channel.iter("ChannelFunction"))
                    offsets = [int(o) + shift for o in channel.get("Offset").split(",")]
                    raw = 0
                    for offset in offsets:
                        raw = raw * 256 + int(slots[offset - 1])
                    low, high = (float(function.get(k)) for k in ("PhysicalFrom", "PhysicalTo"))
                    turn = low + (high - low) * raw / (256 ** len(offsets) - 1)
                    spun = np.eye(4)
                    spun[:3, :3] = Rotation.from_euler(
                        "z" if name == "Pan" else "x", turn, degrees=True
                    ).as_matrix()
                    at = at @ spun
            if node.tag == "Beam":
                found.append((at[:3, 3], at[:3, :3] @ [0, 0, -1]))
            for child in node:
                walk(child, at, shift)

        walk(self.tops[self.mode.get("Geometry")], base, 0)
        return found


def beams_sent(show: Show, live: Live, unit_id: str) -> list[tuple[np.ndarray, np.ndarray]]:
    """Origin and direction of each beam of a unit of one block, from the bytes it is sent and where the show has it."""
    unit = show.unit(unit_id)
    data = next(p.data for p in show.profiles if p.key == unit.profile)
    (patched,) = unit.patch
    first = live.compiled.universes.index(patched.universe) * 512 + patched.address - 1
    base = np.eye(4)
    w, x, y, z = unit.rotation
    base[:3, :3] = Rotation.from_quat([x, y, z, w]).as_matrix()
    base[:3, 3] = unit.position
    return Judge(data, unit.mode).beams(live.frame[first:], base)
