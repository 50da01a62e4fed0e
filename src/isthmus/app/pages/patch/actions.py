"""What can be done on the Patch page."""

from __future__ import annotations

from typing import TYPE_CHECKING

from isthmus.app.kit.actions import Action

if TYPE_CHECKING:
    from isthmus.app.pages.patch.page import PatchPage


def actions_of(page: PatchPage) -> list[Action]:
    group, table = page.title, page.units.table
    return [
        Action(
            "patch.add",
            "Add units…",
            page.add_units,
            "Ctrl+Shift+A",
            help="Add units of a mode, with a preview",
            group=group,
        ),
        Action(
            "patch.hang_list",
            "Read a hang list…",
            page.read_list,
            "Ctrl+L",
            help="Read the paper from CSV",
            group=group,
        ),
        Action(
            "patch.paste_list",
            "Paste a hang list",
            page.paste_list,
            "Ctrl+Alt+V",
            help="Read a table from the clipboard",
            group=group,
        ),
        Action(
            "patch.unread", "Correct unread lines of the paper…", page.unread_lines, group=group
        ),
        Action(
            "patch.fill",
            "Fill down",
            table.fill_down,
            "Ctrl+D",
            help="The first cell into those below",
            group=group,
        ),
        Action(
            "patch.series",
            "Fill as a series",
            table.fill_series,
            "Ctrl+Alt+D",
            help="Numbers and addresses go on",
            group=group,
        ),
        Action("patch.replace", "Find and replace…", page.replace, "Ctrl+Alt+H", group=group),
        Action(
            "patch.copy_rows", "Copy rows with headings", page.copy_rows, "Ctrl+Alt+X", group=group
        ),
        Action(
            "patch.unfold",
            "Unfold the selected unit",
            page.units.toggle_unfold,
            "Ctrl+Shift+E",
            help="Its channels",
            group=group,
        ),
        Action(
            "patch.readdress",
            "Re-address…",
            page.readdress,
            "Ctrl+Alt+R",
            help="Solved as a whole",
            group=group,
        ),
        Action(
            "patch.swap",
            "Change profile or mode…",
            page.swap,
            "Ctrl+Alt+M",
            "selection",
            help="For many at once",
            group=group,
        ),
        Action(
            "patch.next_free",
            "Patch at the next free address",
            page.next_free,
            "Ctrl+Shift+F",
            "selection",
            group=group,
        ),
        Action(
            "patch.renumber",
            "Renumber…",
            page.renumber,
            "Ctrl+Shift+J",
            "selection",
            help="From a number, gaps kept or closed",
            group=group,
        ),
        Action("patch.unpatch", "Unpatch", page.unpatch, "Ctrl+Shift+U", "selection", group=group),
        Action(
            "patch.lock",
            "Lock addresses",
            lambda: page.lock(True),
            "Ctrl+Shift+K",
            "selection",
            group=group,
        ),
        Action(
            "patch.unlock",
            "Unlock addresses",
            lambda: page.lock(False),
            "",
            "selection",
            group=group,
        ),
        Action(
            "patch.copy",
            "Copy units",
            page.copy_units,
            "Ctrl+Shift+Y",
            "selection",
            help="With the next numbers",
            group=group,
        ),
        Action("patch.remove", "Remove units", page.remove, "Ctrl+Del", "selection", group=group),
    ]
