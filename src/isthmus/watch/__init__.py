"""The watch: a process of its own that receives Art-Net and sACN, apart from what is sent.

`Watch` starts it and reads what it found from shared memory: every source by universe, and its
levels. What is not levels (answers of nodes, discovery) is handed on as it came.
"""

from isthmus.watch.play import Playing, read_capture
from isthmus.watch.shared import ARTNET, MAX_SOURCES, SACN
from isthmus.watch.supervisor import Heard, Source, Watch

__all__ = ["ARTNET", "MAX_SOURCES", "SACN", "Heard", "Playing", "Source", "Watch", "read_capture"]
