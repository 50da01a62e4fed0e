"""The stand-in rig: its truth is its own, its ports are real, and its files may be broken."""

from __future__ import annotations

import json
import shutil
import socket
from pathlib import Path

import pytest

from conftest import lit, until
from isthmus.demo import SCENARIO, as_hung
from isthmus.errors import FileFault, NetworkFault
from isthmus.output import RigView, compile_show
from isthmus.standin import RigClient, StandInRig, read_scenario, rig_show, slots_by_unit
from isthmus.wire import artnet


def send(ip: str, port_address: int, slots: dict[int, int], sequence: int = 0) -> None:
    data = bytearray(512)
    for address, value in slots.items():
        data[address - 1] = value
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
        sock.sendto(artnet.encode_dmx(sequence, port_address, bytes(data)), (ip, artnet.PORT))


def test_units_obey_the_address_set_on_them_and_a_dead_one_does_nothing(rig: RigClient) -> None:
    white = {3: 255, 4: 255, 5: 255, 6: 255, 7: 255, 8: 255, 9: 255}  # of Lapwing 19 Short: dimmer, shutter, colours are 5 to 10
    send("127.0.0.2", 1, {2 * 11 + at + 1: v for at, v in white.items()})  # where the paper has 203
    assert not until(lambda: lit(rig), 0.4)
    send("127.0.0.2", 1, {66 + at + 1: v for at, v in white.items()})  # where the paper has 207
    assert until(lambda: set(lit(rig)) == {"203", "207"})
    send("127.0.0.2", 0, {63 + 5: 255, 63 + 7: 255, 42 + 5: 255, 42 + 7: 255})  # 104, which is dead, and 103
    assert until(lambda: "103" in lit(rig)) and "104" not in lit(rig)


def test_nodes_take_only_their_own_port_addresses_count_what_is_lost_and_answer_a_poll(rig: RigClient) -> None:
    for sequence in (1, 2, 5, 6):
        send("127.0.0.3", 16, {301: sequence}, sequence)
    send("127.0.0.3", 0, {301: 255})  # a port-address of the other node
    state = rig.ask("state")
    port = next(p for p in state["ports"] if p["port_address"] == 16)
    assert (port["packets"], port["lost"], port["sender"]) == (4, 2, "127.0.0.1")
    assert next(u["level"] for u in state["units"] if u["label"] == "401") == pytest.approx(6 / 255, abs=1e-3)
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
        sock.settimeout(2)
        sock.bind(("127.0.0.1", 0))
        for rubbish in (b"", b"Art-Net\0", artnet.ID + bytes(700)):
            sock.sendto(rubbish, ("127.0.0.2", artnet.PORT))
        sock.sendto(artnet.encode_poll(), ("127.0.0.2", artnet.PORT))
        reply = artnet.decode(sock.recv(1024))
    assert isinstance(reply, artnet.ArtPollReply) and reply.short_name == "Ferry A" and reply.ports == (0, 1)


def test_what_it_describes_can_be_drawn_as_a_rig_and_differs_from_the_paper_only_by_its_faults(rig: RigClient) -> None:
    hung, paper = rig_show(rig.ask("describe"), as_hung()), as_hung()
    assert [u.number for u in hung.units] == [u.number for u in paper.units]
    for real, planned in zip(hung.units, paper.units, strict=True):
        assert real.mode == planned.mode and (planned.position is None or real.position == pytest.approx(planned.position, abs=2e-3))
    view = RigView(hung, compile_show(hung, tuple(range(1, len(hung.units) + 1))))
    assert len(view.rig.order) == len(hung.units) == len(slots_by_unit(rig.ask("state")))
    assert rig.ask("sing")["error"]


def test_a_port_in_use_and_a_rig_that_is_not_there_are_told(rig: RigClient) -> None:
    with pytest.raises(NetworkFault, match="already uses that port") as caught:
        StandInRig(read_scenario(SCENARIO))
    assert "127.0.0.2:6454" in str(caught.value)
    with pytest.raises(NetworkFault, match="no stand-in rig answers"):
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
        (lambda d: d.pop("nodes"), "no scenario"),
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
