"""The network as it is: adapters of this machine, nodes that answer, whether they meet, and how to make them meet."""

from isthmus.net.adapters import Adapter, Choice, choose, read_adapters
from isthmus.net.check import Trouble, check
from isthmus.net.desk import Desk, View
from isthmus.net.found import Difference, FoundNode, FoundPort, compare

__all__ = [
    "Adapter",
    "Choice",
    "Desk",
    "Difference",
    "FoundNode",
    "FoundPort",
    "Trouble",
    "View",
    "check",
    "choose",
    "compare",
    "read_adapters",
]
