"""The player, from acts to packets: fades on the wire are straight lines of the time they were asked at, whoever sleeps, dies or hangs."""

from __future__ import annotations

import os
import signal
import socket
import time
from collections.abc import Iterator
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from helpers.tools import Heard, until
from isthmus.check.prove import ProveNumber
from isthmus.check.prove_limits import ProveLimits
from isthmus.demo import as_hung, lantern_tide
from isthmus.demo.wall import with_wall
from isthmus.engine import Engine
from isthmus.looks import cue_edits, look_edits
from isthmus.looks.playback import Act, Playback
from isthmus.looks.programme import compile_list
from isthmus.output import Composer, Live, Masters, identity
from isthmus.pixels.media import frames_of
from isthmus.pixels.painting import Shown
from isthmus.pixels.ready import Studio
from isthmus.player import Front, PlayerLink, State, Telling
from isthmus.player.post import Inbox, send
from isthmus.player.telling import hand_of
from isthmus.show.records import (
    PLAIN_HANDLING,
    SLOTS,
    Cue,
    CueList,
    LayerSet,
    Limit,
    Look,
    LookLine,
    Output,
    PictureLayer,
    Show,
    Wish,
)

HERE = "127.0.0.7"


class House:
    """What a window does, without one: a show with a dimmer that fades from 0 to full in 4 s, and back."""

    def __init__(self) -> None:
        demo = as_hung()
        live = Live(demo)
        self.unit = next(
            u.id
            for u in demo.units
            if u.patch
            and (u.limits, u.handling) == ((), PLAIN_HANDLING)
            and (p := live.program(u.id))
            and [c.channel.resolution for c in p.chart.channels if c.attribute == "Dimmer"] == [2]
        )
        found = demo.unit(self.unit)
        assert found
        universe = found.patch[0].universe
        show = replace(
            demo, outputs=(Output(id="o", universe=universe, host=HERE, port_address=5),)
        )
        show, self.list = cue_edits.put_list(show, CueList(id="", number=0))
        for level in (0.0, 1.0):
            line = LookLine(units=(self.unit,), wish=Wish(intensity=level))
            show, look = look_edits.put(show, Look(id="", number=0, lines=(line,)))
            show, _ = cue_edits.put_cue(
                show, self.list, Cue(id="", number=0, look=look, up=4, down=4)
            )
        self.live, self.show = Live(show), show
        programme, _ = compile_list(show, show.cue_lists[0], self.live.blank())
        self.playback = Playback(self.live.compiled.defaults, {programme.id: programme})
        self.engine = Engine()
        self.player = PlayerLink(self.engine.frames, lambda: State(dict(self.playback.positions)))
        self.telling = Telling(self.player)
        self.composer = Composer(Masters())
        (at,) = self.live.compiled.places.get((self.unit, 0, "Dimmer"))
        group = next(g for g in self.live.compiled.groups if g.first <= at < g.last)
        coarse, fine = (int(s[at - group.first]) for s in group.slots)
        row = self.live.compiled.universes.index(universe) * SLOTS
        self.slots = coarse - row, fine - row
        self.wire = Heard(HERE)

    @property
    def seen(self) -> list[tuple[float, float]]:
        """(when, level 0…1) of all that was received."""
        coarse, fine = self.slots
        return [(t, (256 * f[coarse] + f[fine]) / 65535) for t, f in self.wire.frames]

    def begin(self) -> None:
        self.engine.start()
        self.player.start()
        self.engine.enable(True)
        self.tell()
        assert until(lambda: self.player.alive and len(self.seen) > 5, wait=self.wait)

    def tell(self, front: Front = Front()) -> None:  # noqa: B008
        plan, running = self.composer.plan(self.show, self.live), self.playback.programmes.values()
        self.telling.tell(self.live, plan, identity(self.show), tuple(running), front)

    def edit(self, show: Show) -> None:
        self.show = show
        self.live.set_show(show)

    def go(self, cue: int) -> float:
        act = Act(time.monotonic(), self.list, "to", cue)
        self.playback.act(act)
        self.player.act(act)
        return act.at

    def wait(self, seconds: float) -> None:
        self.engine.beat()
        time.sleep(seconds)

    def end(self) -> None:
        self.player.stop()
        self.engine.stop()
        self.wire.close()

    def since(self, begun: float) -> np.ndarray:
        """(n, 2) seconds since, and level, of what was received."""
        return np.array([(t - begun, level) for t, level in self.seen if t > begun]).reshape(-1, 2)


@pytest.fixture
def house() -> Iterator[House]:
    made = House()
    try:
        made.begin()
        yield made
    finally:
        made.end()


def test_a_fade_goes_on_evenly_while_the_window_does_nothing_at_all(house: House) -> None:
    house.go(0)
    begun = house.go(1)
    time.sleep(2.0)  # no beat, no message
    house.wait(0)
    time.sleep(1.0)
    got = house.since(begun)
    fading = got[(got[:, 0] > 0.2) & (got[:, 0] < 2.9)]
    # a packet is rendered for the moment it goes out, and arrives a little later
    late = fading[:, 0] - fading[:, 1] * 4.0
    assert np.median(np.abs(late)) < 0.03 and (late > -0.03).all()
    steps = np.diff(fading[:, 1])
    # a busy machine sends some frames twice and skips others, so only most of them are judged
    assert (steps >= 0).all() and len(np.unique(fading[:, 1])) > 30
    assert np.percentile(steps, 80) < 1.5 * 0.25 / 44


@pytest.mark.parametrize("how", [signal.SIGKILL, signal.SIGSTOP])
def test_a_player_that_dies_or_hangs_is_there_again_with_its_state(house: House, how: int) -> None:
    house.live.ask({(house.unit, 0, "Pan"): 0.25})
    house.go(0)
    begun = house.go(1)
    house.tell()
    assert until(lambda: house.since(begun)[-1:, 1].sum() > 0.2, wait=house.wait)
    os.kill(house.player.pid, how)
    stopped = time.monotonic()
    assert until(house.player.check, wait=house.wait)
    assert house.player.restarts == 1
    held = {level for t, level in house.seen if stopped + 0.1 < t}
    assert len(held) <= 1  # the engine goes on with the last frame
    assert until(lambda: house.player.alive, wait=house.wait)
    assert until(lambda: house.since(begun)[-1, 1] == 1.0, wait=house.wait)
    got = house.since(begun)
    moving = got[(got[:, 1] > got[got[:, 0] < stopped - begun][-1, 1] + 0.02) & (got[:, 1] < 1)]
    assert len(moving) == 0 or np.median(np.abs(moving[:, 0] - 4 * moving[:, 1])) < 0.1
    assert house.engine.stats().errors == 0


def test_what_the_hand_holds_stays_in_front_and_what_is_edited_comes_between_two_frames(
    house: House,
) -> None:
    house.go(0)
    house.go(1)
    house.live.ask({(house.unit, 0, "Dimmer"): 0.125})
    house.tell()
    assert until(lambda: house.seen[-1][1] == pytest.approx(0.125, abs=1e-4), wait=house.wait)
    house.live.let_go([house.unit])
    house.tell()
    assert until(lambda: house.seen[-1][1] == 1.0, wait=house.wait)
    look = house.show.looks[1]
    line = replace(look.lines[0], wish=Wish(intensity=0.5))
    house.edit(look_edits.put(house.show, replace(look, lines=(line,)))[0])
    programme, _ = compile_list(house.show, house.show.cue_lists[0], house.live.blank())
    house.playback.take([programme], house.live.compiled.defaults)
    mark = len(house.seen)
    house.tell()
    assert until(lambda: house.seen[-1][1] == pytest.approx(0.5, abs=1e-4), wait=house.wait)
    assert {round(level, 3) for _, level in house.seen[mark:]} <= {1.0, 0.5}


def test_a_test_of_the_output_keeps_its_time_while_the_window_does_nothing(house: House) -> None:
    """A person at the rig reads the number off the flashes; a limit is come to in a straight line, and kept."""
    bare = Output(id="bare", universe=21, host=HERE, port_address=5)
    house.edit(replace(house.show, outputs=(bare,)))
    proof = ProveNumber(house.show, house.live, time.monotonic(), 21)
    mark = len(house.wire.frames)
    house.tell(Front(proof.alone, proof.turns))
    time.sleep(2.0)
    house.wait(0)
    time.sleep(2.4)
    house.wait(0)
    lit = [False, *(f[7] > 0 for _, f in house.wire.frames[mark:])]  # it is dark before
    flashes, dark, digits = 0, 0, ""
    for before, now in pairwise(lit):  # counted in packets, which come 44 times a second
        flashes, dark = flashes + (now and not before), 0 if now else dark + 1
        if dark == 20 and flashes:  # between 11 within a digit and 41 between two
            digits, flashes = digits + str(flashes), 0
    assert digits == "21"

    unit = house.show.unit(house.unit)
    assert unit
    limited = replace(unit, limits=(Limit(attribute="Dimmer", high=0.6),))
    units = tuple(limited if u is unit else u for u in house.show.units)
    there = replace(bare, universe=unit.patch[0].universe)
    house.edit(replace(house.show, units=units, outputs=(there,)))
    swept = ProveLimits(house.show, house.live, time.monotonic() - 2.5, [house.unit])
    house.tell(Front(swept.alone, swept.turns))
    time.sleep(1.6)
    got = house.since(swept.began)
    got = got[got[:, 0] > 2.7]
    rising = got[got[:, 0] < 3.5]
    assert len(rising) > 20 and np.median(np.abs(rising[:, 1] - rising[:, 0] / 6)) < 0.01
    steps = np.diff(rising[:, 1])
    assert (
        np.median(steps[steps > 0]) < 1.5 / 6 / 44
    )  # a machine held up takes a larger one now and then
    assert got[-1, 1] == pytest.approx(0.6, abs=1e-3) and got[:, 1].max() <= 0.6005


def test_pictures_run_on_while_the_window_sleeps() -> None:
    """A wipe over a wall: how many columns are lit is a straight line of the time, read off the packets of the upper row of panels."""
    show = with_wall(lantern_tide())
    out = Output(id="o", universe=11, host=HERE, port_address=5)
    wipe = PictureLayer(id="w", source="wipe", settings={"seconds": 4.0, "soft": 0.02})
    one = LayerSet(id="s", number=1, grid=show.grids[0].id, layers=(wipe,))
    show = replace(show, outputs=(out,), layer_sets=(one,))
    live, engine = Live(show), Engine()
    live.set_intensity([u.id for u in show.units if u.purpose == "Wall"], 1.0)
    player = PlayerLink(engine.frames, lambda: State({}))
    telling, composer, wire = Telling(player), Composer(Masters()), Heard(HERE)
    pictures = Studio(frames_of).pictures(show, live, ["s"])
    try:
        engine.start()
        player.start()
        engine.enable(True)
        begun = time.monotonic()
        front = Front(pictures=(Shown("s", begun),))
        telling.tell(live, composer.plan(show, live), identity(show), (), front, pictures)
        assert until(lambda: player.alive and len(wire.frames) > 5)
        engine.beat()
        asleep = time.monotonic()
        time.sleep(2.0)
        got = [(t - begun, f) for t, f in wire.frames if asleep < t < begun + 3.9]
    finally:
        player.stop()
        engine.stop()
        wire.close()
    assert len(got) > 60
    for seconds, frame in got:
        panels = np.frombuffer(frame, np.uint8, 7 * 73).reshape(7, 73)[:5, 1:].reshape(5, 4, 6, 3)
        lit = (panels.max(axis=(1, 3)) > 100).sum()
        assert abs(lit / 30 - seconds / 4) < 0.06  # two columns, or a packet late


@given(st.lists(st.binary(max_size=3000), max_size=6), st.integers(1, 2000))
def test_messages_that_come_in_parts_are_whole_or_not_there_yet(
    sent: list[bytes], part: int
) -> None:
    """Nothing is waited for: what has come by then is taken, in order; the end is told."""
    mine, theirs = socket.socketpair()
    inbox = Inbox(theirs)
    with mine, theirs:
        near, far = socket.socketpair()
        with near, far:
            for message in sent:
                send(near, message)
            near.shutdown(socket.SHUT_WR)
            data = b"".join(iter(lambda: far.recv(1 << 16), b""))
        found = []
        for at in range(0, len(data), part):
            mine.sendall(data[at : at + part])
            found += inbox.take()
        assert found == sent and inbox.take() == []
        send(mine, "end")
        mine.close()
        assert inbox.take() == ["end"]
        with pytest.raises(EOFError):
            inbox.take()


def test_a_picture_that_moves_over_what_is_asked_is_no_news_to_the_player() -> None:
    live = Live(lantern_tide())
    live.set_intensity(["u101", "u401"], 0.7)
    index = np.arange(len(live.levels))
    asked = hand_of(live)
    for level in (0.2, 0.9):
        live.cover((index, np.full(len(index), level, np.float32)))
        assert (live.levels == np.float32(level)).all()
        now = hand_of(live)
        assert (now.index == asked.index).all() and (now.levels == asked.levels).all()
    live.set_intensity(["u101"], 0.3)  # asked below a picture: seen when it ends
    live.cover(None)
    assert live.level("u101", "Dimmer") == pytest.approx(0.3)
