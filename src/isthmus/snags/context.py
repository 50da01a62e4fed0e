"""What the rules look at: the show with everything that is looked up more than once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

from isthmus.patch.index import PatchIndex
from isthmus.profiles import ProfileSet
from isthmus.show.records import PaperRow, Show, Structure, Verdict

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
    structures: Mapping[str, Structure] = field(default_factory=dict)  # by id
    ground: float = 0.0  # metres

    @cached_property
    def named(self) -> Mapping[str, Structure]:
        """Structures by name in small letters; of several with one name the first."""
        return {s.name.lower(): s for s in reversed(tuple(self.structures.values()))}
