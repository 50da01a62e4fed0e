"""Labels and sets of papers, read back from the page: in millimetres, by a reader of codes, by the
switches that are drawn.
"""

from __future__ import annotations

import io
import re
from pathlib import Path

import pdfplumber
import pypdfium2
import pytest
import zxingcpp
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from helpers.tools import answer, command
from isthmus.demo import as_hung
from isthmus.demo.evening import with_evening
from isthmus.errors import Cancelled, EntryFault
from isthmus.papers.all_papers import RIG
from isthmus.papers.drawn import block_of
from isthmus.papers.label_sheets import SHEETS, read_sheet
from isthmus.papers.labels import Labels, labelled, labels_pdf
from isthmus.papers.whole import whole_set
from isthmus.patch import edits
from isthmus.patch.addresses import place
from isthmus.show import Show, open_show, save_show
from isthmus.show.handovers import handed_over, handover_named, handovers, next_letter
from isthmus.show.records import Patched
from isthmus.show.versions import shown

SHOW = with_evening(as_hung())
MM = 25.4 / 72


def test_every_label_is_on_its_own_place_of_the_sheet_and_says_what_the_patch_says() -> None:
    """3 × 7 labels of 63.5 × 38.1 mm, 2.5 mm apart, in the middle of A4: edges worked out by hand."""
    some = replace(SHOW, units=SHOW.units[::2])
    data = labels_pdf(some, Labels(SHEETS[2], 5, "http://127.0.0.1:8462"))
    units = {str(unit.number): unit for unit in some.units}
    seen: list[str] = []
    with pdfplumber.open(io.BytesIO(data)) as pdf:
        assert [round(x * MM, 1) for x in (pdf.pages[0].width, pdf.pages[0].height)] == [210, 297]
        for number, page in enumerate(pdf.pages):
            bands = [(7.25 + 66 * x, 15.15 + 38.1 * y) for y in range(7) for x in range(3)]
            for at, (left, top) in enumerate(bands):
                box = page.crop([v / MM for v in (left, top, left + 63.5, top + 38.1)])
                text = box.extract_text() or ""
                inside = [*box.chars, *box.rects]
                if number == 0 and at < 4:
                    assert not inside  # used already
                elif inside:
                    number_there, spot = text.split()[:2]
                    unit = units[number_there]
                    seen.append(number_there)
                    first = unit.patch[0] if unit.patch else None
                    assert spot == (f"{first.universe}.{first.address:03d}" if first else "none")
                    assert unit.name in text and unit.mode in text
                    assert all(c["x0"] * MM >= left + 1.9 for c in box.chars)
                    assert all(c["x1"] * MM <= left + 63.5 - 1.9 for c in box.chars)
    assert len(seen) == len(some.units) == len(set(seen))


def levers(page: pdfplumber.page.Page, box: tuple[float, ...]) -> list[int]:
    """Addresses by the switches in a label: filled halves in outlined frames, the numbers below."""
    part = page.crop(box)
    frames = [r for r in part.rects if r["stroke"] and not r["fill"]]
    full = [r for r in part.rects if r["fill"] and r["height"] > 1]
    digits = [c for c in part.chars if c["size"] < 5.5 and c["text"].isdigit()]
    found = []
    for bank in (
        sorted(frames, key=lambda r: r["x0"])[:9],
        sorted(frames, key=lambda r: r["x0"])[9:],
    ):
        value = 0
        for frame in bank:
            lever = next(r for r in full if abs(r["x0"] - frame["x0"]) < 0.2)
            name = next(c for c in digits if frame["x0"] < (c["x0"] + c["x1"]) / 2 < frame["x1"])
            upper = lever["top"] - frame["top"] < 0.2
            value += upper * 2 ** (int(name["text"]) - 1)
        found.append(value)
    return found


@settings(max_examples=8)
@given(st.integers(1, 512), st.sampled_from([0, 3, 9]))
def test_switches_say_the_address_in_both_orders(address: int, sheet: int) -> None:
    unit = replace(SHOW.units[0], patch=(Patched(universe=7, address=address),))
    data = labels_pdf(replace(SHOW, units=(unit,)), Labels(SHEETS[sheet]))
    with pdfplumber.open(io.BytesIO(data)) as pdf:
        [page] = pdf.pages
        assert levers(page, page.bbox) == [address % 512] * 2
        assert f"7.{address:03d}" in page.extract_text()


@pytest.mark.parametrize("sheet", range(len(SHEETS)))
def test_the_code_of_a_unit_is_read_back_from_the_page_as_printed(sheet: int) -> None:
    units = SHOW.units[:3]
    data = labels_pdf(
        replace(SHOW, units=units), Labels(SHEETS[sheet], url="http://10.0.0.5:8462/")
    )
    read = set()
    for page in pypdfium2.PdfDocument(data):
        picture = page.render(scale=300 / 72).to_pil()
        read |= {code.text for code in zxingcpp.read_barcodes(picture)}
    assert read == {f"http://10.0.0.5:8462/?unit={unit.number}" for unit in units}


def test_sheets_are_typed_and_what_does_not_fit_is_refused() -> None:
    one = read_sheet("3x8 70x37 A4 left 0 top 0.5")
    assert (one.count, one.corner(0), one.corner(4)) == (24, (0, 0.5), (70, 37.5))
    assert read_sheet("roll 62x29").page == (62, 29)
    assert read_sheet("2x5 90x50 letter gaps 4 2").corner(1)[0] == pytest.approx(
        (215.9 - 184) / 2 + 94
    )
    for text, said in (
        ("3x8 90x37 A4", "do not fit"), ("3x8 70x37 A4 left 5 top 0.5", "do not fit"),
        ("roll 3x29", "measures 8"), ("60x8 3x37 A4", "1 to 20"), ("brass plates", "not a sheet"),
    ):  # fmt: skip
        with pytest.raises(EntryFault, match=said):
            read_sheet(text)
    with pytest.raises(EntryFault, match="labels 1 to 24"):
        labels_pdf(SHOW, Labels(SHEETS[0], 25))
    two = replace(
        SHOW.units[0],
        patch=(Patched(universe=1, address=7), Patched(universe=2, address=9, block=2)),
    )
    assert [at for _, at in labelled(replace(SHOW, units=(two,)))] == [7, 9]


# ------------------------------------------------------------ the whole set, and handovers


def test_the_whole_set_has_contents_that_are_right_bookmarks_and_a_title_block() -> None:
    show = handed_over(SHOW, "the house electrician")
    papers = [make(show, None) for _, make in RIG.values()]
    heard: list[float] = []
    data = whole_set(show, "A4", None, lambda share, _: heard.append(share))
    assert heard == sorted(heard) and heard[-1] <= 1
    pdf = pypdfium2.PdfDocument(data)
    texts = [page.get_textpage().get_text_range() for page in pdf]
    marks: dict[str, int] = {m.get_title(): m.get_dest().get_index() for m in pdf.get_toc()}  # type: ignore
    assert list(marks)[: 1 + len(papers)] == ["Contents", *(paper.title for paper in papers)]
    for paper in papers:
        assert texts[marks[paper.title]].startswith(paper.title)
        at = texts[0].index(paper.title)
        assert f"{marks[paper.title] + 1}" in re.findall(r"\d+", texts[0][at : at + 400])
    for number, text in enumerate(texts, 1):
        assert f"{number} of {len(texts)}" in text
        assert "Sandre Haven" in text
        plan = number > marks["Lantern Tide: Plan"]
        assert plan or ("revision A of" in text and "to the house electrician" in text)
    plumbed = pdfplumber.open(io.BytesIO(data)).pages[marks["Lantern Tide: Plan"]]
    scale = int(re.findall(r"1:(\d+) on A4", plumbed.extract_text())[0])
    found = {w["text"]: (w["x0"] + w["x1"]) / 2 for w in plumbed.extract_words()}
    first, last = ({u.number: u for u in show.units}[n].position for n in (201, 208))
    assert first and last  # along the bow rail, as far apart on paper as in the world
    apart = (found["208"] - found["201"]) / 72 * 0.0254 * scale
    assert apart == pytest.approx(last[0] - first[0], abs=0.02)
    some = whole_set(show, "A4", {"u201"})
    assert not [m for m in pypdfium2.PdfDocument(some).get_toc() if "Plan" in m.get_title()]

    def stop(share: float, words: str) -> None:
        if share > 0.3:
            raise Cancelled

    with pytest.raises(Cancelled):
        whole_set(show, "A4", None, stop)
    changed = edits.set_text(show, [show.units[0].id], "name", "Other")
    assert "after revision A" in block_of(changed).revision


def test_letters_go_on_from_z_and_a_revision_is_the_show_as_it_stood() -> None:
    show, letters = replace(SHOW, units=SHOW.units[:2]), []
    for number in range(29):
        show = edits.set_text(show, [show.units[0].id], "name", f"State {number}")
        show = handed_over(show, f"person {number}")
        letters.append(show.versions[-1].letter)
    alphabet = [chr(65 + n) for n in range(26)]
    assert letters == [*alphabet, "AA", "AB", "AC"] and next_letter(show) == "AD"
    made = handover_named(show, "c")
    assert made is not None and made.to == "person 2"
    assert shown(show, made).units[0].name == "State 2"
    assert len(handovers(show)) == 29  # none of them is thinned
    with pytest.raises(EntryFault, match="there already"):
        handed_over(show, letter="c")


def test_only_what_is_set_otherwise_than_at_the_last_handover_is_to_be_set(tmp_path: Path) -> None:
    file = tmp_path / "tide.isthmus"
    save_show(SHOW, file)
    _, told = answer("papers", "settings", str(file))
    assert len(told["rows"]) == len(SHOW.units)  # nothing was ever set
    _, made = answer("papers", "handovers", str(file), "--make", "--to-whom", "Ada Quill")
    assert made["letter"] == "A"
    show = open_show(file)
    unit = next(u for u in show.units if u.number == 208)
    show = place(show, {unit.id: [(9, 17)]}).show
    show = edits.set_text(show, [show.units[0].id], "name", "Only its name")
    save_show(show, file)
    _, told = answer("papers", "settings", str(file))
    was = f"{unit.patch[0].universe}.{unit.patch[0].address:03d}"
    assert [(r["Unit"], r["Set address"], r["Set mode"]) for r in told["rows"]] == [
        ("208", "9.017", "")
    ]
    assert was in told["rows"][0].values() and "revision A" in told["about"]
    _, since = answer("papers", "number", str(file), "--since", "A")
    assert {row["Unit"] for row in since["rows"]} == {"208", str(show.units[0].number)}
    out = tmp_path / "labels.pdf"
    _, labels = answer(
        "papers",
        "labels",
        str(file),
        "--to",
        str(out),
        "--units",
        "201-204",
        "--sheet",
        "roll 62x29",
    )
    assert labels["labels"] == 4 == len(pypdfium2.PdfDocument(out))
    whole = tmp_path / "set.pdf"
    assert command("papers", "all", str(file), "--out", str(whole)).returncode == 0
    assert re.search(
        "after revision A", pypdfium2.PdfDocument(whole)[0].get_textpage().get_text_range()
    )


def test_a_show_without_a_handover_says_only_the_day() -> None:
    assert re.fullmatch(r"as of \d{4}-\d\d-\d\d", block_of(Show()).revision)
