"""What is wrong or missing in a show, in plain words, with the edit that fixes it; and how far each
unit has crossed.
"""

from isthmus.output import Live
from isthmus.show.records import Show
from isthmus.snags.book import SnagBook
from isthmus.snags.crossing import STEPS, Crossing
from isthmus.snags.records import ATTENTION, FAULT, NOTE, ORDER, RANK, Fix, Snag
from isthmus.snags.rules_looks import standing_snags

__all__ = [
    "ATTENTION",
    "FAULT",
    "NOTE",
    "ORDER",
    "STEPS",
    "Crossing",
    "Fix",
    "Snag",
    "SnagBook",
    "find_snags",
]


def find_snags(show: Show, book: SnagBook | None = None) -> list[Snag]:
    """All snags, worst first; looked for again but for what a book has kept of the show before."""
    found = (book or SnagBook()).update(show).snags
    if show.looks or show.palettes:
        standing = standing_snags(show, Live(show))
        found = sorted([*found, *standing], key=lambda s: (ORDER[s.severity], RANK[s.rule]))
    return found
