"""Discovery: devices asked through nodes and matched as a whole, hostile answers survived, settings read back."""

from __future__ import annotations

import random
import shutil
import struct
import subprocess
import threading
import time
from collections.abc import Callable
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from helpers.rigs import device_of
from helpers.tools import answer, running_rig, until
from isthmus.check import devices as core
from isthmus.check import setting
from isthmus.check.devices import Device, Discovered, discover
from isthmus.check.matched import ADDRESS, IN_PLACE, MISSING, MODE, PORT, UNKNOWN, match
from isthmus.check.setting import apply, changes_for, reverse
from isthmus.demo import as_hung
from isthmus.engine import Engine
from isthmus.errors import Cancelled, EntryFault, NetworkFault
from isthmus.net import Hub
from isthmus.net.found import FoundNode, FoundPort
from isthmus.net.talk import MAX_DEVICES, OWN, Talker
from isthmus.output import Composer, Live, Masters, identity
from isthmus.patch import edits
from isthmus.show import Show
from isthmus.sockets import Outlets
from isthmus.wire import artnet, rdm
from isthmus.wire.pcapng import Captured, encode_head, encode_packet

NODE = FoundNode(
    "127.0.0.2",
    "Ferry A",
    "Ferry A",
    (FoundPort(1, 1, 1, "out", 0), FoundPort(2, 1, 2, "out", 1)),
    rdm=True,
)


class Line:
    """A node with devices behind its first port, in this process: `twist` changes what it says."""

    def __init__(
        self,
        count: int = 3,
        twist: Callable[[rdm.Message], list[bytes] | None] = lambda message: None,
    ) -> None:
        self.uids = [rdm.uid(0x7FF0, n + 1) for n in range(count)]
        self.kept = {
            u: {"address": 1 + 10 * i, "mode": 1, "label": f"10{i + 1}", "on": 0}
            for i, u in enumerate(self.uids)
        }
        self.twist, self.tables, self.asked = twist, 1, 0
        self.total: int | None = None
        self.talker = Talker(self.send, pause=0.0)

    def send(self, packet: bytes, host: str) -> str:
        decoded = artnet.decode(packet)
        if isinstance(decoded, (artnet.ArtTodControl, artnet.ArtTodRequest)):
            number = (
                decoded.port_address
                if isinstance(decoded, artnet.ArtTodControl)
                else decoded.addresses[0]
            )
            found = tuple(self.uids) if number == 0 else ()
            for block in range(self.tables):
                self._later(
                    artnet.ArtTodData(
                        number,
                        1,
                        1,
                        len(found) if self.total is None else self.total,
                        block,
                        found[:200],
                    )
                )
        elif isinstance(decoded, artnet.ArtRdm):
            self.asked += 1
            message = rdm.decode(decoded.message, start_code=False)
            assert isinstance(message, rdm.Message), "what we send is whole"
            for raw in (
                self.twist(message) if self.twist(message) is not None else [self.reply(message)]
            ):
                self._later(artnet.ArtRdm(0, raw))
        return ""

    def _later(self, packet: artnet.ArtTodData | artnet.ArtRdm) -> None:
        threading.Timer(0.001, lambda: self.talker.take(packet, "127.0.0.2")).start()

    def reply(
        self, message: rdm.Message, kind: int = rdm.ACK, data: bytes | None = None, **more
    ) -> bytes:
        kept = self.kept[message.to]
        if message.command == rdm.SET and data is None:
            if message.parameter == rdm.DMX_START_ADDRESS:
                kept["address"] = struct.unpack(">H", message.data)[0]
            elif message.parameter == rdm.PERSONALITY:
                kept["mode"] = message.data[0]
            elif message.parameter == rdm.DEVICE_LABEL:
                kept["label"] = message.data.decode()
            elif message.parameter == rdm.IDENTIFY:
                kept["on"] = message.data[0]
            data = b""
        info = rdm.Info(
            7, 0x0101, 1, 21 if kept["mode"] == 1 else 12, kept["mode"], 2, kept["address"], 0, 1
        )
        mode = message.data[0] if message.data else 1
        known = {
            rdm.DEVICE_INFO: rdm.write_info(info),
            rdm.DMX_START_ADDRESS: struct.pack(">H", kept["address"]),
            rdm.PERSONALITY: bytes([kept["mode"], 2]),
            rdm.PERSONALITY_WORDS: bytes([mode])
            + struct.pack(">H", 21 if mode == 1 else 12)
            + (b"Full" if mode == 1 else b"Short"),
            rdm.DEVICE_LABEL: kept["label"].encode(),
            rdm.MODEL_WORDS: b"Skerry 400",
            rdm.LAMP_HOURS: struct.pack(">I", 321),
            rdm.IDENTIFY: bytes([kept["on"]]),
            rdm.SENSOR_DEFINITION: bytes([0, 0, 1, 0]) + bytes(9) + b"Head",
            rdm.SENSOR_VALUE: bytes([0]) + struct.pack(">hhhh", 44, 0, 0, 0),
        }
        if data is None:
            found = known.get(message.parameter)
            kind, data = (kind, found) if found is not None else (rdm.NACK, b"\0\0")
        back = rdm.Message(
            message.by,
            message.to,
            message.command + 1,
            message.parameter,
            data,
            message.transaction,
            kind,
        )
        return rdm.encode(replace(back, **more), start_code=False)


def test_devices_tell_what_they_are_and_refusals_leave_things_empty(demo: Show) -> None:
    line = Line()
    told: list[tuple[int, int, str]] = []
    found = discover(line.talker, [NODE], demo, lambda *now: told.append(now))
    assert (
        [d.label for d in found.devices] == ["101", "102", "103"]
        and not found.odd
        and len(found.asked) == 2
    )
    one = found.devices[1]
    assert (one.address, one.footprint, one.mode, one.model, one.lamp_hours, one.name) == (
        11,
        21,
        "Full",
        "Skerry 400",
        321,
        "7FF0:00000002",
    )
    assert (
        one.maker == ""
        and one.personalities == (("Full", 21), ("Short", 12))
        and (one.sensors[0].words, one.sensors[0].value) == ("Head", 44)
    )
    assert told[0][2] == "Asking for devices at Ferry A, port 1" and told[-1][0] == 4
    heard = Discovered()

    def cancelled(done: int, all_: int, words: str) -> None:
        if heard.devices:
            raise Cancelled

    with pytest.raises(Cancelled):
        discover(line.talker, [NODE], demo, cancelled, heard)
    assert len(heard.devices) == 1  # what has answered is kept
    off = replace_node(demo, rdm=False)
    line.asked = 0
    assert not discover(line.talker, [NODE], off).asked and not line.asked  # RDM off where asked
    assert not discover(
        line.talker, [replace(NODE, ports=tuple(replace(p, rdm=False) for p in NODE.ports))], demo
    ).asked


def replace_node(show: Show, **changes) -> Show:
    from msgspec.structs import replace as edit

    return edit(show, nodes=tuple(edit(n, **changes) if n.ip == NODE.ip else n for n in show.nodes))


def broken_checksum(line: Line):
    return lambda m: [line.reply(m)[:-1] + b"\x00\x00"]


HOSTILE = {
    "silence": lambda line: lambda m: [],
    "a wrong checksum": lambda line: lambda m: [line.reply(m)[:-2] + b"\xde\xad"],
    "another's answer": lambda line: lambda m: [line.reply(m, by=rdm.uid(1, 1))],
    "an old answer": lambda line: lambda m: [line.reply(m, transaction=(m.transaction + 9) % 256)],
    "another parameter": lambda line: lambda m: [line.reply(m, parameter=0x1234)],
    "a list without an end": lambda line: lambda m: [line.reply(m, rdm.ACK_OVERFLOW, b"x" * 200)],
    "later, always": lambda line: lambda m: [line.reply(m, rdm.ACK_TIMER, b"\0\1")],
    "half a message": lambda line: lambda m: [line.reply(m)[:11]],
    "noise": lambda line: lambda m: [random.Random(m.transaction).randbytes(40)],
}


@pytest.mark.parametrize("kind", HOSTILE)
def test_a_hostile_device_is_given_up_with_a_reason_and_the_others_are_asked(
    demo: Show, kind: str, monkeypatch
) -> None:
    for name, value in (("WAIT", 0.03), ("MAX_TIMER", 0.4)):
        monkeypatch.setattr(f"isthmus.net.talk.{name}", value)
    line = Line()
    bad = HOSTILE[kind](line)
    line.twist = lambda m: bad(m) if m.to == line.uids[1] else None
    began = time.monotonic()
    found = discover(line.talker, [NODE], demo)
    assert time.monotonic() - began < 20
    assert [bool(d.trouble) for d in found.devices] == [False, True, False]
    assert (
        "does not answer" in found.devices[1].trouble[0]
        or "on and on" in found.devices[1].trouble[0]
    )
    rows = match(demo, found.devices, found.asked)
    assert any(
        m.device is found.devices[1] and m.ways == (UNKNOWN,) and m.device.trouble[0] in m.words
        for m in rows
    )


def test_answers_that_make_no_sense_are_told(demo: Show) -> None:
    line = Line()
    odd = {
        rdm.DEVICE_INFO: b"short",
        rdm.PERSONALITY_WORDS: b"\x09\xff",
        rdm.LAMP_HOURS: b"\1",
        rdm.SENSOR_DEFINITION: b"\0",
    }
    line.twist = lambda m: (
        [line.reply(m, data=odd[m.parameter])]
        if m.parameter in odd and (m.to != line.uids[0] or m.parameter != 0x60)
        else None
    )
    found = discover(line.talker, [NODE], demo)
    assert (
        found.devices[0].personalities == (("", 0), ("", 0))
        and found.devices[0].lamp_hours is None
        and not found.devices[0].sensors
    )
    assert found.devices[1].trouble == ("what it tells of itself makes no sense",)
    assert rdm.read_words(b"Bow\x07\xff rail\0junk") == "Bow rail".replace(" ", "\ufffd ", 1)


def test_tables_without_an_end_doubles_and_silence_are_bounded(demo: Show, monkeypatch) -> None:
    monkeypatch.setattr("isthmus.net.talk.TABLE_WAIT", 0.1)
    monkeypatch.setattr("isthmus.net.talk.WAIT", 0.01)
    line = Line(4)
    line.uids.append(line.uids[0])
    found = discover(line.talker, [NODE], demo)
    assert len(found.devices) == 4 and any("names a device twice" in words for words in found.odd)
    line = Line(2)
    line.total = 9
    found = discover(line.talker, [NODE], demo)
    assert len(found.devices) == 2 and any(
        "tells of 9 devices and names 2" in words for words in found.odd
    )
    flood = Line(1)
    flood.uids = [rdm.uid(0x7FF0, n) for n in range(200)]
    flood.twist = lambda m: []
    for block in range(400):
        uids = tuple(rdm.uid(block, n) for n in range(200))
        flood.talker.take(artnet.ArtTodData(0, 1, 1, 60000, block, uids), "127.0.0.2")
    assert not flood.talker._tables  # it was not asked for, and takes no memory
    flood.total, flood.tables = 60000, 5
    uids, odd = flood.talker.table("127.0.0.2", 0)
    assert len(uids) <= MAX_DEVICES and "more than" in odd
    dumb = Talker(lambda packet, host: "", pause=0.0)
    with pytest.raises(NetworkFault, match="does not say who is there"):
        dumb.table("127.0.0.2", 0)
    deaf = Talker(lambda packet, host: "No adapter leads there.", pause=0.0)
    with pytest.raises(NetworkFault, match="No adapter"):
        deaf.table("127.0.0.2", 0)
    both = [replace(NODE, ip=ip) for ip in ("127.0.0.2", "127.0.0.3")]
    twin = Line(2)
    twin._later = lambda packet: [twin.talker.take(packet, ip) for ip in ("127.0.0.2", "127.0.0.3")]
    assert any(
        "two devices with one number" in words for words in discover(twin.talker, both, demo).odd
    )


@given(st.binary(max_size=300))
@settings(max_examples=75)
def test_no_bytes_at_all_upset_the_reader(raw: bytes) -> None:
    talker = Talker(lambda packet, host: "", pause=0.0)
    talker.take(artnet.ArtRdm(0, raw), "127.0.0.2")
    for start in (True, False):
        found = rdm.decode(raw, start)
        assert isinstance(found, (rdm.Message, rdm.Broken))
    assert rdm.read_info(raw) is None or len(raw) == 19
    rdm.read_sensor(raw)
    assert len(rdm.read_words(raw)) <= 32


# ---------------------------------------------------------------- matching


@given(st.integers(0, 2**32))
@settings(max_examples=10)
def test_devices_are_matched_as_a_whole_whatever_their_order(seed: int) -> None:
    show = as_hung()
    rng = random.Random(seed)
    units = [u for u in show.units if u.patch and u.patch[0].universe == 1]
    made = [device_of(show, u.id) for u in units]
    moved, other, gone = rng.sample(range(len(made)), 3)
    made[moved] = replace(made[moved], info=replace(made[moved].info, address=400))
    made[other] = replace(made[other], port_address=1, port=2)
    missing = made.pop(gone)
    made.append(
        replace(
            made[0],
            uid=rdm.uid(1, 77),
            label="",
            model="Nothing here",
            info=replace(made[0].info, footprint=99, address=500),
        )
    )
    rng.shuffle(made)
    rows = match(show, made, {("127.0.0.2", 0)})
    by_unit = {m.unit.id: m for m in rows if m.unit}
    for at, unit in enumerate(units):
        want = {moved: (ADDRESS,), other: (PORT,), gone: (MISSING,)}.get(at, (IN_PLACE,))
        assert by_unit[unit.id].ways == want, by_unit[unit.id].words
        assert at == gone or by_unit[unit.id].device.label.startswith(str(unit.number))
    assert [m.device.model for m in rows if m.unit is None] == ["Nothing here"]
    assert missing.name not in {m.device.name for m in rows if m.device}


def test_changes_are_set_read_back_and_undone(demo: Show) -> None:
    line = Line()
    show = edits.set_mode(edits.set_address(demo, ["u101"], (1, 301)), ["u102"], "Short")
    found = discover(line.talker, [NODE], show)
    rows = match(show, found.devices, found.asked)
    changes = changes_for(show, rows)
    assert [(c.device.label, c.what, c.before, c.after) for c in changes] == [
        ("101", "address", "001", "301"),
        ("102", "mode", "Full", "Short"),
        ("102", "address", "011", "022"),
        ("103", "address", "021", "043"),
    ]
    done = [apply(line.talker, c) for c in changes]
    assert (
        all(d.well for d in done)
        and line.kept[line.uids[0]]["address"] == 301
        and line.kept[line.uids[1]]["mode"] == 2
    )
    again = discover(line.talker, [NODE], show)
    assert all(m.ways == (IN_PLACE,) for m in match(show, again.devices) if m.device)
    assert all(apply(line.talker, reverse(c)).well for c in reversed(changes))
    assert [line.kept[u]["address"] for u in line.uids] == [1, 11, 21] and line.kept[line.uids[1]][
        "mode"
    ] == 1
    typed = setting.wished(found.devices[0], "17", "short", "101 Bow")
    assert [(c.what, c.after) for c in typed] == [
        ("mode", "Short"),
        ("address", "017"),
        ("label", "101 Bow"),
    ]
    assert setting.wished(found.devices[0], "001", "Full", "") == []
    for wrong in (("600", "", ""), ("x", "", ""), ("", "Ninth", ""), ("", "", "Büh" * 12)):
        with pytest.raises(EntryFault):
            setting.wished(found.devices[0], *wrong)
    labels = setting.label_changes(rows)
    assert labels[0].after.startswith("101 ") and apply(line.talker, labels[0]).well
    core.identify(line.talker, found.devices[0], True)
    assert line.kept[line.uids[0]]["on"] == 1
    line.twist = lambda m: [line.reply(m, rdm.NACK, b"\0\6")] if m.command == rdm.SET else None
    failed = apply(line.talker, changes[0])
    assert not failed.well and "out of its range" in failed.words
    line.twist = lambda m: [line.reply(m, data=b"")] if m.command == rdm.SET else None
    liar = apply(line.talker, changes[0])
    assert not liar.well and "still tells another" in liar.words


# ---------------------------------------------------------------- over the network


def pace(show: Show, seconds: float) -> float:
    """Packets a second of the engine that sends the light, for a while."""
    engine, outlets = Engine(), Outlets.open("127.0.0.1", "127.0.0.1", "", {})
    try:
        engine.use(outlets)
        engine.start()
        engine.publish(*Composer(Masters()).compose(show, Live(show)), identity(show))
        engine.enable(True)
        assert until(lambda: (engine.beat(), engine.stats().packets)[1])
        first = time.monotonic(), engine.stats().packets
        while time.monotonic() < first[0] + seconds:
            engine.beat()
            time.sleep(0.05)
        return (engine.stats().packets - first[1]) / (time.monotonic() - first[0])
    finally:
        engine.stop()
        outlets.close()


@pytest.mark.network
def test_the_whole_stand_in_rig_is_discovered_and_light_goes_on_at_its_pace(demo: Show) -> None:
    with running_rig() as rig:
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr("isthmus.net.talk.PAUSE", 0.0)  # here no one wants light
            code, told = answer("discover", "demo")
        assert code == 1
        by_unit = {row["unit"]: row for row in told["devices"] if row["unit"]}
        assert (
            by_unit[101]["ways"] == ["in place"]
            and by_unit[203]["ways"] == ["other address"]
            and by_unit[208]["ways"] == ["other mode"]
        )
        assert (
            by_unit[104]["ways"] == ["missing there"]
            and by_unit[314]["address"] == 205
            and by_unit[101]["sensors"][0]["words"]
        )
        hub = Hub()
        hub.want({}, {"artnet": ["127.0.0.2"]}, ["127.0.0.2"])
        hub.start()
        try:
            hub.look(True)
            assert until(lambda: len(hub.view.nodes) == 2)
            talker = Talker.of(hub)
            for left in (
                3,
                2,
                1,
                0,
            ):  # a machine that stalls meanwhile is not the asking's doing: that would show every time
                alone = pace(demo, 2.0)
                results: list[float] = []
                sender = threading.Thread(target=lambda to=results: to.append(pace(demo, 3.0)))
                sender.start()
                found = discover(
                    talker,
                    hub.view.nodes,
                    demo,
                    lambda done, all_, words, sender=sender: sender.is_alive(),
                )
                sender.join()
                if len(found.devices) > 10 and results[0] > 0.97 * alone:
                    break
                assert left, (
                    f"asking devices opens gaps in the light: {results[0]:.1f} packets a second instead of {alone:.1f}"
                )
            one = found.devices[-1]
            assert apply(
                talker, setting.Change(one, "address", f"{one.address:03d}", "401", 401)
            ).well
            assert (
                next(u for u in rig.ask("state")["units"] if u["label"] == one.label)["address"]
                == 401
            )
        finally:
            hub.stop()


@pytest.mark.skipif(not shutil.which("tshark"), reason="no packet dissector here")
def test_an_independent_reader_understands_what_is_sent(tmp_path) -> None:
    """tshark dissects every kind of question we ask, with right checksums."""
    sent: list[bytes] = []
    talker = Talker(lambda packet, host: sent.append(packet) or "", pause=0.0)
    talker.ended.set()  # no node answers: send and do not wait
    device = rdm.uid(0x7FF0, 0x12345678)
    for command, parameter, data in (
        (rdm.GET, rdm.DEVICE_INFO, b""),
        (rdm.GET, rdm.PERSONALITY_WORDS, b"\x02"),
        (rdm.SET, rdm.DMX_START_ADDRESS, b"\x01\x2d"),
        (rdm.SET, rdm.DEVICE_LABEL, b"101 Mast high"),
        (rdm.SET, rdm.IDENTIFY, b"\x01"),
        (rdm.GET, rdm.SENSOR_VALUE, b"\x00"),
    ):
        talker._once("127.0.0.2", 0x123, device, command, parameter, data)
    sent += [
        artnet.encode_tod_control(artnet.ArtTodControl(0x123)),
        artnet.encode_tod_request(artnet.ArtTodRequest(1, (0x23,))),
    ]
    path = tmp_path / "asked.pcapng"
    captured = (
        Captured(1000.0 + n, ("127.0.0.1", 6454), ("127.0.0.2", 6454), packet)
        for n, packet in enumerate(sent)
    )
    path.write_bytes(encode_head() + b"".join(map(encode_packet, captured)))
    wanted = ["rdm.pid", "rdm.cc", "rdm.checksum.status", "artnet.header.opcode"]
    read = subprocess.run(
        ["tshark", "-r", str(path), "-T", "fields", *(x for f in wanted for x in ("-e", f))],
        capture_output=True,
        text=True,
        timeout=60,
        check=True,
    ).stdout.splitlines()
    rows = [line.split("\t") for line in read]
    assert [int(r[0], 16) for r in rows[:6]] == [0x60, 0xE1, 0xF0, 0x82, 0x1000, 0x201]
    assert [int(r[1], 16) for r in rows[:6]] == [0x20, 0x20, 0x30, 0x30, 0x30, 0x20]
    assert all(r[2] in ("1", "Good") for r in rows[:6])
    assert [int(r[3], 16) for r in rows] == [0x8300] * 6 + [0x8200, 0x8000]
    assert isinstance(rdm.decode(rdm.encode(rdm.Message(device, OWN, rdm.GET, 1))), rdm.Message)


def test_a_device_of_no_slots_and_one_of_unknown_kind_are_listed(demo: Show) -> None:
    made = Device(
        rdm.uid(1, 1),
        "127.0.0.2",
        "Ferry A",
        1,
        0,
        rdm.read_info(rdm.write_info(rdm.Info(1, 1, 1, 0, 1, 1, 0, 0, 0))),
    )
    assert made.address == 0
    rows = match(demo, [made], [])
    assert [m.ways for m in rows if m.device] == [(UNKNOWN,)] and MODE not in rows[-1].ways
