"""Sheets: places read and written, free sheets, words, true scale on paper, the background drawing."""

from __future__ import annotations

import io
import itertools
import re
import xml.etree.ElementTree as ET
from pathlib import Path

import numpy as np
import pdfplumber
import pytest
from msgspec.structs import replace
from PIL import Image

from helpers.tools import answer, command
from isthmus.demo import as_hung
from isthmus.errors import EntryFault, FileFault
from isthmus.patch import edits
from isthmus.profiles import light_program, profiles_of
from isthmus.sheets import sheets
from isthmus.sheets.arrangement import arrangement_of, keep_arrangement, laid_again
from isthmus.sheets.files import POINTS, pdf, svg
from isthmus.sheets.marks import PAPERS, Poly, Words, fitting_scale, pages
from isthmus.sheets.pictures import clean_svg, kind_of, take_picture
from isthmus.sheets.sheets import sheets_of
from isthmus.sheets.symbols import NAMES, SHAPES
from isthmus.sheets.symbols import kind_of as symbol_kind
from isthmus.sheets.together import label_of
from isthmus.sheets.underlays import scaled_by, with_picture
from isthmus.show import open_show, save_show
from isthmus.show.records import Group, SavedView, Show, StoredFile, Underlay


def png(size: tuple[int, int] = (40, 30), colour: tuple = (200, 30, 30)) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, colour).save(out, "PNG")
    return out.getvalue()


def test_one_arrangement_is_seen_as_plan_front_and_side(demo: Show) -> None:
    unit = demo.unit("u101")
    seen = {s.kind: sheets.points_of(demo, s)["u101"] for s in sheets.TRUE}
    assert unit.position
    x, y, z = unit.position
    assert seen == {"plan": (x, y), "front": (x, z), "side": (y, z)}
    moved = sheets.put_points(demo, sheets.sheet(demo, "front"), {"u101": (1.0, 4.0)})
    assert moved.unit("u101").position == (1.0, y, 4.0) and moved.unit("u102") is demo.unit("u102")
    back = sheets.put_points(moved, sheets.sheet(demo, "Side elevation"), {"u101": (y, z)})
    assert back.unit("u101").position == (1.0, y, z)
    fresh = sheets.put_points(demo, sheets.TRUE[0], {"u424": (2.0, -3.0)})
    assert fresh.unit("u424").position == (2.0, -3.0, 0.0) and "u424" not in sheets.points_of(
        demo, sheets.TRUE[0]
    )
    pinned = replace(
        demo, units=tuple(replace(u, pinned=True) if u.id == "u101" else u for u in demo.units)
    )
    assert sheets.put_points(pinned, sheets.TRUE[0], {"u101": (0.0, 0.0), "u102": (0.0, 0.0)}).unit(
        "u101"
    ) is pinned.unit("u101")
    assert sheets.locked_among(pinned, ["u101", "u102"]) == [101]
    for bad in ((float("nan"), 0.0), (1e6, 0.0)):
        with pytest.raises(EntryFault):
            sheets.put_points(demo, sheets.TRUE[0], {"u101": bad})


def test_what_is_laid_on_a_structure_hangs_on_it_and_what_is_drawn_off_it_does_not(
    demo: Show,
) -> None:
    plan = sheets.TRUE[0]
    low = sheets.put_points(demo, plan, {"u424": (1.0, 1.55)}, settle_them=True)
    assert low.unit("u424").structure == "" and low.unit("u424").position == (1.0, 1.55, 0.0)
    assert sheets.newly_held(demo, low, ["u424"]) == []  # a bridge six metres up takes nobody
    bridge = next(s.name for s in demo.structures if s.id == "bridge")
    named = edits.set_text(demo, ["u424"], "hangs_on", bridge)
    asked = sheets.put_points(demo, plan, {"u424": (1.0, 1.55)}, any_height=True)
    on = sheets.put_points(named, plan, {"u424": (1.0, 1.55)}, settle_them=True)
    assert asked.unit("u424").position == on.unit("u424").position
    assert sheets.newly_held(demo, asked, ["u424"]) == [f"424 now hangs on {bridge}."]
    assert on.unit("u424").structure == "bridge" and on.unit("u424").position == pytest.approx(
        (1.0, 1.5, 6.15)
    )
    along = sheets.put_points(on, plan, {"u424": (3.0, 1.5)}, settle_them=True)
    assert along.unit("u424").structure == "bridge" and along.unit("u424").position[
        2
    ] == pytest.approx(6.15)
    off = sheets.put_points(along, plan, {"u424": (3.0, -1.0)}, settle_them=True)
    assert sheets.newly_held(along, off, ["u424"]) == [f"424 no longer hangs on {bridge}."]
    assert off.unit("u424").structure == "" and off.unit("u424").position[2] == pytest.approx(6.15)
    same = sheets.put_points(demo, plan, {"u201": (-7.0, -4.3)}, settle_them=True)
    assert (
        same.unit("u201").structure == "bow"
    )  # it stays on what it hangs on, though a deck lies there too


def test_free_sheets_are_made_named_doubled_ordered_and_kept(demo: Show, tmp_path: Path) -> None:
    heads, washes = ["u101", "u102", "u103"], ["u201", "u202"]
    show, work = sheets.free_sheet(
        demo, "Focus order", [("Heads", heads), ("Washes", [*washes, "u101"])], "true"
    )
    one = sheets.sheet(show, work)
    spots = {s.unit: (s.x, s.y) for s in one.spots}
    assert list(spots) == heads + washes and [n.text for n in one.notes] == ["Heads", "Washes"]
    true = sheets.points_of(demo, sheets.TRUE[0])
    for a, b in (("u101", "u102"), ("u102", "u103"), ("u201", "u202")):  # each block as it stands
        assert np.subtract(spots[b], spots[a]) == pytest.approx(
            np.subtract(true[b], true[a]), abs=1e-3
        )
    assert min(spots[u][0] for u in washes) > max(spots[u][0] for u in heads) + 1  # side by side
    show = sheets.put_points(show, one, {"u101": (9.0, 9.0)})
    assert show.unit("u101").position == demo.unit("u101").position and sheets.points_of(
        show, sheets.sheet(show, work)
    )["u101"] == (9.0, 9.0)
    show, copy = sheets.duplicate(show, "plan", "As it stands")
    assert sheets.points_of(show, sheets.sheet(show, copy))["u201"] == pytest.approx(
        true["u201"], abs=1e-4
    )
    show = sheets.reorder(show, copy, -1)
    assert [s.name for s in sheets.sheets_of(show)] == [
        "Plan",
        "Front elevation",
        "Side elevation",
        "As it stands",
        "Focus order",
    ]
    show = sheets.rename(show, work, "  Focus   list ")
    grown = sheets.add_units(show, work, ["u101", "u301"])
    assert len(sheets.sheet(grown, work).spots) == 6
    shrunk = sheets.take_off(grown, work, ["u301"])
    assert len(sheets.sheet(shrunk, work).spots) == 5 and shrunk.unit("u301").position
    gone = sheets.take_off(show, "plan", ["u101"])
    assert (
        gone.unit("u101").position is None and gone.unit("u101").patch == demo.unit("u101").patch
    )  # out of 3-D, still patched
    for wrong in (
        lambda: sheets.rename(show, work, " "),
        lambda: sheets.rename(show, work, "plan"),
        lambda: sheets.remove(show, "plan"),
        lambda: sheets.reorder(show, "plan", 1),
        lambda: sheets.sheet(show, "nowhere"),
    ):
        with pytest.raises(EntryFault):
            wrong()
    view = SavedView(name="Left", target=(0.0, 1.0, 2.0), distance=9.0, bearing=20.0, height=5.0)
    kept, _ = take_picture(png(), "x.png")
    show = replace(
        with_picture(show, sheets.sheet(show, "plan"), kept, 0.75, (-3, -2), (3, 2)), views=(view,)
    )
    save_show(show, tmp_path / "a.isthmus")
    again = open_show(tmp_path / "a.isthmus")
    assert (
        again == show
        and again.files[0].data == png()
        and [s.name for s in sheets.sheets_of(sheets.remove(again, work))][-1] == "As it stands"
    )


def test_every_kind_of_unit_has_a_symbol_of_its_own_and_words(demo: Show) -> None:
    profiles = profiles_of(demo)
    kinds = {}
    for unit in demo.units:
        found = profiles.mode_of(unit)
        kinds[unit.number] = symbol_kind(found, light_program(*found))
    wanted = {
        101: "spot head",
        201: "wash head",
        221: "beam head",
        301: "strip",
        401: "profile",
        411: "flood",
        431: "fresnel",
        441: "panel",
        501: "effect",
    }
    assert (
        {n: kinds[n] for n in wanted} == wanted
        and symbol_kind(None) == "unknown"
        and NAMES.keys() == SHAPES.keys()
    )
    for strokes in SHAPES.values():
        assert strokes[0].closed and all(
            abs(v) <= 0.5 for s in strokes for p in s.points for v in p
        )
    unit = demo.unit("u404")
    assert (
        label_of(unit, ("number",)) == "404"
        and label_of(unit, ("gel", "address", "number")) == "404 · 3.304 · Marl 43"
    )


@pytest.mark.parametrize("scale", [25, 50, 100])
def test_paper_is_true_to_scale_over_as_many_pages_as_it_takes(demo: Show, scale: int) -> None:
    one = sheets.sheet(demo, "plan")
    made = pages(demo, one, scale, "A3")
    x0, x1 = demo.unit("u201").position[0], demo.unit("u208").position[0]
    wide = (x1 - x0) * 1000 / scale

    def places(words: str) -> list[float]:
        """Middles of a label on every page, with the page's own shift removed: where it would lie on one endless sheet."""
        step = PAPERS["A3"][0] - 2 * 10 - 52 - 5
        columns = round(len(made) ** 0.5) if len(made) > 2 else len(made)
        return [
            m.x + (i % columns) * step
            for i, p in enumerate(made)
            for m in p.inside
            if isinstance(m, Words) and m.text == words
        ]

    labels = places("201"), places("208")
    assert labels[0] and labels[1]
    if len(made) <= 2:
        assert labels[1][0] - labels[0][0] == pytest.approx(wide, abs=0.01)
    for page in made:
        assert (page.wide, page.high) == PAPERS["A3"]
        said = [m.text for m in page.around if isinstance(m, Words)]
        assert (
            "Lantern Tide" in said
            and f"1:{scale} on A3" in said
            and "moving head, spot" in said
            and "towards the audience" in said
        )
        assert any(t == f"page {made.index(page) + 1} of {len(made)}" for t in said)
        bar = [
            m
            for m in page.around
            if isinstance(m, Poly)
            and m.closed
            and len(m.points) == 4
            and abs(m.points[0][1] - m.points[2][1]) < 2
        ]
        length = float(next(t for t in said if re.fullmatch(r"[\d.]+ m", t))[:-2])
        assert max(x for m in bar for x, _ in m.points) - min(
            x for m in bar for x, _ in m.points
        ) == pytest.approx(length * 1000 / scale)
    assert (scale == 25) == (len(made) > 2)
    with pytest.raises(EntryFault):
        pages(demo, one, 1, "A4")  # would take hundreds of pages
    with pytest.raises(EntryFault):
        pages(demo, one, 50, "B9")


def test_the_pdf_and_the_svg_read_back_as_what_was_drawn(demo: Show) -> None:
    stored, aspect = take_picture(png((400, 300)), "site.png")
    show = with_picture(demo, sheets.sheet(demo, "plan"), stored, aspect, (-9, -5), (9, 5))
    one = replace(sheets.sheet(show, "plan"), labels=("number", "gel"))
    scale = fitting_scale(show, one, "A3")
    made = pages(show, one, scale, "A3")
    with pdfplumber.open(io.BytesIO(pdf(show, made, "plan"))) as book:
        page = book.pages[0]
        assert (page.width / POINTS, page.height / POINTS) == pytest.approx(
            PAPERS["A3"], abs=0.1
        ) and len(book.pages) == 1
        text = page.extract_text()
        assert "Lantern Tide" in text and f"1:{scale}" in text and "431 · Dusk 12" in text
        words = {w["text"]: w for w in page.extract_words()}
        wide = (words["208"]["x0"] - words["201"]["x0"]) / POINTS
        x0, x1 = (show.unit(u).position[0] for u in ("u201", "u208"))
        assert wide == pytest.approx((x1 - x0) * 1000 / scale, abs=0.1)
        picture = page.images[0]
        assert (picture["x1"] - picture["x0"]) / POINTS == pytest.approx(18 * 1000 / scale, abs=0.2)
    root = ET.fromstring(svg(show, made))
    assert root.attrib["width"] == "420mm" and root.attrib["viewBox"].startswith("0 0 420")
    texts = [e.text for e in root.iter("{http://www.w3.org/2000/svg}text")]
    assert {"201", "208", "Lantern Tide", "Key"} <= set(texts)
    image = next(root.iter("{http://www.w3.org/2000/svg}image"))
    assert float(image.attrib["width"]) == pytest.approx(18 * 1000 / scale) and image.attrib[
        "{http://www.w3.org/1999/xlink}href"
    ].startswith("data:image/png")
    hidden = pages(show, one, scale, "A3", only=["u201"])
    assert [m.text for m in hidden[0].inside if isinstance(m, Words) and m.text.isdigit()] == [
        "201"
    ]


def test_the_command_exports_and_refuses_in_words(tmp_path: Path) -> None:
    code, said = answer(
        "plan",
        "export",
        "demo",
        str(tmp_path / "p.pdf"),
        "--sheet",
        "front elevation",
        "--scale",
        "50",
        "--paper",
        "A2",
    )
    assert code == 0 and said["scale"] == 50 and (tmp_path / "p.pdf").read_bytes()[:5] == b"%PDF-"
    assert answer("plan", "export", "demo", str(tmp_path / "p.svg"), "--units", "101-106")[0] == 0
    assert (
        "neither PDF nor SVG" in command("plan", "export", "demo", str(tmp_path / "p.doc")).stderr
    )
    assert (
        "no sheet"
        in command("plan", "export", "demo", str(tmp_path / "p.pdf"), "--sheet", "Attic").stderr
    )
    assert [r["kind"] for r in answer("plan", "sheets", "demo")[1]] == ["plan", "front", "side"]


def test_a_drawing_is_scaled_by_two_points_and_a_length() -> None:
    under = Underlay(file="x", middle=(4.0, 2.0), width=10.0, aspect=0.5)
    made = scaled_by(under, (0.0, 0.0), (2.0, 0.0), 5.0)
    assert made.width == 25.0 and made.middle == (
        10.0,
        5.0,
    )  # about the first point, which stays where it is
    for a, b, length in (
        ((1, 1), (1, 1), 2.0),
        ((0, 0), (1, 0), 0.0),
        ((0, 0), (1, 0), float("nan")),
        ((0, 0), (1, 0), 1e9),
    ):
        with pytest.raises(EntryFault):
            scaled_by(under, a, b, length)
    with pytest.raises(EntryFault):
        scaled_by(replace(under, pinned=True), (0, 0), (1, 0), 2.0)


@pytest.mark.slow
def test_pictures_are_told_by_their_bytes_bounded_and_kept_once(demo: Show) -> None:
    jpeg = io.BytesIO()
    Image.new("RGB", (50, 20), (9, 9, 9)).save(jpeg, "JPEG")
    stored, aspect = take_picture(jpeg.getvalue(), "x.png")
    assert stored.name.endswith(".jpg") and aspect == pytest.approx(0.4)
    book = pdf(demo, pages(demo, sheets.sheet(demo, "plan"), 100, "A4"), "plan")
    page, tall = take_picture(book, "plan.pdf")
    assert kind_of(page.data) == "png" and tall == pytest.approx(210 / 297, rel=0.01)
    huge = io.BytesIO()
    Image.new("L", (6000, 3000)).save(huge, "PNG")
    shrunk, _ = take_picture(huge.getvalue(), "huge.png")
    assert Image.open(io.BytesIO(shrunk.data)).size == (5000, 2500)
    bomb = io.BytesIO()
    Image.new("1", (30_000, 30_000)).save(bomb, "PNG")
    for bad, words in (
        (b"GIF89a" + bytes(20), "not a PNG"),
        (png()[:60], "cannot be read"),
        (b"\xff\xd8\xff\xe0" + bytes(40), "cannot be read"),
        (b"%PDF-1.4 broken", "cannot be read"),
        (bomb.getvalue(), "30000 by 30000"),
        (b"", "not a PNG"),
    ):
        with pytest.raises(FileFault) as told:
            take_picture(bad, "bad")
        assert words in str(told.value) or "cannot be read" in str(told.value)
    with pytest.raises(FileFault):
        take_picture(book, "plan.pdf", 7)
    plan = sheets.sheet(demo, "plan")
    twice = with_picture(
        with_picture(demo, plan, stored, aspect, (0, 0), (4, 4)),
        plan,
        stored,
        aspect,
        (0, 0),
        (8, 8),
    )
    assert twice.files == (StoredFile(name=stored.name, data=stored.data),)


def test_an_svg_is_cleaned_of_everything_that_leads_outside() -> None:
    drawing = b"""<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="40" height="20" onload="x()">
      <style>@import url(http://example.test/a.css);</style><script>fetch('http://example.test')</script>
      <image href="file:///etc/passwd" width="5" height="5"/><image xlink:href="http://example.test/a.png"/>
      <rect id="kept" width="9" height="9" onclick="x()"/><use href="#kept"/><image href="data:image/png;base64,AAAA"/>
      <g style="fill:url(http://example.test/f)"><circle r="3"/></g><path style="fill:url(#g)" d="M0 0"/></svg>"""
    clean = clean_svg(drawing, "x.svg").decode()
    assert (
        "example.test" not in clean
        and "passwd" not in clean
        and "script" not in clean
        and "onclick" not in clean
    )
    assert "kept" in clean and "#kept" in clean and "base64,AAAA" in clean and "url(#g)" in clean
    bomb = b'<!DOCTYPE svg [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><svg xmlns="http://www.w3.org/2000/svg"><text>&b;</text></svg>'
    outside = b'<!DOCTYPE svg [<!ENTITY a SYSTEM "file:///etc/passwd">]><svg xmlns="http://www.w3.org/2000/svg"><text>&a;</text></svg>'
    for bad in (bomb, outside, b"<svg", b"<html/>", b"\x00\x01"):
        with pytest.raises(FileFault):
            clean_svg(bad, "x.svg")


@pytest.mark.parametrize("kind", ["front", "side"])
def test_an_elevation_on_paper_names_every_unit_and_prints_nothing_over_another(kind: str) -> None:
    """Read back by another library: labels stay apart and on the paper, and no unit is without its number."""
    show = as_hung()
    one = replace(
        next(s for s in sheets_of(show) if s.kind == kind),
        labels=("number",),
        name="The rig as it is seen by whoever stands at the far end of the quay on a clear evening",
    )
    show = replace(
        show,
        name="Lantern Tide on the Floating Barge Stage of Sandre Haven, Second and Last Evening",
        venue="Oberhafenverwaltungsgebaeudeeingangstreppenhausbeleuchtungsprobe",
    )
    made = pages(show, one, fitting_scale(show, one, "A4"), "A4")
    with pdfplumber.open(io.BytesIO(pdf(show, made, "x"))) as read:
        said: set[int] = set()
        for page in read.pages:
            words = page.extract_words(x_tolerance=1, y_tolerance=1)
            for word in words:
                assert word["x0"] > 0 and word["x1"] < page.width and word["bottom"] < page.height
            numbers = [w for w in words if re.fullmatch(r"[\d–,]+", w["text"]) and w["x0"] < 690]
            for a, b in itertools.combinations(numbers, 2):
                apart = (
                    a["x1"] <= b["x0"] + 0.2
                    or b["x1"] <= a["x0"] + 0.2
                    or a["bottom"] <= b["top"] + 1.2
                    or b["bottom"] <= a["top"] + 1.2
                )
                assert apart, (a["text"], b["text"])
            for word in numbers:
                for part in word["text"].strip(",").split(","):
                    first, _, last = part.partition("–")
                    said |= set(range(int(first), int(last or first) + 1))
            assert "Evening" in page.extract_text()
    placed = {u.number for u in show.units if u.position is not None}
    assert placed <= said


def test_a_group_keeps_an_arrangement_that_new_sheets_take_over() -> None:
    show = as_hung()
    show = replace(
        show, groups=(Group(id="g1", name="Masts", units=("u101", "u102", "u103", "u104")),)
    )
    show, made = sheets.free_sheet(show, "Drawn", [("", ["u101", "u102", "u103"])])
    fan = {"u101": (0.0, 0.0), "u102": (2.0, 1.0), "u103": (4.0, 0.0)}
    show = sheets.put_points(show, sheets.sheet(show, made), fan)
    show = keep_arrangement(show, "g1", sheets.sheet(show, made))
    (group,) = show.groups
    assert arrangement_of(group) == {"u101": (-2, -0.5), "u102": (0, 0.5), "u103": (2, -0.5)}
    # another sheet: the same triangle, and the one without a spot in a row below
    kept = {"Masts": arrangement_of(group)}
    show, new = sheets.free_sheet(show, "New", [("Masts", list(group.units))], "grid", kept)
    at = sheets.points_of(show, sheets.sheet(show, new))
    assert np.subtract(at["u102"], at["u101"]) == pytest.approx((2, 1))
    assert np.subtract(at["u103"], at["u101"]) == pytest.approx((4, 0))
    assert at["u104"][1] < min(at["u101"][1], at["u103"][1])
    with pytest.raises(EntryFault, match="None of the units of group"):
        keep_arrangement(
            replace(show, groups=(replace(group, units=("u301",)),)), "g1", sheets.sheet(show, new)
        )


def test_a_free_sheet_is_laid_again_from_the_true_places_about_its_middle() -> None:
    show, made = sheets.free_sheet(as_hung(), "Rows", [("", ["u211", "u212", "u213", "u301"])])
    before = sheets.points_of(show, sheets.sheet(show, made))
    laid = laid_again(show, sheets.sheet(show, made), ["u211", "u212", "u213"])
    after = sheets.points_of(laid, sheets.sheet(laid, made))
    assert after["u301"] == before["u301"]  # not among those asked for
    true = {u.id: u.position for u in show.units}
    for a, b in (("u211", "u212"), ("u212", "u213")):
        meant = np.subtract(true[b][:2], true[a][:2])
        assert np.subtract(after[b], after[a]) == pytest.approx(meant, abs=1e-3)
    chosen = np.array([[before[u], after[u]] for u in ("u211", "u212", "u213")])
    middle = (chosen.min(axis=0) + chosen.max(axis=0)) / 2
    assert middle[0] == pytest.approx(middle[1], abs=1e-3)
    with pytest.raises(EntryFault):
        laid_again(show, sheets.sheet(show, "plan"), ["u211"])
