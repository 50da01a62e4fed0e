"""The network as it is: adapters of this machine, nodes that answer, whether they meet, and how to
make them meet.
"""

from isthmus.net.adapters import Adapter, Choice, choose, read_adapters
from isthmus.net.check import Trouble, check
from isthmus.net.desk import Desk, View
from isthmus.net.found import Difference, FoundNode, FoundPort, compare
from isthmus.net.whose import is_own, source_name

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
    "is_own",
    "read_adapters",
    "source_name",
]
