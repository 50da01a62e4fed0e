"""Art-Net as bytes: against vectors written out by hand from the specification's tables."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from isthmus.errors import EntryFault
from isthmus.routes import read_host, read_port_address, write_port_address
from isthmus.wire import artnet


def test_artdmx_is_laid_out_as_the_specification_has_it() -> None:
    packet = artnet.encode_dmx(7, 0x0123, bytes([1, 2, 3, 4]))
    assert packet == bytes.fromhex(
        "4172742d4e657400 0050 000e 07 00 23 01 0004 01020304"
    )  # ID, OpCode, ProtVer, Sequence, Physical, SubUni, Net, Length
    assert artnet.decode(packet) == artnet.ArtDmx(7, 0, 0x0123, bytes([1, 2, 3, 4]))


@given(st.integers(0, 255), st.integers(0, 0x7FFF), st.binary(max_size=512))
def test_artdmx_goes_there_and_back_with_an_even_length(sequence: int, port: int, slots: bytes) -> None:
    packet = artnet.encode_dmx(sequence, port, slots)
    found = artnet.decode(packet)
    assert isinstance(found, artnet.ArtDmx)
    assert (found.sequence, found.port_address, found.slots[: len(slots)]) == (sequence, port, slots)
    assert len(found.slots) % 2 == 0 and len(found.slots) >= 2


def test_a_poll_reply_has_its_fields_at_the_offsets_of_the_table() -> None:
    reply = artnet.ArtPollReply("127.0.0.2", "Ferry A", "Ferry A at the mast", (0x0120, 0x0123))
    packet = artnet.encode_poll_reply(reply)
    assert len(packet) == 239
    assert packet[10:14] == bytes([127, 0, 0, 2]) and packet[14:16] == bytes([0x36, 0x19])  # IP address; port, low byte first
    assert packet[18:20] == bytes([1, 2])  # NetSwitch, SubSwitch
    assert (
        packet[26:34] == b"Ferry A\0"
        and packet[172:174] == bytes([0, 2])
        and packet[174:178] == bytes([0x80, 0x80, 0, 0])
        and packet[190:192] == bytes([0, 3])
    )
    assert artnet.decode(packet) == reply
    with pytest.raises(ValueError):
        artnet.encode_poll_reply(artnet.ArtPollReply("127.0.0.2", "x", "x", (0, 16)))


@given(st.binary(max_size=600), st.integers(0, 0xFFFF))
def test_foreign_packets_are_read_or_left_never_raised(tail: bytes, op: int) -> None:
    for packet in (
        tail,
        artnet.ID + tail,
        artnet.ID + op.to_bytes(2, "little") + tail,
        artnet.ID + b"\0\x50\0\x0e" + tail,
        artnet.ID + b"\0\x21" + tail,
    ):
        found = artnet.decode(packet)
        assert found is None or isinstance(found, (int, artnet.ArtDmx, artnet.ArtPollReply))


@given(st.integers(0, 0x7FFF))
def test_port_addresses_read_in_both_notations(port: int) -> None:
    assert read_port_address(str(port)) == read_port_address(write_port_address(port)) == port
    assert write_port_address(0x0123) == "1.2.3"


@pytest.mark.parametrize("text", ["32768", "-1", "0.16.0", "128.0.0", "1.2", "x", ""])
def test_what_is_no_port_address_is_told(text: str) -> None:
    with pytest.raises(EntryFault):
        read_port_address(text)


@pytest.mark.parametrize("text", ["300.1.1.1", "localhost", "0.0.0.0", "239.255.0.1", "::1", ""])
def test_what_is_no_node_address_is_told(text: str) -> None:
    with pytest.raises(EntryFault):
        read_host(text)
    assert read_host(" 127.0.0.2 ") == "127.0.0.2"
