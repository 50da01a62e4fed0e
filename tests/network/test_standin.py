"""The simulator: its truth is its own, its ports are real, and its files may be broken."""

from __future__ import annotations

import json
import shutil
import socket
from pathlib import Path

import pytest

from helpers.tools import lit, until
from isthmus.demo import SCENARIO, as_hung
from isthmus.errors import FileFault, NetworkFault
from isthmus.output import RigView, compile_show
from isthmus.standin import RigClient, StandInRig, read_scenario, rig_show, slots_by_unit
from isthmus.standin.node import Node
from isthmus.standin.scenario import SimNode
from isthmus.wire import artnet, rdm, sacn


def send(ip: str, port_address: int, slots: dict[int, int], sequence: int = 0) -> None:
    data = bytearray(512)
    for address, value in slots.items():
        data[address - 1] = value
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
        sock.sendto(artnet.encode_dmx(sequence, port_address, bytes(data)), (ip, artnet.PORT))


def test_units_obey_the_address_set_on_them_and_a_dead_one_does_nothing(rig: RigClient) -> None:
    white = {
        3: 255,
        4: 255,
        5: 255,
        6: 255,
        7: 255,
        8: 255,
        9: 255,
    }  # of Lapwing 19 Short: dimmer, shutter, colours are 5 to 10
    send("127.0.0.2", 1, {2 * 11 + at + 1: v for at, v in white.items()})  # where the paper has 203
    assert not until(lambda: lit(rig), 0.4)
    send("127.0.0.2", 1, {66 + at + 1: v for at, v in white.items()})  # where the paper has 207
    assert until(lambda: set(lit(rig)) == {"203", "207"})
    send(
        "127.0.0.2", 0, {63 + 5: 255, 63 + 7: 255, 42 + 5: 255, 42 + 7: 255}
    )  # 104, which is dead, and 103
    assert until(lambda: "103" in lit(rig)) and "104" not in lit(rig)


def test_nodes_take_only_their_own_port_addresses_count_what_is_lost_and_answer_a_poll(
    rig: RigClient,
) -> None:
    for sequence in (1, 2, 5, 6):
        send("127.0.0.3", 16, {301: sequence}, sequence)
    send("127.0.0.3", 0, {301: 255})  # a port-address of the other node
    state = rig.ask("state")
    port = next(p for p in state["ports"] if p["port_address"] == 16)
    assert (port["packets"], port["lost"], port["sender"]) == (4, 2, "127.0.0.1")
    assert next(u["level"] for u in state["units"] if u["label"] == "401") == pytest.approx(
        6 / 255, abs=1e-3
    )
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
        sock.settimeout(2)
        sock.bind(("127.0.0.1", 0))
        for rubbish in (b"", b"Art-Net\0", artnet.ID + bytes(700)):
            sock.sendto(rubbish, ("127.0.0.2", artnet.PORT))
        sock.sendto(artnet.encode_poll(), ("127.0.0.2", artnet.PORT))
        reply = artnet.decode(sock.recv(1024))
    assert (
        isinstance(reply, artnet.ArtPollReply)
        and reply.short_name == "Ferry A"
        and reply.ports == (0, 1)
    )


def test_what_it_describes_can_be_drawn_as_a_rig_and_differs_from_the_paper_only_by_its_faults(
    rig: RigClient,
) -> None:
    hung, paper = rig_show(rig.ask("describe"), as_hung()), as_hung()
    assert [u.number for u in hung.units] == [u.number for u in paper.units]
    for real, planned in zip(hung.units, paper.units, strict=True):
        assert real.mode == planned.mode and (
            planned.position is None or real.position == pytest.approx(planned.position, abs=2e-3)
        )
    view = RigView(hung, compile_show(hung, tuple(range(1, len(hung.units) + 1))))
    assert len(view.rig.order) == len(hung.units) == len(slots_by_unit(rig.ask("state")))
    assert rig.ask("sing")["error"]


def test_a_port_in_use_and_a_rig_that_is_not_there_are_told(rig: RigClient) -> None:
    with pytest.raises(NetworkFault, match="already uses that port") as caught:
        StandInRig(read_scenario(SCENARIO))
    assert "127.0.0.2:6454" in str(caught.value)
    with pytest.raises(NetworkFault, match="no simulator answers"):
        RigClient(("127.0.0.1", 1))


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda d: d["units"][0].update(profile="gone.gdtf"), "no such file"),
        (lambda d: d["units"][0].update(profile="../../x.gdtf"), "not a plain file name"),
        (lambda d: d["units"][0].update(mode="Gone"), "has no mode"),
        (lambda d: d["units"][0].update(port=7), "which is not there"),
        (lambda d: d["units"][0].update(address=513), "cannot be"),
        (lambda d: d["units"][0].update(faults=["haunted"]), "cannot be"),
        (lambda d: d.pop("nodes"), "not a scenario"),
    ],
)
def test_a_broken_scenario_is_refused_in_a_sentence(change, says: str, tmp_path: Path) -> None:
    shutil.copytree(SCENARIO.parent / "profiles", tmp_path / "profiles")
    data = json.loads(SCENARIO.read_text())
    change(data)
    file = tmp_path / "rig.json"
    file.write_text(json.dumps(data))
    with pytest.raises(FileFault, match=says):
        read_scenario(file)


# ---------------------------------------------------------------- one node, packet by packet


def node(**changes: object) -> Node:
    return Node(SimNode(**{"name": "Ferry A", "ip": "127.0.0.2", "ports": (0, 1), **changes}))


def dmx(number: int, level: int, sequence: int = 0) -> bytes:
    return artnet.encode_dmx(sequence, number, bytes([level, 255 - level] * 256))


def e131(universe: int, level: int, who: int = 1, sequence: int = 1, **more: object) -> bytes:
    return sacn.encode_data(
        sacn.Data(bytes([who]) * 16, f"hub {who}", universe, sequence, bytes([level]) * 512, **more)
    )


def test_two_senders_merge_by_highest_or_latest_and_a_third_is_left_out() -> None:
    for merge, both in (("htp", (200, 155)), ("ltp", (200, 55))):
        made = node(merge=merge)
        made.handle(dmx(0, 100), "127.0.0.1", 1.0)
        made.handle(dmx(0, 200), "127.0.0.5", 1.1)
        made.handle(dmx(0, 250), "127.0.0.6", 1.2)
        port = made.ports[0]
        assert tuple(port.slots[:2]) == both and port.merging and made.ports[1].packets == 0
        made.handle(dmx(0, 100), "127.0.0.1", 12.0)  # the others have been silent for ten seconds
        assert tuple(port.slots[:2]) == (100, 155) and not port.merging


def test_sacn_takes_the_highest_priority_merges_equals_and_heeds_priorities_by_address() -> None:
    made = node(protocol="sacn", ports=(7, 8))
    port = made.ports[0]
    for packet, level in (
        (e131(7, 40), 40),
        (e131(7, 90, 2, priority=120), 90),
        (e131(7, 50, 3, priority=120), 90),
        (e131(8, 9), 90),
    ):
        made.handle(packet, "127.0.0.1", 1.0)
        assert port.slots[0] == level
    made.handle(e131(7, 255, 4, options=sacn.PREVIEW, priority=200), "127.0.0.1", 1.1)
    assert port.slots[0] == 90  # preview is not for the rig
    own = bytes([0, 200]) + bytes(510)
    made.handle(
        sacn.encode_data(
            sacn.Data(bytes([1]) * 16, "hub 1", 7, 2, own, start_code=sacn.PER_ADDRESS_PRIORITY)
        ),
        "127.0.0.1",
        1.1,
    )
    assert (port.slots[0], port.slots[1]) == (90, 40)
    for who in (2, 3):
        made.handle(e131(7, 0, who, 2, options=sacn.TERMINATED, priority=120), "127.0.0.1", 1.2)
    assert (port.slots[0], port.slots[1]) == (0, 40)  # what it leaves to others is no one's now
    made.handle(e131(7, 60, 5), "127.0.0.1", 9.0)
    assert set(port.feeds) == {(bytes([5]) * 16).hex()}  # silent for 2.5 s: gone


def test_with_sync_levels_wait_for_it_and_without_it_they_do_not_wait_for_ever() -> None:
    made = node()
    made.handle(artnet.encode_sync(), "127.0.0.1", 1.0)
    made.handle(dmx(0, 100), "127.0.0.1", 1.1)
    assert made.ports[0].slots[0] == 0
    made.handle(artnet.encode_sync(), "127.0.0.1", 1.2)
    assert made.ports[0].slots[0] == 100
    made.handle(dmx(0, 120), "127.0.0.1", 6.0)  # no sync for more than four seconds
    assert made.ports[0].slots[0] == 120


def test_a_cap_a_loss_inputs_and_a_power_cut_are_what_they_say() -> None:
    capped = node(ports=(0, 1, 2), cap=2)
    for number in (0, 1, 2, 2):
        capped.handle(dmx(number, 100), "127.0.0.1", 1.0)
    assert [p.packets for p in capped.ports] == [1, 1, 0]
    lossy = node(drop=0.5)
    for sequence in range(400):
        lossy.handle(dmx(0, 100, sequence % 255 + 1), "127.0.0.1", 1.0 + sequence / 40)
    assert 130 < lossy.ports[0].packets < 270 and lossy.ports[0].lost == pytest.approx(
        400 - lossy.ports[0].packets, abs=12
    )
    made = node(inputs=(1,))
    made.handle(dmx(0, 100), "127.0.0.1", 1.0)
    made.handle(dmx(1, 100), "127.0.0.1", 1.0)
    assert [p.packets for p in made.ports] == [0, 1]
    made.switch(False)
    assert (
        made.handle(artnet.encode_poll(), "127.0.0.1", 2.0) == [] and not made.ports[1].slots.any()
    )
    assert (
        node(protocol="sacn").handle(artnet.encode_poll(), "127.0.0.1", 1.0) == []
    )  # cannot be asked


# ---------------------------------------------------------------- changed while it runs


def test_units_and_nodes_are_broken_moved_and_mended_while_it_runs(rig: RigClient) -> None:
    full = {
        5: 255,
        6: 255,
        7: 255,
        1: 200,
        3: 50,
    }  # of Skerry 400: pan 1, tilt 3, dimmer 5 and 6, shutter 7

    def unit(label: str) -> dict:
        send("127.0.0.2", 0, {**full, **{at + 21: v for at, v in full.items()}})
        return next(u for u in rig.ask("state")["units"] if u["label"] == label)

    assert until(lambda: unit("101")["level"] > 0.9)
    whole = unit("101")
    for fault, what in (
        ("lamp", "level"),
        ("shutter", "level"),
        ("dead", "level"),
        ("pan", "pan"),
        ("swapped", "tilt"),
    ):
        rig.do("unit", label="101", faults=[fault])
        assert until(lambda what=what: unit("101")[what] != whole[what]) and (what == "level") == (
            unit("101")["level"] == 0
        ), fault
    rig.do("unit", label="101", faults=[], address=22)
    assert until(lambda: unit("101")["level"] > 0.9) and unit("101")["address"] == 22
    rig.do("unit", label="101", mode="Short")
    for order in (
        {"label": "101", "mode": "Gone"},
        {"label": "101", "faults": ["haunted"]},
        {"label": "999"},
    ):
        with pytest.raises(NetworkFault):
            rig.do("unit", **order)
    rig.do("node", name="Ferry B", ip="127.0.0.44", ports=[5])
    send("127.0.0.44", 5, {301: 255})
    assert until(
        lambda: any(p["ip"] == "127.0.0.44" and p["packets"] for p in rig.ask("state")["ports"])
    )
    rig.do("node", name="Ferry A", on=False)
    assert unit("102")["level"] == 0
    rig.do("node", name="Ferry B", mirror_of="Ferry A", ports=[0, 1])
    send("127.0.0.44", 0, {at + 21: v for at, v in full.items()})
    assert until(
        lambda: next(u for u in rig.ask("state")["units"] if u["label"] == "102")["level"] > 0.9
    )  # the mirror carries on
    for bad in (
        {"name": "Ferry Z"},
        {"name": "Ferry A", "colour": "red"},
        {"name": "Ferry A", "ports": []},
        {"name": "Ferry A", "ip": "8.8.8.8"},
    ):
        with pytest.raises(NetworkFault):
            rig.do("node", **bad)
    with pytest.raises(NetworkFault, match="nowhere else"):
        rig.do("send", to="192.0.2.9")
    assert "error" in rig.ask("{") and "error" in rig.ask('{"do": "sing"}')


def test_rdm_through_a_node_tells_sets_and_refuses_and_a_unit_without_it_is_not_there(
    rig: RigClient,
) -> None:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
        sock.settimeout(2)
        sock.bind(("127.0.0.1", 0))

        def ask(packet: bytes) -> artnet.Packet | None:
            sock.sendto(packet, ("127.0.0.2", artnet.PORT))
            return artnet.decode(sock.recv(2048))

        table = ask(artnet.encode_tod_request(artnet.ArtTodRequest(0, (0,))))
        assert isinstance(table, artnet.ArtTodData) and table.total == 9 == len(
            set(table.uids)
        )  # ten hang there, 104 is dead
        rig.do("unit", label="101", faults=["no rdm"])
        fewer = ask(artnet.encode_tod_control(artnet.ArtTodControl(0)))
        assert isinstance(fewer, artnet.ArtTodData) and fewer.total == 8
        (gone,) = set(table.uids) - set(fewer.uids)
        one = fewer.uids[0]

        def talk(command: int, parameter: int, data: bytes = b"", to: bytes = one) -> rdm.Message:
            message = rdm.Message(to, rdm.uid(0x7FF0, 1), command, parameter, data, 9)
            answer = ask(artnet.encode_rdm(artnet.ArtRdm(0, rdm.encode(message, start_code=False))))
            assert isinstance(answer, artnet.ArtRdm)
            found = rdm.decode(answer.message, start_code=False)
            assert isinstance(found, rdm.Message) and (found.to, found.by, found.transaction) == (
                message.by,
                to,
                9,
            )
            return found

        info = talk(rdm.GET, rdm.DEVICE_INFO)
        address = talk(rdm.GET, rdm.DMX_START_ADDRESS).data
        assert (
            info.command == rdm.GET_RESPONSE
            and len(info.data) == 19
            and info.data[14:16] == address
        )
        assert talk(rdm.SET, rdm.DMX_START_ADDRESS, b"\x01\x2c").port == rdm.ACK
        assert talk(rdm.GET, rdm.DMX_START_ADDRESS).data == b"\x01\x2c"
        assert 300 in [u["address"] for u in rig.ask("state")["units"]]
        assert (
            talk(rdm.SET, rdm.DMX_START_ADDRESS, b"\x03\x00").port == rdm.NACK
            and talk(rdm.GET, 0x8001).port == rdm.NACK
        )
        modes = talk(rdm.GET, rdm.PERSONALITY).data
        assert (
            talk(rdm.SET, rdm.PERSONALITY, bytes([modes[1]])).port == rdm.ACK
            and talk(rdm.GET, rdm.PERSONALITY).data[0] == modes[1]
        )
        assert (
            talk(rdm.SET, rdm.IDENTIFY, b"\1").port == rdm.ACK
            and talk(rdm.GET, rdm.IDENTIFY).data == b"\1"
        )
        sock.settimeout(0.3)
        with pytest.raises(TimeoutError):
            talk(rdm.GET, rdm.DEVICE_INFO, to=gone)
