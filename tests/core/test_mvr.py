"""MVR both ways: judged by plain XML and zip, by axes in the world, and by files written by hand with
what the standard allows and what others get wrong.
"""

from __future__ import annotations

import csv
import io
import random
import re
import uuid
import zipfile
from collections.abc import Mapping
from pathlib import Path
from xml.etree import ElementTree as ET

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.spatial.transform import Rotation
from test_compare import WHOLE, edited

from helpers.tools import answer, command
from isthmus.demo import shipped_profiles
from isthmus.errors import FileFault
from isthmus.mvr import Came, as_show, read_mvr, write_show
from isthmus.patch.models import Library
from isthmus.profiles import profiles_of
from isthmus.profiles.chart import chart
from isthmus.profiles.gdtf import read_gdtf, write_gdtf
from isthmus.show import Show, open_show, save_show
from isthmus.show.container import decode_show, encode_show
from isthmus.show.records import Unit, new_id

TURNSTONE = next(p for p in shipped_profiles() if p.key.endswith("Turnstone 7"))
A, B, C, D, E, F, G, H = (str(uuid.UUID(int=n + 1)).upper() for n in range(8))


def packed(
    text: str, members: Mapping[str, bytes] = {}, name: str = "GeneralSceneDescription.xml"
) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(name, text)
        for key, data in members.items():
            archive.writestr(key, data)
    return out.getvalue()


def scene(layers: str, aux: str = "", minor: str = "5") -> str:
    return (
        f'<?xml version="1.0" encoding="UTF-8"?><GeneralSceneDescription verMajor="1" '
        f'verMinor="{minor}"><UserData/><Scene><AUXData>{aux}</AUXData><Layers>{layers}</Layers>'
        f"</Scene></GeneralSceneDescription>"
    )


def layer(inside: str, matrix: str = "") -> str:
    return f'<Layer uuid="{A}" name="Bow">{matrix}<ChildList>{inside}</ChildList></Layer>'


def fixture(inside: str, key: str = B, name: str = "Can") -> str:
    return f'<Fixture uuid="{key}" name="{name}">{inside}</Fixture>'


def came(text: str, members: Mapping[str, bytes] = {}, **more: Show) -> Came:
    return as_show(read_mvr(packed(text, members), "a.mvr"), "a", **more)


def told(found: Came) -> str:
    return "\n".join(map(str, found.notices))


# ------------------------------------------------------------ places


def by_rows(point: np.ndarray, chain: list[list[list[float]]]) -> np.ndarray:
    """A point of the innermost thing in the world, as the standard has it: x, y and z of it along the
    three first rows, from the fourth on; millimetres.
    """
    for rows in reversed(chain):
        u, v, w, o = map(np.array, rows)
        point = point[0] * u + point[1] * v + point[2] * w + o
    return point


def matrix_text(rows: list[list[float]]) -> str:
    return (
        "<Matrix>"
        + "".join("{" + ",".join(f"{x:.9f}" for x in row) + "}" for row in rows)
        + "</Matrix>"
    )


turns = st.tuples(*[st.floats(-1, 1)] * 3)
steps = st.tuples(turns, st.tuples(*[st.floats(-20_000, 20_000)] * 3))


@given(st.lists(steps, min_size=3, max_size=3))
def test_axes_of_what_stands_in_each_other_are_where_the_standard_has_them(chain: list) -> None:
    rows = [
        [*Rotation.from_rotvec(np.array(t) * 3).as_matrix().tolist(), list(p)] for t, p in chain
    ]
    inner = fixture(matrix_text(rows[2]))
    group = f'<GroupObject uuid="{C}" name="">{matrix_text(rows[1])}<ChildList>{inner}</ChildList></GroupObject>'
    [unit] = came(scene(layer(group, matrix_text(rows[0])))).show.units
    w, x, y, z = unit.rotation
    assert unit.position is not None
    for tip in np.eye(3):
        mine = Rotation.from_quat([x, y, z, w]).apply(tip) + np.array(unit.position)
        assert np.abs(mine * 1000 - by_rows(tip * 1000, rows)).max() < 0.1


@settings(max_examples=8)
@given(st.integers(0, 10**6))
def test_any_show_comes_back_from_mvr_as_it_went(seed: int) -> None:
    show = edited(WHOLE, seed)
    dice = random.Random(seed)
    loose = [dice.gauss(0, 1) for _ in range(4)]
    moved = replace(
        show.units[0],
        position=(dice.uniform(-9, 9), 1.25, -0.3333),
        rotation=tuple(np.array(loose) / np.linalg.norm(loose)),
        note="nachts “à 10 %”",
    )
    numbers = {u.number: u for u in (*show.units[1:], moved)}
    show = replace(show, units=tuple(numbers.values()), profiles=WHOLE.profiles)
    data = write_show(show, dice.choice(["position", "type", "structure"]), dice.choice([4, 5, 6]))
    archive = zipfile.ZipFile(io.BytesIO(data))
    root = ET.fromstring(archive.read("GeneralSceneDescription.xml"))
    found = {
        f.get("name"): f
        for f in root.iter("Fixture")
        if f.findtext("FixtureID") == str(moved.number)
    }
    [element] = found.values()
    assert element.findtext("GDTFSpec") in archive.namelist()
    kept = {p.key: p.data for p in show.profiles}
    assert archive.read(element.findtext("GDTFSpec") or "") == kept[moved.profile]
    assert [int(a.text or 0) for a in element.iter("Address")] == [
        (p.universe - 1) * 512 + p.address for p in moved.patch
    ]
    rows = [
        list(map(float, r.split(",")))
        for r in re.findall(r"\{([^}]*)\}", element.findtext("Matrix") or "")
    ]
    w, x, y, z = moved.rotation
    for tip in np.eye(3):
        there = Rotation.from_quat([x, y, z, w]).apply(tip) + np.array(moved.position)
        assert np.abs(by_rows(tip * 1000, [rows]) - there * 1000).max() < 0.1

    back = as_show(read_mvr(data, "b.mvr")).show
    assert not as_show(read_mvr(data, "b.mvr")).notices
    ours, theirs = ({u.number: u for u in s.units} for s in (show, back))
    assert ours.keys() == theirs.keys()
    for number, unit in ours.items():
        other = theirs[number]
        for member in ("name", "profile", "mode", "hangs_on", "gel", "note"):
            assert getattr(other, member) == getattr(unit, member)
        assert [(p.universe, p.address, p.block) for p in other.patch] == [
            (p.universe, p.address, p.block) for p in unit.patch
        ]
        assert (other.position is None) == (unit.position is None)
        if unit.position and other.position:
            assert np.abs(np.subtract(unit.position, other.position)).max() < 1e-4
            pair = [
                Rotation.from_quat([q[1], q[2], q[3], q[0]])
                for q in (unit.rotation, other.rotation)
            ]
            assert np.degrees((pair[0].inv() * pair[1]).magnitude()) < 0.01
    assert {p.data for p in back.profiles} <= {p.data for p in show.profiles}
    shapes = [sorted((s.kind, s.name, s.size, s.arc) for s in x.structures) for x in (show, back)]
    assert shapes[0] == shapes[1]
    # those who have it already are told what is other, and nothing is doubled
    assert as_show(read_mvr(data, "b.mvr"), known=show).show == show
    # others know things by the same name at the next export
    again = ET.fromstring(
        zipfile.ZipFile(io.BytesIO(write_show(back))).read("GeneralSceneDescription.xml")
    )
    names = [
        {e.get("uuid") for tag in ("Fixture", "Truss", "SceneObject") for e in tree.iter(tag)}
        for tree in (root, again)
    ]
    assert names[0] == names[1]


# ------------------------------------------------------------ what others write


def test_fixtures_in_trusses_blocks_and_both_ways_to_write_an_address() -> None:
    child = fixture(
        "<Matrix>{1,0,0}{0,1,0}{0,0,1}{0,0,-500}</Matrix><GDTFSpec>Brackwater@Turnstone 7</GDTFSpec>"
        "<GDTFMode>three</GDTFMode><Function>Front</Function><FixtureID>7</FixtureID>"
        "<Addresses><Address break='0'>2.101</Address><Address break='1'>1</Address>"
        "<Network geometry='eth0' ipv4='2.0.0.7' dhcp='off'/></Addresses>"
        f"<Position>{D}</Position><Classing>{E}</Classing><CastShadow>true</CastShadow>",
        name="Bow can",
    )
    truss = (
        f'<Truss uuid="{C}" name="Bow truss"><Matrix>{{0,1,0}}{{-1,0,0}}{{0,0,1}}{{1000,2000,4000}}</Matrix>'
        f"<ChildList>{child}</ChildList></Truss>"
    )
    aux = f'<Position uuid="{D}" name="Bow truss"/><Class uuid="{E}" name="Rented"/>'
    found = came(scene(layer(truss), aux), {"Brackwater@Turnstone 7.gdtf": TURNSTONE.data})
    [unit] = found.show.units
    assert (unit.number, unit.hangs_on, unit.purpose) == (7, "Bow truss", "Front")
    assert [(p.universe, p.address, p.block) for p in unit.patch] == [(2, 101, 1), (1, 1, 2)]
    assert unit.position == pytest.approx((1.0, 2.0, 3.5))
    assert unit.profile == TURNSTONE.key and unit.mode == "Three"
    assert found.show.profiles[0].data == TURNSTONE.data
    assert told(found) == "“Brackwater@Turnstone 7”: Mode “three” is called “Three” in its profile."
    # kept through a show file and the next MVR: what nothing here is made of
    text = zipfile.ZipFile(io.BytesIO(write_show(decode_show(encode_show(found.show), "x")))).read(
        "GeneralSceneDescription.xml"
    )
    root = ET.fromstring(text)
    one = root.find(".//Fixture")
    assert one is not None and one.get("uuid") == B
    assert one.findtext("Classing") == E and one.findtext("CastShadow") == "true"
    assert [n.get("ipv4") for n in one.iter("Network")] == ["2.0.0.7"]
    assert root.find(f".//Class[@uuid='{E}']") is not None
    assert root.find(f".//Truss[@uuid='{C}']/Matrix") is not None
    order = [child.tag for child in one]
    legal = "Matrix Classing GDTFSpec GDTFMode CastShadow Position Function FixtureID FixtureIDNumeric UnitNumber Addresses"
    assert order == legal.split()


def test_symbols_scales_mirrors_and_rings_of_a_set_piece() -> None:
    """A box of 1 × 2 × 3 m, made by another library, at a scale of (2, 1, −1): where its corners are."""
    box = trimesh.creation.box(extents=(1, 3, 2))  # glTF has y up
    glb = trimesh.Scene(box).export(file_type="glb")
    aux = (
        f'<Symdef uuid="{C}" name="Box"><ChildList><Geometry3D fileName="Box.glb">'
        f"<Matrix>{{1,0,0}}{{0,1,0}}{{0,0,1}}{{0,0,1500}}</Matrix></Geometry3D>"
        f'<Symbol uuid="{F}" symdef="{D}"/></ChildList></Symdef>'
        f'<Symdef uuid="{D}" name="Ring"><ChildList><Symbol uuid="{G}" symdef="{C}"/></ChildList></Symdef>'
    )
    thing = (
        f'<SceneObject uuid="{B}" name="Crate"><Matrix>{{0,2,0}}{{-1,0,0}}{{0,0,-1}}{{5000,0,1000}}</Matrix>'
        f'<Geometries><Symbol uuid="{E}" symdef="{C}"/></Geometries></SceneObject>'
    )
    found = came(scene(layer(thing), aux), {"box.glb": bytes(glb)})
    assert told(found) == "SceneObject “Crate”: Symbol “Box” stands in itself; it is left out."
    [piece] = found.show.structures
    assert piece.kind == "mesh" and sorted(piece.size) == pytest.approx([2, 2, 3])
    # of the object's x (1 m, doubled) lies along the world's y, its y along −x, and z down from 1 m
    x, y, z, w = *piece.rotation[1:], piece.rotation[0]
    sides = np.abs(Rotation.from_quat([x, y, z, w]).apply(np.array(piece.size)))
    assert sides == pytest.approx([2, 2, 3], abs=1e-4)
    middle = np.array(piece.position) + Rotation.from_quat([x, y, z, w]).apply(
        [0, 0, piece.size[2] / 2]
    )
    assert middle == pytest.approx([5, 0, 1 - 1.5], abs=1e-4)


def test_what_is_spelt_missing_doubled_or_wrong_is_told_and_read() -> None:
    text = scene(
        layer(
            '<fixture uuid="x1" name="One"><matrix>{1,0,0}{0,1}</matrix><FixtureID>Bow 12</FixtureID>'
            "<Addresses><Address break='0'>9999999999</Address><Address break='q'>5</Address></Addresses>"
            "<Sparkle>7</Sparkle></fixture>"
            + fixture("<FixtureID>12</FixtureID><Position>Foredeck</Position>", B, "Two")
            + fixture("<Addresses><Address>0</Address></Addresses>", B, "Three")
            + '<Lamp uuid="y" name="?"/>'
        ),
        minor="9",
    ).replace("<Scene>", '<Scene xmlns:v="urn:v">')
    found = came(text)
    one, two, three = found.show.units
    assert (one.number, two.number, three.number) == (12, 13, 14)
    assert [(p.universe, p.address) for p in one.patch] == [(1, 5)] and three.patch == ()
    assert one.position is None and two.hangs_on == "Foredeck"
    assert len({one.uuid, two.uuid, three.uuid}) == 3 and two.uuid == B
    words = told(found)
    for said in (
        "version 1.9", "“fixture” is spelt “Fixture”", "not a matrix", "“x1” is not a UUID", "not an address",
        "“Sparkle” is not in the standard; it is kept", "UUID is that of another", "taken as a name",
        "“Lamp” has no place there", "Its number 12 is that of another", "It has no number; it gets 14",
    ):  # fmt: skip
        assert said in words, said
    again = (
        zipfile.ZipFile(io.BytesIO(write_show(found.show)))
        .read("GeneralSceneDescription.xml")
        .decode()
    )
    assert "<Sparkle>7</Sparkle>" in again and "<FixtureID>Bow 12</FixtureID>" in again


def test_profiles_are_those_of_the_library_by_content_then_by_name() -> None:
    """Under whatever name the file has it; of another content it is theirs."""
    ours = replace(TURNSTONE, key="As we call it")
    library = Library.of((ours,))
    spec = "<GDTFSpec>{}</GDTFSpec><GDTFMode>Three</GDTFMode><FixtureID>7</FixtureID>"
    inside = scene(layer(fixture(spec.format("whatever.gdtf"))))
    found = as_show(read_mvr(packed(inside, {"whatever.gdtf": TURNSTONE.data}), "a"), "a", library)
    assert found.show.profiles == (ours,) and not found.notices
    other = write_gdtf(replace(read_gdtf(TURNSTONE.data, "x"), description="Mended"))
    found = as_show(read_mvr(packed(inside, {"whatever.gdtf": other}), "a"), "a", library)
    assert [p.data for p in found.show.profiles] == [other]
    missing = scene(layer(fixture(spec.format("Brackwater@Turnstone 7@2024.gdtf"))))
    found = as_show(read_mvr(packed(missing), "a"), "a", library)
    assert found.show.profiles == (ours,) and "the library's As we call it is taken" in told(found)
    damaged = as_show(read_mvr(packed(inside, {"whatever.gdtf": b"PK no"}), "a"), "a", library)
    assert damaged.show.units[0].profile.startswith("Stand-in") and "is not read" in told(damaged)


def test_fixtures_without_profiles_get_stand_ins_of_their_footprint() -> None:
    def one(number: int, address: str, spec: str, mode: str) -> str:
        key = str(uuid.UUID(int=100 + number))
        inside = (
            f"<GDTFSpec>{spec}</GDTFSpec><GDTFMode>{mode}</GDTFMode><FixtureID>{number}</FixtureID>"
        )
        return fixture(
            f"{inside}<Addresses><Address break='0'>{address}</Address></Addresses>", key
        )

    wide = "".join(
        one(n, str(1 + 24 * (n - 1)), "Ferrant@Skerry 9@rev3.gdtf", "Wide") for n in (1, 2, 3)
    )
    said = one(4, "2.1", "Ferrant@Cuddy.gdtf", "Basic 6 ch") + one(
        5, "2.101", "Ferrant@Cuddy.gdtf", "Basic 6 ch"
    )
    alone = one(6, "3.1", "", "")
    found = came(scene(layer(wide + said + alone)))
    profiles = profiles_of(found.show)
    sizes = {}
    for unit in found.show.units:
        pair = profiles.mode_of(unit)
        assert pair is not None
        sizes[unit.number] = chart(*pair).footprints
    assert sizes == {
        1: ((1, 24),),
        2: ((1, 24),),
        3: ((1, 24),),
        4: ((1, 6),),
        5: ((1, 6),),
        6: ((1, 1),),
    }
    assert found.show.units[0].profile == "Stand-in Ferrant Skerry 9"


def test_structures_stay_what_they_are_through_programs_that_know_less() -> None:
    """Meshes and trusses of ours go out, another program drops what it does not know and moves one."""
    glb = bytes(trimesh.Scene(trimesh.creation.box(extents=(1, 3, 2))).export(file_type="glb"))
    crate = f'<SceneObject uuid="{B}" name="Crate"><Geometries><Geometry3D fileName="b.glb"/></Geometries></SceneObject>'
    ours = came(scene(layer(crate)), {"b.glb": glb}).show
    show = replace(WHOLE, structures=(*WHOLE.structures, *ours.structures), files=ours.files)
    archive = zipfile.ZipFile(io.BytesIO(write_show(show)))
    root = ET.fromstring(archive.read("GeneralSceneDescription.xml"))
    root.remove(root.find("UserData"))  # type: ignore[arg-type]
    members = {n: archive.read(n) for n in archive.namelist() if not n.endswith(".xml")}
    back = came(ET.tostring(root, encoding="unicode"), members, known=show).show
    assert (back.structures, back.files) == (show.structures, show.files)
    for key in (B, next(t.get("uuid") for t in root.iter("Truss"))):
        matrix = root.find(f".//*[@uuid='{key}']/Matrix")
        matrix.text = re.sub(r"\{[^{]*\}$", "{1000,2000,3000}", matrix.text)  # type: ignore[union-attr,type-var]
    back = came(ET.tostring(root, encoding="unicode"), members, known=show).show
    assert back.files == show.files
    moved = [(a, b) for a, b in zip(show.structures, back.structures, strict=True) if a != b]
    assert [b.position for _, b in moved] == [pytest.approx((1, 2, 3))] * 2
    assert [replace(b, position=a.position) for a, b in moved] == [a for a, _ in moved] and len(
        moved
    ) == 2


def test_focus_points_supports_and_unknown_members_survive() -> None:
    thing = (
        f'<GroupObject uuid="{C}" name="Points"><Matrix>{{1,0,0}}{{0,1,0}}{{0,0,1}}{{0,0,1000}}</Matrix><ChildList>'
        f'<FocusPoint uuid="{D}" name="Bell"><Matrix>{{1,0,0}}{{0,1,0}}{{0,0,1}}{{0,0,500}}</Matrix></FocusPoint>'
        f'<Support uuid="{E}" name="Hoist"><ChainLength>6000</ChainLength></Support></ChildList></GroupObject>'
    )
    lamp = fixture(f"<Focus>{D}</Focus><Gobo rotation='32.5'>shoal.png</Gobo>")
    members = {"shoal.png": b"\x89PNG not really", "notes/bow.txt": b"left of the bell"}
    show = came(scene(layer(thing + lamp)), members).show
    for _ in range(2):  # and twice over
        data = write_show(show)
        show = as_show(read_mvr(data, "again")).show
    archive = zipfile.ZipFile(io.BytesIO(data))
    root = ET.fromstring(archive.read("GeneralSceneDescription.xml"))
    assert root.findtext(f".//FocusPoint[@uuid='{D}']/Matrix", "").endswith("{0,0,1500}")
    assert root.findtext(f".//Support[@uuid='{E}']/ChainLength") == "6000"
    assert root.findtext(".//Fixture/Focus") == D
    assert root.findtext(".//Fixture/Gobo") == "shoal.png"
    assert {name: archive.read(name) for name in members} == members


# ------------------------------------------------------------ hostile files


BOMB = '<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;">]>'
DEEP = "<GroupObject name='g'><ChildList>" * 200 + "</ChildList></GroupObject>" * 200


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"PK\x03\x04 no zip", "not a whole MVR file"),
        (packed(scene(""), name="other.xml"), "no GeneralSceneDescription.xml"),
        (packed(BOMB + scene("").partition("?>")[2]), "declares entities"),
        (packed(scene(layer(DEEP))), "more than 64 deep"),
        (packed(scene(""), {"../../etc/x": b""}), "leads outside itself"),
        (packed(scene(" " * 40_000_000)), "unpack to far more"),
        (packed("<Scene/>"), "not a GeneralSceneDescription"),
        (packed(scene("")[:-9]), "cannot be read"),
    ],
)
def test_a_file_that_cannot_be_one_is_refused_in_a_sentence(data: bytes, said: str) -> None:
    with pytest.raises(FileFault) as fault:
        read_mvr(data, "bad.mvr")
    assert said in fault.value.what and fault.value.do


@given(st.integers(0, 10**6))
def test_mangled_files_are_read_or_refused_and_nothing_else(seed: int) -> None:
    dice = random.Random(seed)
    small = replace(WHOLE, units=WHOLE.units[:6], structures=WHOLE.structures[:3])
    archive = zipfile.ZipFile(io.BytesIO(write_show(small)))
    text = bytearray(archive.read("GeneralSceneDescription.xml"))
    for _ in range(dice.randrange(1, 12)):
        at = dice.randrange(len(text))
        if dice.random() < 0.5:
            text[at : at + dice.randrange(8)] = dice.randbytes(dice.randrange(4))
        else:
            other = dice.randrange(len(text))
            text[at:at] = text[other : other + dice.randrange(300)]
    members = {n: archive.read(n) for n in archive.namelist() if not n.endswith("xml")}
    victim = dice.choice(list(members))
    members[victim] = members[victim][: dice.randrange(len(members[victim]))]
    try:
        show = as_show(
            read_mvr(packed(text.decode("utf-8", "replace"), members), "x"), known=small
        ).show
    except FileFault:
        return
    write_show(show)
    encode_show(show)


# ------------------------------------------------------------ the command line


def test_a_rig_goes_out_is_changed_elsewhere_and_comes_back(tmp_path: Path) -> None:
    mine, out = tmp_path / "mine.isthmus", tmp_path / "rig.mvr"
    save_show(WHOLE, mine)
    assert answer("mvr", "write", str(mine), "--to", str(out))[1]["units"] == len(WHOLE.units)
    assert answer("mvr", "check", str(out))[0] == 0
    assert command("diff", str(mine), str(out)).stdout == "They are alike.\n"
    before = out.read_bytes()
    done = command("patch", "renumber", str(out), "--units", "208", "--first", "299")
    assert done.returncode == 3 and "stays as it is" in done.stderr and out.read_bytes() == before
    one = WHOLE.units[0]
    new = Unit(id=new_id(), number=990, name="Theirs", profile=one.profile, mode=one.mode)
    theirs = replace(
        WHOLE, units=(replace(one, position=(1.0, 2.0, 3.0), number=991), *WHOLE.units[1:], new)
    )
    out.write_bytes(write_show(theirs))
    data = answer("diff", str(mine), str(out))[1]
    assert {(c["thing"], c["what"]) for c in data["changes"]} == {
        (f"991 {one.name}", "number"), (f"991 {one.name}", "place"), ("990 Theirs", "")
    }  # fmt: skip
    assert answer("mvr", "place", str(mine), str(out))[1]["placed"] == [one.number]
    assert open_show(mine).units[0].position == (1.0, 2.0, 3.0)
    assert answer("mvr", "paper", str(mine), str(out))[1]["lines"] == len(theirs.units)
    assert {row.number for row in open_show(mine).paper.rows} == {u.number for u in theirs.units}


def test_the_demo_set_is_one_rig_in_every_form(tmp_path: Path) -> None:
    """Read by others: glTF by trimesh, the list by `csv`, the MVR by plain XML."""
    assert command("demo-set", str(tmp_path)).returncode == 0
    show = open_show(tmp_path / "lantern-tide.isthmus")
    scene = trimesh.load_scene(tmp_path / "lantern-tide.glb")
    nodes = set(scene.graph.nodes_geometry)
    assert {s.name or s.kind for s in show.structures} == {
        n.rsplit(" ", 1)[0]
        for n in nodes
        if n.rsplit(" ", 1)[-1] in {s.id for s in show.structures}
    }
    placed = {u.number: u for u in show.units if u.position}
    seen = {int(n.split()[0]) for n in nodes if " part " in n}
    assert seen == set(placed)
    for number, unit in placed.items():  # bodies are near the unit: x right, y up, −z upstage
        node = next(n for n in nodes if n.startswith(f"{number} part "))
        x, y, z = scene.graph[node][0][:3, 3]
        assert unit.position and np.abs(np.array([x, -z, y]) - unit.position).max() < 1.2
    with (tmp_path / "lantern-tide.csv").open() as text:
        listed = {int(row["Unit"]): row["Address"] for row in csv.DictReader(text)}
    root = ET.fromstring(
        zipfile.ZipFile(tmp_path / "lantern-tide.mvr").read("GeneralSceneDescription.xml")
    )
    for fixture_ in root.iter("Fixture"):
        first = fixture_.find("Addresses/Address")
        at = int(first.text or 0) if first is not None else 0
        spot = f"{(at - 1) // 512 + 1}.{(at - 1) % 512 + 1:03d}" if at else ""
        assert listed[int(fixture_.findtext("FixtureID") or 0)].split(",")[0] == spot
    assert (
        command(
            "compare", str(tmp_path / "lantern-tide.isthmus"), str(tmp_path / "lantern-tide.mvr")
        ).returncode
        == 0
    )
