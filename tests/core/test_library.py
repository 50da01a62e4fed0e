"""The library: found however it is typed, by facts as a plain scan would, near misses in words, and sources that come and go."""

from __future__ import annotations

import json
import sqlite3
from pathlib import Path

import pytest
from benchmarks.library import plain_scan
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from helpers.tools import answer
from isthmus.errors import Cancelled, EntryFault, FileFault, NetworkFault
from isthmus.library import (
    Index,
    Progress,
    Query,
    Shelf,
    Source,
    fresh_shelf,
    read_sources,
    update_library,
    write_sources,
)
from isthmus.library.at_hand import at_hand, stored_at_hand
from isthmus.library.exchange import Exchange, newer_in, read_catalogue
from isthmus.library.facts import facts_of
from isthmus.library.index import FileSeen
from isthmus.library.shelf import keep_own, read_columns
from isthmus.library.sources import folder_source, own_folder
from isthmus.patch.swap_profile import preview_swap, swap_profile
from isthmus.profiles import profiles_of
from isthmus.profiles.adapt import borrow
from isthmus.profiles.channel_table import ChannelLine, ChannelTable, channel_table
from isthmus.profiles.gdtf import Gdtf, read_archive, write_gdtf
from isthmus.profiles.make.generic import KINDS, Recipe, generic_profile, plan_of
from isthmus.profiles.make.plausible import plausible_profiles
from isthmus.profiles.store import load_stored, stored_of
from isthmus.show.records import Show
from isthmus.standin.exchange import TOKEN, ExchangeServer

MADE = [facts_of(Gdtf(profile, ())) for profile in plausible_profiles(160, 5)]
ATTRIBUTES = sorted({line[0] for facts in MADE for mode in facts.modes for line in mode.lines})


@pytest.fixture(scope="module")
def many(tmp_path_factory: pytest.TempPathFactory) -> Shelf:
    """An index of generated profiles."""
    shelf = Shelf(tmp_path_factory.mktemp("many") / "library.sqlite")
    shelf.index.put("own", [(FileSeen(f"/{i}.gdtf", 1, 1), facts) for i, facts in enumerate(MADE)])
    return shelf


def titles(shelf: Shelf, text: str) -> list[str]:
    return [f"{e.title} {e.mode}" for e in shelf.entries(shelf.search(Query(text)).hits)]


def test_a_few_letters_find_it_slips_are_forgiven_and_lines_are_told_apart() -> None:
    shelf = fresh_shelf(workers=0)
    assert titles(shelf, "sker")[0].startswith("Dunnet Works Skerry")
    for slip in ("skery", "skrery", "skerri", "Sckerry", "SKERRY"):
        assert all("Skerry" in title for title in titles(shelf, slip)) and titles(shelf, slip)
    assert titles(shelf, "dunnet cormorant 7 long") == ["Dunnet Works Cormorant 7 Long"]
    assert titles(shelf, "xyzzyq") == []

    def makers(words: str) -> dict[str, set[str]]:
        found = shelf.search(Query(words)).makers
        return {maker.maker: {line for line, _ in maker.lines} for maker in found}

    assert makers("dunnet") == {"Dunnet Works": {"Skerry", "Cormorant"}}
    assert makers("fathom") == {"Northing Light": {"Fathom Line"}}


def test_a_generic_is_found_by_typing_what_it_is() -> None:
    shelf = fresh_shelf(workers=0)
    found = titles(shelf, "four channels, master first")
    assert "Generic Colour mixer RGB three colours, master first, four channels" in found
    assert all("four channels" in title and "master first" in title for title in found[:6])
    profile_id = shelf.find_id("Generic Colour mixer GRB")
    _, profile = shelf.take(profile_id)
    lines = channel_table(
        profile,
        next(m for m in profile.modes if m.name == "three colours, master first, four channels"),
    ).lines
    assert [line.attribute for line in lines] == [
        "Dimmer",
        "ColorAdd_G",
        "ColorAdd_R",
        "ColorAdd_B",
    ]


@given(kind=st.sampled_from(sorted(KINDS)), order=st.permutations("RGBWA"), count=st.integers(1, 5), master=st.sampled_from(["none", "first", "last"]), strobe=st.sampled_from(["none", "first", "last"]), bits=st.sampled_from([8, 16]), cells=st.integers(0, 12))  # fmt: skip
@settings(max_examples=15)
def test_any_recipe_makes_the_chart_it_says(
    kind, order, count, master, strobe, bits, cells
) -> None:
    recipe = Recipe(kind, "".join(order[:count]), master, strobe, bits, cells)
    profile = generic_profile([recipe])
    lines = channel_table(profile, profile.modes[0]).lines
    slots = [slot for line in lines for slot in line.slots]
    assert sorted(slots) == list(range(1, len(slots) + 1))
    name = plan_of(recipe).name
    if kind == "colour":
        colours = [line.attribute for line in lines if line.attribute.startswith("ColorAdd")]
        assert len(colours) == count * max(1, cells if cells > 1 else 1)
        dimmer = [line.slots[0] for line in lines if line.attribute == "Dimmer"]
        assert bool(dimmer) == (master != "none") and ("master first" in name) == (
            master == "first"
        )
        if dimmer and strobe != "last":
            assert (
                dimmer == [1]
                if master == "first"
                else dimmer[0] > max(line.slots[0] for line in lines if line.attribute in colours)
            )


@given(st.data())
@settings(max_examples=15)
def test_facts_are_answered_as_a_scan_of_every_record_would(
    many: Shelf, data: st.DataObject
) -> None:
    attribute = st.sampled_from(ATTRIBUTES)
    query = Query(
        footprint=data.draw(st.none() | st.tuples(st.integers(1, 20), st.integers(20, 60))),
        on=tuple(data.draw(st.lists(st.tuples(st.integers(1, 12), attribute), max_size=2))),
        having=tuple(data.draw(st.lists(attribute, max_size=2))),
        without=tuple(data.draw(st.lists(attribute, max_size=2))),
    )
    found = many.search(query)
    expected = 0
    for facts in MADE:  # an attribute may stand on a slot together with another: any of them counts
        for mode in facts.modes:
            places = {(line[1][0], line[0]) for line in mode.lines if line[1]}
            have = {line[0] for line in mode.lines}
            fits = (
                query.footprint is None
                or query.footprint[0] <= mode.footprint <= query.footprint[1]
            )
            expected += (
                fits
                and places.issuperset(query.on)
                and have.issuperset(query.having)
                and not have & set(query.without)
            )
    assert found.total == expected
    if not query.on:
        assert (
            plain_scan(MADE, query) == expected
        )  # the baseline of the benchmark asks the same question
    distances = [hit.distance for hit in found.near]
    assert distances == sorted(distances) and all(d > 0 for d in distances)
    assert all(hit.differs for hit in found.near)
    assert sum(maker.modes for maker in found.makers) == found.total


def test_near_misses_say_what_differs_and_a_chart_finds_its_own_like(many: Shelf) -> None:
    shelf = fresh_shelf(workers=0)
    near = shelf.entries(
        shelf.search(
            Query(footprint=(22, 22), on=((6, "Shutter1"),), having=("Prism1",), text="skerry")
        ).near
    )
    assert any("shutter on 7, not 6" in entry.differs for entry in near)
    row = next(
        i
        for i, e in enumerate(shelf.entries(shelf.search(Query("skerry 600 full")).hits))
        if e.mode == "Full"
    )
    entry = shelf.entry(shelf.search(Query("skerry 600 full")).hits[row])
    _, profile = shelf.take(entry.profile_id)
    own = channel_table(profile, profile.modes[0])
    without_iris = ChannelTable(
        "asked", tuple(line for line in own.lines if line.attribute != "Iris")
    )
    best = shelf.entry(shelf.search(Query(like=without_iris)).near[0])
    assert (best.model, best.mode) in (("Skerry 600", "Full"), ("Skerry 900 F", "Plain")) and any(
        "iris" in text for text in best.differs
    )
    assert shelf.search(Query(like=ChannelTable("x", (ChannelLine((1,), "NeverSeen"),)))).total == 0


def test_folders_are_watched_go_away_and_come_back_and_files_that_do_not_read_are_named(
    tmp_path: Path,
) -> None:
    drive = tmp_path / "drive"
    drive.mkdir()
    for number, profile in enumerate(plausible_profiles(3, 40)):
        (drive / f"{number}.gdtf").write_bytes(write_gdtf(profile))
    (drive / "torn.gdtf").write_bytes(b"PK\3\4 torn")
    source = folder_source(drive)
    write_sources([*read_sources(), source])
    shelf = Shelf()
    assert update_library(shelf.index, read_sources()).faults == 1
    assert (
        shelf.index.counts()[source.id] == 3
        and "torn.gdtf" in shelf.index.faults()[0][0]
        and "damaged" in shelf.index.faults()[0][1]
    )
    drive.rename(tmp_path / "elsewhere")
    update_library(shelf.index, read_sources())
    away = list(shelf.entries(shelf.search(Query(sources=frozenset({source.id}))).hits))
    assert len({e.profile_id for e in away}) == 3 and all(e.away for e in away)
    with pytest.raises(FileFault, match="away"):
        shelf.take(away[0].profile_id)
    (tmp_path / "elsewhere").rename(drive)
    (drive / "0.gdtf").unlink()
    outcome = update_library(shelf.index, read_sources())
    assert outcome.removed == 1 and outcome.read == 0  # what did not change is not read again
    assert not any(
        e.away for e in shelf.entries(shelf.search(Query(sources=frozenset({source.id}))).hits)
    )
    off = [replace(s, on=False) if s.id == source.id else s for s in read_sources()]
    update_library(shelf.index, off)
    assert source.id not in shelf.index.counts()


@pytest.mark.parametrize("damage", ["garbage", "inside", "other version", "deleted", "content"])
def test_a_damaged_index_is_rebuilt_and_loses_nothing(damage: str) -> None:
    shelf = fresh_shelf(workers=0)
    count, path = len(shelf.columns), shelf.index.path
    shelf.close()
    if damage == "garbage":
        path.write_bytes(b"not a database at all" * 500)
    elif damage == "inside":
        data = bytearray(path.read_bytes())
        data[4096:40960] = bytes(36864)
        path.write_bytes(bytes(data))
    elif damage == "other version":
        with sqlite3.connect(path) as db:
            db.execute("PRAGMA user_version=99")
    elif damage == "content":
        with sqlite3.connect(path) as db:
            db.execute("UPDATE profile SET id=1 << 50 WHERE id=(SELECT max(id) FROM profile)")
            db.execute("UPDATE mode SET sequence=x'07' WHERE id=(SELECT min(id) FROM mode)")
    else:
        path.unlink()
    again = Shelf()
    if damage == "content":  # of a page that still is one of a database
        assert not again.columns or len(again.columns) in (0, count)
    again.columns  # noqa: B018
    update_library(again.index, read_sources())
    assert len(again.columns) == count


def test_an_update_can_be_stopped_and_goes_on_where_it_stopped(tmp_path: Path) -> None:
    for number, profile in enumerate(plausible_profiles(40, 3)):
        (tmp_path / f"{number}.gdtf").write_bytes(write_gdtf(profile))
    source = Source(id="folder:x", kind="folder", name="x", path=str(tmp_path))
    index = Index(tmp_path / "i.sqlite")
    seen: list[Progress] = []

    def told(progress: Progress) -> None:
        seen.append(progress)
        if progress.done >= 16:
            raise Cancelled

    first = index.update([source], told)
    assert first.stopped and first.read == 16 and index.counts() == {source.id: 16}
    second = index.update([source], workers=2)
    assert not second.stopped and second.read == 24 and index.counts() == {source.id: 40}


# ---------------------------------------------------------------- the exchange


@pytest.fixture
def exchange():
    server = ExchangeServer().start()
    yield server
    server.close()


def test_browse_download_resume_trust_and_a_newer_revision_for_the_show(
    exchange: ExchangeServer, demo
) -> None:
    client, shelf = Exchange(exchange.url), fresh_shelf(workers=0)
    catalogue = client.refresh(shelf.index)
    offered = shelf.entries(shelf.search(Query(sources=frozenset({"exchange"}))).hits)
    assert (
        len({e.profile_id for e in offered}) == len(catalogue.entries)
        and shelf.search(Query(proven_unit=True)).total
    )
    entry = max(catalogue.entries, key=lambda e: e.size)
    with pytest.raises(EntryFault, match="Download"):
        shelf.take(shelf.find_id(entry.ident))
    exchange.fault = "cut short"
    with pytest.raises(NetworkFault, match="broke off after"):
        client.download(entry)
    part = next((shelf.index.path.parent / "exchange").glob("*.part"))
    had = part.stat().st_size
    exchange.fault = ""
    steps: list[int] = []
    path = client.download(entry, lambda done, size: steps.append(done))
    assert min(steps) > had > 0 and steps[-1] == entry.size  # it went on where it stopped
    update_library(shelf.index, read_sources())
    stored, _ = shelf.take(shelf.find_id(entry.ident))
    assert stored.data == path.read_bytes() and not list(path.parent.glob("*.part"))
    assert shelf.trust(shelf.find_id(entry.ident)).ratings == entry.ratings
    ((old, revision, newer),) = newer_in(demo, catalogue)
    fresh = load_stored(client.download(newer))[0]
    changes = preview_swap(demo, old.key, fresh)
    assert newer.revision > revision and any(
        "shutter" in text for change in changes for text in change.differs
    )
    after = swap_profile(demo, old.key, fresh)
    assert profiles_of(after).profiles[old.key].revision == newer.revision
    assert [u.patch for u in after.units] == [u.patch for u in demo.units]
    exchange.close()
    with pytest.raises(NetworkFault, match="does not answer"):
        client.refresh(shelf.index)
    assert read_catalogue().entries == catalogue.entries  # browsing goes on with what was last seen


@pytest.mark.parametrize(
    ("fault", "says"),
    [
        ("wrong checksum", "wrong checksum"),
        ("garbage", "broke off|cannot be fetched|wrong checksum"),
        ("server error", "error 500"),
        ("slow", ""),
    ],
)
def test_what_goes_wrong_out_there_is_a_sentence_and_leaves_nothing_half_written(
    exchange: ExchangeServer, fault: str, says: str
) -> None:
    client, shelf = Exchange(exchange.url, timeout=1.0), Shelf()
    catalogue = client.refresh(shelf.index)
    exchange.fault = fault
    small = min(catalogue.entries, key=lambda e: e.size)
    if fault == "slow":  # slow is borne; dead is not
        assert client.download(small).exists()
        exchange.delay = 3.0
        with pytest.raises(NetworkFault, match="did not answer within 1 seconds"):
            client.refresh(shelf.index)
        return
    with pytest.raises(NetworkFault, match=says):
        client.download(small)
    assert not list((shelf.index.path.parent / "exchange").glob("*.gdtf"))
    if fault == "garbage":
        with pytest.raises(NetworkFault, match="not an exchange"):
            client.refresh(shelf.index)


def test_own_profiles_are_shared_with_a_token_and_refused_without(exchange: ExchangeServer) -> None:
    profile = generic_profile([Recipe("colour", "RGBL")])
    stored = stored_of(profile, write_gdtf(profile))
    with pytest.raises(EntryFault, match="needs a token"):
        Exchange(exchange.url).share(stored)
    with pytest.raises(NetworkFault, match="refuses the token"):
        Exchange(exchange.url, "wrong").share(stored)
    assert Exchange(exchange.url, TOKEN).share(stored) == profile.id
    with pytest.raises(NetworkFault, match="does not take"):
        Exchange(exchange.url, TOKEN).share(replace(stored, data=b"PK torn"))
    assert any(e.ident == profile.id for e in Exchange(exchange.url).refresh(Shelf().index).entries)


# ---------------------------------------------------------------- without a window


def test_the_command_line_finds_reads_compares_makes_and_checks(tmp_path: Path) -> None:
    code, found = answer(
        "profiles",
        "search",
        "--footprint",
        "22",
        "--on",
        "7=shutter",
        "--without",
        "ColorAdd_R",
        "--with",
        "colour wheel",
    )
    assert (
        code == 0
        and {h["model"] for h in found["hits"]} == {"Skerry 600", "Skerry 900 F"}
        and found["near"]
    )
    code, chart = answer("profiles", "chart", "Dunnet Works Skerry 600", "--mode", "Short")
    assert (
        code == 0
        and chart["footprint"] == 13
        and chart["channels"][3]["ranges"][0]["name"] == "Closed"
    )
    csv = tmp_path / "manual.csv"
    csv.write_text(
        "Channel,Value,Function\n1,0-255,Pan\n2,0-255,Pan fine\n3,0-255,Dimmer\n", "utf-8"
    )
    code, verdicts = answer("profiles", "compare", "Dunnet Works Skerry 600:Short", str(csv))
    assert code == 1 and {v["state"] for v in verdicts["channels"]} == {"same", "shifted", "absent"}
    code, read = answer("profiles", "read-chart", str(csv), "--make", "Reed and Oar/Nine")
    assert (
        code == 0
        and Path(read["saved"]).exists()
        and read["charts"][0]["rows"][0]["slots"] == [1, 2]
    )
    code, notices = answer("profiles", "check", read["saved"])
    assert (code, notices) == (0, [])
    out = tmp_path / "out.gdtf"
    assert answer("profiles", "export", "Reed and Oar Nine", str(out))[0] == 0
    assert read_archive(out.read_bytes(), "out").profile.name == "Nine"
    assert (
        answer("profiles", "import", str(tmp_path))[1]["imported"][0]["profile"]
        == "Reed and Oar Nine"
    )
    code, fault = answer("profiles", "chart", "Reed and Oar Ninepins")
    assert code == 3 and "Nine" in json.dumps(fault)


def test_borrowed_profiles_are_marked_wherever_they_go(demo) -> None:
    key = "Dunnet Works Skerry 400"
    source = profiles_of(demo).profiles[key]
    made = borrow(source, "Reed and Oar", "Ebb 9", "2026-11-01T00:00:00")
    keep_own(made)
    shelf = fresh_shelf(workers=0)
    (entry, *_) = shelf.entries(shelf.search(Query("ebb 9")).hits)
    assert entry.borrowed == key and entry.source == "own"
    stored, profile = shelf.take(entry.profile_id)
    assert profile.label == "Ebb 9 (borrowed)" and key in profile.in_full
    show = swap_profile(demo, key, stored, [u.id for u in demo.units if u.profile == key][:2])
    kinds = [
        profiles_of(show).profiles[u.profile].label
        for u in show.units
        if u.profile in (key, stored.key)
    ]
    assert (
        sorted(set(kinds)) == ["Ebb 9 (borrowed)", "Skerry 400"]
        and kinds.count("Ebb 9 (borrowed)") == 2
    )


def test_a_shelf_that_does_not_follow_answers_with_what_it_was_given_until_it_is_given_more() -> (
    None
):
    builder = fresh_shelf(workers=0)
    still = Shelf(follow=False)
    assert len(still.columns) == 0 and still.search(Query("skerry")).total == 0
    columns, rebuilt = read_columns(still.path)
    assert not rebuilt and len(columns) == len(builder.columns)
    still.adopt(columns)
    found = still.search(Query("skerry 600"))
    assert found.total == 3 and still.entry(found.hits[0]).model == "Skerry 600"
    profile = next(plausible_profiles(1, 55))
    keep_own(profile)
    update_library(builder.index, read_sources())
    assert builder.search(Query(profile.name)).total and not still.search(Query(profile.name)).total
    still.adopt(read_columns(still.path)[0])
    assert still.search(Query(profile.name)).total == builder.search(Query(profile.name)).total
    builder.close()
    for ending in ("", "-wal", "-shm"):
        Path(f"{still.path}{ending}").unlink(missing_ok=True)
    still.path.write_bytes(b"no database" * 400)
    empty, rebuilt = read_columns(still.path)
    assert rebuilt and len(empty) == 0
    still.adopt(empty)  # the file it had open is gone; the one that took its place is opened
    assert still.index.counts() == {}
    update_library(still.index, read_sources())
    still.adopt(read_columns(still.path)[0])
    assert still.search(Query("skerry 600")).total == 3
    still.close()


def test_what_a_show_asks_for_is_what_the_whole_library_has() -> None:
    """The quick way by file names is held against reading all of it, an own file with any name first."""
    whole = at_hand(Show()).stored
    assert len(whole) > 90 and stored_at_hand([*whole, "Nobody Nothing"]) == whole
    ours = own_folder()
    ours.mkdir(parents=True)
    key = "Halyard Optics Lapwing 19"
    (ours / "any name.gdtf").write_bytes(whole[key].data + b"\0")  # after its end: still a zip
    assert stored_at_hand([key])[key].data.endswith(b"\0")
    assert stored_at_hand(whole) == at_hand(Show()).stored
