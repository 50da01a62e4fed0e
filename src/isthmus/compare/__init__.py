"""Two shows told apart and joined: which things are the same, what differs, what becomes of edits
made by two.
"""

from isthmus.compare.difference import Changed, Difference, apply, difference
from isthmus.compare.merge import Conflict, Merged, merge

__all__ = ["Changed", "Conflict", "Difference", "Merged", "apply", "difference", "merge"]
