"""What can be done on the Profiles page."""

from __future__ import annotations

from typing import TYPE_CHECKING

from isthmus.app.kit.actions import Action

if TYPE_CHECKING:
    from isthmus.app.pages.profiles.page import ProfilesPage


def actions_of(page: ProfilesPage) -> list[Action]:
    page.acts.condition("profile", lambda: page.library.profile is not None)
    page.acts.condition(
        "offer", lambda: page.library.entry is not None and page.library.entry.offered
    )
    return [
        Action(
            "profiles.search",
            "Search the library",
            page.search_here,
            "Ctrl+Shift+L",
            group="Profiles",
        ),
        Action(
            "profiles.manual",
            "Read chart from a manual",
            lambda: page.here("From a manual"),
            "Ctrl+Shift+M",
            group="Profiles",
        ),
        Action(
            "profiles.generic",
            "Generic profile…",
            page.compose_generic,
            "Ctrl+Shift+G",
            group="Profiles",
        ),
        Action(
            "profiles.exchange",
            "Browse the exchange",
            lambda: page.here("Exchange"),
            group="Profiles",
        ),
        Action("profiles.import", "Import GDTF files…", page.import_files, group="Profiles"),
        Action(
            "profiles.folder",
            "Add a folder or drive of profiles…",
            page.library.finder.add_folder,
            group="Profiles",
        ),
        Action(
            "profiles.patch",
            "Add units with this mode…",
            page.add_units,
            "Ctrl+Alt+A",
            "profile",
            group="Profiles",
        ),
        Action(
            "profiles.like",
            "Find similar charts",
            page.find_its_like,
            "Ctrl+Alt+L",
            "profile",
            group="Profiles",
        ),
        Action(
            "profiles.download", "Download", page.download_chosen, "", "offer", group="Profiles"
        ),
        Action(
            "profiles.compare",
            "Compare with…",
            page.compare_from_here,
            "Ctrl+Alt+C",
            "profile",
            group="Profiles",
        ),
        Action(
            "profiles.adapt",
            "Adapt a copy",
            page.adapt_copy,
            "Ctrl+Alt+E",
            "profile",
            group="Profiles",
        ),
        Action(
            "profiles.borrow",
            "Derive a profile for another model…",
            page.borrow,
            "Ctrl+Alt+B",
            "profile",
            group="Profiles",
        ),
        Action("profiles.export", "Save as GDTF…", page.export, "", "profile", group="Profiles"),
    ]
