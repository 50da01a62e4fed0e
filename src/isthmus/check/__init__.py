"""Checking the rig: the roll call, its verdicts and whether they still hold, discovery, findings,
the hunt.
"""

from isthmus.check.calls import callable_units
from isthmus.check.rollcall import Manner, RollCall, begin, end, jump, step
from isthmus.check.verdicts import holds, mark, unmark

__all__ = [
    "Manner",
    "RollCall",
    "begin",
    "callable_units",
    "end",
    "holds",
    "jump",
    "mark",
    "step",
    "unmark",
]
