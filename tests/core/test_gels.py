"""Gels: colour against independent formulas, books read from CSV, codes of several books kept apart, stacks."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from isthmus.demo import as_hung
from isthmus.errors import EntryFault, FileFault
from isthmus.gels import (
    books_at_hand,
    colour_of,
    find_gels,
    keep_book,
    read_book,
    set_gel,
    split_gels,
)
from isthmus.gels.books import make_gel, parse_book
from isthmus.gels.spectrum import NM, OBSERVER, planck, rgb_through, xyz_through
from isthmus.output import Live, RigView
from isthmus.patch import index_of
from isthmus.profiles.colour import planck_xy
from isthmus.show.records import Show, Unit

CURVES = st.lists(st.floats(0, 1), min_size=31, max_size=31).map(np.array)


def fitted_observer() -> np.ndarray:
    """The same observer by another road: sums of lopsided bells (Wyman, Sloan and Shirley, JCGT 2(2), 2013)."""

    def bell(at: float, left: float, right: float) -> np.ndarray:
        return np.exp(-0.5 * ((NM - at) * np.where(at > NM, left, right)) ** 2)

    x = (
        0.362 * bell(442.0, 0.0624, 0.0374)
        + 1.056 * bell(599.8, 0.0264, 0.0323)
        - 0.065 * bell(501.1, 0.0490, 0.0382)
    )
    y = 0.821 * bell(568.8, 0.0213, 0.0247) + 0.286 * bell(530.9, 0.0613, 0.0322)
    z = 1.217 * bell(437.0, 0.0845, 0.0278) + 0.681 * bell(459.0, 0.0385, 0.0725)
    return np.array([x, y, z])


def test_the_observer_and_the_lamps_agree_with_published_fits() -> None:
    assert np.abs(OBSERVER - fitted_observer()).max() < 0.06
    for kelvin in (2400.0, 3200.0, 5600.0, 9000.0):
        xyz = OBSERVER @ planck(kelvin)
        assert xyz[:2] / xyz.sum() == pytest.approx(planck_xy(kelvin), abs=0.002)


@given(CURVES)
def test_light_through_any_filter_is_in_gamut_and_as_bright_as_it_should_be(
    curve: np.ndarray,
) -> None:
    for kelvin in (3200.0, 5600.0):
        rgb = rgb_through(curve, kelvin)
        fit = fitted_observer()[1]
        assert rgb.min() >= 0 and np.isfinite(rgb).all()
        assert xyz_through(curve, kelvin)[1] == pytest.approx(
            float(fit @ (planck(kelvin) * curve) / (fit @ planck(kelvin))), abs=0.02
        )
    assert rgb_through(np.ones(31), 3200) == pytest.approx([1, 1, 1], abs=1e-6)


@given(CURVES, CURVES)
def test_stacked_gels_let_through_what_both_do(a: np.ndarray, b: np.ndarray) -> None:
    gels = (
        make_gel("Reed", "R1", "", tuple(map(float, a))),
        make_gel("Reed", "R2", "", tuple(map(float, b))),
    )
    both = colour_of(gels, "R1 + R2")
    assert both is not None and both == pytest.approx(rgb_through(a * b, 3200), abs=1e-9)
    assert colour_of(gels, "R1 + R9") is None and split_gels("R1 + open") == ["R1"]


def test_the_shipped_book_is_large_sound_and_warm_to_cold() -> None:
    (book,) = [b for b in books_at_hand() if b.name == "Tidewater"]
    assert (
        len(book.gels) >= 120
        and not book.faults
        and len({g.code for g in book.gels}) == len(book.gels)
    )
    assert all(g.daylight and min(g.rgb) >= 0 and len(g.curve) == 31 for g in book.gels)
    red, blue = find_gels(book.gels, "T305")[0], find_gels(book.gels, "tidewater t705")[0]
    assert red.rgb[0] > 5 * max(red.rgb[1], red.rgb[2], 1e-3) and blue.rgb[2] > 5 * blue.rgb[0]


def test_books_come_as_colours_curves_or_columns_of_wavelengths_and_their_faults_are_told(
    tmp_path: Path,
) -> None:
    flat = parse_book(
        b"Code;Name;Colour\nQ1;Sluice;#2040FF\nQ2;;20 90 200\nQ1;again;#000000\n;none;#111111\nQ3;odd;teal\n",
        "Quay",
        "quay.csv",
    )
    assert (
        [g.code for g in flat.gels] == ["Q1", "Q2"]
        and len(flat.faults) == 3
        and "Line 4" in flat.faults[0]
    )
    waves = parse_book(
        b"Code,Name,400 nm,500,600,700\nW1,Half,50,50,50,50\nW2,Bad,50,500,50,50\n",
        "Waves",
        "w.csv",
    )
    assert waves.gels[0].rgb == pytest.approx((0.5, 0.5, 0.5), abs=0.001) and len(waves.faults) == 1
    row = " ".join(["0,5"] * 31)
    assert parse_book(f"Code;Curve\nC1;{row}\n".encode(), "C", "c").gels[0].rgb == pytest.approx(
        (0.5, 0.5, 0.5), abs=0.001
    )
    for data in (b"", b"Name\nx\n", b"\x00\x01\x02", b"Code,Colour\n,\n"):
        with pytest.raises(FileFault):
            parse_book(data, "x", "x.csv")
    kept = keep_book(b"Code,Colour\nK1,#FF0000\n", "My/../book", "k.csv")
    assert kept.gels[0].book == "My/../book" and any(
        "K1" in [g.code for g in b.gels] for b in books_at_hand()
    )
    with pytest.raises(FileFault):
        read_book(tmp_path / "none.csv")


def test_the_same_code_in_two_books_stays_two_gels() -> None:
    quay = parse_book(b"Code,Colour\nT105,#0000FF\n", "Quay", "q.csv")
    tide = next(b for b in books_at_hand() if b.name == "Tidewater")
    show = as_hung()
    with pytest.raises(EntryFault, match="2 swatch books"):
        set_gel(show, ["u401"], "T105", [tide, quay])
    alone = set_gel(show, ["u401"], "T105", [tide])
    assert index_of(alone).by_id["u401"].gel == "T105"
    both = set_gel(
        alone, ["u402"], "Quay T105", [tide, quay]
    )  # the other comes in: the first goes on meaning what it did
    units = index_of(both).by_id
    assert (units["u401"].gel, units["u402"].gel) == ("Tidewater T105", "Quay T105")
    first, second = (colour_of(both.gels, units[u].gel) for u in ("u401", "u402"))
    assert (
        first is not None and second is not None and first[0] > 0.5 and second[2] > 0.5 > second[0]
    )
    assert (
        index_of(set_gel(show, ["u401"], "Elsewhere 9", [tide])).by_id["u401"].gel == "Elsewhere 9"
    )  # the paper may know better


def test_the_stage_tints_by_gel_and_by_lamp() -> None:
    tide = next(b for b in books_at_hand() if b.name == "Tidewater")
    show = set_gel(as_hung(), ["u401"], "T705", [tide])
    live = Live(show)
    live.light_up(["u401", "u402"])
    glow = RigView(show, live.compiled).glow(live.frame)
    assert glow["u401"][1][2] == 1.0 and glow["u401"][1][0] < 0.3 and isinstance(show, Show)
    plain = replace(show, units=tuple(replace(u, gel="") for u in show.units))
    bare = RigView(plain, live.compiled).glow(live.frame)
    assert bare["u401"][1][0] > glow["u401"][1][0] and isinstance(plain.units[0], Unit)
