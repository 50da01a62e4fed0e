"""What the rules look at: the show with everything that is looked up more than once."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from isthmus.patch.index import PatchIndex
from isthmus.profiles import ProfileSet
from isthmus.show.records import PaperRow, Show, Verdict

if TYPE_CHECKING:
    from isthmus.net import View


@dataclass(frozen=True)
class Context:
    show: Show
    index: PatchIndex
    profiles: ProfileSet
    rows: dict[int, PaperRow]
    verdicts: dict[str, Verdict]
    lead: frozenset[int]  # universes with an output that is on
    gelled: bool = False  # the paper has gels, so that a blank on it says that there is none
    network: View | None = None  # what is known of the network; None when no one looks
