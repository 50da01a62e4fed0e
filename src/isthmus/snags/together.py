"""What is wrong only together: with edits of two people joined, and with neither alone."""

from __future__ import annotations

from isthmus.show.records import Show
from isthmus.snags.book import SnagBook


def only_together(mine: Show, theirs: Show, both: Show) -> list[str]:
    """The snags of the joined show that neither has, worst first."""
    alone = {snag.text for show in (mine, theirs) for snag in SnagBook().update(show).snags}
    return [s.text for s in SnagBook().update(both).snags if s.text not in alone]
