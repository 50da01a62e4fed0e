"""Every page, view and dialog at three sizes of the window and three scales of the screen: words fit, nothing is cut off, nothing overlaps; and the two themes differ in colours alone."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtWidgets import QWidget

from isthmus.app.kit.theme import stylesheet, theme
from isthmus.show import Show

TESTS = Path(__file__).parents[1]


@pytest.mark.parametrize("scale", ["1", "2"])
def test_words_have_their_room_on_every_page_view_and_dialog(scale: str) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "helpers.room"],
        capture_output=True,
        text=True,
        cwd=TESTS,
        env={**os.environ, "QT_SCALE_FACTOR": scale},
        timeout=170,
    )
    assert done.returncode == 0, done.stderr[-2000:]
    trouble = json.loads(done.stdout)
    assert not trouble, "\n".join(
        f"{place}: {t}" for place, found in trouble.items() for t in found
    )


def test_the_themes_differ_in_colours_alone(make_window) -> None:
    """So a layout that holds in one holds in the other."""
    make_window()
    sheets = []
    for name in ("night", "day"):
        theme.set(name)
        sheets.append(re.sub(r"#[0-9a-fA-F]{3,8}|rgba?\([^)]*\)", "colour", stylesheet()))
    theme.set("night")
    assert sheets[0] == sheets[1]


def test_tab_walks_through_a_view_and_comes_back(make_window, demo: Show) -> None:
    window = make_window(demo, page="Profiles")
    page = window.pages["Profiles"]
    page.library.needle.setFocus()
    seen: list[QWidget] = []
    for _ in range(160):
        window.focusNextChild()
        now = window.focusWidget()
        if now is page.library.needle:
            break
        seen.append(now)
    assert window.focusWidget() is page.library.needle, "the walk does not come back"
    reached = {w.objectName() for w in seen}
    assert {
        "footprint",
        "on channel 1",
        "has none of",
        "results",
        "find in chart",
        "chart",
    } <= reached


@pytest.mark.parametrize("name", ["night", "day"])
def test_text_on_chosen_cells_is_readable_in_both_themes(name: str) -> None:
    """WCAG 2.1, relative luminance and contrast: 4.5 to 1 for text."""
    before = theme.name
    theme.set(name)

    def luminance(role: str) -> float:
        colour = theme.color(role)
        parts = [
            v / 12.92 if v <= 0.03928 else ((v + 0.055) / 1.055) ** 2.4
            for v in (colour.redF(), colour.greenF(), colour.blueF())
        ]
        return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

    try:
        for ground in ("block", "select_row", "deep"):
            for text in ("text", "text2"):
                a, b = sorted((luminance(text), luminance(ground)), reverse=True)
                assert (a + 0.05) / (b + 0.05) >= 4.5, f"{text} on {ground} in {name}"
    finally:
        theme.set(before)
