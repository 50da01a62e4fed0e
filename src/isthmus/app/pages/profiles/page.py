"""The Profiles page: library, manual, adapt, exchange, and what is done with the profile that is
chosen.
"""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QProgressBar, QWidget

from isthmus.app.kit.actions import Action
from isthmus.app.kit.dialogs import ask
from isthmus.app.kit.tasks import away
from isthmus.app.kit.theme import font
from isthmus.app.kit.widgets import bind, button, label
from isthmus.app.model.house import House
from isthmus.app.model.library_link import LibraryLink
from isthmus.app.pages.base import Page
from isthmus.app.pages.patch.dialogs.add import AddDialog
from isthmus.app.pages.profiles.actions import actions_of
from isthmus.app.pages.profiles.dialogs.questions import BorrowDialog, GenericDialog
from isthmus.app.pages.profiles.views.adapt import AdaptView
from isthmus.app.pages.profiles.views.exchange import ExchangeView
from isthmus.app.pages.profiles.views.library import LibraryView
from isthmus.app.pages.profiles.views.manual import ManualView
from isthmus.errors import IsthmusError
from isthmus.library import importing
from isthmus.library.shelf import keep_own
from isthmus.patch.follow import grown
from isthmus.patch.swap_profile import preview_swap, swap_profile, using
from isthmus.plural import many
from isthmus.profiles.channel_table import channel_table
from isthmus.profiles.gdtf import read_members
from isthmus.profiles.records import Profile
from isthmus.profiles.store import profiles_of, stored_of
from isthmus.show.files import write_atomically
from isthmus.show.records import StoredProfile

VIEWS = ("Library", "From a manual", "Adapt", "Exchange")


class ProfilesPage(Page):
    title = "Profiles"
    context = (
        *(
            "profiles.patch",
            "",
            "profiles.like",
            "profiles.compare",
            "profiles.adapt",
            "profiles.borrow",
            "",
        ),
        *("profiles.download", "profiles.export", "profiles.import"),
    )

    def __init__(self, house: House) -> None:
        super().__init__(house)
        bench = house.bench
        self.link = LibraryLink(self)
        self.link.told.connect(bench.tell)
        self.library = LibraryView(self.link)
        self.library.told.connect(bench.tell)
        self.manual = ManualView(bench, self)
        self.adapt = AdaptView(bench, self)
        self.exchange = ExchangeView(bench, self)
        self.add_switches(VIEWS)
        self.column.addSpacing(4)
        self.column.addWidget(self.stack, 1)
        self.column.addLayout(self._foot())
        self.take_views(
            dict(zip(VIEWS, (self.library, self.manual, self.adapt, self.exchange), strict=True))
        )
        self.library.chosen.connect(self._chosen)
        self.link.progressed.connect(self._progress)
        self.link.ended.connect(self._built)
        bind(self.link.changed, self, self._counts)
        self._chosen()

    def actions(self) -> list[Action]:
        return actions_of(self)

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(0, 8, 0, 0)
        row.setSpacing(6)
        self.progress = QProgressBar()
        self.progress.setFixedSize(180, 18)
        self.progress.setFont(font("caption"))
        self.stop = button("Stop", "quiet", self.link.cancel, 24)
        self.state = label("", "quiet", "caption")
        row.addWidget(self.progress)
        row.addWidget(self.stop)
        row.addWidget(self.state, 1)
        self.acts_row: list[QWidget] = []
        for words, run, name in (
            ("Generic…", "profiles.generic", ""),
            ("Find similar", "profiles.like", ""),
            ("Compare with…", "profiles.compare", ""),
            ("Derive…", "profiles.borrow", ""),
            ("Adapt a copy", "profiles.adapt", ""),
            ("Save as GDTF…", "profiles.export", ""),
        ):
            made = self.acts.button(run, words, name=name)
            self.acts_row.append(made)
            row.addWidget(made)
        self.fetch_it = self.acts.button("profiles.download", "Download")
        self.acts_row.append(self.fetch_it)
        row.addWidget(self.fetch_it)
        self.add_it = self.acts.button("profiles.patch", "Add units…", "primary", 30)
        self.acts_row.append(self.add_it)
        row.addWidget(self.add_it)
        self.progress.hide()
        self.stop.hide()
        return row

    # ------------------------------------------------------------ moving about

    def entered(self) -> None:
        self.link.watch()
        super().entered()

    def show_view(self, name: str) -> None:
        super().show_view(name)
        for widget in self.acts_row:
            widget.setVisible(name == "Library")
        self._chosen()
        self._counts()

    def search_here(self) -> None:
        self.here("Library")
        self.library.look_for("")

    def _counts(self) -> None:
        try:
            columns = self.link.shelf.columns
        except IsthmusError as error:
            self.bench.tell("fault", str(error))
            return
        self.head.say(str(len(columns.p_id)), "profiles", str(len(columns)), "modes")

    def _progress(self, done: int, total: int, name: str) -> None:
        self.progress.show()
        self.stop.show()
        self.progress.setRange(0, total)
        self.progress.setValue(done)
        self.state.setText(f"Reading {name}")

    def _built(self, words: str) -> None:
        self.progress.hide()
        self.stop.hide()
        self.state.setText(words)

    def _chosen(self) -> None:
        has = self.library.profile is not None
        for widget in self.acts_row[1:]:
            widget.setEnabled(has)
        offered = self.library.entry is not None and self.library.entry.offered
        self.fetch_it.setVisible(offered and self.stack.currentWidget() is self.library)
        self.fetch_it.setEnabled(offered)
        self.acts.refresh()

    # ------------------------------------------------------------ acts

    def add_units(self) -> None:
        view = self.library
        if view.stored is not None and view.mode is not None:
            AddDialog(self.bench, self.house.over, view.stored, view.mode.name).open()

    def find_its_like(self) -> None:
        view = self.library
        if view.profile is not None and view.mode is not None:
            view.look_for_like(channel_table(view.profile, view.mode))

    def download_chosen(self) -> None:
        """Fetch the offer that is chosen, and choose it again once it is here."""
        if self.library.entry is not None:
            path = self.link.shelf.details(self.library.entry.profile_id)[0]
            self.exchange.download_offer(path.removeprefix("exchange:"))

    def compare_from_here(self) -> None:
        view = self.library
        if view.profile is not None and view.mode is not None:
            view.compare_with(channel_table(view.profile, view.mode))

    def adapt_copy(self) -> None:
        view = self.library
        if view.profile is not None and view.mode is not None and view.stored is not None:
            self.adapt.begin(
                view.profile, view.mode.name, read_members(view.stored.data, view.stored.file)
            )
            self.show_view("Adapt")

    def borrow(self) -> None:
        view = self.library
        if view.profile is not None and view.stored is not None:
            BorrowDialog(
                self, view.profile, read_members(view.stored.data, view.stored.file)
            ).open()

    def compose_generic(self) -> None:
        GenericDialog(self).open()

    def export(self) -> None:
        view = self.library
        if view.stored is None:
            return
        name, _ = QFileDialog.getSaveFileName(
            self.house.over,
            "Save as GDTF",
            view.stored.file,
            "GDTF profiles (*.gdtf)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if name:
            write_atomically(Path(name), view.stored.data)
            self.bench.tell("note", f"Saved {name}.")

    def import_files(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self.house.over,
            "Import GDTF files",
            "",
            "GDTF profiles (*.gdtf);;All files (*)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        for name in names:
            self.bench.guard(lambda n=name: self.import_file(Path(n)))

    def import_file(self, path: Path) -> None:
        """Keep a file as it came; another own profile of its name is asked about. Raises
        FileFault.
        """
        waiting = away(lambda: importing.look_at(path))
        how: str | None = ""
        if waiting.clash:
            words = (
                f"You have another profile {waiting.profile.title} of your own. What becomes of it?"
            )
            how = ask(
                self.house.over,
                "A profile of this name is there",
                words,
                list(importing.CLASHES.items()),
            )
            if how is None:
                return
        kept = importing.keep(waiting, how)
        if kept is None:
            return
        self.link.update()
        if waiting.notices:
            self.bench.tell(
                "attention", f"Imported {waiting.profile.title} as it came; it has {waiting.words}"
            )
        else:
            self.bench.tell("note", f"Imported {waiting.profile.title} ({kept.name}).")

    # ------------------------------------------------------------ own profiles

    def keep(self, profile: Profile, members: dict[str, bytes] | None = None) -> StoredProfile:
        """Save a profile among one's own and bring the library up to date. Raises FileFault."""
        path, data = away(lambda: keep_own(profile, members))
        self.link.update()
        self.bench.tell("note", f"Saved {profile.title} to your profiles ({path.name}).")
        return stored_of(profile, data)

    def offer(self, source: Profile, stored: StoredProfile) -> None:
        """Offer a profile to the units that use its source."""
        show = self.bench.show
        key = next(
            (key for key, kept in profiles_of(show).profiles.items() if kept.id == source.id), ""
        )
        units = using(show, key) if key else []
        if not units:
            return
        changes = preview_swap(show, key, stored)
        told = "\n".join(
            f"{c.old} becomes {c.new} ({c.units} units): "
            f"{'; '.join(c.differs[:4]) or 'nothing differs'}"
            for c in changes
        )
        words = f"{many(len(units), 'unit')} of this show use {key}.\n\n{told}"
        if (
            ask(
                self.house.over,
                "Use it in this show?",
                words,
                [("yes", f"Give them {stored.key}"), ("no", "Leave them")],
            )
            == "yes"
        ):
            after = swap_profile(self.bench.show, key, stored)
            self.bench.place(
                f"give {many(len(units), 'unit')} {stored.key}",
                grown(self.bench.show, after, [u.id for u in units]),
            )

    def shut_down(self) -> None:
        self.exchange.stop()
        self.link.stop()
