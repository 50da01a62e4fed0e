"""From levels to slots, and from slots to the network by the engine process."""

from __future__ import annotations

import contextlib
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from helpers.tools import udp_listener, until
from isthmus.demo import as_hung
from isthmus.engine import Engine, Route
from isthmus.errors import NetworkFault
from isthmus.output import Live, RigView, compile_show
from isthmus.output.compile import Compiled, Group, Places
from isthmus.patch import edits
from isthmus.profiles import chart, profiles_of
from isthmus.show.records import SLOTS, Patched, Show
from isthmus.wire import artnet


@given(st.lists(st.integers(1, 4), min_size=1, max_size=40), st.data())
@settings(max_examples=15)
def test_a_frame_is_what_plain_arithmetic_makes_of_the_levels(
    resolutions: list[int], data: st.DataObject
) -> None:
    resolutions.sort()
    homes = data.draw(st.permutations(range(sum(resolutions))))
    levels = np.array(
        data.draw(
            st.lists(
                st.floats(0, 1, width=32), min_size=len(resolutions), max_size=len(resolutions)
            )
        ),
        np.float32,
    )
    groups, at, used, at_home = [], 0, 0, []
    for resolution in (1, 2, 3, 4):
        rows = resolutions.count(resolution)
        if not rows:
            continue
        columns = np.array(homes[used : used + rows * resolution]).reshape(rows, resolution)
        groups.append(Group(resolution, at, at + rows, tuple(columns.T.copy())))
        at_home += [(float(levels[at + row]), places) for row, places in enumerate(columns)]
        at, used = at + rows, used + rows * resolution
    frame = np.zeros(512, np.uint8)
    Compiled((1,), tuple(groups), levels, Places({})).render(levels, frame)
    for level, places in at_home:
        most = 256 ** len(places) - 1
        sent = int.from_bytes(bytes(frame[places].tolist()), "big")
        # the nearest whole value; bytes and pairs may be reckoned in single precision
        slack = most * 2.0**-23 if len(places) <= 2 else 0.0
        assert abs(sent - level * most) <= 0.5 + slack
    assert not frame[sum(resolutions) :].any()


def test_every_unit_finds_its_defaults_at_its_own_address(demo: Show) -> None:
    live, profiles = Live(demo), profiles_of(demo)
    claimed = {}
    for unit in demo.units:
        found = profiles.mode_of(unit)
        assert found
        for item in chart(*found).channels if unit.patch else ():
            for (_, offset), byte in zip(
                item.slots, item.default.to_bytes(item.channel.resolution, "big"), strict=True
            ):
                claimed[unit.patch[0].universe, unit.patch[0].address + offset - 1] = byte
    rows = {u: i for i, u in enumerate(live.compiled.universes)}
    for (universe, address), byte in claimed.items():
        assert live.frame[rows[universe] * 512 + address - 1] == byte


def test_a_second_address_of_one_number_gets_the_same_slots_and_one_past_the_end_gets_none(
    demo: Show,
) -> None:
    unit = demo.unit("u401")
    assert unit
    doubled = replace(
        unit,
        patch=(*unit.patch, Patched(universe=4, address=500), Patched(universe=9, address=512)),
    )
    live = Live(replace(demo, units=(doubled,), outputs=()))
    live.light_up(["u401"], 0.5)
    assert sorted(live.frame.nonzero()[0]) == [300, 512 + 499, 1024 + 511] and set(
        live.frame[live.frame > 0]
    ) == {128}
    mover = demo.unit("u101")
    assert mover
    over = replace(mover, patch=(Patched(universe=1, address=505),))
    assert not compile_show(replace(demo, units=(over,), outputs=())).frame().any()
    assert (
        len(compile_show(replace(demo, units=(over,), outputs=())).defaults) < 16
    )  # what lies past 512 is left out


def test_light_up_shows_every_unit_lit_open_white_and_home_and_release_gives_all_back(
    demo: Show,
) -> None:
    live = Live(demo)
    dark = live.frame.copy()
    patched = [
        u.id
        for u in demo.units
        if u.patch and "Haze" not in u.profile and u.id not in ("u313", "u314")
    ]
    live.light_up(patched)
    for unit in patched:
        state = live.state_of(unit)
        assert state is not None and state.intensity()[0] > 0.95, unit
        assert abs(state.pan[0, 0]) < 0.1 and abs(state.tilt[0, 0]) < 0.1
    assert set(live.lit()) >= set(patched)
    live.let_go(patched)
    assert (live.frame == dark).all() and not live.asked_units()


def test_intensity_colour_and_angles_do_what_they_say_by_whatever_the_unit_has(demo: Show) -> None:
    live = Live(demo)
    for unit in ("u201", "u301", "u411", "u101", "u221", "u311"):
        live.set_intensity([unit], 0.6)
        live.set_colour([unit], np.array([1.0, 0.02, 0.02]))
        state = live.state_of(unit)
        assert state is not None
        red, green, blue = state.rgb[0].max(axis=0)
        assert red > 2.5 * green and red > 2.5 * blue, unit
    can = next(u for u in demo.units if u.number == 421)  # no dimmer: its colours are its intensity
    live.set_intensity([can.id], 0.5)
    assert live.level(can.id, "ColorAdd_R") == 0.5
    live.set_colour([can.id], np.array([0.0, 0.0, 1.0]))
    live.set_intensity([can.id], 0.25)
    assert (live.level(can.id, "ColorAdd_R"), live.level(can.id, "ColorAdd_B")) == (
        pytest.approx(0, abs=0.03),
        pytest.approx(0.25),
    )
    live.set_axis(["u101"], "Pan", 90)
    live.set_axis(["u101"], "Tilt", 999)
    assert (
        live.axis("u101", "Pan") == pytest.approx(90, abs=0.01) and live.axis("u101", "Tilt") == 135
    )


def test_levels_stay_with_their_units_when_the_patch_changes(demo: Show) -> None:
    live = Live(demo)
    live.light_up(["u201"])
    live.set_show(edits.set_address(demo, ["u201"], (3, 401)))
    row = live.compiled.universes.index(3)
    assert live.frame[row * 512 + 400 + 4] == 255 and not live.frame[512:522].any()
    state = live.state_of("u201")
    assert state is not None and state.intensity()[0] > 0.95


def test_the_batched_view_of_the_rig_agrees_with_unit_by_unit(demo: Show) -> None:
    live = Live(demo)
    live.light_up([u.id for u in demo.units if u.number % 2])
    view = RigView(demo, live.compiled)
    glow = view.glow(live.frame)
    for unit in view.rig.order:
        state = live.state_of(unit)
        alone = float(state.intensity()[0]) if state is not None else 0.0
        assert glow.get(unit, (0.0,))[0] == pytest.approx(min(alone, 1.0), abs=2e-3)
    beams, bodies = view.pose(live.frame)
    assert np.allclose(np.linalg.norm(beams.direction, axis=1), 1) and set(bodies.unit) == set(
        range(len(view.rig.order))
    )


# ---------------------------------------------------------------- the engine


@pytest.fixture
def engine() -> Iterator[Engine]:
    made = Engine(hold_seconds=1.0)
    made.start()
    yield made
    made.stop()


def frames_of(rows: dict[int, int]) -> np.ndarray:
    frame = np.zeros(2 * 512, np.uint8)
    for place, value in rows.items():
        frame[place] = value
    return frame


def received(
    sock: socket.socket, seconds: float, engine: Engine | None = None
) -> list[tuple[float, artnet.ArtDmx]]:
    found, end = [], time.monotonic() + seconds
    sock.settimeout(0.05)
    while time.monotonic() < end:
        if engine:
            engine.beat()
        try:
            packet = artnet.decode(sock.recv(2048))
        except TimeoutError:
            continue
        if isinstance(packet, artnet.ArtDmx):
            found.append((time.monotonic(), packet))
    return found


def test_the_engine_sends_every_route_in_sequence_at_its_rate_and_goes_dark_when_switched_off(
    engine: Engine,
) -> None:
    with udp_listener() as sock:
        engine.publish(
            frames_of({0: 10, 512: 20}), [Route(0, "127.0.0.9", 5), Route(1, "127.0.0.9", 300)]
        )
        engine.enable(True)
        assert until(lambda: received(sock, 0.1, engine), 10)  # however long it takes to start
        packets = received(sock, 2.5, engine)
        by_port = {port: [p for _, p in packets if p.port_address == port] for port in (5, 300)}
        assert {p.slots[0] for p in by_port[5]} == {10} and {p.slots[0] for p in by_port[300]} == {
            20
        }
        for sent in by_port.values():
            assert len(sent) >= 30  # 44 Hz, with room for a busy machine
            steps = {(b.sequence - a.sequence) % 255 for a, b in zip(sent, sent[1:], strict=False)}
            assert steps == {1} and 0 not in {p.sequence for p in sent}
        stats = engine.stats()
        assert stats.state == "sending" and stats.routes == 2 and stats.errors == 0
        engine.enable(False)
        last: list[tuple[float, artnet.ArtDmx]] = []
        assert until(
            lambda: (last.extend(received(sock, 0.3, engine)), not any(last[-1][1].slots))[1]
        )
        assert until(lambda: not received(sock, 0.4, engine))


def test_routes_and_frames_change_together(engine: Engine) -> None:
    """A universe never shows for one packet what belongs to another."""
    with udp_listener() as sock:
        engine.enable(True)
        seen: set[tuple[int, int]] = set()

        def publish(turn: int) -> None:
            rows = {0: 100, 512: 200} if turn % 2 else {0: 200, 512: 100}
            a, b = (0, 1) if turn % 2 else (1, 0)
            engine.publish(frames_of(rows), [Route(a, "127.0.0.9", 1), Route(b, "127.0.0.9", 2)])
            seen.update((p.port_address, p.slots[0]) for _, p in received(sock, 0.01, engine))

        publish(0)
        assert until(lambda: received(sock, 0.05, engine))
        for turn in range(60):
            publish(turn)
        assert until(lambda: (publish(0), len(seen) > 1)[1]) and seen == {(1, 100), (2, 200)}


def test_a_killed_engine_comes_back_and_sends_on(engine: Engine) -> None:
    with udp_listener() as sock:
        engine.publish(frames_of({3: 77}), [Route(0, "127.0.0.9", 1)])
        engine.enable(True)
        before: list[tuple[float, artnet.ArtDmx]] = []
        assert until(lambda: before.extend(received(sock, 0.2, engine)) or before, 10)
        os.kill(engine.stats().pid, signal.SIGKILL)
        before += received(sock, 0.3)
        assert until(engine.check, 8) and engine.restarts == 1
        after: list[tuple[float, artnet.ArtDmx]] = []
        assert until(lambda: after.extend(received(sock, 0.2, engine)) or after, 8)
        assert after[0][1].slots[3] == 77
        # receivers drop what steps back: it counts on from where the other stopped
        assert (after[0][1].sequence - before[-1][1].sequence) % 255 in (1, 2)
        assert engine.stats().restarts == 1 and engine.stats().returned_at


def test_a_sync_is_sent_only_with_what_it_is_for(engine: Engine) -> None:
    """With changes alone sent, a packet a second keeps a stream alive, and so does its sync."""
    with udp_listener("127.255.255.255") as sock:
        engine.publish(frames_of({3: 77}), [Route(0, "127.255.255.255", 1)])
        engine.pace(changed_only=True, artnet_sync=True)
        engine.enable(True)
        assert until(lambda: received(sock, 0.2, engine), 10)
        time.sleep(0.5)
        kinds: list[int] = []
        end = time.monotonic() + 3
        sock.settimeout(0.2)
        while time.monotonic() < end:
            engine.beat()
            with contextlib.suppress(TimeoutError):
                kinds.append(int.from_bytes(sock.recv(1024)[8:10], "little"))
        levels, syncs = kinds.count(0x5000), kinds.count(0x5200)
        assert 2 <= levels <= 8 and 1 <= syncs <= levels + 1


def test_a_hung_interface_keeps_the_last_frame_for_a_while_then_the_rig_goes_dark(
    engine: Engine,
) -> None:
    with udp_listener() as sock:
        engine.publish(frames_of({0: 9}), [Route(0, "127.0.0.9", 1)])
        engine.enable(True)
        assert until(lambda: received(sock, 0.2, engine), 10)
        hung = received(sock, 5)  # no heartbeat: 1.5 s to notice, 1 s to hold
        bright = [t for t, p in hung if p.slots[0] == 9]
        assert bright and not any(
            hung[-1][1].slots
        )  # how long it holds is tested with a clock of its own in test_shared.py
        assert until(lambda: engine.stats().state == "dark")
        assert until(lambda: received(sock, 0.1, engine), 8)  # it comes to, and so does the light


def test_the_engine_holds_then_goes_dark_and_ends_when_the_application_is_killed() -> None:
    code = (
        "import time, numpy as np; from isthmus.engine import Engine, Route; e = Engine(2); e.start(); f = np.full(512, 50, np.uint8);"
        "e.publish(f, [Route(0, '127.0.0.9', 1)]); e.enable(True); print(e.stats().pid, flush=True)\nwhile True: e.beat(); time.sleep(0.1)"
    )
    with (
        udp_listener() as sock,
        subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True) as owner,
    ):
        assert owner.stdout
        pid = int(owner.stdout.readline())
        assert until(lambda: received(sock, 0.2), 10)
        owner.kill()
        held = received(sock, 1.0)
        assert len(held) > 5 and all(
            p.slots[0] == 50 for _, p in held
        )  # time enough to start the application again
        assert until(lambda: not Path(f"/proc/{pid}").exists(), 5)
        assert not any(received(sock, 0.2)[-1][1].slots)


def test_unreachable_hosts_and_a_taken_port_are_told_in_the_statistics() -> None:
    with udp_listener("0.0.0.0"):
        engine = Engine()
        engine.start()
        try:
            engine.publish(frames_of({}), [Route(0, "127.0.0.9", 1)])
            engine.enable(True)
            assert until(lambda: engine.beat() or engine.stats().packets > 10)
            assert engine.stats().source_port not in (0, 6454)
            with pytest.raises(NetworkFault, match="more than"):
                engine.publish(np.zeros(513 * 5000, np.uint8), [])
        finally:
            engine.stop()


def test_the_whole_demo_reaches_its_units_by_way_of_the_network(rig, engine: Engine) -> None:
    from helpers.tools import lit
    from isthmus.output import engine_routes

    show = as_hung()
    live = Live(show)
    live.light_up(["u102", "u204", "u401"])
    engine.publish(live.frame, engine_routes(show, live.compiled))
    engine.enable(True)
    assert until(lambda: engine.beat() or set(lit(rig)) == {"102", "204", "401"})


@given(
    st.lists(st.floats(0, 1), min_size=3, max_size=3),
    st.booleans(),
    st.booleans(),
    st.booleans(),
    st.tuples(st.floats(-90, 90), st.floats(-90, 90)),
    st.sampled_from(["linear", "square", "s"]),
    st.tuples(st.floats(0, 1), st.floats(0, 1)),
)
@settings(max_examples=15)
def test_what_is_sent_is_what_is_asked_swapped_inverted_offset_bent_and_kept_within_limits(
    asked: list[float],
    inverts_pan: bool,
    inverts_tilt: bool,
    swap: bool,
    offset: tuple[float, float],
    curve: str,
    ends: tuple[float, float],
) -> None:
    from isthmus.patch.limits import set_handling
    from isthmus.show.records import Limit

    how = {"invert_pan": inverts_pan, "invert_tilt": inverts_tilt, "swap": swap, "curve": curve}
    show = set_handling(as_hung(), ["u101"], **how, pan_offset=offset[0], tilt_offset=offset[1])
    low, high = sorted(ends)
    limits = tuple(Limit(attribute=name, low=low, high=high) for name in ("Pan", "Dimmer"))
    show = edits.change_units(show, ["u101"], lambda u: replace(u, limits=limits))
    live = Live(show)
    pan, tilt, dim = asked
    live.ask({("u101", 0, "Pan"): pan, ("u101", 0, "Tilt"): tilt, ("u101", 0, "Dimmer"): dim})
    if swap:
        pan, tilt = tilt, pan
    pan, tilt = (1 - pan if inverts_pan else pan), (1 - tilt if inverts_tilt else tilt)
    pan, tilt = pan + offset[0] / 540, tilt + offset[1] / 270  # its pan turns 540°, its tilt 270°
    bent = {"linear": dim, "square": dim**2, "s": 3 * dim**2 - 2 * dim**3}[curve]
    clip = lambda value, a, b: min(b, max(a, value))  # noqa: E731
    assert live.sent_level("u101", "Pan") == pytest.approx(clip(pan, low, high), abs=2e-4)
    assert live.sent_level("u101", "Tilt") == pytest.approx(clip(tilt, 0, 1), abs=2e-4)
    assert live.sent_level("u101", "Dimmer") == pytest.approx(clip(bent, low, high), abs=2e-4)
    assert live.level("u101", "Pan") == pytest.approx(
        asked[0]
    )  # what is asked stays what was asked
    other = Live(as_hung())
    other.ask({("u102", 0, "Pan"): 0.3})
    live.restore({("u102", 0, "Pan"): 0.3})
    assert live.sent_level("u102", "Pan") == other.sent_level("u102", "Pan")


def test_only_what_moves_slots_compiles_the_frame_anew() -> None:
    from isthmus.patch.limits import set_limit

    show = as_hung()
    live = Live(show)
    live.ask({("u101", 0, "Dimmer"): 1.0})
    compiled = live.compiled
    live.set_show(edits.set_text(show, ["u101"], "name", "Other"))
    assert live.compiled is compiled and live.level("u101", "Dimmer") == 1.0
    live.set_show(set_limit(live.show, ["u101"], "Dimmer", "", "30%"))
    assert live.compiled is compiled and live.sent_level("u101", "Dimmer") == pytest.approx(
        0.3, abs=2e-5
    )
    live.set_show(edits.set_address(live.show, ["u101"], (9, 1)))
    assert (
        live.compiled is not compiled
        and 9 in live.compiled.universes
        and live.sent_level("u101", "Dimmer") == pytest.approx(0.3, abs=2e-5)
    )
    slots = live.frame.reshape(-1, SLOTS)[live.compiled.universes.index(9)]
    assert (
        slots[4] == round(0.3 * 65535) >> 8
        and not live.frame.reshape(-1, SLOTS)[live.compiled.universes.index(1)][4]
    )
