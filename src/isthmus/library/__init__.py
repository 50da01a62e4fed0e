"""The library of profiles: sources, one index over all of them, search, and the exchange's
client.
"""

from typing import TYPE_CHECKING

from isthmus.lazy import on_demand

if TYPE_CHECKING:
    from isthmus.library.index import Index, Outcome, Progress, Trust
    from isthmus.library.search import Answer, Hit, Query
    from isthmus.library.shelf import Entry, Shelf, fresh_shelf, index_path, update_library
    from isthmus.library.sources import Source, read_sources, write_sources
else:
    __getattr__ = on_demand(
        __name__,
        dict.fromkeys(("Index", "Outcome", "Progress", "Trust"), "index")
        | dict.fromkeys(("Answer", "Hit", "Query"), "search")
        | dict.fromkeys(("Entry", "Shelf", "fresh_shelf", "index_path", "update_library"), "shelf")
        | dict.fromkeys(("Source", "read_sources", "write_sources"), "sources"),
    )

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
