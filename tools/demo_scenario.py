"""Write the stand-in rig of the demo: what really hangs in Sandre Haven. Run: `python tools/demo_scenario.py`.

It is made once from the paper and then lives its own life: the show may change, the rig does not.
"""

from __future__ import annotations

import json

from isthmus.demo import NODES, SCENARIO, as_hung

PORTS = {1: ("Ferry A", 0), 2: ("Ferry A", 1), 3: ("Ferry B", 0), 4: ("Ferry B", 1)}


def main() -> None:
    show = as_hung()
    gels = {gel.code: gel.rgb for gel in show.gels}
    files = {stored.key: stored.file for stored in show.profiles}
    units = []
    for unit in show.units:
        universe, address = (unit.patch[0].universe, unit.patch[0].address) if unit.patch else (4, 43)
        if unit.number == 203:
            address = 67  # set like 207: the person who set it read the wrong line
        node, port = PORTS[universe]
        row = {"serial": f"{(unit.number * 2654435761) & 0xFFFFFF:06X}", "label": str(unit.number), "profile": files[unit.profile], "mode": unit.mode, "node": node, "port": port, "address": address,
               "position": [round(v, 3) for v in unit.position or (0, -3.6, 0.2)], "rotation": [round(v, 6) for v in unit.rotation]}  # fmt: skip
        if unit.gel in gels:
            row["gel"] = list(gels[unit.gel])
        if unit.number == 104:
            row["faults"] = ["dead"]
        units.append(row)
    text = {"name": "Lantern Tide as hung", "nodes": [{"name": n.name, "ip": n.ip, "ports": list(n.ports)} for n in NODES], "units": units}
    lines = json.dumps({**text, "units": []}, indent=1)[:-3].rstrip("[ \n")
    body = ",\n  ".join(json.dumps(unit) for unit in units)
    SCENARIO.write_text(f"{lines}[\n  {body}\n ]\n}}\n")
    json.loads(SCENARIO.read_text())


if __name__ == "__main__":
    main()
