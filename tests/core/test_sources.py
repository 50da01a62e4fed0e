"""Sources, the index under use, the command line of the library and the exchange, and units given another profile."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.request
import zipfile
from pathlib import Path

import pytest
from msgspec.structs import replace

from helpers.papers import pdf, written
from helpers.profiles import HARM, packed
from helpers.tools import answer, command, until
from isthmus.errors import Cancelled, EntryFault, FileFault, NetworkFault
from isthmus.library import Index, Query, Shelf, Trust, read_sources, update_library, write_sources
from isthmus.library.exchange import Exchange, read_catalogue
from isthmus.library.facts import facts_of
from isthmus.library.index import FileSeen
from isthmus.library.quick import facts_of_bytes
from isthmus.library.sources import (
    config_folder,
    files_of,
    fingerprint,
    folder_source,
    is_away,
    own_folder,
)
from isthmus.library.tokens import keep_token, kept_token
from isthmus.patch.swap_profile import mode_for, preview_swap, swap_profile, using
from isthmus.profiles import adapt, profiles_of
from isthmus.profiles.gdtf import Gdtf, read_archive, read_gdtf, write_description, write_gdtf
from isthmus.profiles.make import Body, Channel, ModePlan, compose
from isthmus.profiles.make.plausible import plausible_profiles
from isthmus.profiles.store import profiles_of as read_profiles
from isthmus.profiles.store import stored_of
from isthmus.show import Show
from isthmus.standin.exchange import ExchangeServer, serve_forever


def plausible(number: int, seed: int = 20) -> list:
    return list(plausible_profiles(number, seed))


# ---------------------------------------------------------------- sources


def test_only_profiles_in_plain_folders_are_listed_however_deep_or_crooked_the_rest_is(
    tmp_path: Path,
) -> None:
    deep = tmp_path / "a" / "b"
    deep.mkdir(parents=True)
    hidden = tmp_path / ".trash"
    hidden.mkdir()
    for place in (
        tmp_path / "one.gdtf",
        deep / "two.GDTF",
        hidden / "three.gdtf",
        tmp_path / "notes.txt",
    ):
        place.write_bytes(b"x")
    (tmp_path / "ring").symlink_to(tmp_path, target_is_directory=True)
    (tmp_path / "lost.gdtf").symlink_to(tmp_path / "nowhere")
    (tmp_path / "folder.gdtf").mkdir()
    source = folder_source(tmp_path)
    assert sorted(Path(f.path).name for f in files_of(source)) == ["one.gdtf", "two.GDTF"]
    before = fingerprint(source)
    assert fingerprint(source) == before
    (deep / "four.gdtf").write_bytes(b"x")
    assert fingerprint(source) != before
    assert (
        not is_away(source)
        and is_away(folder_source(tmp_path / "gone"))
        and not list(files_of(folder_source(tmp_path / "gone")))
    )


def test_the_list_of_sources_is_kept_and_a_damaged_one_falls_back_to_the_fixed_ones(
    tmp_path: Path,
) -> None:
    fixed = [s.id for s in read_sources()]
    assert fixed == ["shipped", "generic", "own", "exchange"]
    off = [replace(s, on=s.id != "generic") for s in read_sources()]
    write_sources([*off, folder_source(tmp_path)])
    assert [s.on for s in read_sources()] == [True, False, True, True, True]
    for torn in (b"{torn", b"[\xff\xfe]"):
        (config_folder() / "profile-sources.json").write_bytes(torn)
        said: list[str] = []
        assert [s.id for s in read_sources(said.append)] == fixed
        aside = config_folder() / "profile-sources damaged.json"
        assert len(said) == 1 and str(aside) in said[0] and aside.read_bytes() == torn
        assert read_sources(said.append) and len(said) == 1  # once
    config_folder().chmod(0o500)
    if os.geteuid():  # root may write anywhere
        with pytest.raises(FileFault):
            write_sources(off)
    config_folder().chmod(0o700)


def test_a_reader_answers_while_a_builder_writes_and_sees_what_is_new(tmp_path: Path) -> None:
    path = tmp_path / "library.sqlite"
    reader = Shelf(path)
    made = [facts_of(Gdtf(p, ())) for p in plausible(60)]
    stop = threading.Event()
    trouble: list[BaseException] = []

    def build() -> None:
        try:
            index = Index(path)
            for number, facts in enumerate(made):
                index.put("own", [(FileSeen(f"/{number}.gdtf", 1, 1), facts)])
            index.close()
        except BaseException as error:
            trouble.append(error)
        stop.set()

    thread = threading.Thread(target=build)
    thread.start()
    seen = []
    while not stop.is_set():
        seen.append(reader.search(Query(having=("Dimmer",))).total)
    thread.join()
    assert not trouble and seen == sorted(seen)
    expected = sum(
        any(line[0] == "Dimmer" for line in mode.lines) for facts in made for mode in facts.modes
    )
    assert reader.search(Query(having=("Dimmer",))).total == expected
    reader.index.put(
        "own", [(FileSeen("/0.gdtf", 2, 2), "it is torn.")]
    )  # a file that no longer reads takes its profile along
    assert len(reader.columns.p_id) == 59 and reader.index.faults() == [("/0.gdtf", "it is torn.")]


def test_trust_and_ratings_come_from_the_exchange_and_order_what_is_equal(tmp_path: Path) -> None:
    shelf = Shelf(tmp_path / "i.sqlite")
    twins = [
        compose("Reed and Oar", f"Twin {n}", Body("can"), [ModePlan("M", (Channel("Dimmer"),))])
        for n in (1, 2, 3)
    ]
    shelf.index.put("own", [(FileSeen(f"/{p.name}", 1, 1), facts_of(Gdtf(p, ()))) for p in twins])
    shelf.index.set_trust(
        [
            Trust(twins[1].id, True, "Reed and Oar", True, False, 4.5, 9, "2026-01-01"),
            Trust(twins[2].id, False, "ada-weir", False, True, 3.0, 2, ""),
        ]
    )
    assert [shelf.entry(h).model for h in shelf.search(Query("twin")).hits] == [
        "Twin 2",
        "Twin 3",
        "Twin 1",
    ]
    for query, models in (
        (Query(by_maker=True), ["Twin 2"]),
        (Query(proven_unit=True), ["Twin 3"]),
        (Query(proven_3d=True), ["Twin 2"]),
        (Query(rating=3.0), ["Twin 2", "Twin 3"]),
        (Query(body=True, rating=4.0), ["Twin 2"]),
        (Query(sources=frozenset({"shipped"})), []),
    ):
        assert sorted(shelf.entry(h).model for h in shelf.search(query).hits) == models
    assert (
        shelf.trust(shelf.find_id("Twin 2")).uploader == "Reed and Oar"
        and shelf.trust(shelf.find_id("Twin 1")) is None
    )
    assert shelf.find_id(twins[0].id) == shelf.find_id("reed and oar twin 1")


# ---------------------------------------------------------------- harm, by the quick way too


@pytest.mark.parametrize("kind", HARM)
def test_the_quick_reader_refuses_what_the_whole_one_refuses(kind: str) -> None:
    make, says = HARM[kind]
    data = make()
    with pytest.raises(FileFault, match=says):
        facts_of_bytes(data, "evil.gdtf")


def test_entities_are_refused_in_whatever_encoding_they_hide() -> None:
    text = '<?xml version="1.0" encoding="{}"?><!DOCTYPE x [<!ENTITY a "aaaa">]><GDTF DataVersion="1.2"><FixtureType Name="&a;"/></GDTF>'
    for encoding in ("utf-8", "utf-16", "cp037", "cp500", "latin-1"):
        hidden = text.format(encoding).encode(encoding)
        with pytest.raises(FileFault) as caught:
            read_gdtf(packed(hidden), "hidden.gdtf")
        assert "entities" in str(caught.value) or "cannot be read" in str(caught.value)
        with pytest.raises(FileFault):
            facts_of_bytes(packed(hidden), "hidden.gdtf")
    bare = compose("Reed and Oar", "Grün", Body("can"), [ModePlan("M", (Channel("Dimmer"),))])
    for encoding in ("utf-16", "latin-1"):
        body = write_description(bare).decode().replace("UTF-8", encoding)
        assert (
            read_gdtf(packed(body.encode(encoding)), "x").name == "Grün"
        )  # an honest file in another encoding is read


def test_an_archive_with_odd_members_is_read_and_told(tmp_path: Path) -> None:
    profile = compose(
        "Reed and Oar", "Odd", Body("can", meshes=True), [ModePlan("M", (Channel("Dimmer"),))]
    )
    path = tmp_path / "odd.gdtf"
    with zipfile.ZipFile(path, "w") as archive, pytest.warns(UserWarning, match="Duplicate"):
        archive.writestr("Description.xml", write_description(profile))
        archive.writestr("models/3ds/Base.3ds", b"old")
        archive.writestr("models/gltf/Base.glb", b"new")
        archive.writestr("models/gltf/Base.glb", b"newer")
    read = read_archive(path.read_bytes(), path.name)
    told = " ".join(map(str, read.notices))
    assert "spelt “description.xml”" in told and "“models/gltf/Base.glb” twice" in told
    assert (
        read.body_file(profile.models[0]) == "models/gltf/Base.glb"
        and read.body_file(profile.models[1]) == ""
    )
    assert facts_of(read).body == "mesh"


# ---------------------------------------------------------------- without a window


def test_wrong_words_on_the_command_line_are_told_one_by_one() -> None:
    for arguments, says in (
        (("--footprint", "many"), "not a footprint"),
        (("--on", "Dimmer"), "Write 4=Dimmer"),
        (("--on", "x=Dimmer"), "Write 22, 20-24"),
        (("--with", "glibberish"), "not an attribute"),
        (("--cells", "-"), "not a number of cells"),
    ):
        done = command("profiles", "search", *arguments)
        assert done.returncode == 3 and says in done.stderr
    for arguments, says in (
        (("chart", "No Such"), "no profile"),
        (("chart", "Skerry 600", "--mode", "Nope"), "It has Full, Short, Long"),
        (("read-chart", "/no/file.txt"), "no such file"),
        (("check", "/no/file.gdtf"), "no such file"),
    ):
        done = command("profiles", *arguments)
        assert done.returncode == 3 and says in done.stderr.lower().replace(
            "it has full, short, long", "It has Full, Short, Long"
        )


def test_folders_are_added_looked_into_and_forgotten_by_command(tmp_path: Path) -> None:
    for number, profile in enumerate(plausible(4)):
        (tmp_path / f"{number}.gdtf").write_bytes(write_gdtf(profile))
    (tmp_path / "torn.gdtf").write_bytes(b"PK")
    code, told = answer("profiles", "sources", "--add", str(tmp_path))
    assert (
        code == 0
        and told["sources"][-1]["profiles"] == 4
        and "torn.gdtf" in told["faults"][0]["file"]
    )
    assert answer("profiles", "search", "--source", f"folder:{tmp_path}")[1]["total"] == sum(
        len(p.modes) for p in plausible(4)
    )
    (tmp_path / "0.gdtf").unlink()
    lines = command("profiles", "index", "--progress", "--json").stdout.splitlines()
    assert json.loads(lines[-1])["removed"] == 1
    code, told = answer("profiles", "sources", "--remove", str(tmp_path))
    assert [s["id"] for s in told["sources"]] == ["shipped", "generic", "own", "exchange"]
    code, told = answer("profiles", "import", str(tmp_path))
    assert (
        code == 1
        and len(told["imported"]) == 3
        and "torn.gdtf" in told["refused"][0]["why"]
        and len(list(own_folder().iterdir())) == 3
    )


def test_a_manual_in_pdf_is_read_by_command_with_the_note_to_its_maker(tmp_path: Path) -> None:
    file = tmp_path / "m.pdf"
    file.write_bytes(
        pdf(["Welcome aboard"], [*written("    ").splitlines(), "11    0-255    Zoom"])
    )
    done = command("profiles", "read-chart", str(file), "--note")
    assert (
        done.returncode == 0
        and "Nothing is said of channel 10." in done.stdout
        and "What does channel 10 do?" in done.stdout
    )
    assert command("profiles", "read-chart", str(file), "--page", "1").returncode == 3
    near = answer("profiles", "search", "--like", str(file))[1]["near"]
    assert near and near[0]["distance"] < 0.5 and near[0]["differs"]


@pytest.mark.slow
def test_the_stand_in_exchange_serves_is_asked_and_ends_by_command(tmp_path: Path) -> None:
    offered = plausible(1, 66)[0]
    (tmp_path / "mine.gdtf").write_bytes(write_gdtf(offered))
    process = subprocess.Popen(
        [
            sys.executable,
            "-m",
            "isthmus.cli",
            "exchange",
            "serve",
            "--port",
            "0",
            "--folder",
            str(tmp_path),
            "--json",
        ],
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        url = json.loads(process.stdout.readline())["url"]
        code, rows = answer("exchange", "browse", "--url", url)
        assert code == 0 and len(rows) == 26 and any(row["id"] == offered.id for row in rows)
        assert Path(
            answer("exchange", "get", f"{offered.maker} {offered.name}", "--url", url)[1]["saved"]
        ).read_bytes() == write_gdtf(offered)
        assert (
            command("exchange", "share", str(tmp_path / "mine.gdtf"), "--url", url).returncode == 3
        )
        assert (
            answer(
                "exchange",
                "share",
                str(tmp_path / "mine.gdtf"),
                "--url",
                url,
                "--token",
                "made-up-token",
            )[1]["id"]
            == offered.id
        )
        assert command("exchange", "get", "No Such", "--url", url).returncode == 3
    finally:
        process.send_signal(signal.SIGTERM)
        assert process.wait(20) == 0
        process.stdout.close()
    assert len(answer("exchange", "browse", "--offline")[1]) == 26
    assert command("exchange", "browse", "--url", url).returncode == 3


# ---------------------------------------------------------------- the exchange, closely


def test_a_catalogue_that_did_not_change_is_not_sent_again_and_pages_that_are_none_are_said_so() -> (
    None
):
    server = ExchangeServer().start()
    try:
        client, index = Exchange(server.url), Shelf().index
        first = client.refresh(index)
        with urllib.request.urlopen(f"{server.url}/catalogue", timeout=5) as response:
            tag = response.headers["ETag"]
        asked = urllib.request.Request(f"{server.url}/catalogue", headers={"If-None-Match": tag})
        with pytest.raises(urllib.error.HTTPError) as unchanged:
            urllib.request.urlopen(asked, timeout=5)
        assert unchanged.value.code == 304
        unchanged.value.close()
        assert client.refresh(index).entries == first.entries
        for page in ("/", "/files/nothing/never", "/catalogue/../etc/passwd"):
            with pytest.raises(urllib.error.HTTPError) as missing:
                urllib.request.urlopen(f"{server.url}{page}", timeout=5)
            assert missing.value.code == 404
            missing.value.close()
    finally:
        server.close()
    assert read_catalogue().name == "Made-up exchange"


def test_addresses_and_tokens_that_cannot_be_are_refused_before_anything_is_sent() -> None:
    for url in ("ftp://x", "http://", "http://[::1", "http://x:99999"):
        with pytest.raises(EntryFault, match="not an address"):
            Exchange(url)
    profile = plausible(1)[0]
    with pytest.raises(EntryFault, match="cannot be sent"):
        Exchange("http://127.0.0.1:9", "two\r\nlines").share(
            stored_of(profile, write_gdtf(profile))
        )
    keep_token("127.0.0.1:9", "harbour-7")
    token = next(own_folder().parent.glob("exchange-tokens.json"))
    token.chmod(0o644)
    keep_token("quay.example:443", "bollard")
    assert token.stat().st_mode & 0o777 == 0o600  # no one else may read it, whatever it was
    assert kept_token("127.0.0.1:9") == "harbour-7" and kept_token("quay.example:80") == ""
    with pytest.raises(EntryFault, match="could be read on its way"):
        Exchange("http://quay.example", "bollard").share(stored_of(profile, write_gdtf(profile)))
    assert not Exchange("https://quay.example").in_the_open


@pytest.mark.parametrize("drips", [True, False], ids=["a byte now and then", "silence"])
def test_nobody_waits_for_a_server_that_never_ends(drips: bool) -> None:
    """Stopped from another thread, whoever waits is let go at once."""
    with socket.create_server(("127.0.0.1", 0)) as server:
        ended = threading.Event()

        def serve() -> None:
            with server.accept()[0] as line:
                line.recv(4096)
                if drips:
                    line.sendall(b"HTTP/1.1 200 OK\r\nContent-Length: 99999\r\n\r\n")
                while not ended.wait(0.05):
                    with contextlib.suppress(OSError):
                        line.sendall(b" " * drips)

        there = threading.Thread(target=serve)
        there.start()
        exchange = Exchange(f"http://127.0.0.1:{server.getsockname()[1]}")
        threading.Timer(0.3, exchange.stop).start()
        index = Shelf().index
        began = time.monotonic()
        with pytest.raises(Cancelled):
            exchange.refresh(index)
        took = time.monotonic() - began
        ended.set()
        there.join()
    assert took < exchange.timeout  # it did not wait until nothing came any more


def test_a_download_can_be_stopped_and_a_port_in_use_is_told() -> None:
    server = ExchangeServer().start()
    try:
        client, shelf = Exchange(server.url), Shelf()
        entry = max(client.refresh(shelf.index).entries, key=lambda e: e.size)

        class Enough(Exception):
            pass

        def told(done: int, size: int) -> None:
            raise Enough

        with pytest.raises(Enough):
            client.download(entry, told)
        assert not list(own_folder().parent.glob("exchange/*.gdtf"))
        assert client.download(entry).exists()
        with pytest.raises(NetworkFault, match="already uses that port"):
            serve_forever(int(server.url.rsplit(":", 1)[1]))
    finally:
        server.close()


def test_offers_are_replaced_by_what_was_downloaded_and_return_with_their_source() -> None:
    server = ExchangeServer().start()
    try:
        shelf = Shelf()
        client = Exchange(server.url)
        catalogue = client.refresh(shelf.index)
        client.download(catalogue.entries[0])
        update_library(shelf.index, read_sources())
        assert shelf.index.counts()["exchange"] == len(catalogue.entries)  # not twice
        off = [replace(s, on=s.id != "exchange") for s in read_sources()]
        update_library(shelf.index, off)
        assert "exchange" not in shelf.index.counts()
        update_library(shelf.index, read_sources())
        assert shelf.index.counts()["exchange"] == len(catalogue.entries)
    finally:
        server.close()


# ---------------------------------------------------------------- units given another profile


def test_modes_are_matched_by_name_else_by_likeness_and_addresses_stay(demo: Show) -> None:
    key = "Halyard Optics Lapwing 19"
    source = profiles_of(demo).profiles[key]
    copy = adapt.own_copy(source, "Lapwing 19 tour")
    renamed = replace(
        copy, modes=tuple(replace(m, name=f"{m.name} tour") for m in reversed(copy.modes))
    )
    stored = stored_of(renamed, write_gdtf(renamed))
    for mode in source.modes:
        assert mode_for(source, mode, renamed).name == f"{mode.name} tour"
    changes = {c.old: c for c in preview_swap(demo, key, stored)}
    assert all(c.new == f"{c.old} tour" and c.differs == () for c in changes.values())
    assert sum(c.units for c in changes.values()) == len(using(demo, key))
    after = swap_profile(demo, key, stored)
    assert not using(after, key) and all(p.key != key for p in after.profiles)
    before = {u.id: u for u in demo.units}
    assert all(u.patch == before[u.id].patch for u in after.units)
    assert [u for u in after.units if u.profile != stored.key] == [
        u for u in demo.units if u.profile != key
    ]


def test_some_units_alone_keep_both_profiles_under_names_of_their_own(demo: Show) -> None:
    key = "Halyard Optics Lapwing 19"
    source = profiles_of(demo).profiles[key]
    changed = adapt.insert(source, "Wide", 18, Channel("CTC"))
    stored = stored_of(changed, write_gdtf(changed))
    assert stored.key == key
    some = [u.id for u in using(demo, key)][:2]
    after = swap_profile(demo, key, stored, some)
    assert {u.profile for u in after.units if u.id in some} == {f"{key} (2)"}
    assert len(using(after, key)) == len(using(demo, key)) - 2
    assert len({p.file for p in after.profiles}) == len(after.profiles)
    assert read_profiles(after).profiles[f"{key} (2)"] != read_profiles(after).profiles[key]
    whole = swap_profile(demo, key, stored)
    assert {p.key for p in whole.profiles} == {
        p.key for p in demo.profiles
    }  # a newer one of the same name takes its place
    with pytest.raises(EntryFault, match="cannot be read"):
        swap_profile(demo, key, replace(stored, data=b"PK"))


@pytest.mark.slow
def test_the_index_survives_being_killed_while_it_is_built(tmp_path: Path) -> None:
    folder = tmp_path / "many"
    folder.mkdir()
    for number, profile in enumerate(plausible(60, 5)):
        data = write_gdtf(profile)
        for copy in range(4):
            (folder / f"{number}-{copy}.gdtf").write_bytes(data)
    write_sources([*read_sources(), folder_source(folder)])
    process = subprocess.Popen(
        [sys.executable, "-m", "isthmus.cli", "profiles", "index", "--progress", "--workers", "2"],
        stdout=subprocess.PIPE,
        text=True,
    )
    assert process.stdout.readline()  # it is under way
    workers = Path(f"/proc/{process.pid}/task/{process.pid}/children").read_text().split()
    process.kill()
    process.wait()
    process.stdout.close()
    assert workers and until(
        lambda: not any(Path(f"/proc/{worker}").exists() for worker in workers)
    )  # none is left behind
    shelf = Shelf()
    shelf.columns  # noqa: B018
    started = time.monotonic()
    outcome = update_library(shelf.index, read_sources(), workers=2)
    assert not shelf.index.rebuilt and outcome.read <= 240 + 66 and time.monotonic() - started < 60
    assert until(lambda: shelf.index.counts()[f"folder:{folder}"] == 240)
    assert len(shelf.columns) > 240


def test_files_and_catalogues_made_to_do_harm_neither_stop_the_index_nor_leave_its_folder(
    tmp_path: Path,
) -> None:
    far = """<GDTF DataVersion="1.2"><FixtureType Name="Far" Manufacturer="Reed and Oar"><Geometries><Geometry Name="Base"><GeometryReference Name="c" Geometry="Cell">
    <Break DMXBreak="1" DMXOffset="65535/2"/></GeometryReference></Geometry><Geometry Name="Cell"/></Geometries><DMXModes><DMXMode Name="M" Geometry="Base"><DMXChannels>
    <DMXChannel DMXBreak="Overwrite" Offset="4096" Geometry="Cell"><LogicalChannel Attribute="Dimmer"><ChannelFunction Attribute="Dimmer" DMXFrom="0/1"/></LogicalChannel></DMXChannel>
    </DMXChannels></DMXMode></DMXModes></FixtureType></GDTF>"""
    (tmp_path / "far.gdtf").write_bytes(packed(far.encode()))
    Path(os.fsdecode(bytes(tmp_path) + b"/\xff\xfe.gdtf")).write_bytes(packed(far.encode()))
    write_sources([*read_sources(), folder_source(tmp_path)])
    shelf = Shelf()
    update_library(shelf.index, read_sources())
    assert (
        shelf.index.counts()[f"folder:{tmp_path}"] == 1
    )  # the file without a sayable name is passed over
    assert shelf.entry(shelf.search(Query("far")).hits[0]).footprint == 65535

    server = ExchangeServer().start()
    try:
        honest = server.catalogue().decode()
        entry = json.loads(honest)["entries"][0]
        for name, value in (("size", 2**70), ("rating", 1e9), ("ratings", -1), ("ident", 7)):
            server.catalogue = lambda name=name, value=value: json.dumps(
                {"format": 1, "name": "x", "entries": [entry | {name: value}]}
            ).encode()  # type: ignore[method-assign]
            with pytest.raises(NetworkFault, match="not an exchange"):
                Exchange(server.url).refresh(shelf.index)
        crooked = json.loads(honest)["entries"][0]
        crooked["facts"][6] = "ghost"  # a body there is none of
        server.catalogue = lambda: json.dumps(
            {"format": 1, "name": "x", "entries": [crooked]}
        ).encode()  # type: ignore[method-assign]
        with pytest.raises(NetworkFault, match="not an exchange"):
            Exchange(server.url).refresh(shelf.index)
        escaping = entry | {"ident": "../../../tmp/escape"}
        server.wares.files[escaping["ident"], escaping["revision"]] = server.wares.files[
            entry["ident"], entry["revision"]
        ]
        server.catalogue = lambda: json.dumps(
            {"format": 1, "name": "x", "entries": [escaping]}
        ).encode()  # type: ignore[method-assign]
        client = Exchange(server.url)
        (offer,) = client.refresh(shelf.index).entries
        with pytest.raises(NetworkFault, match=r"another profile|cannot be fetched"):
            client.download(offer)
        folder = own_folder().parent / "exchange"
        assert not list(folder.glob("*.gdtf")) and not list(folder.glob("*.part"))
    finally:
        server.close()
