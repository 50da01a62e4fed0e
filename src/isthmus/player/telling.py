"""What the player is told of live levels: only what is new, and what belongs together at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from isthmus.engine.publisher import fits
from isthmus.engine.shared import SLOTS, Identity
from isthmus.looks.compiled import Programme
from isthmus.output import Live
from isthmus.output.rendering import Rendering
from isthmus.output.routing import Plan
from isthmus.player.desk import NO_HAND, NO_LISTS, Hand, Lists, Rig
from isthmus.player.link import PlayerLink


class Telling:
    def __init__(self, link: PlayerLink) -> None:
        self._link = link
        self._rendering: Rendering | None = None
        self._rig: Rig | None = None
        self._lists, self._hand = NO_LISTS, NO_HAND

    def tell(
        self,
        live: Live,
        plan: Plan,
        identity: Identity,
        programmes: Sequence[Programme] = (),
        alone: bool = False,
    ) -> None:
        """Raises NetworkFault for more universes or outputs than can be sent."""
        rig = self._rig_of(live, plan, identity)
        home, old = live.compiled.defaults, self._lists
        if home is not old.home or list(programmes) != list(old.programmes):
            self._lists = Lists(home, tuple(programmes))
        hand = hand_of(live, alone)
        if not _same(hand, self._hand):
            self._hand = hand
        self._link.show(rig, self._lists, self._hand)

    def _rig_of(self, live: Live, plan: Plan, identity: Identity) -> Rig:
        old, same = self._rig, self._rendering is live.rendering
        if old and same and (old.plan, old.identity) == (plan, identity):
            return old
        fits(live.compiled.slots + SLOTS * len(plan.extra), len(plan.routes))
        abroad = old.rendering if old and same else live.rendering.abroad()
        self._rendering = live.rendering
        self._rig = Rig(abroad, plan, identity)
        return self._rig


def hand_of(live: Live, alone: bool = False) -> Hand:
    """What is asked by hand, ascending by parameter."""
    index = np.flatnonzero(live.by_hand)
    return Hand(index, live.levels[index], dict(live.over), live.beyond, alone)


def _same(a: Hand, b: Hand) -> bool:
    return (
        (a.over, a.beyond, a.alone) == (b.over, b.beyond, b.alone)
        and np.array_equal(a.index, b.index)
        and np.array_equal(a.levels, b.levels)
    )
