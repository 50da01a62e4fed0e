"""Every reader of foreign things by its name: how a case is made, and read."""

from __future__ import annotations

import asyncio
import io
import json
import os
import random
import struct
import tempfile
import zipfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import msgspec

from benchmarks.fuzzing.mangle import (
    mangled_bytes,
    mangled_chart,
    mangled_gdtf,
    mangled_png,
    packed,
)
from isthmus.errors import IsthmusError

Case = Callable[[random.Random], object]


@dataclass(frozen=True)
class Reader:
    """`make` is called once in the process that reads; what it gives takes one case. `batch` cases
    are measured together, where one is too short; `share` of the usual number of cases is tried.
    """

    make: Callable[[], Case]
    batch: int = 1
    share: float = 1.0


def _show() -> Case:
    from benchmarks.fuzzing.shows import mangled_show
    from isthmus.show.container import Damage, decode_show, encode_show

    def one(rng: random.Random) -> None:
        show = decode_show(mangled_show(rng.randrange(10**9)), "fuzz", Damage())
        if decode_show(encode_show(show), "fuzz", Damage()) != show:
            raise AssertionError("a show that opened is another when it is saved and opened again")

    return one


def _show_archive() -> Case:
    from isthmus.demo import lantern_tide
    from isthmus.show.container import Damage, decode_show, encode_show

    good = encode_show(lantern_tide())
    return lambda rng: decode_show(mangled_bytes(rng, good, 1 << 23), "fuzz", Damage())


def _gdtf() -> Case:
    from isthmus.library.sources import shipped_folders
    from isthmus.profiles.gdtf import read_archive
    from isthmus.profiles.gdtf.rules import check_gdtf

    paths = [path for folder in shipped_folders() for path in sorted(folder.glob("*.gdtf"))]
    texts = [zipfile.ZipFile(path).read("description.xml") for path in paths]
    return lambda rng: check_gdtf(read_archive(mangled_gdtf(rng, rng.choice(texts)), "fuzz.gdtf"))


def _chart() -> Case:
    from isthmus.library.sources import shipped_folders
    from isthmus.profiles.channel_table import channel_table, table
    from isthmus.profiles.gdtf import read_archive
    from isthmus.profiles.judge import judge
    from isthmus.profiles.manual import read_chart

    paths = [path for folder in shipped_folders() for path in sorted(folder.glob("*.gdtf"))]
    charts: list[str] = []
    for path in paths[:20]:
        profile = read_archive(path.read_bytes(), path.name).profile
        rows = table(channel_table(profile, profile.modes[0]))
        charts += ["\n".join(mark.join(row) for row in rows) for mark in ("\t", "   ", " | ")]

    def one(rng: random.Random) -> None:
        for found in read_chart(mangled_chart(rng, rng.choice(charts))):
            judge(found.sheet())

    return one


def _list() -> Case:
    import isthmus.demo
    from isthmus.hanglist import parse_hang_list
    from isthmus.library.at_hand import at_hand

    folder = Path(isthmus.demo.__file__).parent
    goods = [path.read_bytes() for path in folder.glob("*.csv")]
    library = at_hand(isthmus.demo.lantern_tide())
    return lambda rng: parse_hang_list(mangled_bytes(rng, rng.choice(goods)), "fuzz.csv", library)


def _sheet() -> Case:
    """Damaged as files and within their parts; read by a process apart."""
    from tools.strangers.files import written
    from tools.strangers.habits import Habits
    from tools.strangers.typed import Page

    from isthmus.hanglist.grid import read_grids

    rows = [["Unit", "Type", "Address"], *([str(n), "Plover 1k", f"1.{n:03d}"] for n in range(60))]
    page = Page(rows, merges=[(1, 2, 9)])
    good = [written(page, Habits("", file=kind))[0] for kind in ("xlsx", "ods")]

    def one(rng: random.Random) -> None:
        data = rng.choice(good)
        if rng.random() < 0.7:
            out = io.BytesIO()
            with zipfile.ZipFile(io.BytesIO(data)) as parts, zipfile.ZipFile(out, "w") as made:
                for name in parts.namelist():
                    part = parts.read(name)
                    spoilt = rng.random() < 0.4
                    made.writestr(name, mangled_bytes(rng, part, 1 << 20) if spoilt else part)
            data = out.getvalue()
        read_grids(data if rng.random() < 0.7 else mangled_bytes(rng, data, 1 << 20), "list")

    return one


def _swatch() -> Case:
    import isthmus.gels
    from isthmus.gels.books import parse_book

    folder = Path(isthmus.gels.__file__).parent / "shipped"
    goods = [path.read_bytes() for path in folder.glob("*.csv")]
    return lambda rng: parse_book(mangled_bytes(rng, rng.choice(goods)), "fuzz", "fuzz.csv")


def _scenario() -> Case:
    import isthmus.demo
    from isthmus.standin import read_scenario

    demo = Path(isthmus.demo.__file__).parent
    folder = Path(tempfile.mkdtemp())
    (folder / "profiles").symlink_to(demo / "profiles")
    good = (demo / "lantern-tide-rig.json").read_bytes()

    def one(rng: random.Random) -> None:
        path = folder / "rig.json"
        path.write_bytes(mangled_bytes(rng, good))
        read_scenario(path)

    return one


def _capture() -> Case:
    from isthmus.watch import read_capture
    from isthmus.wire import pcapng

    ways = ("127.0.0.1", 6454), ("127.0.0.2", 6454)
    sent = [pcapng.Captured(n / 44, *ways, packet) for n, packet in enumerate(packets())]
    good = pcapng.encode_head() + b"".join(map(pcapng.encode_packet, sent))
    path = Path(tempfile.mkdtemp()) / "a.pcapng"

    def one(rng: random.Random) -> None:
        path.write_bytes(mangled_bytes(rng, good))
        read_capture(path)

    return one


def _own_file(name: str, variable: str, good: bytes, read: Callable[[], object]) -> Case:
    """A file of this program's own, damaged where it lies: no reader of one may fail at all."""
    folder = Path(tempfile.mkdtemp())
    os.environ[variable] = str(folder)

    def one(rng: random.Random) -> None:
        (folder / name).write_bytes(mangled_bytes(rng, good))
        try:
            read()
        except IsthmusError as fault:
            raise AssertionError(f"refused, where it must be rebuilt: {fault}") from fault

    return one


def _settings() -> Case:
    from isthmus.app.kit.settings import Settings, load

    good = msgspec.json.encode(
        Settings(adapters={"artnet": "eth0"}, patch_columns=("Unit", "Type"))
    )
    return _own_file("settings.json", "ISTHMUS_CONFIG", good, load)


def _sources() -> Case:
    from isthmus.library.sources import fixed_sources, folder_source, read_sources

    good = msgspec.json.encode([*fixed_sources(), folder_source(Path("/srv/profiles"))])
    return _own_file("profile-sources.json", "ISTHMUS_CONFIG", good, read_sources)


def _catalogue() -> Case:
    from isthmus.library.exchange import read_catalogue

    good = json.dumps({"format": 1, "name": "Exchange", "entries": []}).encode()
    return _own_file("exchange-catalogue.json", "ISTHMUS_DATA", good, read_catalogue)


def _unsaved() -> Case:
    """What a run that ended left: a whole show with a note, and who held a file."""
    from isthmus.demo import lantern_tide
    from isthmus.show.container import encode_show
    from isthmus.show.holding import holder_of
    from isthmus.show.recovery import left_behind

    folder = Path(tempfile.mkdtemp())
    (folder / "left.isthmus").write_bytes(encode_show(lantern_tide()))
    notes = {
        "left.json": b'{"original": "/srv/evening.isthmus"}',
        ".evening.isthmus.held": b'{"pid": 4, "host": "barge", "boot": "x", "began": 7}',
    }

    def one(rng: random.Random) -> None:
        for name, good in notes.items():
            (folder / name).write_bytes(mangled_bytes(rng, good))
        holder_of(folder / "evening.isthmus")
        if len(left_behind(folder)[0]) != 1:
            raise AssertionError("a whole show is not offered, for its note is damaged")

    return one


def _index() -> Case:
    """Damaged in its pages; whatever is asked then, it is rebuilt and answers within three goes."""
    from isthmus.library.search import Query
    from isthmus.library.shelf import Shelf, update_library
    from isthmus.library.sources import fixed_sources

    folder = Path(tempfile.mkdtemp())
    whole = Shelf(folder / "whole.sqlite")
    update_library(whole.index, fixed_sources())
    whole.index.db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    whole.close()
    good = (folder / "whole.sqlite").read_bytes()

    def ask(path: Path) -> None:
        shelf = Shelf(path)
        try:
            hits = shelf.search(Query("wash")).hits
            for hit in hits[:5]:
                shelf.entry(hit)
            update_library(shelf.index, fixed_sources())
            len(shelf.columns)
        finally:
            shelf.close()

    def one(rng: random.Random) -> None:
        data = bytearray(good)
        for _ in range(rng.choice((1, 3, 20, 200))):
            data[rng.randrange(len(data))] = rng.randrange(256)
        path = Path(tempfile.mkdtemp(dir=folder)) / "library.sqlite"
        path.write_bytes(data[: rng.randrange(len(data))] if rng.random() < 0.15 else data)
        for attempt in range(3):
            try:
                ask(path)
                break
            except IsthmusError:
                if attempt == 2:
                    raise AssertionError("it is not rebuilt") from None

    return one


def _pictures() -> Case:
    from PIL import Image, ImageDraw

    from isthmus.pictures import small_picture

    whole = Image.new("RGBA", (300, 200), (30, 60, 90, 255))
    ImageDraw.Draw(whole).ellipse((20, 20, 200, 180), (200, 40, 40, 90))
    goods: dict[str, bytes] = {}
    for form, mode in (("PNG", "RGBA"), ("JPEG", "RGB"), ("WEBP", "RGB"), ("GIF", "P")):
        out = io.BytesIO()
        whole.convert(mode).save(out, form)
        goods[form] = out.getvalue()

    def one(rng: random.Random) -> None:
        form = rng.choice(list(goods))
        data = mangled_png if form == "PNG" and rng.random() < 0.7 else mangled_bytes
        small_picture(data(rng, goods[form]), rng.choice((64, 1600, 5000)), tuple(goods))

    return one


SVG = b"""<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink"
width="60" height="30" viewBox="0 0 60 30"><defs><linearGradient id="g">
<stop offset="0" stop-color="red"/></linearGradient><clipPath id="c"><rect width="9" height="9"/>
</clipPath><pattern id="p" width="4" height="4"><circle r="2"/></pattern></defs>
<g id="a" transform="rotate(10) scale(2)"><path d="M0 0 L10 10 C 1 2 3 4 5 6 Z" fill="url(#g)"/>
</g><use xlink:href="#a" x="5"/><text x="2" y="9" font-size="3">Bow rail</text><rect
clip-path="url(#c)" width="60" height="30" fill="url(#p)" stroke-dasharray="1 2"/></svg>"""


def _svg() -> Case:
    from isthmus.sheets.pictures import clean_svg

    return lambda rng: clean_svg(mangled_bytes(rng, SVG), "fuzz.svg")


def _svg_drawn() -> Case:
    from isthmus.apart import run_apart

    return lambda rng: run_apart(
        "isthmus.app.canvas.svg_process", mangled_bytes(rng, SVG), "fuzz.svg"
    )


def _pdf() -> Case:
    from reportlab.pdfgen.canvas import Canvas

    from isthmus.apart import run_apart

    out = io.BytesIO()
    canvas = Canvas(out, pageCompression=0)
    canvas.drawString(100, 100, "Bow rail")
    canvas.circle(200, 300, 80)
    canvas.save()
    return lambda rng: run_apart(
        "isthmus.sheets.pdf_process", mangled_bytes(rng, out.getvalue()), "fuzz.pdf", "1"
    )


def _three_ds() -> bytes:
    """Four points and four triangles, after what is known of the form."""

    def chunk(kind: int, body: bytes) -> bytes:
        return struct.pack("<HI", kind, 6 + len(body)) + body

    points = (0, 0, 0), (1, 0, 0), (0, 1, 0), (0, 0, 1)
    faces = (0, 1, 2), (0, 1, 3), (0, 2, 3), (1, 2, 3)
    corners = struct.pack("<H", 4) + b"".join(struct.pack("<3f", *p) for p in points)
    sides = struct.pack("<H", 4) + b"".join(struct.pack("<4H", *f, 0) for f in faces)
    mesh = chunk(0x4100, chunk(0x4110, corners) + chunk(0x4120, sides))
    return chunk(0x4D4D, chunk(0x3D3D, chunk(0x4000, b"body\0" + mesh)))


def _meshes() -> Case:
    from isthmus.library.sources import shipped_folders
    from isthmus.stage.meshes_in import read_mesh

    goods = [b"v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 2 3\nf 1 2 4\nf 1/1 3/1 4/1\n", _three_ds()]
    for path in sorted(path for folder in shipped_folders() for path in folder.glob("*.gdtf"))[:12]:
        archive = zipfile.ZipFile(path)
        goods += [
            archive.read(name) for name in archive.namelist() if name.endswith((".glb", ".3ds"))
        ]
    return lambda rng: read_mesh(mangled_bytes(rng, rng.choice(goods)), "fuzz")


def _mvr() -> Case:
    from isthmus.demo import lantern_tide
    from isthmus.mvr import as_show, read_mvr, write_show

    archive = zipfile.ZipFile(io.BytesIO(write_show(lantern_tide())))
    members = {name: archive.read(name) for name in archive.namelist()}
    scene = "GeneralSceneDescription.xml"

    def one(rng: random.Random) -> None:
        changed = members | {scene: mangled_bytes(rng, members[scene])}
        if rng.random() < 0.2:
            victim = rng.choice(list(members))
            changed[victim] = mangled_bytes(rng, members[victim])
        as_show(read_mvr(packed(changed), "fuzz.mvr"))

    return one


# ---------------------------------------------------------------- packets


def packets() -> list[bytes]:
    """One of each kind that is read."""
    from isthmus.wire import artnet, rdm, sacn

    unit = rdm.uid(0x7FF0, 1)
    asked = rdm.Message(unit, rdm.uid(1, 2), rdm.GET, 0x0060)
    levels = bytes(range(256)) * 2
    made: list[bytes] = [
        artnet.encode_dmx(3, 7, levels),
        artnet.encode_poll(artnet.ArtPoll()),
        artnet.encode_poll_reply(artnet.ArtPollReply("127.0.0.2", "Ferry A", "Ferry A")),
        artnet.encode_sync(),
        artnet.encode_tod_request(artnet.ArtTodRequest(0, (1, 2))),
        artnet.encode_tod_control(artnet.ArtTodControl(1)),
        artnet.encode_rdm(artnet.ArtRdm(1, rdm.encode(asked, start_code=False))),
        sacn.encode_data(sacn.Data(bytes(16), "Isthmus", 1, 7, levels)),
        sacn.encode_sync(sacn.Sync(bytes(16), 1, 4)),
        rdm.encode(asked),
        rdm.encode_discovery_response(unit),
    ]
    return made + sacn.encode_discovery(bytes(16), "Isthmus", tuple(range(1, 600)))


def _packet(rng: random.Random, goods: list[bytes]) -> bytes:
    return mangled_bytes(rng, rng.choice(goods), 1500)


def _watch() -> Case:
    from isthmus.watch.hearing import Hearing
    from isthmus.watch.shared import SharedTable

    heard: list[bytes] = []
    hearing = Hearing(SharedTable(), lambda data, ip, port: heard.append(data))
    goods, now = packets(), [0.0]

    def one(rng: random.Random) -> None:
        now[0] += 0.01
        hearing.take(memoryview(_packet(rng, goods)), rng.randrange(2**32), 6454, now[0])
        heard.clear()
        if rng.random() < 0.02:
            hearing.flush(now[0])

    return one


def _nodes() -> Case:
    """What the window takes in of the network."""
    from isthmus.net.found import Finder
    from isthmus.net.talk import Talker
    from isthmus.wire import artnet, rdm, sacn

    goods, found, now = packets(), Finder(), [0.0]
    talker = Talker(lambda *_: "", 0.0)

    def one(rng: random.Random) -> None:
        data = _packet(rng, goods)
        now[0] += 0.01
        packet = artnet.decode(data) or sacn.decode(data)
        rdm.decode(data)
        rdm.decode_discovery_response(data)
        if isinstance(packet, artnet.ArtPollReply):
            found.take(packet, f"127.0.{rng.randrange(256)}.{rng.randrange(256)}", now[0])
            if rng.random() < 0.01:
                found.nodes(now[0])
        if isinstance(packet, (artnet.ArtRdm, artnet.ArtTodData)):
            talker.take(packet, "127.0.0.2")

    return one


def _stand_in() -> Case:
    import isthmus.demo
    from isthmus.standin import read_scenario
    from isthmus.standin.node import Node

    loaded = read_scenario(Path(isthmus.demo.__file__).parent / "lantern-tide-rig.json")
    nodes = [Node(node) for node in loaded.scenario.nodes]
    goods, now = packets(), [0.0]

    def one(rng: random.Random) -> None:
        now[0] += 0.01
        rng.choice(nodes).handle(_packet(rng, goods), "127.0.0.9", now[0])

    return one


def _stations() -> Case:
    from isthmus.xchange.messages import read_message
    from isthmus.xchange.packets import JSON, receive, write_packet
    from isthmus.xchange.station import Me, Station

    texts = [
        {"Type": "MVR_JOIN", "Provider": "x", "StationName": "Ada", "verMajor": 1, "verMinor": 6,
         "StationUUID": "4aa291a1-1a62-45fe-aabc-e90e5e2399a8", "Commits": []},
        {"Type": "MVR_COMMIT", "verMajor": 1, "verMinor": 6, "FileSize": 256, "Comment": "hung",
         "StationUUID": "4aa291a1-1a62-45fe-aabc-e90e5e2399a8", "ForStationsUUID": [],
         "FileUUID": "5aa291a1-1a62-45fe-aabc-e90e5e2399a8", "FileName": "a"},
        {"Type": "MVR_REQUEST", "FileUUID": "5aa291a1-1a62-45fe-aabc-e90e5e2399a8",
         "FromStationUUID": []},
    ]  # fmt: skip
    goods = [json.dumps(text).encode() for text in texts]
    station = Station(Me("us", "Us"))
    wrapped = [write_packet(JSON, good) for good in goods]

    async def over_tcp(data: bytes) -> None:
        reader = asyncio.StreamReader()
        reader.feed_data(data)
        reader.feed_eof()
        await receive(reader, lambda: 1 << 20)

    def one(rng: random.Random) -> None:
        if rng.random() < 0.2:
            asyncio.run(over_tcp(_packet(rng, wrapped)))
        else:
            station.hear(read_message(_packet(rng, goods)), "127.0.0.3:9000")

    return one


def _phone() -> Case:
    from isthmus.phone.door import Phone
    from isthmus.phone.server import read_op

    more = {"unit": "u101", "result": "wrong", "what": ["dim"], "how": ["dim half"]}
    goods = [
        json.dumps({"id": "a1", "do": do, "ago": 1.5, **more, "note": "no red"}).encode()
        for do in ("mark", "next", "picture", "step", "stop")
    ]
    phone = Phone("t", "Ada", "127.0.0.4", 0.0, 0.0)
    return lambda rng: read_op(phone, _packet(rng, goods).decode("utf-8", "replace"))


READERS: dict[str, Reader] = {
    "show": Reader(_show),
    "show, its archive": Reader(_show_archive),
    "GDTF": Reader(_gdtf),
    "MVR": Reader(_mvr, share=0.5),
    "chart of a manual": Reader(_chart),
    "hang list": Reader(_list),
    "hang list, spreadsheet": Reader(_sheet, share=0.05),
    "swatch book": Reader(_swatch),
    "scenario": Reader(_scenario, share=0.5),
    "capture": Reader(_capture),
    "settings": Reader(_settings),
    "profile sources": Reader(_sources),
    "catalogue": Reader(_catalogue),
    "what was left unsaved": Reader(_unsaved, share=0.3),
    "index": Reader(_index, share=0.2),
    "pictures": Reader(_pictures),
    "SVG": Reader(_svg),
    "SVG, drawn": Reader(_svg_drawn, share=0.1),
    "PDF, drawn": Reader(_pdf, share=0.1),
    "meshes": Reader(_meshes),
    "packets at the watch": Reader(_watch, 500, 33.4),
    "packets at the window": Reader(_nodes, 500, 33.4),
    "packets at the simulator": Reader(_stand_in, 500, 33.4),
    "messages of stations": Reader(_stations, 100, 10.0),
    "what phones say": Reader(_phone, 500, 33.4),
}
