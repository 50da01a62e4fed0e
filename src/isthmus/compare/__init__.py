"""Two shows told apart and joined: which things are the same, what differs, what becomes of edits
made by two.
"""

from isthmus.compare.base import Base, base_of, joined, with_both
from isthmus.compare.difference import Changed, Difference, apply, difference
from isthmus.compare.merge import Conflict, Merged, merge

__all__ = [
    "Base",
    "Changed",
    "Conflict",
    "Difference",
    "Merged",
    "apply",
    "base_of",
    "difference",
    "joined",
    "merge",
    "with_both",
]
