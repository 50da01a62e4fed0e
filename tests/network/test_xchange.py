"""Rigs offered and fetched between programs (MVR-xchange), judged by bytes written by hand after the standard, by raw sockets, and by two machines of their own."""

from __future__ import annotations

import asyncio
import json
import socket
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import aiohttp
import pytest
from hypothesis import given
from hypothesis import strategies as st

from helpers.stations import Pond, loopback, running_station
from helpers.tools import OWN_NETWORK, answer, command, ip, until
from isthmus.errors import Cancelled, NetworkFault
from isthmus.xchange import Exchange, Me
from isthmus.xchange.finding import part
from isthmus.xchange.group import MAX_CALLS_EACH, Group
from isthmus.xchange.messages import (
    MAX_COMMITS,
    MAX_STATIONS,
    Answer,
    Commit,
    NewHost,
    read_message,
    write_message,
)
from isthmus.xchange.packets import FILE, JSON, MAX_TEXT, receive, write_packet
from isthmus.xchange.station import MAX_OURS, Station

# Magic 778682, version 1, packet 0 of 1, JSON; the length is eight bytes.
HEAD = bytes.fromhex("000be1ba 00000001 00000000 00000001 00000000")
FILE_HEAD = bytes.fromhex("000be1ba 00000001 00000000 00000001 00000001")
THEIRS = "4aa291a1-1a62-45fe-aabc-e90e5e2399a8"
JOIN = {
    "Type": "MVR_JOIN", "Provider": "Tern plot", "StationName": "Prompt corner", "verMajor": 1, "verMinor": 6,
    "StationUUID": THEIRS, "Commits": [],
}  # fmt: skip
COMMIT = {
    "Type": "MVR_COMMIT", "verMajor": 1, "verMinor": 6, "FileSize": 5, "FileUUID": "f-1", "StationUUID": THEIRS,
    "ForStationsUUID": [], "Comment": "Bow truss\nlower", "FileName": "rig.mvr",
}  # fmt: skip


def raw(message: object) -> bytes:
    data = message if isinstance(message, bytes) else json.dumps(message).encode()
    return HEAD + len(data).to_bytes(8, "big") + data


def say(line: socket.socket, message: object) -> dict:
    """Send by hand, and read the answer by hand."""
    line.sendall(raw(message))
    head = line.recv(28, socket.MSG_WAITALL)
    assert head[:20] == HEAD
    return json.loads(line.recv(int.from_bytes(head[20:], "big"), socket.MSG_WAITALL))


@pytest.fixture
def exchange():
    told: list[str] = []
    made = Exchange(Me("our uuid", "Isthmus on the barge"), loopback(), told=told.append)
    made.start()
    yield made, told
    made.stop()


def test_a_program_of_its_own_making_joins_commits_and_fetches(exchange) -> None:
    made, told = exchange
    made.offer(b"PK\x03\x04 our rig", "Lantern Tide.mvr", "First hang")
    with socket.create_connection(made.group.where, 10) as line:
        answered = say(line, JOIN)
        (offered,) = answered["Commits"]
        assert answered["Type"] == "MVR_JOIN_RET" and answered["OK"] == "true"
        assert answered["StationUUID"] == "our uuid" and (
            answered["verMajor"],
            answered["verMinor"],
        ) == (1, 6)
        assert (offered["FileSize"], offered["Comment"], offered["FileName"]) == (
            12,
            "First hang",
            "Lantern Tide.mvr",
        )
        assert say(line, COMMIT) == {"Type": "MVR_COMMIT_RET", "OK": "true", "Message": ""}
        (other,) = made.others()
        assert other.commits[0].comment == "Bow truss lower" and told == [
            "Prompt corner offers rig.mvr: Bow truss lower"
        ]
        line.sendall(
            raw(
                {
                    "Type": "MVR_REQUEST",
                    "FileUUID": offered["FileUUID"],
                    "FromStationUUID": ["our uuid"],
                }
            )
        )
        head = line.recv(28, socket.MSG_WAITALL)
        assert (
            head[:20] == FILE_HEAD
            and line.recv(int.from_bytes(head[20:], "big"), socket.MSG_WAITALL)
            == b"PK\x03\x04 our rig"
        )
        refused = say(line, {"Type": "MVR_REQUEST", "FileUUID": "none such", "FromStationUUID": []})
        assert refused["Type"] == "MVR_REQUEST_RET" and refused["OK"] == "false"
        # What we offer from now on comes over the connection it keeps open: it listens nowhere.
        made.offer(b"PK\x03\x04 second", "Lantern Tide.mvr", "Second")
        head = line.recv(28, socket.MSG_WAITALL)
        pushed = json.loads(line.recv(int.from_bytes(head[20:], "big"), socket.MSG_WAITALL))
        assert pushed["Type"] == "MVR_COMMIT" and pushed["Comment"] == "Second"
        with ThreadPoolExecutor() as aside:  # and so does the request for what it offered
            fetched = aside.submit(made.get, other.commits[0])
            head = line.recv(28, socket.MSG_WAITALL)
            asked = json.loads(line.recv(int.from_bytes(head[20:], "big"), socket.MSG_WAITALL))
            assert (asked["Type"], asked["FileUUID"]) == ("MVR_REQUEST", "f-1")
            line.sendall(FILE_HEAD + (5).to_bytes(8, "big") + b"PK\x03\x04x")
            assert fetched.result(20) == b"PK\x03\x04x"
        assert (
            say(
                line,
                {
                    "Type": "MVR_NEW_SESSION_HOST",
                    "ServiceName": "Pier._mvrxchange._tcp.local.",
                    "ServiceURL": "",
                },
            )["OK"]
            == "true"
        )
        assert made.station.asked_to == NewHost("Pier") and "until you say so" in told[-1]
        assert (
            say(line, {"Type": "MVR_LEAVE", "FromStationUUID": THEIRS})["Type"] == "MVR_LEAVE_RET"
        )
        assert until(lambda: not made.others())
        say(line, {**JOIN, "Commits": [COMMIT]})
        (other,) = made.others()
    assert until(lambda: not made.group.lines)
    with pytest.raises(NetworkFault, match="has not said where it listens"):
        made.get(other.commits[0])


def test_three_stations_over_no_network_at_all() -> None:
    async def run() -> None:
        pond = Pond()
        bow, mid, far = (
            Group(Station(Me(name, name.title())), pond.links(name))
            for name in ("bow", "mid", "far")
        )
        for one in (bow, mid, far):
            await one.begin()
        first, _ = await bow.offer(b"PK\x03\x04" + bytes(1_000_000), "a.mvr", "before anybody came")
        for one in (mid, far):
            one.found("bow", "Bow", bow.where)
            bow.found(one.station.me.uuid, "", one.where)
        far.found("mid", "Mid", mid.where)
        while not all(o.joined for one in (bow, far) for o in one.station.others.values()):
            await asyncio.sleep(0)
        sizes: list[int] = []
        assert (
            len(await mid.get(first, sizes.append)) == 1_000_004
            and sizes == sorted(sizes)
            and len(sizes) > 2
        )
        only, missed = await bow.offer(b"PK\x03\x04", "b.mvr", "for far alone", ("far",))
        assert (
            not missed
            and far.station.others["bow"].commits[-1] == only
            and only not in mid.station.others["bow"].commits
        )
        lied = Commit(first.file, "bow", 7)
        with pytest.raises(NetworkFault, match="gave 1000004 bytes, and had offered 7"):
            await mid.get(lied)
        with pytest.raises(NetworkFault, match="UUID of this station"):
            await far.join(far.where)
        assert await mid.tell(NewHost(url="ws://10.0.0.1:9/")) == []
        assert bow.station.asked_to == NewHost(url="ws://10.0.0.1:9/")
        await bow.end()
        assert "bow" not in mid.station.others and "bow" not in far.station.others
        _, missed = await far.offer(b"PK\x03\x04", "c.mvr")
        assert missed == []

    asyncio.run(asyncio.wait_for(run(), 30))


@given(
    st.binary(max_size=3000),
    st.lists(st.integers(0, 3000), max_size=6),
    st.lists(st.integers(1, 4000), max_size=8),
)
def test_a_message_comes_whole_however_it_is_cut(
    data: bytes, cuts: list[int], reads: list[int]
) -> None:
    edges = [0, *sorted(min(cut, len(data)) for cut in cuts), len(data)]
    parts = [data[a:b] for a, b in zip(edges, edges[1:], strict=False)]
    stream = b"".join(
        b"\x00\x0b\xe1\xba"
        + b"".join(n.to_bytes(4, "big") for n in (1, at, len(parts), 1))
        + len(one).to_bytes(8, "big")
        + one
        for at, one in enumerate(parts)
    )

    async def run() -> None:
        reader = asyncio.StreamReader()
        coming = asyncio.ensure_future(receive(reader, lambda: 3000))
        rest = stream
        for size in [*reads, len(stream)]:
            reader.feed_data(rest[:size])
            rest = rest[size:]
            await asyncio.sleep(0)
        reader.feed_eof()
        assert await coming == (FILE, data)
        assert await receive(reader, lambda: 3000) is None

    asyncio.run(run())


@given(st.data())
def test_hostile_packets_end_their_connection_and_nothing_else(data) -> None:
    """Mangled heads, lengths, types and JSON: a reason or a message, and no more read than allowed."""
    good = bytearray(
        write_packet(JSON, json.dumps(data.draw(st.sampled_from([JOIN, COMMIT]))).encode())
    )
    for _ in range(data.draw(st.integers(1, 4))):
        good[data.draw(st.integers(0, len(good) - 1))] = data.draw(st.integers(0, 255))
    cut = data.draw(st.integers(0, len(good)))

    async def run() -> None:
        reader = asyncio.StreamReader()
        reader.feed_data(bytes(good[:cut]))
        reader.feed_eof()
        station = Station(Me("us", "Us"))
        try:
            got = await receive(reader, lambda: 10_000)
            if got is not None and got[0] == JSON:
                read = read_message(got[1])
                again = read_message(write_message(read))
                assert again == read or isinstance(read, (Answer, NewHost, Commit))
                station.hear(read, "10.0.0.9")
        except NetworkFault:
            pass
        assert len(station.others) <= 1 and not station.ours

    asyncio.run(run())


def test_what_is_too_much_is_refused_or_forgotten() -> None:
    async def read(stream: bytes, limit: int = 100) -> object:
        reader = asyncio.StreamReader()
        reader.feed_data(stream)
        return await receive(reader, lambda: limit, patience=0.05)

    def start(*numbers: int, length: int) -> bytes:
        return b"".join(n.to_bytes(4, "big") for n in numbers) + length.to_bytes(8, "big")

    for stream, why in (
        (b"GET / HTTP/1.1\r\nHost: 10.0.0.1\r\n", "not a packet"),
        (start(778682, 2, 0, 1, 0, length=1), "version 2"),
        (start(778682, 1, 0, 1, 7, length=1), "type 7"),
        (start(778682, 1, 0, 1, 1, length=101), "101 bytes are announced"),
        (start(778682, 1, 0, 1, 0, length=MAX_TEXT + 1), "are the most"),
        (start(778682, 1, 0, 1, 0, length=1 << 63), "are the most"),
        (start(778682, 1, 0, 0, 0, length=1), "cannot be"),
        (start(778682, 1, 0, 4_000_000_000, 1, length=1), "cannot be"),
        (2 * (start(778682, 1, 0, 2, 1, length=60) + bytes(60)), "more than is taken"),
        (start(778682, 1, 0, 2, 1, length=1) + b"x" + start(778682, 1, 1, 2, 0, length=1), "mixed"),
        (start(778682, 1, 0, 1, 1, length=50) + bytes(49), "nothing has come"),
    ):
        with pytest.raises(NetworkFault, match=why):
            asyncio.run(read(stream))
    for odd in (b"\xff", b"[]", b"{}", b'{"Type": "MVR_DANCE"}', b"[" * 100_000, b'{"Type": 7}'):
        with pytest.raises(NetworkFault):
            read_message(odd)
    flood = {
        **JOIN,
        "StationName": "<b>" + "x" * 9000,
        "Commits": [{"FileUUID": str(n), "FileSize": "1e9"} for n in range(5000)] + [7, None],
    }
    read_join = read_message(json.dumps(flood))
    station = Station(Me("us", "Us"))
    answered = station.hear(read_join, "10.0.0.9")
    other = station.others[THEIRS]
    assert (
        isinstance(answered, Answer)
        and answered.well
        and len(other.commits) == MAX_COMMITS
        and len(other.name) == 120
    )
    for n in range(3 * MAX_STATIONS):
        station.hear(read_message(json.dumps({**JOIN, "StationUUID": f"s{n}"})), "10.0.0.9")
        station.hear(read_message(json.dumps({**COMMIT, "StationUUID": f"c{n}"})), "10.0.0.9")
        station.offer(b"x", "a.mvr")
    assert len(station.others) == MAX_STATIONS and len(station.ours) == MAX_OURS
    assert (
        len(part("Ÿ." * 80).encode()) <= 63 and "." not in part("a.b") and part(" . ") == "Default"
    )


def heard(line: socket.socket) -> bytes:
    """The next byte; none where the other side has closed, with or without having read all."""
    line.settimeout(20)
    try:
        return line.recv(1)
    except ConnectionResetError:
        return b""


def test_a_caller_has_few_lines_and_files_are_not_taken_unasked(exchange) -> None:
    made, told = exchange
    lines = [socket.create_connection(made.group.where, 10) for _ in range(MAX_CALLS_EACH + 1)]
    for line in lines[:-1]:
        line.sendall(b"\x00")
    assert heard(lines[-1]) == b""  # one too many: closed
    for line in lines:
        line.close()

    def joins() -> bool:
        with socket.create_connection(made.group.where, 10) as line:
            line.sendall(raw(JOIN))
            return bool(heard(line))

    assert until(joins)  # those that left made room
    with socket.create_connection(made.group.where, 10) as line:
        line.sendall(FILE_HEAD + (5).to_bytes(8, "big") + b"PK\x03\x04x")
        assert heard(line) == b""
    assert not told


def test_a_host_by_websocket_carries_commits_and_files_between_programs(exchange) -> None:
    made, _ = exchange
    with running_station(b"PK\x03\x04 of the host", "As hung", web=True) as (url, host_told):
        made.join(url)
        assert until(lambda: made.others())
        (host,) = made.others()
        assert made.get(host.commits[0]) == b"PK\x03\x04 of the host"

        async def by_hand() -> None:
            async with aiohttp.ClientSession() as session, session.ws_connect(url) as ws:
                await ws.send_str(json.dumps(JOIN))
                answered = json.loads((await ws.receive()).data)
                assert (
                    answered["Type"] == "MVR_JOIN_RET"
                    and answered["Commits"][0]["Comment"] == "As hung"
                )
                await ws.send_str(json.dumps(COMMIT))
                assert json.loads((await ws.receive()).data)["Type"] == "MVR_COMMIT_RET"
                theirs = await asyncio.to_thread(_commit_of, made, THEIRS)
                fetched = asyncio.create_task(asyncio.to_thread(made.get, theirs))
                asked = json.loads((await ws.receive()).data)
                assert asked["Type"] == "MVR_REQUEST" and asked["FileUUID"] == "f-1"
                await ws.send_bytes(b"PK\x03\x04!")
                assert await fetched == b"PK\x03\x04!"
                made_known = asyncio.create_task(
                    asyncio.to_thread(made.offer, b"PK\x03\x04 ours", "ours.mvr", "Ours")
                )
                pushed = json.loads((await ws.receive()).data)
                await made_known
                assert pushed["Type"] == "MVR_COMMIT" and pushed["Comment"] == "Ours"
                await ws.send_str(
                    json.dumps(
                        {
                            "Type": "MVR_REQUEST",
                            "FileUUID": pushed["FileUUID"],
                            "FromStationUUID": [],
                        }
                    )
                )
                assert (await ws.receive()).data == b"PK\x03\x04 ours"  # by way of the host
                await ws.send_str(
                    json.dumps({"Type": "MVR_REQUEST", "FileUUID": "none", "FromStationUUID": []})
                )
                assert json.loads((await ws.receive()).data)["OK"] == "false"

        asyncio.run(asyncio.wait_for(by_hand(), 60))
        assert any("ours.mvr: Ours" in words for words in host_told)
    with pytest.raises(NetworkFault, match="no host"):
        made.join("ws://127.0.0.1:9/")


def _commit_of(made: Exchange, station: str) -> Commit:
    def found() -> list[Commit]:
        return [c for one in made.others() for c in one.commits if c.station == station]

    assert until(found)
    return found()[-1]


def test_fetching_is_given_up_at_once(exchange) -> None:
    made, _ = exchange
    with socket.create_server(("127.0.0.1", 0)) as silent:

        def step(share: float, words: str) -> None:
            raise Cancelled

        made.station.found("mute", "Mute", silent.getsockname())
        with pytest.raises(Cancelled):
            made.get(Commit("f", "mute", 10), step)


FAR = "from isthmus.cli import main; print('up', flush=True); input(); main(['xchange-station', '--adapter', 'tide1', '--json', '--seconds', '120'])"


@pytest.mark.skipif(not OWN_NETWORK, reason="needs a network namespace of its own (root)")
def test_two_machines_find_each_other_and_one_fetches_the_rig(tmp_path: Path) -> None:
    far = subprocess.Popen(
        ["unshare", "--net", sys.executable, "-c", FAR],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
        cwd=Path(__file__).parents[2],
    )
    assert far.stdin and far.stdout
    try:
        assert far.stdout.readline() == "up\n"
        ip("link add tide0 type veth peer name tide1")
        ip(f"link set tide1 netns {far.pid}")
        ip("addr add 10.77.0.1/24 dev tide0")
        ip("link set tide0 up")
        enter = ["nsenter", "-t", str(far.pid), "-n", "ip"]
        for words in ("addr add 10.77.0.2/24 dev tide1", "link set tide1 up"):
            subprocess.run([*enter, *words.split()], check=True)
        far.stdin.write("\n")
        far.stdin.flush()
        assert json.loads(far.stdout.readline())["ready"]
        target = tmp_path / "theirs.mvr"
        code, got = answer(
            "xchange", "get", "--adapter", "tide0", "--to", str(target), "--seconds", "30"
        )
        assert code == 0 and got["of"] == "Quay desk"
        told = command("diff", "demo", str(target)).stdout
        assert "3 units have another place (101, 102, 103)" in told
    finally:
        far.kill()
        far.wait()
        for pipe in (far.stdin, far.stdout):
            pipe.close()
        subprocess.run(["ip", "link", "del", "tide0"], capture_output=True, check=False)
