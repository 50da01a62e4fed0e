"""Search held against slow and plain reckonings of the same: words, slips, distances, and how ranges and numbers are written."""

from __future__ import annotations

import random
from functools import cache
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from isthmus.library import Query, Shelf
from isthmus.library.facts import Facts, ModeFacts, facts_of, sheet_of
from isthmus.library.index import FileSeen
from isthmus.profiles.attributes import plain
from isthmus.profiles.channel_table import ChannelLine, ChannelTable
from isthmus.profiles.gdtf import Gdtf
from isthmus.profiles.make.plausible import plausible_profiles
from isthmus.profiles.manual.cells import (
    bare_hexadecimal,
    channels_at,
    find_range,
    tidy,
    whole_range,
)
from isthmus.profiles.manual.naming import propose, propose_band, words_of


@cache
def made() -> list[Facts]:
    return [facts_of(Gdtf(profile, ())) for profile in plausible_profiles(120, 12)]


@cache
def modes() -> list[tuple[Facts, ModeFacts]]:
    return [(facts, mode) for facts in made() for mode in facts.modes]


@pytest.fixture(scope="module")
def shelf(tmp_path_factory: pytest.TempPathFactory) -> Shelf:
    built = Shelf(tmp_path_factory.mktemp("search") / "library.sqlite")
    built.index.put("own", [(FileSeen(f"/{i}", 1, 1), facts) for i, facts in enumerate(made())])
    return built


def slips_between(a: str, b: str) -> int:
    """Insertions, deletions, changes and swaps of neighbours, by the textbook table."""
    rows = [[i + j if i * j == 0 else 0 for j in range(len(b) + 1)] for i in range(len(a) + 1)]
    for i in range(1, len(a) + 1):
        for j in range(1, len(b) + 1):
            rows[i][j] = min(
                rows[i - 1][j] + 1, rows[i][j - 1] + 1, rows[i - 1][j - 1] + (a[i - 1] != b[j - 1])
            )
            if i > 1 and j > 1 and a[i - 1] == b[j - 2] and a[i - 2] == b[j - 1]:
                rows[i][j] = min(rows[i][j], rows[i - 2][j - 2] + 1)
    return rows[-1][-1]


def met(asked: str, own: list[str]) -> bool:
    """Whether a word asked for is met by one of a mode's own words, slips allowed."""
    allowed = 0 if len(asked) < 4 or asked.isdigit() else 1 if len(asked) < 7 else 2
    return any(
        word.startswith(asked)
        or (len(asked) >= 3 and asked in word)
        or slips_between(asked, word) <= allowed
        or slips_between(asked, word[: len(asked)]) <= allowed
        for word in own
    )


@given(st.integers(0, 10**6))
@settings(max_examples=15)
def test_every_hit_meets_every_word_and_a_name_finds_itself_with_a_slip(
    shelf: Shelf, seed: int
) -> None:
    rng = random.Random(seed)
    facts, mode = rng.choice(modes())
    words = words_of(f"{facts.maker} {facts.model} {mode.name}")
    asked = [rng.choice(words)[: rng.randint(2, 9)] for _ in range(rng.randint(1, 3))]
    answer = shelf.search(Query(" ".join(asked)), 2000)
    found = {(e.maker, e.model, e.mode) for e in shelf.entries(answer.hits)}
    assert (facts.maker, facts.model, mode.name) in found
    assert all(met(word, words_of(" ".join(key))) for key in found for word in asked)
    long = next((word for word in words if len(word) >= 7 and word.isalpha()), "")
    if long:
        at = rng.randrange(1, len(long) - 1)
        slip = rng.choice(
            (
                long[:at] + long[at + 1 :],
                long[:at] + long[at + 1] + long[at] + long[at + 2 :],
                long[:at] + "q" + long[at:],
            )
        )
        again = {
            (e.maker, e.model, e.mode) for e in shelf.entries(shelf.search(Query(slip), 2000).hits)
        }
        assert (facts.maker, facts.model, mode.name) in again or any(
            slip in word for key in again for word in words_of(" ".join(key))
        )


def places_of(mode: ModeFacts, attribute: str) -> list[int]:
    """Where an attribute stands, as what a channel is called by or as one of its functions."""
    called = [
        line[1][0] for line in mode.lines if line[0] == attribute and line[1] and line[4] == 1
    ]
    return called + [slot for name, slot in mode.functions if name == attribute and slot]


def has(mode: ModeFacts, attribute: str) -> bool:
    return any(line[0] == attribute for line in mode.lines) or any(
        name == attribute for name, _ in mode.functions
    )


def stated_distance(query: Query, mode: ModeFacts) -> float:
    """The distance as docs/profiles.md states it, calculated fact by fact."""
    total = 0.0
    if query.footprint:
        away = max(query.footprint[0] - mode.footprint, mode.footprint - query.footprint[1], 0)
        total += min(1.0, 0.2 + away / 10) if away else 0.0
    for slot, attribute in query.on:
        places = places_of(mode, attribute)
        away = min((abs(place - slot) for place in places), default=None)
        total += 1.0 if away is None else 0.0 if away == 0 else 0.25 + min(away, 8) / 16
    total += sum(1.0 for attribute in query.having if not has(mode, attribute))
    total += sum(0.8 for attribute in query.without if has(mode, attribute))
    if query.cells:
        away = max(query.cells[0] - mode.cells, mode.cells - query.cells[1], 0)
        total += min(1.0, 0.3 + away / 20) if away else 0.0
    if query.wheel is not None:
        total += 0.6 * (mode.wheel != query.wheel)
    return total


@given(st.data())
@settings(max_examples=12)
def test_near_misses_have_the_stated_distance_and_are_the_nearest_there_are(
    shelf: Shelf, data: st.DataObject
) -> None:
    attribute = st.sampled_from(sorted({line[0] for _, mode in modes() for line in mode.lines}))
    low = data.draw(st.integers(3, 30))
    query = Query(
        footprint=data.draw(st.sampled_from([None, (low, low), (low, low + 4)])),
        on=tuple(
            data.draw(st.lists(st.tuples(st.integers(1, 14), attribute), min_size=1, max_size=3))
        ),
        having=tuple(data.draw(st.lists(attribute, max_size=1))),
        without=tuple(data.draw(st.lists(attribute, max_size=1))),
        cells=data.draw(st.sampled_from([None, (4, 8)])),
        wheel=data.draw(st.sampled_from([None, True, False])),
    )
    expected = sorted(stated_distance(query, mode) for _, mode in modes())
    answer = shelf.search(query)
    assert answer.total == sum(d < 1e-6 for d in expected)
    missed = [d for d in expected if 1e-6 <= d < 2.5]
    assert [hit.distance for hit in answer.near] == pytest.approx(
        missed[: len(answer.near)], abs=1e-4
    )
    assert len(answer.near) == min(20, len(missed))
    for hit in answer.near[:5]:
        _, mode = modes()[hit.row]
        assert hit.distance == pytest.approx(stated_distance(query, mode), abs=1e-4)
        for slot, name in query.on:  # and the words say where it is instead
            places = places_of(mode, name)
            if places and slot not in places:
                assert any(
                    text.startswith(f"{plain(name)} on ")
                    and int(text.split(" on ")[1].split(",")[0]) in places
                    for text in hit.differs
                )


def longest_common(a: list[str], b: list[str]) -> int:
    row = [0] * (len(b) + 1)
    for x in a:
        last = 0
        for j, y in enumerate(b, 1):
            last, row[j] = row[j], last + 1 if x == y else max(row[j], row[j - 1])
    return row[-1]


def test_a_chart_is_answered_by_the_share_of_channels_to_insert_or_remove(shelf: Shelf) -> None:
    rng = random.Random(6)
    for _ in range(12):
        _, mode = rng.choice(modes())
        kept = [line for line in mode.lines if rng.random() > 0.15] or mode.lines
        asked = sheet_of("asked", kept)
        answer = shelf.search(Query(like=asked))
        wanted = [line[0] for line in kept]
        rows = {hit.row for hit in answer.near} | {hit.row for hit in answer.hits}
        for hit in answer.near:
            own = [line[0] for line in modes()[hit.row][1].lines]
            edit = 1 - 2 * longest_common(wanted, own) / (len(wanted) + len(own))
            assert 0.75 * edit - 1e-3 <= hit.distance <= 0.75 * edit + 0.25 + 1e-3
        assert any(
            modes()[row][1].lines == mode.lines for row in rows
        )  # what it was taken from is among the nearest
    assert (
        shelf.search(Query(like=ChannelTable("none", (ChannelLine((1,), "NeverSeen"),)))).total == 0
    )


def test_an_empty_library_answers_everything_with_nothing(tmp_path: Path) -> None:
    empty = Shelf(tmp_path / "empty.sqlite")
    for query in (
        Query(),
        Query("skerry"),
        Query(footprint=(1, 9), on=((1, "Dimmer"),)),
        Query(like=ChannelTable("x", (ChannelLine((1,), "Dimmer"),))),
    ):
        answer = empty.search(query)
        assert (answer.hits, answer.near, answer.total, answer.makers) == ((), (), 0, ())


# ---------------------------------------------------------------- how manuals write numbers


@pytest.mark.parametrize(
    ("text", "start", "end", "scale"),
    [
        ("0-9", 0, 9, "dec"),
        ("000…009", 0, 9, "dec"),
        ("10 – 20", 10, 20, "dec"),
        ("10 to 20", 10, 20, "dec"),
        ("10 bis 20", 10, 20, "dec"),
        ("0..255", 0, 255, "dec"),
        ("5 ~ 7", 5, 7, "dec"),
        ("0->255", 0, 255, "dec"),
        ("0x10-0xFF", 16, 255, "hex"),
        ("00h-0Fh", 0, 15, "hex"),
        ("$10 - $1F", 16, 31, "hex"),
        ("0%-50%", 0, 50, "percent"),
        ("12,5 % – 25 %", 12.5, 25, "percent"),
        ("0-65535", 0, 65535, "dec"),
        ("(0-9)", 0, 9, "dec"),
        ("42", 42, 42, "dec"),
    ],
)
def test_a_range_is_known_in_every_writing(text: str, start: float, end: float, scale: str) -> None:
    found = whole_range(tidy(text))
    assert found is not None and (found.start, found.end, found.scale) == (start, end, scale)
    inside = find_range(tidy(f"Strobe {text} slow to fast"))
    assert inside is None if text == "42" else (inside.start, inside.end) == (start, end)


def test_what_is_no_range_is_not_taken_for_one_and_bare_hexadecimal_needs_letters_to_prove_itself() -> (
    None
):
    for text in ("", "abc", "-", "3-D", "v1.2-beta", "A-F", "Blade 3A"):
        assert whole_range(text) is None
    assert bare_hexadecimal(["00-0F", "10-EF", "F0-FF"]) and not bare_hexadecimal(
        ["00-09", "10-19", "20-99"]
    )
    assert not bare_hexadecimal(["000-009", "0A-0B", "0C-0F"])
    found = whole_range("F0-FF", True)
    assert found is not None and (found.start, found.end) == (240, 255)


@pytest.mark.parametrize(
    ("text", "numbers", "said"),
    [("5", (5,), False), ("CH 5", (5,), True), ("Ch.12 Pan", (12,), True), ("1/2", (1, 2), False), ("1+2", (1, 2), False), ("3, 4", (3, 4), False), ("1-2", (1, 2), False), ("7-9 (24 bit)", (7, 8, 9), False), ("Kanal 3", (3,), True), ("#4", (4,), True)],
)  # fmt: skip
def test_channel_numbers_are_known_in_every_writing(
    text: str, numbers: tuple[int, ...], said: bool
) -> None:
    found = channels_at(text)
    assert found is not None and (found.numbers, found.said) == (numbers, said)
    assert channels_at("Pan 5") is None


def test_ranges_of_a_channel_get_the_attribute_they_speak_of() -> None:
    assert (
        propose_band("Strobe slow to fast", "Shutter1") == "Shutter1Strobe"
        and propose_band("Open", "Shutter1") == "Shutter1"
    )
    assert (
        propose_band("Strobe", "Dimmer") == "Shutter1Strobe"
        and propose_band("Red", "Color1") == "Color1"
    )
    assert propose("", ["Red", "Green", "Blue"]).attribute == "Color1" and propose(
        "", ["closed", "strobe", "open"]
    ).attribute.startswith("Shutter1")
    assert (
        propose("", []).attribute == ""
        and propose("Pan LSB").fine
        and not propose("Pan coarse (MSB)").fine
    )
    assert propose("Strobe", ["off", "open", "fast"]).attribute == "Shutter1" and propose(
        "Gobo 3 index fine"
    ) == propose("gobo 3 INDEX FINE")
