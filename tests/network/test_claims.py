"""Two of this computer that send: none sends where another does, and what the dead sent to is free."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import tempfile
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from helpers import hands
from helpers.tools import Heard, until
from isthmus.cli import main
from isthmus.demo import SCENARIO, lantern_tide
from isthmus.engine import DMX, SACN, SACN_PRIORITY, Route
from isthmus.output.claims import Claims
from isthmus.show.container import encode_show
from isthmus.show.records import Output, Show
from isthmus.wire import artnet, pcapng

HOSTS = ["127.0.0.2", "127.0.0.3", "127.255.255.255", "239.255.0.1"]
ROUTES = st.lists(
    st.builds(
        Route,
        row=st.just(0),
        host=st.sampled_from(HOSTS),
        number=st.integers(0, 2),
        kind=st.sampled_from([0, SACN, SACN_PRIORITY]),
    )
    | st.builds(Route, row=st.just(0), host=st.just("/dev/null"), number=st.integers(0, 9), kind=st.just(DMX)),
    max_size=8,
)  # fmt: skip


def hears(route: Route) -> set[object]:
    """Which receivers of a small world a route reaches, as the standards say."""
    if route.kind == DMX:
        return {"line"}
    protocol = "artnet" if route.kind == 0 else "sacn"
    everyone = route.host.endswith(".255") or route.host.startswith("239.")
    hosts = ["127.0.0.2", "127.0.0.3", "any other"] if everyone else [route.host]
    return {(protocol, route.number, host) for host in hosts}


@given(
    st.lists(st.tuples(st.integers(0, 2), ROUTES | st.sampled_from(["off", "gone"])), max_size=12)
)
def test_no_receiver_hears_two_and_nothing_is_left_that_nobody_sends(steps: list) -> None:
    with tempfile.TemporaryDirectory() as folder:
        all_of = [Claims(f"show {n}", Path(folder)) for n in range(3)]
        sent: list[list[Route]] = [[], [], []]
        wanted: list[list[Route]] = [[], [], []]
        for who, what in steps:
            claims = all_of[who]
            if isinstance(what, str):
                (claims.close if what == "gone" else claims.release)()
                sent[who] = wanted[who] = []
            else:
                if not claims.sending:
                    claims.begin()
                wanted[who], sent[who] = what, claims.share(what)
            for one in range(3):
                for other in range(one):
                    reached = [{r for x in sent[n] for r in hears(x)} for n in (one, other)]
                    assert not reached[0] & reached[1]
        for who in range(3):
            others = {r for n in range(3) if n != who for x in sent[n] for r in hears(x)}
            all_of[who]._looked = 0.0  # no second is waited for
            all_of[who].again()
            if all_of[who].sending:
                kept = all_of[who].share(wanted[who])
                assert [r for r in wanted[who] if not hears(r) & others] == [
                    r for r in kept if not hears(r) & others
                ]
                sent[who] = kept
        for claims in all_of:
            claims.close()
        assert [path.name for path in Path(folder).iterdir() if path.name != "lock"] == []


def test_claims_hold_while_the_engine_of_a_dead_window_sends_and_no_longer(tmp_path: Path) -> None:
    script = (
        "import subprocess, sys, pathlib, time\n"
        "from isthmus.engine import Route\nfrom isthmus.output.claims import Claims\n"
        "c = Claims('Evening', pathlib.Path(sys.argv[1])); c.begin(); c.share([Route(0, '127.0.0.2', 5)])\n"
        "p = subprocess.Popen(['sleep', '60'], pass_fds=c.handles); print(p.pid, flush=True); time.sleep(60)"
    )
    window = subprocess.Popen(
        [sys.executable, "-c", script, str(tmp_path)], stdout=subprocess.PIPE, text=True
    )
    assert window.stdout is not None
    engine = int(window.stdout.readline())
    ours = [Route(0, "127.0.0.2", 5), Route(0, "127.0.0.2", 6)]
    with Claims("Other", tmp_path) as claims:
        assert claims.share(ours) == ours[1:]
        assert [s.words for s in claims.left.values()] == [
            f"another Isthmus, “Evening” (process {window.pid})"
        ]
        window.kill()
        window.wait()
        window.stdout.close()
        assert not until(claims.again, 1.5)
        os.kill(engine, signal.SIGKILL)
        assert until(claims.again) and claims.share(ours) == ours and not claims.left
    (tmp_path / "lock").unlink()
    (tmp_path / "lock").mkdir()  # nothing can be claimed there: it is sent all the same
    with Claims("Other", tmp_path) as claims:
        assert claims.share(ours) == ours


@pytest.mark.network
def test_a_window_and_a_command_leave_out_what_the_other_sends(
    make_window, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    outputs = tuple(
        Output(id=f"o{n}", universe=n, protocol="artnet", delivery="unicast", host=host, port_address=n)
        for n, host in ((1, "127.0.0.9"), (2, "127.0.0.8"))
    )  # fmt: skip
    show = Show(name="Evening", outputs=outputs)
    path = tmp_path / "evening.isthmus"
    path.write_bytes(encode_show(replace(show, outputs=outputs[:1])))
    heard, here = Heard("127.0.0.9"), Heard("127.0.0.8")
    try:
        with Claims("Rehearsal") as other:
            other.share([Route(0, "127.0.0.9", 1)])
            window = make_window(show)
            window.output.switch(True)
            assert hands.until(lambda: len(here.frames) > 20) and not heard.frames
            assert "Universe 1 is sent by another Isthmus, “Rehearsal”" in window.notice.words
            sign = window.bar.sign
            assert hands.until(lambda: sign.accessibleName().startswith("Sending 1 universe,"))
            assert sign.accessibleName().endswith("1 left out")
            assert "left out here until it stops" in sign.toolTip()
            assert main(["send", str(path), "--seconds", "0.3", "--json"]) == 1
            assert json.loads(capsys.readouterr().out)["left_out"] == {"1": os.getpid()}
        assert hands.until(lambda: len(heard.frames) > 5)
        assert "Universe 1 is sent from here now" in window.notice.words
        window.output.switch(False)
        with Claims("Rehearsal") as other:
            assert hands.until(
                lambda: other.again() or bool(other.share([Route(0, "127.0.0.9", 1)]))
            )
            since = len(heard.frames)
            window.output.switch(True)
            assert hands.until(lambda: "left out" in sign.accessibleName())
            assert len(heard.frames) == since
    finally:
        heard.close()
        here.close()


@pytest.mark.network
def test_a_capture_and_a_roll_call_go_nowhere_another_sends(
    make_window, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path, file = tmp_path / "evening.isthmus", tmp_path / "evening.pcapng"
    outputs = (Output(id="o1", universe=1, delivery="unicast", host="127.0.0.9", port_address=1),)
    path.write_bytes(encode_show(replace(lantern_tide(), outputs=outputs)))
    packets = [
        pcapng.Captured(1000 + n / 50, ("127.0.0.1", 6454), (host, 6454), artnet.encode_dmx(1, 1, bytes(8)))
        for n in range(100)
        for host in ("127.0.0.9", "127.0.0.8")
    ]  # fmt: skip
    file.write_bytes(pcapng.encode_head() + b"".join(map(pcapng.encode_packet, packets)))
    heard, here = Heard("127.0.0.9"), Heard("127.0.0.8")
    play = ["send", str(path), "--capture", str(file), "--json"]
    try:
        with Claims("Rehearsal") as other:
            other.share([Route(0, "127.0.0.9", 1)])
            assert main(play) == 1
            told = json.loads(capsys.readouterr().out)
            assert told["left_out"] == {"1": os.getpid()} and told["sent"] == 100
            assert main(["rollcall", str(path), "--rig", str(SCENARIO)]) == 3
            assert "sent by another Isthmus, “Rehearsal”" in capsys.readouterr().err
            window = make_window(replace(lantern_tide(), outputs=outputs), page="Routes")
            watch = window.pages["Routes"].views["Watch"]
            watch.net.start()
            watch.begin_playback(file)
            assert hands.until(lambda: len(here.frames) > 120) and not heard.frames
            assert "Universe 1 is sent by another Isthmus" in window.notice.words
        assert hands.until(lambda: len(heard.frames) > 0)  # it takes over when the other ends
        watch._play()
        with Claims("Rehearsal") as other:
            assert other.share([Route(0, "127.0.0.9", 1)])  # nothing is held any more
        assert main(play) == 0
    finally:
        heard.close()
        here.close()
