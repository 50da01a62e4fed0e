"""What the player plays: cue lists, and in front of them what is asked by hand, as one frame."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from isthmus.engine.publisher import Publisher
from isthmus.engine.shared import Identity
from isthmus.looks.compiled import Programme
from isthmus.looks.playback import Act, Playback
from isthmus.looks.position import Position
from isthmus.output.rendering import Rendering
from isthmus.output.rows import Plan
from isthmus.output.turns import Clock
from isthmus.pixels.painting import NO_PICTURES, Pictures, Shown


@dataclass(frozen=True)
class Rig:
    """What is rendered with, all of it at once."""

    rendering: Rendering
    plan: Plan
    identity: Identity


@dataclass(frozen=True)
class Lists:
    """The lists that may run, over the parameters of the rig. `home` (p,) are the levels of which
    nothing is asked.
    """

    home: NDArray[np.float32]
    programmes: tuple[Programme, ...] = ()


@dataclass(frozen=True)
class Hand:
    """What goes before all lists: levels of some parameters, bytes laid over, slots allowed past
    their limits. `alone`: the lists have no say while it lasts. `pictures` lie over all of it.
    """

    index: NDArray[np.int64]
    levels: NDArray[np.float32]
    over: Mapping[tuple[int, int], int] = field(default_factory=dict)
    beyond: frozenset[tuple[int, int]] = frozenset()
    alone: bool = False
    pictures: tuple[Shown, ...] = ()

    def at(self, time: float) -> Hand:
        return self

    def next(self, time: float) -> float:
        return math.inf


@dataclass(frozen=True, eq=False)
class Hands:
    """Hands that take turns. The levels of each go on to `to` (as many) in a straight line."""

    clock: Clock
    hands: tuple[Hand, ...]
    to: tuple[NDArray[np.float32], ...]

    def at(self, time: float) -> Hand:
        step, share = self.clock.at(time)
        hand, to = self.hands[step], self.to[step]
        return hand if to is hand.levels else replace(hand, levels=_between(hand.levels, to, share))

    def next(self, time: float) -> float:
        """When it changes next: now (−inf) while anything of it moves."""
        step, _ = self.clock.at(time)
        return self.clock.ends(time) if self.to[step] is self.hands[step].levels else -np.inf


def _between(
    low: NDArray[np.float32], high: NDArray[np.float32], share: float
) -> NDArray[np.float32]:
    return (low + (high - low) * share).astype(np.float32)


NO_LISTS = Lists(np.zeros(0, np.float32))
NO_HAND = Hand(np.zeros(0, np.int64), np.zeros(0, np.float32))


@dataclass(frozen=True)
class State:
    """Where the lists are: for a player that takes over from another."""

    positions: dict[str, Position]


class Desk:
    """Takes messages, and renders the frame of any time."""

    def __init__(self, publisher: Publisher) -> None:
        self.publisher = publisher
        self.rig: Rig | None = None
        self.hand: Hand | Hands = NO_HAND
        self.playback = Playback(NO_LISTS.home)
        self.pictures = NO_PICTURES
        self.held: dict[int, NDArray[np.uint8]] = {}
        self.rendered = -np.inf  # the time of the last frame

    def take(self, message: object) -> None:
        """One message of the window, or several that belong to one frame."""
        match message:
            case list():
                for one in message:
                    self.take(one)
            case Rig():
                self.rig = message
            case Lists():
                self.playback.take(message.programmes, message.home)
            case Hand() | Hands():
                self.hand = message
            case Pictures():
                self.pictures = message
            case Act():
                self.playback.advance(message.at)
                self.playback.act(message)
            case State():
                self.playback.positions = dict(message.positions)

    def waiting_for(self) -> float:
        """When anything changes automatically next: now (−inf) while something fades."""
        playback = self.playback
        if playback.moving(self.rendered) or self.pictures.rate(self._shown(self.rendered)):
            return -np.inf
        return min(playback.next_due(), self.hand.next(self.rendered))

    def _shown(self, time: float) -> list[Shown]:
        """Layer sets of lists and by hand, from back to front."""
        hand = self.hand.at(time)
        lists = () if hand.alone else self.playback.shown(time)
        return [*(Shown(*one) for one in lists), *hand.pictures]

    def render(self, time: float) -> None:
        """The frame of a time, published."""
        rig, hand = self.rig, self.hand.at(time)
        self.rendered = time
        if rig is None:
            return
        playback = self.playback
        playback.advance(time)
        levels = playback.home.copy() if hand.alone else playback.levels(time)
        if not hand.alone:
            self.pictures.paint(levels, [Shown(*one) for one in playback.shown(time)], time)
        if len(hand.index) and hand.index[-1] < len(levels):
            levels[hand.index] = hand.levels
        self.pictures.paint(levels, hand.pictures, time)
        rendering = rig.rendering
        sent, frame = rendering.shaped(levels), rendering.compiled.frame()
        rendering.write(sent, frame, hand.over, hand.beyond)
        whole = rig.plan.fill(frame, lambda: rendering.dark(sent), rendering.bounds, self.held)
        self.publisher.publish(whole, rig.plan.routes, rig.identity)
