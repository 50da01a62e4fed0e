"""The network protocols as bytes: read by an independent dissector, by hand from the standards' tables, and mangled."""

from __future__ import annotations

import json
import shutil
import subprocess
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from isthmus.errors import EntryFault
from isthmus.routes import read_host, read_port_address, write_port_address
from isthmus.wire import artnet, pcapng, rdm, sacn
from isthmus.wire.artnet import poll_codes as bits
from isthmus.wire.artnet import setting

CID = bytes(range(16))
MESSAGE = rdm.Message(
    rdm.uid(0x7F70, 5), rdm.uid(0x7F70, 1), rdm.SET, rdm.DMX_START_ADDRESS, b"\0\x65", 3
)
REPLY = artnet.ArtPollReply(
    "127.0.0.2",
    "Ferry A",
    "Ferry A at the mast",
    (
        artnet.ReplyPort(bits.OUTPUT, 0, bits.SENDING | bits.LTP, bits.RDM_OFF, 0, 3),
        artnet.ReplyPort(bits.INPUT, bits.RECEIVING, 0, 0, 5, 0),
    ),
    1,
    2,
    status1=0xD2,
    status2=bits.BITS_15 | bits.DHCP_ABLE,
    status3=bits.DIRECTION_ABLE,
    mac=bytes(range(6)),
    bind_index=2,
    uid=rdm.uid(0x7F70, 9),
)
# each packet we can send, and what the dissector must find in it
SENT: list[tuple[bytes, dict[str, str]]] = [
    (artnet.encode_poll(), {"artnet.header.opcode": "0x2000", "artnet.poll.talktome": "0x02"}),
    (
        artnet.encode_poll(artnet.ArtPoll(bits.TARGETED, 0x10, (3, 9))),
        {"artnet.poll.talktome_targeted": "1"},
    ),
    (
        artnet.encode_poll_reply(REPLY),
        {
            "artnet.poll_reply.ip_address": "127.0.0.2",
            "artnet.poll_reply.short_name": "Ferry A",
            "artnet.poll_reply.num_ports": "2",
            "artnet.poll_reply.swout_1_universe": "291",
            "artnet.poll_reply.swin_2_universe": "293",
            "artnet.poll_reply.port_types_2": "0x40",
            "artnet.poll_reply.bind_index": "0x02",
            "artnet.poll_reply.mac": "00:01:02:03:04:05",
            "artnet.poll_reply.rdm_supported": "1",
        },
    ),
    (
        artnet.encode_dmx(7, 0x123, bytes([1, 2, 3, 4])),
        {"artnet.output.universe": "291", "artnet.output.length": "4"},
    ),
    (artnet.encode_nzs(artnet.ArtNzs(1, 0xDD, 5, bytes(5))), {"artnet.header.opcode": "0x5100"}),
    (artnet.encode_sync(), {"artnet.header.opcode": "0x5200"}),
    (
        artnet.encode_address(
            artnet.ArtAddress(
                2,
                1,
                3,
                sw_out=(4, None, None, None),
                short_name="Ferry",
                command=setting.DIRECTION_OUT,
            )
        ),
        {
            "artnet.address.netswitch_net": "1",
            "artnet.address.netswitch_write": "1",
            "artnet.address.subswitch_sub": "3",
            "artnet.address.swout_1": "0x84",
            "artnet.address.swout_2": "0x7f",
            "artnet.address.short_name": "Ferry",
            "artnet.address.command": "0x20",
        },
    ),
    (
        artnet.encode_input(artnet.ArtInput(1, (True, False))),
        {"artnet.input.num_ports": "2", "artnet.input.input_1": "0x01"},
    ),
    (
        artnet.encode_ip_prog(
            artnet.ArtIpProg(
                setting.PROGRAM | setting.PROGRAM_IP | setting.PROGRAM_MASK, "2.0.0.5", "255.0.0.0"
            )
        ),
        {
            "artnet.ip_prog.ip": "2.0.0.5",
            "artnet.ip_prog.sm": "255.0.0.0",
            "artnet.ip_prog.command": "0x86",
        },
    ),
    (
        artnet.encode_ip_prog_reply(artnet.ArtIpProgReply("2.0.0.5", "255.0.0.0", True)),
        {"artnet.ip_prog_reply.ip": "2.0.0.5", "artnet.ip_prog_reply.status_dhcp_enable": "1"},
    ),
    (
        artnet.encode_tod_request(artnet.ArtTodRequest(1, (0x23, 0x24))),
        {"artnet.tod_request.net": "0x01", "artnet.tod_request.address": "23:24"},
    ),
    (
        artnet.encode_tod_control(artnet.ArtTodControl(0x123)),
        {"artnet.tod_control.universe": "291", "artnet.tod_control.command": "0x01"},
    ),
    (
        artnet.encode_tod_data(artnet.ArtTodData(0x123, 1, 1, 1, 0, (rdm.uid(1, 2),))),
        {"artnet.tod_data.uid_total": "1", "artnet.tod_data.tod": "00:01:00:00:00:02"},
    ),
    (
        artnet.encode_rdm(artnet.ArtRdm(0x123, rdm.encode(MESSAGE, start_code=False))),
        {"rdm.dst": "7f:70:00:00:00:05", "rdm.pid": "0x00f0", "rdm.checksum.status": "1"},
    ),
    (
        sacn.encode_data(
            sacn.Data(CID, "Lantern Tide", 5, 9, bytes(range(12)), 120, 7, sacn.PREVIEW)
        ),
        {
            "acn.packet_identifier": "ASC-E1.17",
            "acn.cid": "00010203-0405-0607-0809-0a0b0c0d0e0f",
            "acn.dmx.source_name": "Lantern Tide",
            "acn.dmx.priority": "120",
            "acn.dmx.reserved": "7",  # so called in this version: the synchronisation address
            "acn.dmx.seq_number": "9",
            "acn.dmx.universe": "5",
            "acn.dmx.option_p": "1",
            "acn.dmx.option_s": "0",
            "acn.dmx.count": "13",
        },
    ),
    # read by later versions of the dissector only; held by hand below
    (sacn.encode_sync(sacn.Sync(CID, 7, 4)), {}),
    (sacn.encode_discovery(CID, "Lantern Tide", (1, 2, 900))[0], {}),
]


def _values(tree: Any, found: dict[str, list[str]]) -> dict[str, list[str]]:
    """Every field of a dissected packet, wherever it stands."""
    for key, value in tree.items() if isinstance(tree, dict) else ():
        if isinstance(value, dict):
            _values(value, found)
        else:
            found.setdefault(key, []).extend(value if isinstance(value, list) else [value])
    return found


def captured(payload: bytes) -> pcapng.Captured:
    port = artnet.PORT if payload.startswith(artnet.ID) else sacn.PORT
    return pcapng.Captured(1_700_000_000.25, ("127.0.0.1", port), ("127.0.0.2", port), payload)


def test_an_independent_dissector_reads_every_packet_we_send_and_our_capture_file(
    tmp_path: Path,
) -> None:
    if shutil.which("tshark") is None:
        pytest.skip("tshark is not installed: apt-get install tshark")
    file = tmp_path / "sent.pcapng"
    file.write_bytes(
        pcapng.encode_head()
        + b"".join(pcapng.encode_packet(captured(payload)) for payload, _ in SENT)
    )
    run = [
        "tshark",
        "-r",
        str(file),
        "-T",
        "json",
        "--no-duplicate-keys",
        "--enable-heuristic",
        "acn",
        "-o",
        "acn.dmx_enable:TRUE",
    ]
    packets = json.loads(subprocess.run(run, capture_output=True, check=True, timeout=60).stdout)
    assert len(packets) == len(SENT)
    for packet, (payload, wanted) in zip(packets, SENT, strict=True):
        found = _values(packet["_source"]["layers"], {})
        assert "_ws.malformed" not in found and found["ip.src"] == ["127.0.0.1"], payload
        assert {
            key: value for key, value in wanted.items() if value in found.get(key, [])
        } == wanted, found


def test_packets_are_laid_out_as_the_standards_tables_have_them() -> None:
    # ID, OpCode, ProtVer, Sequence, Physical, SubUni, Net, Length
    assert artnet.encode_dmx(7, 0x0123, bytes([1, 2, 3, 4])) == bytes.fromhex(
        "4172742d4e657400 0050 000e 07 00 23 01 0004 01020304"
    )
    packet = sacn.encode_data(sacn.Data(CID, "x", 0x1234, 9, bytes(512), 150))
    assert (
        len(packet) == 638
        and packet[16:18] == b"\x72\x6e"
        and packet[38:40] == b"\x72\x58"
        and packet[115:117] == b"\x72\x0b"
    )  # E1.31 table 4-1
    assert (
        packet[108] == 150
        and packet[111] == 9
        and packet[113:115] == b"\x12\x34"
        and packet[123:125] == b"\x02\x01"
    )
    assert sacn.multicast(0x1234) == "239.255.18.52"
    root = "0010 0000 4153432d45312e3137000000 {} 00000008" + CID.hex()
    assert sacn.encode_sync(sacn.Sync(CID, 0x1234, 4)) == bytes.fromhex(
        root.format("7021") + "700b 00000001 04 1234 0000"
    )  # table 4-2
    discovery = (
        root.format("706c")
        + "7056 00000002"
        + b"tide".ljust(64, b"\0").hex()
        + "00000000 700c 00000001 00 00 0007 0384"
    )
    assert sacn.encode_discovery(CID, "tide", (900, 7)) == [bytes.fromhex(discovery)]  # table 4-3
    # E1.20, 6.2: a request of 24 bytes and its sum
    raw = rdm.encode(
        rdm.Message(
            bytes.fromhex("123456789abc"),
            bytes.fromhex("cba987654321"),
            rdm.GET,
            0x0030,
            transaction=0,
            port=1,
        )
    )
    assert raw[:24] == bytes.fromhex("cc0118123456789abccba98765432100010000002000300000")[
        :24
    ] and int.from_bytes(raw[24:], "big") == sum(raw[:24])
    answer = rdm.encode_discovery_response(bytes.fromhex("123456789abc"))
    assert answer[:10] == bytes.fromhex("fefefefefefefeaaba57") and len(answer) == 24


def test_what_we_write_we_read() -> None:
    kinds = set()
    for payload, _ in SENT:
        found = artnet.decode(payload) if payload.startswith(artnet.ID) else sacn.decode(payload)
        assert found is not None
        kinds.add(type(found).__name__)
    assert {
        "ArtPollReply",
        "ArtAddress",
        "ArtIpProg",
        "ArtIpProgReply",
        "ArtTodData",
        "ArtRdm",
        "Data",
        "Sync",
        "Discovery",
    } <= kinds
    assert artnet.decode(artnet.encode_poll_reply(REPLY)) == artnet.ArtPollReply(
        **{**REPLY.__dict__, "bind_ip": "127.0.0.2"}
    )
    many = tuple(range(1, 1301))
    pages = [sacn.decode(page) for page in sacn.encode_discovery(CID, "Lantern Tide", many)]
    assert [(p.page, p.last) for p in pages] == [(0, 2), (1, 2), (2, 2)] and tuple(
        u for p in pages for u in p.universes
    ) == many
    with pytest.raises(ValueError, match="one sub-net"):
        artnet.reply_for("127.0.0.2", "x", "x", (0, 16))


@given(st.integers(0, 255), st.integers(0, 0x7FFF), st.binary(max_size=512))
def test_artdmx_goes_there_and_back_with_an_even_length(
    sequence: int, port: int, slots: bytes
) -> None:
    found = artnet.decode(artnet.encode_dmx(sequence, port, slots))
    assert (found.sequence, found.port_address, found.slots[: len(slots)]) == (
        sequence,
        port,
        slots,
    )
    assert len(found.slots) % 2 == 0 and len(found.slots) >= 2


@given(
    st.binary(min_size=6, max_size=6),
    st.binary(max_size=231),
    st.integers(0, 0xFFFF),
    st.integers(0, 30),
    st.integers(1, 255),
)
def test_rdm_goes_there_and_back_and_any_flipped_byte_is_noticed(
    own: bytes, data: bytes, parameter: int, at: int, flip: int
) -> None:
    message = rdm.Message(own, rdm.uid(1, 2), rdm.SET, parameter, data)
    raw = rdm.encode(message)
    assert rdm.decode(raw) == message == rdm.decode(raw[1:], start_code=False)
    at %= len(raw)
    broken = raw[:at] + bytes([raw[at] ^ flip]) + raw[at + 1 :]
    assert isinstance(rdm.decode(broken), rdm.Broken)
    answer = rdm.encode_discovery_response(own)
    assert (
        rdm.decode_discovery_response(answer)
        == own
        == rdm.decode_discovery_response(answer[at % 8 :])
    )
    other = bytes(b ^ 0xFF for b in own)  # two that answer at once: the bits of both
    collided = bytes(
        a | b for a, b in zip(answer, rdm.encode_discovery_response(other), strict=True)
    )
    assert rdm.decode_discovery_response(collided) not in (own, other) or b"\xff" * 6 in (
        own,
        other,
    )


@given(
    st.sampled_from([payload for payload, _ in SENT]),
    st.lists(st.tuples(st.integers(0, 700), st.integers(0, 255)), max_size=6),
    st.integers(0, 700),
)
def test_mangled_packets_are_read_or_left_never_raised(
    payload: bytes, changes: list[tuple[int, int]], cut: int
) -> None:
    raw = bytearray(payload)
    for at, value in changes:
        raw[at % len(raw)] = value
    for packet in (bytes(raw), bytes(raw[:cut]), bytes(raw) + bytes(cut)):
        artnet.decode(packet)
        sacn.decode(packet)
        rdm.decode(packet)
        rdm.decode_discovery_response(packet)
        pcapng.decode_ip(0.0, packet)


@given(st.lists(st.binary(max_size=700), max_size=5), st.integers(1, 4000))
def test_a_capture_is_read_back_and_a_broken_one_is_told(payloads: list[bytes], cut: int) -> None:
    packets = [captured(payload) for payload in payloads]
    whole = pcapng.encode_head() + b"".join(map(pcapng.encode_packet, packets))
    assert list(pcapng.decode(whole)) == packets
    try:
        assert len(list(pcapng.decode(whole[:-cut]))) <= len(packets)
    except ValueError as error:
        assert str(error)


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
