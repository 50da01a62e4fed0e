"""The wiring check: say what you see of a few pictures, and the likeliest fault of a grid is
found, with an edit that fixes it.
"""

from isthmus.check.wiring.faults import Fault, faults_of
from isthmus.check.wiring.panels import Panels, panels_of
from isthmus.check.wiring.pictures import LOOKS, PICTURES, Look
from isthmus.check.wiring.search import MOST_LOOKS, Check, Likely

__all__ = [
    "LOOKS",
    "MOST_LOOKS",
    "PICTURES",
    "Check",
    "Fault",
    "Likely",
    "Look",
    "Panels",
    "faults_of",
    "panels_of",
]
