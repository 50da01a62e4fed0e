"""Charts out of manuals: whatever way they are written, the same rows; then judged, and held against a profile."""

from __future__ import annotations

import random
import time
from collections.abc import Sequence
from pathlib import Path

import pytest
from benchmarks.fuzzing.mangle import mangled_chart
from hypothesis import given, settings
from hypothesis import strategies as st

from helpers.papers import UNIT, pdf, pdf_of, written
from isthmus.demo import shipped_profiles
from isthmus.errors import EntryFault, FileFault
from isthmus.profiles.channel_table import Band, ChannelLine, ChannelTable, channel_table, table
from isthmus.profiles.compare import compare, differences
from isthmus.profiles.judge import judge, note_to_maker
from isthmus.profiles.manual import propose, read_chart
from isthmus.profiles.manual.pdf import best_chart, likely_pages, page_texts
from isthmus.profiles.records import Profile
from isthmus.profiles.store import read_stored

# what the unit does, as (slots, name, attribute, ranges); every way of writing it below must come back to this


WAYS = {
    "tabs": written("\t"),
    "tabs and dots": written("\t", dash="…", pad=3),
    "spaced dashes": written("\t", dash=" – ", pad=3),
    "bars": written(" | "),
    "semicolons": written(";"),
    "commas": written(","),
    "wide spaces": written("    "),
    "hexadecimal": written("\t", hexed=True),
    "percent": written("\t", percent=True),
    "pairs with a slash": written("\t", pairs="/"),
    "pairs with a plus": written("   ", pairs="+"),
    "no head": written("\t", head=False),
    "the word to": written("\t", dash=" to "),
    "carriage returns": written("\t").replace("\n", "\r\n"),
    "a title above": "Model Nine\n7 functions, 9 channel mode\n" + written("\t"),
}


@pytest.mark.parametrize("way", WAYS)
def test_a_chart_reads_the_same_whichever_way_it_is_written(way: str) -> None:
    (chart,) = read_chart(WAYS[way])
    assert [(row.slots, row.attribute) for row in chart.rows] == [
        (slots, attribute) for slots, _, attribute, _ in UNIT
    ]
    assert [[b.name for b in row.bands] for row in chart.rows] == [
        [words for *_, words in ranges] for *_, ranges in UNIT
    ]
    ends = [end for row in chart.rows for b in row.bands for end in (b.start, b.end)]
    meant = [end for *_, ranges in UNIT for low, high, _ in ranges for end in (low, high)]
    assert max(abs(a - b) for a, b in zip(ends, meant, strict=True)) <= (
        1 if way == "percent" else 0
    )  # tenths of a percent are coarse
    assert chart.confidence > 0.85 and chart.sheet().footprint == 9
    for row in chart.rows:  # each row points back at its lines
        assert row.name.split()[0] in WAYS[way].splitlines()[row.source[0] - 1]


def test_ragged_lines_with_single_spaces_are_taken_apart_by_what_they_hold() -> None:
    (chart,) = read_chart(
        "CH1 Red 000-255 0%-100%\nCH2 Grün 0-255\nCH3 Strobe 0-9 off\n10-250 slow to fast\n251-255 open\nCH4 - reserved\n"
    )
    assert [(r.attribute, len(r.bands)) for r in chart.rows] == [
        ("ColorAdd_R", 0),
        ("ColorAdd_G", 0),
        ("Shutter1", 3),
        ("NoFeature", 0),
    ]


def test_two_tables_and_columns_of_modes_become_charts_of_their_own() -> None:
    two = read_chart(
        "Basic mode\n1\tRed\n2\tGreen\n3\tBlue\nFull mode\n1\tDimmer\n2\tRed\n3\tGreen\n4\tBlue\n"
    )
    assert [(c.title, len(c.rows)) for c in two] == [("Basic mode", 3), ("Full mode", 4)]
    columns = read_chart(
        "Short\tLong\tFunction\tValue\n1\t1\tDimmer\t0-255\n-\t2\tDimmer fine\t0-255\n2\t3\tShutter\t0-9 closed\n\t\t\t10-255 open\n-\t4\tZoom\t0-255\n3\t5\tRed\t0-255\n"
    )
    assert [[r.slots for r in c.rows] for c in columns] == [
        [(1,), (2,), (3,)],
        [(1, 2), (3,), (4,), (5,)],
    ]
    assert [b.end for b in columns[0].rows[1].bands] == [9, 255]


@pytest.mark.parametrize(
    ("name", "attribute"),
    [("Intensity", "Dimmer"), ("Pan/Tilt speed", "PositionMSpeed"), ("Rot", "ColorAdd_R"), ("Gobo wheel 2 rotation", "Gobo2WheelSpin"), ("Gobo 2", "Gobo2"), ("Colour temperature", "CTC"),
     ("Warm white", "ColorAdd_WW"), ("Farbrad", "Color1"), ("Dimer", "Dimmer"), ("Stroboskop", "Shutter1Strobe"), ("Blade 3A", "Blade3A"), ("Fan speed", "Fan1"), ("Quibble", "")],
)  # fmt: skip
def test_names_in_manuals_are_known_for_what_they_mean(name: str, attribute: str) -> None:
    assert propose(name).attribute == attribute


def test_what_is_doubtful_lowers_the_confidence_and_says_why() -> None:
    (chart,) = read_chart("1\tDimmer\t0-255\n2\tDoodad\t0-255\n4\tZoom\t200-100\n")
    dimmer, doodad, zoom = chart.rows
    assert dimmer.confidence == 1 and not dimmer.doubts
    assert doodad.confidence < 0.7 and "not known" in doodad.doubts[0]
    assert (
        zoom.confidence < 0.7
        and any("was due" in d for d in zoom.doubts)
        and any("backwards" in d for d in zoom.doubts)
    )


@pytest.mark.slow
def test_nonsense_ends_in_a_sentence_and_a_hundred_thousand_rows_end_soon() -> None:
    for text in (
        "",
        "the tide tables of Sandre Haven\nhigh water 7:13",
        "\x00\x01\x02",
        "12345 " * 4000,
        "-\n" * 3000,
    ):
        with pytest.raises(EntryFault, match="no chart"):
            read_chart(text)
    started = time.process_time()
    charts = read_chart("\n".join(f"{i}\t0-255\tDimmer {i}" for i in range(1, 100_001)))
    assert (
        time.process_time() - started < 20
        and "Only the first" in charts[0].notes[0]
        and len(charts[0].rows) <= 512
    )
    rng = random.Random(2)
    sources = list(WAYS.values())
    for _ in range(300):
        try:
            for chart in read_chart(mangled_chart(rng, rng.choice(sources))):
                assert all(1 <= slot <= 512 for row in chart.rows for slot in row.slots)
                assert all(
                    0 <= b.start <= b.end <= 256 ** len(row.slots) - 1
                    for row in chart.rows
                    for b in row.bands
                )
                judge(chart.sheet())
        except EntryFault as fault:
            assert fault.what


# ---------------------------------------------------------------- PDF


def test_the_page_of_a_pdf_that_has_the_chart_is_found_and_read(tmp_path: Path) -> None:
    words = ["Keep the unit away from spray.", "Hang it by both clamps."]
    file = tmp_path / "manual.pdf"
    file.write_bytes(pdf(words, written("    ", pad=3).splitlines(), words))
    texts = page_texts(file)
    assert likely_pages(texts)[0] == 2
    _, (chart,) = best_chart(texts[2])
    assert [row.attribute for row in chart.rows] == [attribute for _, _, attribute, _ in UNIT]
    file.write_bytes(pdf(words)[:200])
    with pytest.raises(FileFault, match="cannot be read as a PDF"):
        page_texts(file)


def ruled_pdf(rows: Sequence[Sequence[str | None]], widths: list[int]) -> bytes:
    """A table with lines around its cells; None joins a cell to the one above it."""
    high, left, top = 18, 40, 780
    edges = [left + sum(widths[:i]) for i in range(len(widths) + 1)]
    draw = ["0.5 w"]
    for y in range(len(rows) + 1):
        for x in range(len(widths)):
            if y == len(rows) or y == 0 or rows[y][x] is not None:  # no line inside a merged cell
                draw.append(f"{edges[x]} {top - y * high} m {edges[x + 1]} {top - y * high} l S")
    draw += [f"{x} {top} m {x} {top - len(rows) * high} l S" for x in edges]
    for y, row in enumerate(rows):
        for x, cell in enumerate(row):
            if cell:
                draw.append(
                    f"BT /F1 9 Tf {edges[x] + 3} {top - (y + 1) * high + 5} Td ({cell}) Tj ET"
                )
    return pdf_of([" ".join(draw).encode("latin-1")])


def test_a_ruled_table_with_merged_cells_is_read_from_its_page(tmp_path: Path) -> None:
    rows: list[Sequence[str | None]] = []
    rows.append(["Channel", "Function", "Value", "Meaning"])
    for slots, name, _, ranges in UNIT:
        for index, (low, high, words) in enumerate(ranges or [(0, 255, "")]):
            rows.append(
                [
                    str(slots[0]) if not index else None,
                    name if not index else None,
                    f"{low}-{high}",
                    words,
                ]
            )
        rows += [[str(slot), f"{name} fine", "0-255", ""] for slot in slots[1:]]
    file = tmp_path / "ruled.pdf"
    file.write_bytes(ruled_pdf(rows, [60, 140, 90, 180]))
    ways = page_texts(file)[1]
    assert len(ways) == 2 and "\t" in ways[0]  # taken as a table, and as text
    for way in ways:
        (chart,) = read_chart(way)
        assert [(row.slots, row.attribute) for row in chart.rows] == [
            (slots, attribute) for slots, _, attribute, _ in UNIT
        ]
        assert [[(b.start, b.end, b.name) for b in row.bands] for row in chart.rows] == [
            ranges for *_, ranges in UNIT
        ]


# ---------------------------------------------------------------- judged and compared


def test_the_judgement_names_every_gap_overlap_and_empty_word_and_the_note_asks_them() -> None:
    lines = (
        ChannelLine((1,), "Dimmer", "Dimmer"),
        ChannelLine((2,), "Gobo1", "Gobo"),
        ChannelLine(
            (4,),
            "Shutter1",
            "Shutter",
            (Band(0, 9, "Closed"), Band(5, 20, "Strobe"), Band(30, 255, "function 3")),
        ),
        ChannelLine((4,), "Zoom", "Zoom"),
        ChannelLine((5,), "", "Doodad"),
        ChannelLine((6,), "Dimmer", "Dimmer again"),
    )
    found = judge(ChannelTable("M", lines))
    kinds = {
        kind: next(f for f in found if f.kind == kind).text for kind in {f.kind for f in found}
    }
    assert set(kinds) == {
        "no ranges",
        "gap",
        "overlap",
        "says nothing",
        "no attribute",
        "doubled",
        "shared slot",
        "missing channel",
    }
    assert (
        "5–9" in kinds["overlap"]
        and "21–29" in kinds["gap"]
        and "channel 3" in kinds["missing channel"]
        and "Channel 4" in kinds["shared slot"]
    )
    note = note_to_maker(ChannelTable("M", lines), found, "Reed and Oar", "Nine")
    assert (
        "Dear Reed and Oar" in note
        and "What does channel 4 do from 21 to 29?" in note
        and "1. " in note
    )
    assert note_to_maker(ChannelTable("M", lines[:1]), judge(ChannelTable("M", lines[:1]))) == ""


def shipped(name: str) -> Profile:
    found = next(read_stored(s) for s in shipped_profiles() if s.key.endswith(name))
    assert isinstance(found, Profile)
    return found


def test_a_profile_agrees_with_its_own_chart_written_out_and_read_back() -> None:
    for stored in shipped_profiles():
        profile = read_stored(stored)
        assert isinstance(profile, Profile)
        for mode in profile.modes:
            own = channel_table(profile, mode)
            if own.cells or own.footprint < 2:
                continue
            text = "\n".join("\t".join(row) for row in table(own))
            (chart,) = read_chart(text)
            assert [
                v.state for v in compare(chart.sheet(), own) if v.state not in ("same", "ranges")
            ] == []


@given(st.integers(0, 18), st.integers(1, 5))
@settings(max_examples=10)
def test_channels_put_in_shift_what_stands_behind_them_and_nothing_else(
    at: int, count: int
) -> None:
    profile = shipped("Lapwing 19")
    own = channel_table(profile, profile.modes[0])
    first = [line.slots[0] for line in own.lines]
    moved = tuple(
        ChannelLine(
            tuple(s + count if s > at else s for s in line.slots)
            if line.slots[0] > at
            else line.slots,
            line.attribute,
            line.name,
            line.bands,
            line.default,
        )
        for line in own.lines
    )
    verdicts = compare(own, ChannelTable("moved", moved))
    assert [v.state for v in verdicts] == ["shifted" if slot > at else "same" for slot in first]
    assert {v.shift for v in verdicts if v.state == "shifted"} <= {count}


def test_ranges_get_a_verdict_each_and_differences_are_told_in_words() -> None:
    left = ChannelTable(
        "l",
        (
            ChannelLine(
                (1,),
                "Shutter1",
                "",
                (
                    Band(0, 9, "Closed"),
                    Band(10, 200, "Strobe"),
                    Band(201, 220, "Pulse"),
                    Band(240, 255, "Open"),
                ),
            ),
        ),
    )
    right = ChannelTable(
        "r",
        (
            ChannelLine(
                (1,),
                "Shutter1",
                "",
                (
                    Band(0, 9, "Closed"),
                    Band(20, 210, "Strobe"),
                    Band(230, 255, "Open"),
                    Band(211, 229, "Sparkle"),
                ),
            ),
            ChannelLine((2,), "Zoom"),
        ),
    )
    shutter, zoom = compare(left, right)
    assert [(b.state, b.shift) for b in shutter.bands] == [
        ("same", 0),
        ("shifted", 10),
        ("absent", 0),
        ("other range", 0),
        ("extra", 0),
    ]
    assert shutter.state == "ranges" and zoom.state == "extra"
    told = differences(left, right)
    assert "zoom on 2 is extra" in told and any(
        "“Strobe” 10–200 is shifted by +10" in text for text in told
    )
    assert differences(left, left) == []
