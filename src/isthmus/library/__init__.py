"""The library of profiles: sources, one index over all of them, search, and the exchange's
client.
"""

from isthmus.library.index import Index, Outcome, Progress, Trust
from isthmus.library.search import Answer, Hit, Query
from isthmus.library.shelf import Entry, Shelf, fresh_shelf, index_path, update_library
from isthmus.library.sources import Source, read_sources, write_sources

__all__ = [
    "Answer",
    "Entry",
    "Hit",
    "Index",
    "Outcome",
    "Progress",
    "Query",
    "Shelf",
    "Source",
    "Trust",
    "fresh_shelf",
    "index_path",
    "read_sources",
    "update_library",
    "write_sources",
]
