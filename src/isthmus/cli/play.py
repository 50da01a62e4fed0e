"""Playing a cue list from this computer without a window, by the same player and engine."""

from __future__ import annotations

import argparse
import math
import select
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from isthmus.cli.common import DONE, SNAGS, Result
from isthmus.cli.looks import list_of, load_evening
from isthmus.cli.network import hub_of
from isthmus.engine import Engine
from isthmus.looks.cue_edits import say_number
from isthmus.looks.playback import Act, Playback
from isthmus.looks.programme import compile_list, in_order
from isthmus.output import Composer, Live, Masters, identity
from isthmus.output.claims import Claims, told_of
from isthmus.output.routing import set_pace
from isthmus.player import PlayerLink, State, Telling
from isthmus.show.records import CueList, Show

BEAT = 0.05
WAYS = "Enter goes, b goes back, p pauses, r releases, q ends."
Verb = Callable[..., argparse.ArgumentParser]


class Desk:
    """One list, played: what a person says, and what goes automatically."""

    def __init__(self, show: Show, cues: CueList, live: Live) -> None:
        self.cues, self.order = cues, in_order(cues)
        self.programme, _ = compile_list(show, cues, live.blank())
        self.playback = Playback(live.compiled.defaults, {cues.id: self.programme})
        self.said: list[str] = []

    def act(self, words: str) -> Act | None:
        """What a line typed asks for; None for nothing."""
        position = self.playback.positions.get(self.cues.id)
        cue = position.cue if position and not position.releasing else -1
        what = {"p": "pause", "r": "release", "b": "back"}.get(words.strip()[:1].lower(), "go")
        if what in ("pause", "release"):
            paused = position is not None and not math.isnan(position.paused)
            return self._take("resume" if paused and what == "pause" else what, -1)
        to = cue + 1 if what == "go" else cue - 1
        if self.programme.round:
            to %= len(self.order)
        return self._take("to", to) if 0 <= to < len(self.order) else None

    def jump(self, cue: int) -> Act:
        return self._take("to", cue)

    def _take(self, what: str, cue: int) -> Act:
        act = Act(time.monotonic(), self.cues.id, what, cue)
        self.playback.advance(act.at)
        self.playback.act(act)
        return act

    def news(self) -> str:
        """The cue it has come to, once."""
        self.playback.advance(time.monotonic())
        position = self.playback.positions.get(self.cues.id)
        words = "released" if position is None else ""
        if position is not None:
            cue = self.order[position.cue]
            words = f"cue {say_number(cue.number)} {cue.name}".rstrip()
        if self.said[-1:] == [words] or (words == "released" and not self.said):
            return ""
        self.said.append(words)
        return words


@contextmanager
def _playing(options: argparse.Namespace, show: Show) -> Iterator[tuple[Any, ...]]:
    """Engine and player, and how to tell them of live levels."""
    hub, engine, claims = hub_of(options, show), Engine(), Claims(show.name)
    composer = Composer(Masters(), claims)
    positions: list[Playback] = []
    player = PlayerLink(
        engine.frames, lambda: State(dict(positions[0].positions) if positions else {})
    )
    telling = Telling(player)
    try:
        claims.begin()
        hub.look(any(o.delivery == "asked" for o in show.outputs))
        engine.use(hub.outlets)
        engine.start()
        player.start()
        set_pace(engine, show.sending)

        def tell(live: Live, playback: Playback) -> None:
            positions[:] = [playback]
            claims.again()
            composer.asking, composer.broadcast = hub.view.asking, hub.outlets.broadcast
            plan = composer.plan(show, live)
            engine.know(plan.routes)
            telling.tell(live, plan, identity(show), tuple(playback.programmes.values()))
            engine.enable(True)
            engine.beat()
            engine.check()
            player.check()

        yield engine, player, tell, composer
    finally:
        player.stop()
        engine.stop()
        claims.close()
        hub.stop()


def play(options: argparse.Namespace) -> Result:
    """Go through a cue list: by lines typed, or automatically every so many seconds."""
    show = load_evening(options.show)
    cues = list_of(show, options.list)
    live = Live(show)
    desk = Desk(show, cues, live)
    begun = time.monotonic()
    end = begun + options.seconds if options.seconds else math.inf
    with _playing(options, show) as (engine, player, tell, composer):
        if not options.json and options.every is None:
            print(WAYS)
        following = begun
        while time.monotonic() < end:
            tell(live, desk.playback)
            act = None
            if options.every is not None:
                if time.monotonic() >= following:
                    following, act = time.monotonic() + options.every, desk.act("")
                    if act is None and not desk.playback.moving(time.monotonic()):
                        break
                time.sleep(BEAT)
            elif select.select([sys.stdin], [], [], BEAT)[0]:
                line = sys.stdin.readline()
                if not line or line.strip().lower().startswith("q"):
                    break
                act = desk.act(line)
            if act is not None:
                player.act(act)
            if (words := desk.news()) and not options.json:
                print(f"{cues.name or f'List {cues.number}'}: {words}")
        stats = engine.stats()
    data = {"list": cues.number, "went": desk.said, "packets": stats.packets, "rate": stats.rate}
    data["left_out"] = {u: sender.pid for u, sender in composer.left.items()}
    lines = [f"Sent {stats.packets} packets to {stats.routes} outputs at {stats.rate:.1f} Hz."]
    lines += [told_of(composer.left)[1]] if composer.left else []
    return (DONE if stats.packets and not composer.left else SNAGS), data, lines


def add_verbs(verbs: Any, verb: Verb) -> None:
    made = verb(verbs, "play", play, f"send a cue list from this computer. {WAYS}")
    made.add_argument("--list", default="1", help="number or name of the cue list")
    made.add_argument("--every", type=float, metavar="SECONDS", help="go automatically, so often")
    made.add_argument("--seconds", type=float, help="end after so many seconds")
    made.add_argument("--adapter", default="", help="name or address of the network adapter")
