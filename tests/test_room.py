"""Every page at the smallest window and at the usual one: words fit where they stand, and every field has a name."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtGui import QFontMetrics
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractScrollArea,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QSpinBox,
    QTableView,
    QWidget,
)

from hands import dialog, findings_now, press, settle, until
from isthmus.app.kit.theme import theme
from isthmus.app.pages import PAGES
from isthmus.app.pages.patch.page import VIEWS as PATCH_VIEWS
from isthmus.app.pages.profiles.page import VIEWS
from isthmus.demo import EXTRA_LIST, as_hung
from isthmus.patch.addresses import place
from isthmus.patch.groups import propose_groups
from isthmus.patch.limits import set_limit
from isthmus.show import Show
from test_findings import all_answer
from test_manual import written


def words_of(widget: QWidget) -> str:
    if isinstance(widget, QComboBox):
        return widget.currentText()
    if isinstance(widget, QLineEdit):
        return widget.placeholderText() if not widget.text() else ""
    return widget.text() if isinstance(widget, (QAbstractButton, QLabel)) else ""


def cut_off(page: QWidget) -> list[str]:
    """What does not fit: words wider than their widget, or widgets that stand outside the one around them."""
    found = []
    for widget in page.findChildren(QWidget):
        if not widget.isVisible() or widget.width() <= 1:
            continue
        words = words_of(widget).replace("&", "")
        wide = max(
            (QFontMetrics(widget.font()).horizontalAdvance(line) for line in words.splitlines()),
            default=0,
        )
        extra = {QPushButton: 10, QComboBox: 24, QCheckBox: 20, QLineEdit: 12}.get(type(widget), 0)
        wraps = isinstance(widget, QLabel) and widget.wordWrap()
        if isinstance(widget, QPushButton) and widget.property("kind") in ("link", "quiet"):
            extra = 0
        if (
            words
            and not wraps
            and not isinstance(widget, QComboBox)
            and wide + extra > widget.width() + 2
        ):
            found.append(
                f"{type(widget).__name__} “{words}” needs {wide + extra}, has {widget.width()}"
            )
        if isinstance(widget, QPushButton):
            around = widget.parentWidget()
            scrolls = any(isinstance(up, QAbstractScrollArea) for up in ancestors(widget))
            if (
                around is not None
                and not scrolls
                and not around.rect().contains(QRect(widget.pos(), widget.size()))
            ):
                found.append(f"button “{words}” stands outside")
    return found


def ancestors(widget: QWidget) -> list[QWidget]:
    found, up = [], widget.parentWidget()
    while up is not None:
        found.append(up)
        up = up.parentWidget()
    return found


def overlapping(page: QWidget) -> list[str]:
    """Buttons and fields that lie on one another."""
    placed = [
        (w, QRect(w.mapTo(page, QPoint(0, 0)), w.size()))
        for w in page.findChildren(QWidget)
        if w.isVisible()
        and isinstance(w, (QPushButton, QComboBox, QLineEdit, QPlainTextEdit, QTableView))
    ]
    found = []
    for i, (a, where) in enumerate(placed):
        for b, other in placed[i + 1 :]:
            if a in ancestors(b) or b in ancestors(a) or a.parentWidget() is not b.parentWidget():
                continue
            if where.adjusted(1, 1, -1, -1).intersects(other.adjusted(1, 1, -1, -1)):
                found.append(
                    f"{a.objectName() or type(a).__name__} and {b.objectName() or type(b).__name__}"
                )
    return found


def trouble_in(page: QWidget) -> list[str]:
    """What does not fit once the layout has come to rest."""
    until(lambda: not (cut_off(page) or overlapping(page)), 2)
    return cut_off(page) + overlapping(page)


@pytest.mark.parametrize("size", [(1280, 800), (1000, 640)])
def test_no_word_is_cut_off_and_nothing_lies_on_anything_on_any_page(
    make_window, demo: Show, size: tuple[int, int]
) -> None:
    window = make_window(demo)
    window.resize(*size)
    settle(0.1)
    trouble: dict[str, list[str]] = {}
    for name in (e.title for e in PAGES):
        window.go(name)
        settle(0.15)
        page = window.pages[name]
        trouble[name] = trouble_in(page)
    window.go("Profiles")
    profiles = window.pages["Profiles"]
    assert until(lambda: len(profiles.link.shelf.columns) > 500 and not profiles.link.busy, 40)
    profiles.library.search()
    profiles.manual.source.setPlainText(written("\t"))
    profiles.manual.read()
    profiles.adapt_copy()
    for view in VIEWS:
        press(profiles, f"view {view}")
        settle(0.2)
        trouble[view] = trouble_in(profiles)
        assert profiles.rect().right() <= window.rect().right()
    assert not any(trouble.values()), "\n".join(
        f"{name}: {words}" for name, told in trouble.items() for words in told
    )


def test_every_field_and_table_says_its_name_and_takes_the_focus(make_window, demo: Show) -> None:
    window = make_window(demo, page="Profiles")
    page = window.pages["Profiles"]
    nameless = []
    for view in VIEWS:
        page.show_view(view)
        settle(0.05)
        for kind in (QLineEdit, QComboBox, QPlainTextEdit, QTableView):
            for widget in page.findChildren(kind):
                inner = any(isinstance(up, (QComboBox, QTableView)) for up in ancestors(widget))
                if (
                    widget.isVisible()
                    and not inner
                    and not widget.accessibleName()
                    and not getattr(widget, "placeholderText", str)()
                ):
                    nameless.append(f"{view}: {kind.__name__} {widget.objectName()}")
                if (
                    widget.isVisible()
                    and not inner
                    and widget.isEnabled()
                    and widget.focusPolicy() == Qt.FocusPolicy.NoFocus
                ):
                    nameless.append(f"{view}: {widget.objectName()} cannot be reached")
    assert nameless == []


@pytest.mark.parametrize("name", ["night", "day"])
def test_tab_walks_through_a_view_and_comes_back(make_window, demo: Show, name: str) -> None:
    window = make_window(demo, page="Profiles")
    theme.set(name)
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
    theme.set("night")


@pytest.mark.parametrize("size", [(1280, 800), (1000, 640)])
def test_no_word_is_cut_off_in_any_view_or_question_of_the_patch(
    make_window, demo: Show, size: tuple[int, int]
) -> None:
    window = make_window(demo, page="Patch")
    window.resize(*size)
    page, bench = window.pages["Patch"], window.bench
    bench.commit("groups", propose_groups(set_limit(demo, ["u101"], "Tilt", "-90", "45")))
    bench.selection.select(["u101", "u102"])
    trouble: dict[str, list[str]] = {}
    for view in PATCH_VIEWS:
        page.show_view(view)
        settle(0.15)
        trouble[view] = trouble_in(page)
        assert page.rect().right() <= window.rect().right()
    page.show_view("Units")
    page.units.needle.setText("201-208")
    page.units.toggle_unfold()
    settle(0.1)
    trouble["filtered and unfolded"] = trouble_in(page)
    for name, ask in (
        ("add units", page.add_units),
        ("another profile", page.swap),
        ("find and replace", page.replace),
        ("hang list", lambda: page.open_list(EXTRA_LIST)),
        ("ways out", lambda: page._ways(place(bench.show, {"u203": [(2, 60)]}), "x")),
        ("re-address", page.readdress),
    ):
        ask()
        asked = dialog(name)
        settle(0.15)
        trouble[name] = trouble_in(asked)
        asked.reject()
        settle(0.05)
    assert not any(trouble.values()), "\n".join(
        f"{name}: {words}" for name, told in trouble.items() for words in told
    )


def test_every_field_of_the_patch_has_a_name_and_can_be_reached_by_keys(
    make_window, demo: Show
) -> None:
    window = make_window(demo, page="Patch")
    window.bench.selection.select(["u101"])
    for view in PATCH_VIEWS:
        window.pages["Patch"].show_view(view)
        settle(0.05)
        for widget in window.pages["Patch"].findChildren(QWidget):
            if widget.isVisible() and isinstance(
                widget, (QComboBox, QLineEdit, QPlainTextEdit, QTableView, QCheckBox)
            ):
                named = (
                    widget.accessibleName()
                    or widget.objectName()
                    or (widget.text() if isinstance(widget, QCheckBox) else "")
                )
                inside = isinstance(widget.parentWidget(), QComboBox)
                assert named or inside, f"{view}: {type(widget).__name__} has no name"
                assert (
                    widget.focusPolicy() != Qt.FocusPolicy.NoFocus
                    or not widget.isEnabled()
                    or inside
                )


@pytest.mark.parametrize("size", [(1280, 800), (1000, 640)])
def test_no_word_is_cut_off_in_any_view_of_the_routes_and_every_field_has_a_name(
    make_window, demo: Show, size: tuple[int, int]
) -> None:
    window = make_window(demo, page="Routes")
    window.resize(*size)
    page, trouble = window.pages["Routes"], {}
    for view in page.views:
        page.show_view(view)
        settle(0.3)
        trouble[view] = trouble_in(page)
        for widget in page.findChildren(QWidget):
            if widget.isVisible() and isinstance(widget, (QComboBox, QLineEdit, QTableView)):
                assert widget.accessibleName() or isinstance(widget.parentWidget(), QComboBox), (
                    f"{view}: a {type(widget).__name__} has no name"
                )
        assert page.rect().right() <= window.rect().right()
    page.show_view("Routes")
    page.routes.choose("o1")
    for name, ask in (
        ("add", page.routes.add),
        ("change", page.routes.change),
        ("number", page.routes.number),
        ("plan", page.network.plan),
    ):
        ask()
        asked = dialog()
        settle(0.15)
        trouble[name] = trouble_in(asked)
        asked.reject()
        settle(0.05)
    assert not any(trouble.values()), "\n".join(
        f"{name}: {words}" for name, told in trouble.items() for words in told
    )


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


@pytest.mark.parametrize("size", [(1280, 800), (1000, 640)])
def test_no_word_is_cut_off_in_any_view_of_the_roll_call_and_every_field_has_a_name(
    make_window, size: tuple[int, int]
) -> None:
    show = all_answer(
        as_hung(),
        {
            "u105": {"result": "silent"},
            "u203": {"result": "wrong", "what": ["pan", "too"], "others": ["u204"]},
        },
    )
    window = make_window(show, page="Roll call")
    window.resize(*size)
    page, trouble = window.pages["Roll call"], {}
    findings_now(page.checks)
    for view in (*page.views, "Call while it is on"):
        if view == "Call while it is on":
            page.call.only.setText("101-110")
            window.bench.guard(page.call.begin)
        page.show_view(view.split(" ")[0])
        settle(0.2)
        trouble[view] = trouble_in(page)
        for widget in page.findChildren(QWidget):
            if widget.isVisible() and isinstance(widget, (QComboBox, QLineEdit, QTableView)):
                inside = isinstance(widget.parentWidget(), (QComboBox, QSpinBox))
                assert widget.accessibleName() or widget.objectName() or inside, (
                    f"{view}: a {type(widget).__name__} has no name"
                )
        assert page.rect().right() <= window.rect().right()
    assert not any(trouble.values()), "\n".join(
        f"{name}: {words}" for name, told in trouble.items() for words in told
    )
