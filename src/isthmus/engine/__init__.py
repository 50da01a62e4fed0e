"""The output engine: a process of its own that sends frames at up to 44 Hz whatever the interface
is doing.

`Engine` starts it, feeds it through shared memory, reads its statistics and brings it back when it
dies. Nothing here knows of shows or profiles: rows of 512 bytes go to addresses.
"""

from isthmus.engine.shared import ARTNET, DMX, SACN, SACN_PRIORITY, Identity, Route
from isthmus.engine.supervisor import Engine, EngineStats, PortStats

__all__ = [
    "ARTNET",
    "DMX",
    "SACN",
    "SACN_PRIORITY",
    "Engine",
    "EngineStats",
    "Identity",
    "PortStats",
    "Route",
]
