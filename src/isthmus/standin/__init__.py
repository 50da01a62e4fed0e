"""Simulated devices that ship with Isthmus: nodes that receive Art-Net, and units that obey their
own truth.
"""

from isthmus.standin.client import RigClient, rig_show, slots_by_unit
from isthmus.standin.rig import StandInRig
from isthmus.standin.scenario import read_scenario

__all__ = ["RigClient", "StandInRig", "read_scenario", "rig_show", "slots_by_unit"]
