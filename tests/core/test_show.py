"""The show as a value: files that come back the same, files that do not, and history."""

from __future__ import annotations

import io
import json
import os
import zipfile
from pathlib import Path

import jsonschema
import msgspec
import pytest
from benchmarks.fuzzing.shows import mangled_show
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from isthmus.errors import EntryFault, FileFault
from isthmus.show import History, open_show, read_address, save_show, write_address
from isthmus.show import container as box
from isthmus.show.change import apply_change
from isthmus.show.files import write_atomically
from isthmus.show.migrations import STEPS
from isthmus.show.records import (
    FORMAT,
    Cue,
    CueList,
    GridCell,
    Look,
    LookLine,
    Node,
    Output,
    Palette,
    Patched,
    PixelGrid,
    Show,
    StoredProfile,
    Structure,
    Unit,
    Verdict,
    Wish,
)
from isthmus.stage.runs import KINDS

words = st.text(st.characters(codec="utf-8", exclude_categories=["Cs"]), max_size=12)
metres = st.floats(-400, 400)
place = st.tuples(metres, metres, metres)
patched = st.builds(
    Patched, universe=st.integers(1, 63999), address=st.integers(1, 512), block=st.integers(1, 4)
)
share = st.floats(0, 1)
turn = st.tuples(*[st.floats(0.4, 0.6)] * 4)
host = st.just("") | st.ip_addresses(v=4).map(str)
unit = st.builds(
    Unit, id=words, number=st.integers(1, 9999), name=words, profile=words, mode=words, patch=st.lists(patched, max_size=3).map(tuple),
    position=st.none() | place, rotation=turn, gel=words,
)  # fmt: skip


def some(one: st.SearchStrategy, most: int) -> st.SearchStrategy:
    """Records of one kind, each with an id of its own."""
    return st.lists(one, max_size=most, unique_by=lambda record: record.id).map(tuple)


shows = st.builds(
    Show, name=words, units=some(unit, 5),
    structures=some(st.builds(Structure, id=words, kind=st.sampled_from(KINDS), position=place, size=st.tuples(*[st.floats(0, 90)] * 3)), 2),
    nodes=some(st.builds(Node, id=words, name=words, ip=host, ports=st.lists(st.integers(0, 32767), max_size=4).map(tuple)), 2),
    outputs=some(st.builds(Output, id=words, universe=st.integers(1, 9), host=host, port_address=st.integers(0, 9), enabled=st.booleans()), 3),
    verdicts=st.lists(st.builds(Verdict, unit=words, result=st.sampled_from(["works", "wrong"]), note=words), max_size=2).map(tuple),
    palettes=some(st.builds(Palette, id=words, number=st.integers(1, 99), kind=words, wish=st.builds(Wish, intensity=st.none() | share, gobo=words)), 2),
    looks=some(st.builds(Look, id=words, number=st.integers(1, 99), lines=st.lists(st.builds(LookLine, units=st.tuples(words), levels=st.dictionaries(words, share, max_size=2)), max_size=2).map(tuple)), 2),
    cue_lists=some(st.builds(CueList, id=words, number=st.integers(1, 99), cues=some(st.builds(Cue, id=words, number=st.floats(0, 400), follow=st.none() | share), 2)), 2),
    grids=some(st.builds(PixelGrid, id=words, number=st.integers(1, 99), cells=st.lists(st.builds(GridCell, unit=words, cell=st.integers(0, 99), x=st.integers(0, 99)), max_size=2).map(tuple)), 2),
    profiles=st.lists(st.integers(0, 99), max_size=3, unique=True).flatmap(
        lambda numbers: st.tuples(*(st.builds(StoredProfile, key=words, file=st.just(f"p{n}.gdtf"), data=st.binary(max_size=40)) for n in numbers))
    ),
)  # fmt: skip


@pytest.mark.slow
@given(shows)
@settings(max_examples=10)
def test_every_show_comes_back_the_same_and_fits_the_published_schema(show: Show) -> None:
    data = box.encode_show(show)
    assert box.decode_show(data, "x") == show
    assert box.encode_show(box.decode_show(data, "x")) == data
    published = json.loads((Path(__file__).parents[2] / "docs/show.schema.json").read_text())
    jsonschema.validate(json.loads(zipfile.ZipFile(io.BytesIO(data)).read("show.json")), published)


json_values = st.recursive(
    st.none() | st.booleans() | st.integers(-99, 99) | words,
    lambda inner: st.lists(inner, max_size=2) | st.dictionaries(words, inner, max_size=2),
    max_leaves=4,
)


@given(
    st.dictionaries(words.map(lambda w: "new-" + w), json_values, min_size=1, max_size=3),
    st.integers(0, 2),
)
@settings(max_examples=10)
def test_members_of_a_newer_program_survive_an_edit_and_a_save(extra: dict, depth: int) -> None:
    raw: dict = {
        "format": 1,
        "name": "Reed",
        "units": [{"id": "a", "number": 5, "patch": [{"universe": 1, "address": 7}]}],
    }
    at = [raw, raw["units"][0], raw["units"][0]["patch"][0]][depth]
    at.update(extra)
    show = box.decode_show(_zip({"show.json": json.dumps(raw)}), "x")
    edited = replace(show, units=(replace(show.units[0], name="edited"),))
    again = json.loads(zipfile.ZipFile(io.BytesIO(box.encode_show(edited))).read("show.json"))
    back = [again, again["units"][0], again["units"][0]["patch"][0]][depth]
    assert {key: back[key] for key in extra} == extra
    assert again["units"][0]["name"] == "edited"


def _zip(members: dict[str, str | bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name, data)
    return out.getvalue()


DATA = Path(__file__).parents[1] / "data"


def test_a_show_of_format_1_opens_as_it_was_and_so_does_a_journal_of_it(tmp_path: Path) -> None:
    """The file was saved by the program of that time; what it holds was noted then."""
    show = open_show(DATA / "format-1.isthmus")
    assert [u.number for u in show.units] == [101, 102, 201, 313, 441] and show.format == FORMAT
    assert {o.delivery for o in show.outputs} == {"unicast"} and len(show.outputs) == 3
    found = {v.unit: (v.result, v.note, v.what, v.acts) for v in show.verdicts}
    assert found == {
        "u101": ("works", "", (), ()),
        "u102": ("wrong", "iris sticks", ("beam",), ("colour",)),
        "u201": ("silent", "no light", (), ()),
    }
    save_show(show, tmp_path / "again.isthmus")
    assert open_show(tmp_path / "again.isthmus") == show
    old = msgspec.msgpack.encode(  # as a journal of format 1 has a new output and a new verdict
        [
            "edit",
            {},
            {
                "outputs": [[0, 0, [{"id": "o9", "universe": 9, "way": "multicast"}]]],
                "verdicts": [
                    [0, 2, []],
                    [0, 0, [{"unit": "u441", "result": "answers", "extra": {}}]],
                ],
            },
        ]
    )
    name, after = apply_change(show, old, 1)
    assert name == "edit" and [(o.id, o.delivery) for o in after.outputs] == [("o9", "multicast")]
    assert [(v.unit, v.result) for v in after.verdicts] == [
        ("u101", "works"),
        ("u102", "wrong"),
        ("u441", "works"),
    ]


def test_a_show_of_format_2_opens_as_it_was() -> None:
    show = open_show(DATA / "format-2.isthmus")
    assert [u.number for u in show.units] == [101, 102, 203, 204, 301, 401]
    assert len(show.palettes) == 12 and len(show.groups) == 23 and show.format == FORMAT
    assert show.unit("u203").patch == (Patched(universe=2, address=23),)


def test_every_format_before_has_a_step_and_a_file() -> None:
    assert set(STEPS) == set(range(2, FORMAT + 1))
    assert {p.name for p in DATA.glob("*.isthmus")} == {
        f"format-{n}.isthmus" for n in range(1, FORMAT)
    }


HOLLOW = {f"files/{at}": "x" * 20_000_000 for at in range(6)}
FILES = json.dumps([{"name": str(at)} for at in range(6)])


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "not an Isthmus show"),
        (b"PK\x03\x04 nonsense", "cut short"),
        (_zip({"other.txt": "x"}), "not an Isthmus show"),
        (_zip({"show.json": "{"}), "cannot be read"),
        (_zip({"show.json": "[" * 100_000}), "cannot be read"),
        (_zip({"show.json": '{"format": 99}'}), "newer Isthmus"),
        (_zip({"show.json": '{"format": 3, "units": 7'}), "cannot be read"),
        (_zip({"show.json": '{"format": 3, "a": ' + "[" * 80 + "]" * 80 + "}"}), "without end"),
        (_zip({"show.json": '{"format": 3, "a": [' + "{}," * 700_000 + "0]}"}), "more than any"),
        (_zip({"show.json": '{"format": 3, "files": ' + FILES + "}", **HOLLOW}), "unpacks to"),
        (_zip({"show.json": '{"format": 1}', "../evil": "x"}), "leads outside"),
    ],
)
def test_a_foreign_newer_or_damaged_file_is_refused_in_a_sentence(
    data: bytes, says: str, tmp_path: Path
) -> None:
    file = tmp_path / "bad.isthmus"
    file.write_bytes(data)
    with pytest.raises(FileFault, match=says) as caught:
        open_show(file)
    assert "bad.isthmus" in str(caught.value) and caught.value.do
    assert file.read_bytes() == data


def test_a_record_that_cannot_be_is_left_out_by_its_place_and_the_rest_opens() -> None:
    """Figures, choices and words no rig has; ids that are there twice; what lies in others."""
    good = {"id": "u9", "number": 9, "note": "stays"}
    wrong = [
        ({"number": -1}, "number −1"), ({"number": 10**20}, "number 1e+20"), ({"position": [0, 0, 1e308]}, "position 1e+308"),
        ({"rotation": [0, 0, 0, 0]}, "its rotation is none"), ({"id": "u9"}, "it has the id of number 1"), ({"name": "x" * 9000}, "name “xxx"),
        ({"handling": {"curve": "bent"}}, "handling curve “bent”"), ({"weight": float("inf")}, "weight inf"), ({"mode": 7}, "mode 7"),
    ]  # fmt: skip
    raw = {
        "format": FORMAT,
        "units": [good, *({"id": f"u{n}", "number": n} | bad for n, (bad, _) in enumerate(wrong, 20)),
                  good | {"id": "u7", "patch": [{"universe": 1, "address": 1}, {"universe": 0, "address": 1}]}, {"number": 3}, 5],
        "structures": [{"id": "s", "kind": "drape", "size": [1e9, 1, 1]}, {"id": "t", "kind": "truss"}],
        "outputs": [{"id": "o", "universe": 1, "host": "a b"}, {"id": "p", "universe": 1, "role": "king"}],
        "sending": {"artnet_rate": 0},
        "venue": "Sandre Haven",
    }  # fmt: skip
    text = json.dumps(raw).replace("Infinity", "1e999")
    damage = box.Damage()
    show = box.decode_show(_zip({"show.json": text}), "bad.isthmus", damage)
    assert [u.id for u in show.units] == ["u9", "u7"] and show.units[0].note == "stays"
    assert len(show.units[1].patch) == 1 and [s.id for s in show.structures] == ["t"]
    assert not show.outputs and show.sending.artnet_rate == 44 and show.venue == "Sandre Haven"
    assert len(damage.words) == len(wrong) + 1 + 2 + 1 + 2 + 1
    for at, (_, says) in enumerate(wrong, 2):
        line = next(w for w in damage.words if w.startswith(f"Unit {at} of 13 ("))
        assert says in line and line.endswith("is left out."), line
    assert "Unit 11 of 13, address 2 of 2 (universe 0) is left out." in damage.words
    assert "Unit 12 of 13 (id is missing) is left out." in damage.words
    assert "Structure 1 of 2 (size 1e+09) is left out." in damage.words
    again = box.Damage()
    assert box.decode_show(box.encode_show(show), "x", again) == show and not again.words


@given(st.integers(0, 10**9))
@settings(max_examples=25)
def test_a_show_with_anything_spoiled_opens_in_part_and_is_the_same_when_saved(seed: int) -> None:
    """What is mangled and how is the bench's, which tries thousands."""
    damage, again = box.Damage(), box.Damage()
    try:
        show = box.decode_show(mangled_show(seed), "x", damage)
    except FileFault as fault:
        assert fault.do
        return
    assert box.decode_show(box.encode_show(show), "x", again) == show
    assert not [words for words in again.words if "is left out" in words]


@given(st.data())
@settings(max_examples=38)
def test_no_mangled_file_gets_past_the_reader_as_anything_but_a_fault(data: st.DataObject) -> None:
    good = bytearray(
        box.encode_show(
            Show(
                name="Reed",
                units=(Unit(id="a", number=1),),
                profiles=(StoredProfile(key="p", file="p.gdtf", data=b"abc"),),
            )
        )
    )
    if data.draw(st.booleans()):
        good = good[: data.draw(st.integers(0, len(good) - 1))]
    for _ in range(data.draw(st.integers(1, 4))):
        if good:
            good[data.draw(st.integers(0, len(good) - 1))] = data.draw(st.integers(0, 255))
    try:
        assert isinstance(box.decode_show(bytes(good), "x"), Show)
    except FileFault as fault:
        assert fault.what


def test_a_failed_save_leaves_the_old_file_whole(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "show.isthmus"
    save_show(Show(name="first"), file)

    def full(fd: int) -> None:
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as trouble, pytest.raises(FileFault, match="disk is full"):
        trouble.setattr(os, "fsync", full)
        save_show(Show(name="second"), file)
    assert open_show(file).name == "first"
    assert [p.name for p in tmp_path.glob("*isthmus*")] == ["show.isthmus"]


def test_saving_keeps_the_nature_of_a_file_and_clears_up_after_killed_saves(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = os.umask(0o027)
    try:
        save_show(Show(name="Reed"), tmp_path / "new.isthmus")
    finally:
        os.umask(before)
    real = tmp_path / "far" / "real.isthmus"
    real.parent.mkdir()
    (tmp_path / "new.isthmus").rename(real)
    assert real.stat().st_mode & 0o777 == 0o640
    real.chmod(0o604)
    os.chown(real, -1, next((g for g in os.getgroups() if g != os.getgid()), os.getgid()))
    link = tmp_path / "link.isthmus"
    link.symlink_to(real)
    owner, left = real.stat(), real.parent / ".real.isthmus-0badf00d.isthmus-part"
    for name in (left.name, ".real.isthmus-1badf00d.isthmus-part", ".other-0badf00d.isthmus-part"):
        (real.parent / name).write_bytes(b"half")
    os.utime(left, (1, 1))
    os.utime(real.parent / ".other-0badf00d.isthmus-part", (1, 1))
    save_show(Show(name="Kelp"), link)
    now = real.stat()
    assert link.is_symlink() and open_show(real).name == "Kelp"
    assert (now.st_mode, now.st_uid, now.st_gid) == (owner.st_mode, owner.st_uid, owner.st_gid)
    assert (
        not left.exists() and len(list(real.parent.glob(".*"))) == 2
    )  # only what is old, and ours
    write_atomically(real, b"", private=True)
    assert real.stat().st_mode & 0o777 == 0o600
    os.mkfifo(tmp_path / "pipe.isthmus")
    with pytest.raises(FileFault, match="not a file"):
        open_show(tmp_path / "pipe.isthmus")


@given(st.lists(st.sampled_from(["edit", "same", "undo", "redo", "save"]), max_size=40))
def test_history_is_a_line_of_values_and_knows_how_far_the_saved_one_is(acts: list[str]) -> None:
    history = History(Show(name="0"))
    line, at, saved, count = ["0"], 0, "0", 0
    for act in acts:
        if act == "edit":
            count += 1
            del line[at + 1 :]
            line.append(str(count))
            at += 1
            assert history.commit(f"make {count}", Show(name=str(count)))
        elif act == "same":
            assert not history.commit("nothing", Show(name=history.show.name))
        elif act == "undo" and at:
            at -= 1
            history.undo()
        elif act == "redo" and at + 1 < len(line):
            at += 1
            history.redo()
        elif act == "save":
            history.mark_saved()
            saved = line[at]
        assert history.show.name == line[at]
        assert (history.unsaved == 0) == (line[at] == saved)
        assert (history.undo_name is None) == (at == 0) and (history.redo_name is None) == (
            at == len(line) - 1
        )


@given(st.integers(1, 63999), st.integers(1, 512))
def test_addresses_read_as_they_are_written_and_in_the_usual_ways(
    universe: int, address: int
) -> None:
    for text in (
        write_address(universe, address),
        f"{universe}/{address}",
        f" {universe}:{address} ",
        f"{universe} {address}",
        str((universe - 1) * 512 + address),
    ):
        assert read_address(text) == (universe, address)


@pytest.mark.parametrize(
    "text", ["2.513", "2.0", "0.5", "64000.1", "abc", "1.2.3", "-4", "0", "2.1x"]
)
def test_what_is_no_address_is_told(text: str) -> None:
    with pytest.raises(EntryFault):
        read_address(text)
