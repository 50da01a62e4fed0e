"""Versions inside a show: judged by the values they were made of, kept aside."""

from __future__ import annotations

import io
import json
import random
import zipfile
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from test_compare import WHOLE, edited

from helpers.tools import answer, command
from isthmus.errors import FileFault
from isthmus.patch import edits
from isthmus.show import open_show, save_show
from isthmus.show.change import apply_change, change_between
from isthmus.show.container import Damage, decode_show, encode_show
from isthmus.show.journal import Journal
from isthmus.show.parts import Texts, put_together
from isthmus.show.records import FORMAT, StoredFile, Version
from isthmus.show.recovery import digest_of
from isthmus.show.versions import (
    gone_back,
    guarded,
    root_of,
    shown,
    thinned,
    version_named,
    with_all,
    with_version,
    without_versions,
)


@given(st.integers(0, 10**6), st.integers(1, 12))
def test_every_version_is_what_the_show_was_in_file_and_journal(seed: int, count: int) -> None:
    dice = random.Random(seed)
    show, were, read = WHOLE, [], WHOLE
    for at in range(count):
        were.append(replace(show, versions=(), kept={}))
        made = with_version(edited(show, seed + at, dice.randrange(1, 9)), show, f"v{at}")
        _, read = apply_change(read, change_between("edit", show, made))
        assert read == made
        show = made
    again = decode_show(encode_show(show), "x")
    assert again == show
    for version, was in zip(again.versions, were, strict=True):
        assert shown(again, version) == was
        assert root_of(was) == root_of(shown(again, version)) == version.root
    back = gone_back(again, again.versions[0])
    assert replace(back, versions=(), kept={}) == were[0]
    assert shown(back, back.versions[-1]) == replace(show, versions=(), kept={})


def test_what_versions_share_is_kept_once() -> None:
    noise = random.Random(5).randbytes(300_000)
    show = replace(WHOLE, files=(*WHOLE.files, StoredFile(name="photo.png", data=noise)))
    bare = len(encode_show(show))
    for at in range(30):
        units = [
            replace(u, note=f"n{at}") if i % 20 == at % 20 else u for i, u in enumerate(show.units)
        ]
        show = with_version(replace(show, units=tuple(units)), show, f"v{at}")
    assert len(encode_show(show)) < 1.15 * bare
    gone = replace(show, files=WHOLE.files)  # the picture went: only versions have it
    again = decode_show(encode_show(gone), "x")
    assert again == gone and shown(again, again.versions[0]).files[-1].data == noise


def version(number: int, at: datetime, note: str = "") -> Version:
    return Version(number=number, at=at.isoformat(), note=note)


def test_of_older_days_the_last_stays_and_named_ones_for_ever() -> None:
    noon = datetime.now().astimezone().replace(hour=12, minute=0)
    day = timedelta(days=1)
    made = [
        version(1, noon - 40 * day, "before the tour"),
        version(2, noon - 40 * day),
        version(3, noon - 2 * day - timedelta(hours=3)),
        version(4, noon - 2 * day),
        version(5, noon - 2 * day - timedelta(hours=1), "focus done"),
        version(6, noon),
        version(7, noon + timedelta(minutes=3)),
        version(8, noon + 9 * day),  # made before the clock was set back
        version(9, noon + timedelta(minutes=5)),
        replace(version(10, noon), at="no time at all"),
    ]
    left = [v.number for v in thinned(made, noon.date())]
    assert left == [1, 2, 5, 6, 7, 8, 9, 10]


def test_risks_are_kept_before_they_are_taken_and_not_twice() -> None:
    few = replace(WHOLE, units=WHOLE.units[:-3])
    assert guarded(WHOLE, few) is few
    none = guarded(WHOLE, replace(WHOLE, units=()))
    [kept] = none.versions
    assert shown(none, kept) == WHOLE and f"{len(WHOLE.units)} units" in kept.why
    assert with_version(none, WHOLE).versions == none.versions
    other = with_version(few, few, "mine")
    both = with_all(none, other)
    assert [shown(both, v) for v in both.versions] == [WHOLE, few]
    assert len({v.number for v in both.versions}) == 2


@given(st.data())
def test_damage_to_versions_leaves_the_show_and_is_told(data: st.DataObject) -> None:
    show = with_version(edited(WHOLE, 3), WHOLE, "whole")
    whole = bytearray(encode_show(show))
    with zipfile.ZipFile(io.BytesIO(whole)) as archive:
        pack = archive.getinfo("versions/0")
    at = pack.header_offset + 40 + data.draw(st.integers(0, pack.compress_size - 1))
    whole[at] ^= data.draw(st.integers(1, 255))
    damage = Damage()
    read = decode_show(bytes(whole), "x", damage)
    assert replace(read, versions=(), kept={}) == replace(show, versions=(), kept={})
    assert damage.words == ["Version 1 is missing or damaged."]
    with pytest.raises(FileFault, match="version 1 is damaged"):
        shown(read, read.versions[0])
    assert decode_show(encode_show(read), "x") == read  # saved again, it goes on being told


def test_packs_that_were_made_to_do_harm_end_in_a_sentence(tmp_path: Path) -> None:
    show = with_version(WHOLE, WHOLE, "whole")
    root = show.versions[0].root
    ring = bytes.fromhex(root) + b"x\x9c"  # a part that repeats itself
    harm = {root: ring}, {root: b""}, {root: b"\0" * 16 + b"\x78\x9c\x03\x00"}, {}
    for kept in harm:
        read = decode_show(
            encode_show(replace(show, kept={**show.kept, **kept} if kept else {})), "x"
        )
        if kept:
            with pytest.raises(FileFault):
                shown(read, read.versions[0])


@pytest.mark.parametrize("number", range(1, FORMAT))
def test_the_file_of_an_older_format_is_a_version_of_what_it_became(number: int) -> None:
    file = Path(__file__).parents[1] / "data" / f"format-{number}.isthmus"
    show = open_show(file)
    [was] = show.versions
    assert was.why == f"before format {number} became {FORMAT}"
    assert shown(show, was) == replace(show, versions=(), kept={})
    with zipfile.ZipFile(file) as archive:  # as that program wrote it, to the last member
        text = json.loads(archive.read("show.json"))
    texts = Texts(show.kept)
    assert put_together(map(texts.text, texts.tree(was.root).parts)) == text


def test_versions_by_command(tmp_path: Path) -> None:
    file = tmp_path / "tide.isthmus"
    save_show(WHOLE, file)
    assert command("versions", str(file), "--make", "as hung").returncode == 0
    first = WHOLE.units[0].number
    assert (
        command("patch", "renumber", str(file), "--units", str(first), "--first", "9001").returncode
        == 0
    )
    _, told = answer("versions", str(file))
    assert [row["note"] or row["why"] for row in told["versions"]] == ["as hung"]
    _, found = answer("diff", f"{file}@1", str(file))
    assert found["sentences"] == ["1 unit has another number (9001)."]
    assert command("versions", str(file), "--back", "1").returncode == 0
    show = open_show(file)
    assert replace(show, versions=(), kept={}) == WHOLE
    assert shown(show, version_named(show, 2)).units[0].number == 9001
    assert (
        command("versions", str(file), "--passing-on", str(tmp_path / "bare.isthmus")).returncode
        == 0
    )
    assert open_show(tmp_path / "bare.isthmus") == WHOLE
    done = command("patch", "renumber", f"{file}@1", "--units", str(first), "--first", "9001")
    assert done.returncode == 3 and "A version stays as it is" in done.stderr


def test_single_changes_and_unsaved_work_by_command(tmp_path: Path) -> None:
    file = tmp_path / "tide.isthmus"
    save_show(WHOLE, file)
    named = edits.set_text(edits.set_text(WHOLE, ["u203"], "name", "Quay"), ["u204"], "note", "x")
    journal = Journal(tmp_path / "runs" / "1")
    journal.begin(WHOLE, file, digest_of(file))
    journal.append("edit", WHOLE, named)
    journal.wait()
    journal.close(forget=False)
    folder = ("--folder", str(tmp_path / "runs"))
    _, told = answer("unsaved", *folder)
    assert told["unsaved"][0]["sentences"] == [
        "1 unit has another name (203).",
        "1 unit has another note (204).",
    ]
    all_of, some = tmp_path / "all.isthmus", tmp_path / "some.isthmus"
    assert command("unsaved", *folder, "--out", "1", str(all_of)).returncode == 0
    assert open_show(all_of) == named
    assert command("unsaved", *folder, "--out", "1", str(some), "--only", "203").returncode == 0
    assert open_show(some) == edits.set_text(WHOLE, ["u203"], "name", "Quay")
    assert answer("unsaved", *folder)[1]["unsaved"], "looked at, it went"
    # one change alone, of two files
    assert command("take", str(some), str(all_of), "--only", "unit 204").returncode == 0
    assert without_versions(open_show(some)) == named
    assert command("take", str(some), str(all_of), "--only", "no such").returncode == 3
