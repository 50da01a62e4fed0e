"""Simulated devices that ship with Isthmus: nodes that receive Art-Net, and units that obey their
own truth.
"""

from typing import TYPE_CHECKING

from isthmus.lazy import on_demand

if TYPE_CHECKING:
    from isthmus.standin.client import RigClient, rig_show, slots_by_unit
    from isthmus.standin.rig import StandInRig
    from isthmus.standin.scenario import joined, read_scenario
else:
    __getattr__ = on_demand(
        __name__,
        dict.fromkeys(("RigClient", "rig_show", "slots_by_unit"), "client")
        | {"StandInRig": "rig", "joined": "scenario", "read_scenario": "scenario"},
    )

__all__ = ["RigClient", "StandInRig", "joined", "read_scenario", "rig_show", "slots_by_unit"]
