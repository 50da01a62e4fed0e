"""Profiles are found by any function and kept whole; packets of harm from files, phones and screens stay small."""

from __future__ import annotations

import io
import socket
import zipfile
from pathlib import Path

import pytest
from benchmarks.loss import WHOLE, lost, packed
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from PySide6.QtCore import QSize
from PySide6.QtGui import QGuiApplication

from helpers.tools import answer, command
from isthmus.app.kit.widgets import plain_tip
from isthmus.check.hunt import Hunt
from isthmus.check.hunt_asked import NO, YES
from isthmus.demo import lantern_tide
from isthmus.layout import put_unit
from isthmus.library.facts import facts_of
from isthmus.library.quick import facts_of_bytes
from isthmus.library.search import read_bounds, read_stands
from isthmus.phone.bounded import MOST_FROM_ONE
from isthmus.phone.server import PhoneServer
from isthmus.profiles import adapt
from isthmus.profiles.chart import lay_flat
from isthmus.profiles.gdtf import read_archive, write_gdtf
from isthmus.profiles.gdtf.rules import check_file
from isthmus.profiles.geometry import assemble
from isthmus.profiles.manual.naming import propose
from isthmus.sheets.sheets import put_points, sheets_of
from isthmus.show import Show, save_show
from isthmus.show.records import StoredFile, Underlay


def test_nothing_of_a_file_is_lost_when_it_is_written_anew() -> None:
    assert lost(adapt=False) == [] and lost(adapt=True) == []
    old = WHOLE.replace('DataVersion="1.2"', 'DataVersion="1.0"').replace("Follower=", "Slave=")
    old = old.replace('Default="32768/2"\n', "").replace(
        'Highlight="65535/2"', 'Highlight="65535/2" Default="32768/2"'
    )
    gdtf = read_archive(packed(old.encode()), "old")
    read = gdtf.profile
    assert not [
        n for n in gdtf.notices if "Default" in n.text or "Slave" in n.text
    ]  # 1.0 is held to 1.0
    assert read.modes[0].channels[0].first.default == 32768
    assert read.modes[0].relations[0].follower.startswith("Cell_Dimmer")
    newer = packed(WHOLE.replace('DataVersion="1.2"', 'DataVersion="1.4"').encode())
    again = write_gdtf(
        read_archive(newer, "n").profile,
        {"description.xml": zipfile.ZipFile(io.BytesIO(newer)).read("description.xml")},
    )
    assert b'DataVersion="1.4"' in zipfile.ZipFile(io.BytesIO(again)).read("description.xml")


def test_a_sloppy_file_is_imported_as_it_came_told_and_never_over_another(tmp_path: Path) -> None:
    sloppy = WHOLE.replace('Highlight="255/1"', 'Highlight="999/1"').replace(
        'DMXMode="Full"', 'DMXMode="None there"'
    )
    file = tmp_path / "sloppy.gdtf"
    file.write_bytes(packed(sloppy.encode()))
    code, data = answer("profiles", "import", str(file))
    told = " ".join(n["text"] for n in data["imported"][0]["notices"])
    assert (
        code == 1
        and "past what its bytes hold" in told
        and "its mode “None there” does not exist" in told
    )
    kept = Path(data["imported"][0]["kept"])
    assert kept.read_bytes() == file.read_bytes()
    file.write_bytes(packed(WHOLE.encode()))
    assert (
        "there is another own profile"
        in command("profiles", "import", str(file)).stderr
        + command("profiles", "import", str(file)).stdout
    )
    assert (
        answer("profiles", "import", str(file), "--clash", "leave")[0] in (0, 1)
        and kept.read_bytes() != file.read_bytes()
    )
    answer("profiles", "import", str(file), "--clash", "both")
    assert len(list(kept.parent.glob("*.gdtf"))) == 2
    wrong = {
        "ModeFrom": (
            'DMXFrom="0/1"\n Default="0/1"',
            'DMXFrom="0/1" ModeMaster="No one" ModeFrom="9/1" ModeTo="2/1"\n Default="0/1"',
        ),
        "mode master": ('Gamut="Wide"', 'Gamut="Wide" ModeMaster="No one"'),
        "gamut": ('Gamut="Wide"', 'Gamut="Narrow"'),
        "begins at": ('DMXFrom="0/1"\n', 'DMXFrom="999/1"\n'),
    }
    for says, (a, b) in wrong.items():
        assert a in WHOLE or says == "begins at", says
        notices = [str(n) for n in check_file(packed(WHOLE.replace(a, b).encode()), "w")]
        assert any(says in n or (says == "begins at" and "past what" in n) for n in notices), (
            says,
            notices,
        )
    wide = WHOLE.encode("utf-16")
    assert any("UTF-16" in str(n) for n in check_file(packed(wide), "w"))


def test_references_in_references_give_all_their_channels() -> None:
    cell = '<Geometry Name="Cell"/>'
    row = (
        '<Geometry Name="Row"><GeometryReference Name="C1" Geometry="Cell"><Break DMXBreak="1" DMXOffset="1"/></GeometryReference>'
        '<GeometryReference Name="C2" Geometry="Cell"><Break DMXBreak="1" DMXOffset="2"/></GeometryReference></Geometry>'
    )
    body = "".join(
        f'<GeometryReference Name="R{n}" Geometry="Row"><Break DMXBreak="1" DMXOffset="{3 + 2 * n}"/></GeometryReference>'
        for n in range(3)
    )
    text = WHOLE.replace(
        '<GeometryReference Name="R" Geometry="Cell" Model=""><Break DMXBreak="1"\n DMXOffset="1"/></GeometryReference>',
        body,
    )
    profile = read_archive(packed(text.replace(cell, cell + row).encode()), "panel").profile
    lay = lay_flat(profile, profile.modes[0])
    lamp = '<Geometry Name="Cell"><Beam Name="Lamp hours"/></Geometry>'
    lamped = read_archive(packed(text.replace(cell, lamp + row).encode()), "panel").profile
    dimmers = sorted(c.slots[0][1] for c in lay.channels if c.attribute == "Dimmer")
    assert sorted({p.cell for p in assemble(lamped, lamped.modes[0]).beams}) == [
        0,
        1,
        2,
        3,
        4,
        5,
        6,
    ]  # the picture counts as the chart does
    assert (
        dimmers == [3, 4, 5, 6, 7, 8] and lay.cells == 6
    )  # three rows of two, each from where its row begins


PLACES = [(i, c) for i, c in enumerate(WHOLE) if c in '="<> ' or c.isupper()]


@given(st.sampled_from(PLACES), st.sampled_from([" ", "x", "", "swap"]))
@settings(max_examples=30)
def test_the_quick_reader_sees_what_the_whole_one_does_or_gives_up(
    place: tuple[int, str], change: str
) -> None:
    at, was = place
    text = (
        WHOLE[:at]
        + (was.swapcase() if change == "swap" else change + (was if change == " " else ""))
        + WHOLE[at + 1 :]
    )
    data = packed(text.encode())
    try:
        whole = facts_of(read_archive(data, "x"))
    except Exception:
        return
    assert facts_of_bytes(data, "x") == whole


def test_profiles_are_found_by_any_function_in_ranges_and_in_any_script(tmp_path: Path) -> None:
    for text, means in (
        ("24-20", (20, 24)),
        (">14", (15, 65535)),
        ("<=8", (0, 8)),
        ("7", (7, 7)),
        ("from 20", (20, 65535)),
    ):
        assert read_bounds(text) == means
    assert read_stands("5-9 16 bit", "Pan")[:] == (5, 9, "Pan", 2)
    with pytest.raises(Exception, match="is not a number"):
        read_bounds("about 7")
    night = replace(read_archive(packed(WHOLE.encode()), "n").profile, name="夜空 9", maker="Маяк")
    file = tmp_path / "night.gdtf"
    file.write_bytes(write_gdtf(night))
    command("profiles", "import", str(file))
    for words in ("夜", "маяк"):
        code, found = answer("profiles", "search", "--text", words)
        assert code == 0 and {m["model"] for m in found["hits"]} == {"夜空 9"}, (words, found)
    for words in (
        "gradateur",
        "schwenken",
        "inclinazione",
        "obturador",
        "kleurenwiel",
        "foco",
    ):  # as six languages say it
        assert propose(words).attribute and propose(words).confidence >= 0.9, words
    _, all_ = answer("profiles", "search", "--with", "strobe", "--limit", "400")
    _, without = answer("profiles", "search", "--without", "strobe", "--limit", "2000")
    strobing = {(m["model"], m["mode"]) for m in all_["hits"]}
    assert len(strobing) > 5 and not strobing & {(m["model"], m["mode"]) for m in without["hits"]}


def test_a_copy_merges_by_htp_or_ltp() -> None:
    profile = read_archive(packed(WHOLE.encode()), "w").profile
    made = adapt.set_merge(profile, "Full", 1, "htp")
    assert made.modes[0].channels[1].logical[0].master == "Grand"
    assert adapt.set_merge(made, "Full", 1, "LTP").modes[0].channels[1].logical[0].master == "None"


# ---------------------------------------------------------------- quick harms


def test_a_hunt_of_a_unit_that_never_lights_ends_dark_and_names_no_address(demo: Show) -> None:
    hunt = Hunt(demo, "u104", (), False, 0, set())
    assert "Everything" in hunt.look().words
    hunt.answer(hunt.look(), NO)
    assert hunt.dark and hunt.found == [] and not hunt.contradicts and hunt.look() is None
    hunt.take_back()
    hunt.answer(hunt.look(), YES)
    assert not hunt.dark and hunt.look() is not None


def test_height_counts_when_units_are_laid_on_structures() -> None:
    demo = lantern_tide()
    truss = next(s for s in demo.structures if s.kind == "truss" and s.position[2] > 3)
    x, y = truss.position[:2]
    plan = next(s for s in sheets_of(demo) if s.kind == "plan")
    low = put_unit(demo, "u101", (0.0, -9.0, 0.0))
    low = replace(
        low, units=tuple(replace(u, structure="") if u.id == "u101" else u for u in low.units)
    )
    laid = put_points(low, plan, {"u101": (x, y)}, settle_them=True).unit("u101")
    assert laid.structure == "" and laid.position == (x, y, 0.0)
    near = put_unit(low, "u101", (0.0, -9.0, truss.position[2] - 0.4))
    assert (
        put_points(near, plan, {"u101": (x, y)}, settle_them=True).unit("u101").structure
        == truss.id
    )


def test_an_underlay_that_cannot_be_read_hostile_names_and_a_small_screen_leave_the_window_standing(
    make_window, demo: Show
) -> None:
    plan = next(s for s in sheets_of(demo) if s.kind == "plan")
    broken = replace(plan, underlay=Underlay(file="a.png"))
    show = replace(
        demo,
        name="<img src='/dev/zero'>",
        files=(StoredFile(name="a.png", data=b"\x89PNG broken"),),
        sheets=(broken,),
    )
    window = make_window(show, page="Plan")
    window.grab()
    assert "<img" not in window.bar.title.toolTip().replace(
        "&lt;img", ""
    ) and "&lt;img" in plain_tip("<img src=x>")
    room = QGuiApplication.primaryScreen().availableGeometry()
    window.settings.window = (4000, 3000)
    other = type(window)(show)
    assert other.size() == QSize(min(4000, room.width()), min(3000, room.height()))
    other._closing = True
    other.close()


def test_half_sent_requests_never_take_all_descriptors() -> None:
    server = PhoneServer("127.0.0.1", lambda op: None, port=0)
    server.start()
    open_ = []
    try:
        for _ in range(MOST_FROM_ONE + 40):
            sock = socket.create_connection(("127.0.0.1", server.port), timeout=5)
            sock.sendall(b"GET / HT")
            open_.append(sock)
        closed = 0
        for sock in open_:
            sock.settimeout(0.3)
            try:
                closed += sock.recv(1) == b""
            except TimeoutError:
                pass
            except OSError:
                closed += 1
        assert closed >= 40
    finally:
        for sock in open_:
            sock.close()
        server.stop()


def test_a_home_that_cannot_be_written_is_told_and_nothing_else(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, make_window
) -> None:
    (tmp_path / "file").write_text("")
    for name in ("ISTHMUS_CONFIG", "ISTHMUS_STATE"):
        monkeypatch.setenv(name, str(tmp_path / "file" / "below"))
    window = make_window(lantern_tide())
    window.crash.install()
    window.crash.remove()
    assert window.files.keeper.journal is None and window.isVisible()
    save_show(window.bench.show, tmp_path / "saved.isthmus")
