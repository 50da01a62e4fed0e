"""The patch: which slots each unit takes, clashes, the next free address, and edits.

Every edit is a pure function from a show to a new one; a preview is the same function, not taken
yet.
"""

from isthmus.patch.add import Add, preview_add
from isthmus.patch.index import free_runs, index_of
from isthmus.patch.models import Library
from isthmus.patch.paper import take_paper
from isthmus.patch.spans import all_spans, clashes, footprint

__all__ = [
    "Add",
    "Library",
    "all_spans",
    "clashes",
    "footprint",
    "free_runs",
    "index_of",
    "preview_add",
    "take_paper",
]
