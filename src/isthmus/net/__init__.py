"""The network as it is: adapters of this computer, nodes that answer, whether they meet, and how to
make them meet.
"""

from isthmus.net.adapters import Adapter, Choice, choose, read_adapters
from isthmus.net.check import Trouble, check
from isthmus.net.found import Difference, FoundNode, FoundPort, compare
from isthmus.net.hub import Hub, View
from isthmus.net.whose import is_own, source_name

__all__ = [
    "Adapter",
    "Choice",
    "Difference",
    "FoundNode",
    "FoundPort",
    "Hub",
    "Trouble",
    "View",
    "check",
    "choose",
    "compare",
    "is_own",
    "read_adapters",
    "source_name",
]
