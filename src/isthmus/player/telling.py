"""What the player is told of live levels: only what is new, and what belongs together at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isthmus.engine.publisher import fits
from isthmus.engine.shared import SLOTS, Identity
from isthmus.looks.compiled import Programme
from isthmus.output import Live
from isthmus.output.compile import Compiled
from isthmus.output.rendering import Rendering
from isthmus.output.routing import Plan
from isthmus.output.turns import Asked, Clock, Turns
from isthmus.pixels.painting import NO_PICTURES, Pictures, Shown
from isthmus.player.desk import NO_HAND, NO_LISTS, Hand, Hands, Lists, Rig
from isthmus.player.link import PlayerLink


@dataclass(frozen=True)
class Front:
    """What holds the levels, if anything: whether cue lists have no say meanwhile, what is asked in
    turns, and the layer sets shown by hand.
    """

    alone: bool = False
    turns: Turns | None = None
    pictures: tuple[Shown, ...] = ()


class Telling:
    def __init__(self, link: PlayerLink) -> None:
        self._link = link
        self._rendering: Rendering | None = None
        self._rig: Rig | None = None
        self._lists: Lists = NO_LISTS
        self._hand: Hand | Hands = NO_HAND
        self._turned: tuple[Compiled, Front] | None = None
        self._turning = Hands(Clock(0.0, (1.0,)), (NO_HAND,), (NO_HAND.levels,))

    def tell(
        self,
        live: Live,
        plan: Plan,
        identity: Identity,
        programmes: Sequence[Programme] = (),
        front: Front = Front(),
        pictures: Pictures = NO_PICTURES,
    ) -> None:
        """Raises NetworkFault for more universes or outputs than can be sent."""
        rig = self._rig_of(live, plan, identity)
        home, old = live.compiled.defaults, self._lists
        if home is not old.home or list(programmes) != list(old.programmes):
            self._lists = Lists(home, tuple(programmes))
        self._hand = self._hand_of(live, front)
        self._link.show(rig, self._lists, self._hand, pictures)

    def _rig_of(self, live: Live, plan: Plan, identity: Identity) -> Rig:
        old, same = self._rig, self._rendering is live.rendering
        if old and same and (old.plan, old.identity) == (plan, identity):
            return old
        fits(live.compiled.slots + SLOTS * len(plan.extra), len(plan.routes))
        abroad = old.rendering if old and same else live.rendering.abroad()
        self._rendering = live.rendering
        self._rig = Rig(abroad, plan, identity)
        return self._rig

    def _hand_of(self, live: Live, front: Front) -> Hand | Hands:
        """The same as before, where nothing about it is another."""
        if front.turns is None:
            hand, old = hand_of(live, front.alone, front.pictures), self._hand
            return old if isinstance(old, Hand) and _same(hand, old) else hand
        compiled, before = self._turned or (None, None)
        if compiled is not live.compiled or before != front:
            self._turned, self._turning = (live.compiled, front), hands_of(live.compiled, front)
        return self._turning


def hands_of(compiled: Compiled, front: Front) -> Hands:
    """What takes turns, by parameter."""
    turns = front.turns
    assert turns is not None
    hands = [
        Hand(*_indexed(compiled, step.asked), step.over, turns.beyond, front.alone)
        for step in turns.steps
    ]
    to = [
        _indexed(compiled, {**step.asked, **step.to})[1] if step.to else hand.levels
        for step, hand in zip(turns.steps, hands, strict=True)
    ]
    return Hands(turns.clock, tuple(hands), tuple(to))


def _indexed(compiled: Compiled, asked: Asked) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """(parameters, ascending; the level of each)."""
    found = {at: level for key, level in asked.items() for at in compiled.places.get(key)}
    index = np.array(sorted(found), np.int64)
    levels = np.array([found[at] for at in index], np.float32)
    return index, levels


def hand_of(live: Live, alone: bool = False, pictures: tuple[Shown, ...] = ()) -> Hand:
    """What is asked by hand, ascending by parameter."""
    index = np.flatnonzero(live.by_hand)
    return Hand(index, live.below[index], dict(live.over), live.beyond, alone, pictures)


def _same(a: Hand, b: Hand) -> bool:
    return (
        (a.over, a.beyond, a.alone, a.pictures) == (b.over, b.beyond, b.alone, b.pictures)
        and np.array_equal(a.index, b.index)
        and np.array_equal(a.levels, b.levels)
    )
