"""The exchange: what was last seen of it, downloads, newer revisions for the show, and sharing
one's own.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QProgressBar, QVBoxLayout, QWidget

from isthmus.app.kit.dialogs import ask
from isthmus.app.kit.tasks import Step, Task
from isthmus.app.kit.theme import font
from isthmus.app.kit.widgets import (
    PageView,
    RowsModel,
    Section,
    bind,
    button,
    field,
    label,
    plain_table,
)
from isthmus.app.model.workbench import Workbench
from isthmus.errors import IsthmusError
from isthmus.library import Index as LibraryIndex
from isthmus.library import index_path
from isthmus.library.exchange import (
    Catalogue,
    CatalogueEntry,
    Exchange,
    default_url,
    downloaded,
    newer_in,
    read_catalogue,
)
from isthmus.library.sources import downloads_folder
from isthmus.library.tokens import keep_token, kept_token
from isthmus.patch.follow import grown
from isthmus.patch.swap_profile import preview_swap, swap_profile
from isthmus.plural import many
from isthmus.show.records import StoredProfile

if TYPE_CHECKING:
    from isthmus.app.pages.profiles.page import ProfilesPage

WIDTHS = (160, 180, 56, 130, 150, 90, 96, 50)


class Offers(RowsModel):
    COLUMNS = ("Maker", "Model", "Modes", "By", "Proven", "Rating", "Revision", "Here")
    MEDIUM = (1,)
    MONO = (2, 5, 6)

    def __init__(self) -> None:
        super().__init__()
        self.here: set[str] = set()

    def show_offers(self, entries: list[CatalogueEntry], here: set[str]) -> None:
        self.beginResetModel()
        self.rows, self.here = entries, here
        self.endResetModel()

    def cells(self, row: CatalogueEntry) -> Sequence[str]:
        proven = [
            words
            for words, yes in (("in 3-D", row.proven_3d), ("on a unit", row.proven_unit))
            if yes
        ]
        return (
            row.maker,
            row.model,
            str(len(row.facts.modes)),
            f"{row.uploader}, {'the maker' if row.by_maker else 'a user'}",
            " and ".join(proven) or "not yet",
            f"{row.rating:.1f} of {row.ratings}" if row.ratings else "none yet",
            row.revision[:10],
            "yes" if row.ident in self.here else "",
        )

    def ink(self, row: CatalogueEntry, column: int) -> str:
        if column == 4 and not (row.proven_3d or row.proven_unit):
            return "text3"
        return {1: "text", 7: "teal"}.get(column, "text2")


class ExchangeView(PageView):
    def __init__(self, bench: Workbench, page: ProfilesPage) -> None:
        super().__init__()
        self.bench, self.page = bench, page
        self.catalogue: Catalogue | None = None
        self._task: Task | None = None
        self._asked: Exchange | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        top = QHBoxLayout()
        self.url = field("address of the exchange", default_url())
        self.url.setFixedWidth(200)
        self.token = field("token", self._kept(), "token, for sharing")
        self.token.setEchoMode(QLineEdit.EchoMode.Password)
        self.token.setFixedWidth(150)
        self.token.editingFinished.connect(
            lambda: bench.guard(lambda: keep_token(self._exchange().where, self.token.text()))
        )
        self.url.editingFinished.connect(lambda: self.token.setText(self._kept()))
        self.needle = field("only offers that mention", "", "Only offers that mention…")
        self.needle.setFixedWidth(190)
        self.needle.textChanged.connect(lambda _: self._fill())
        top.addWidget(self.needle)
        top.addStretch(1)
        top.addWidget(label("Exchange", "quiet", "caption"))
        top.addWidget(self.url)
        top.addWidget(self.token)
        top.addWidget(button("Ask again", run=self.refresh))
        column.addLayout(top)
        self.state = label("", "quiet", "caption", wrap=True)
        column.addWidget(self.state)
        self.offers = Offers()
        self.table = plain_table(self.offers, "offers", "Profiles on the exchange", WIDTHS, 3)
        self.table.doubleClicked.connect(lambda _: self.download())
        column.addWidget(self.table, 3)
        acts = QHBoxLayout()
        self.progress = QProgressBar()
        self.progress.setFixedSize(180, 18)
        self.progress.setFont(font("caption"))
        self.progress.hide()
        self.stop_it = button("Stop", "quiet", self.stop, 24)
        self.stop_it.hide()
        acts.addWidget(self.progress)
        acts.addWidget(self.stop_it)
        acts.addStretch(1)
        acts.addWidget(button("Share the selected profile", run=self.share))
        self.get = button("Download", "primary", self.download, 28)
        acts.addWidget(self.get)
        column.addLayout(acts)
        column.addWidget(Section("Newer revisions for this show"))
        self.newer = QVBoxLayout()
        column.addLayout(self.newer)
        bind(bench.changed, self, self._fill_newer)

    # ------------------------------------------------------------ showing

    def entered(self) -> None:
        """Show what was last seen, and ask for what is there now."""
        self.catalogue = read_catalogue()
        self._fill()
        self._fill_newer()
        self.refresh()

    def _fill(self) -> None:
        words = self.needle.text().lower().split()
        entries = self.catalogue.entries if self.catalogue else []
        shown = [
            e
            for e in entries
            if all(word in f"{e.maker} {e.model} {e.uploader}".lower() for word in words)
        ]
        here = {
            row[0]
            for row in self.page.link.shelf.db.execute(
                "SELECT ident FROM profile p JOIN file f ON f.id = p.file WHERE f.path NOT "
                "LIKE 'exchange:%'"
            )
        }
        self.offers.show_offers(shown, here)
        hidden = len(entries) - len(shown)
        self.state.setText(
            f"{many(len(entries), 'profile')} on "
            f"offer{f', {hidden} hidden by the filter' if hidden else ''}."
            if entries
            else "Nothing has been seen of the exchange yet."
        )

    def _fill_newer(self) -> None:
        while (item := self.newer.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        found = newer_in(self.bench.show, self.catalogue) if self.catalogue else []
        for stored, revision, entry in found[:4]:
            row = QWidget()
            line = QHBoxLayout(row)
            line.setContentsMargins(0, 0, 0, 0)
            line.addWidget(
                label(
                    f"{stored.key}: {revision[:10]} here, {entry.revision[:10]} on offer",
                    weight=500,
                ),
                1,
            )
            line.addWidget(
                button(
                    "See what differs…",
                    run=lambda s=stored, e=entry: self.take_newer(s, e),
                    name=f"newer {stored.key}",
                )
            )
            self.newer.addWidget(row)
        if not found:
            self.newer.addWidget(
                label(
                    "Every profile of the show is as new as what is on offer."
                    if self.catalogue
                    else "Not known yet.",
                    "quiet",
                    "caption",
                )
            )

    # ------------------------------------------------------------ work

    def _kept(self) -> str:
        """The token of the server whose address stands there: one is never shown to another."""
        try:
            return kept_token(Exchange(self.url.text()).where)
        except IsthmusError:
            return ""

    def _exchange(self) -> Exchange:
        return Exchange(self.url.text().strip(), self.token.text().strip())

    def _run(self, exchange: Exchange, work: Any, done: Any) -> None:
        if self._task is not None:
            self.bench.tell("attention", "The exchange is being asked already.")
            return
        task = self._task = Task(work, self)
        self._asked = exchange
        self.progress.setRange(0, 0)
        self.progress.show()
        self.stop_it.show()
        task.progressed.connect(self._progressed)
        task.done.connect(lambda result: self.bench.guard(lambda: done(result)))
        task.failed.connect(self._failed)
        task.ended.connect(self._ended)
        task.start()

    def _progressed(self, fraction: float, words: str) -> None:
        self.progress.setRange(0, 100)
        self.progress.setValue(int(100 * fraction))

    def _failed(self, error: IsthmusError) -> None:
        self.bench.tell("fault", str(error))
        self.state.setText(
            f"{self.state.text().split(' Not connected:')[0]} Not connected: {error.what}"
        )

    def _ended(self) -> None:
        self._task = None
        self.progress.hide()
        self.stop_it.hide()

    def stop(self) -> None:
        """Nothing is waited for that the network may keep."""
        if self._task is not None:
            self._task.cancel()
            if self._asked is not None:
                self._asked.stop()
            self._task.wait()

    def refresh(self) -> None:
        if self._task is not None:
            return

        def work(step: Step) -> Catalogue:
            index = LibraryIndex(index_path())  # connections to SQLite belong to one thread each
            try:
                return exchange.refresh(index)
            finally:
                index.close()

        try:
            exchange = self._exchange()
        except IsthmusError as error:
            self.bench.tell("fault", str(error))
            return
        self._run(exchange, work, self._refreshed)

    def _refreshed(self, catalogue: Catalogue) -> None:
        self.catalogue = catalogue
        self.page.link.refresh()
        self._fill()
        self._fill_newer()

    def chosen(self) -> CatalogueEntry | None:
        row = self.table.currentIndex().row()
        return self.offers.rows[row] if 0 <= row < len(self.offers.rows) else None

    def download(self) -> None:
        entry = self.chosen()
        if entry is None:
            self.bench.tell("attention", "Select an offer first.")
            return
        self._get(entry)

    def download_offer(self, ident: str) -> None:
        """Fetch an offer by its id, from what was last seen of the exchange."""
        catalogue = self.catalogue or read_catalogue()
        entry = (
            next((e for e in catalogue.entries if e.ident == ident), None) if catalogue else None
        )
        if entry is None:
            self.bench.tell(
                "attention", "The exchange no longer has it, or was never seen; ask it again."
            )
            return
        self._get(entry)

    def _get(self, entry: CatalogueEntry) -> None:
        def done(_path: Any) -> None:
            self.page.link.update()
            self.bench.tell(
                "note", f"Downloaded {entry.maker} {entry.model} to {downloads_folder()}."
            )
            self._fill()

        self._fetch(entry, done)

    def _fetch(self, entry: CatalogueEntry, done: Any) -> None:
        exchange = self._exchange()
        self._run(
            exchange,
            lambda step: exchange.download(
                entry, lambda have, size: step(have / max(1, size), entry.model)
            ),
            done,
        )

    def take_newer(self, stored: StoredProfile, entry: CatalogueEntry) -> None:
        """Download a newer revision, show what differs for the show's units, and take it when
        wanted.
        """

        def done(path: Any) -> None:
            self.page.link.update()
            fresh = downloaded(path)
            changes = preview_swap(self.bench.show, stored.key, fresh)
            told = (
                "\n".join(
                    f"{c.new} ({c.units} units): {'; '.join(c.differs) or 'the chart is the same'}"
                    for c in changes
                )
                or "No unit uses it."
            )
            if (
                ask(
                    self.window(),
                    f"A newer {stored.key}",
                    told,
                    [("yes", "Use newer"), ("no", "Keep present")],
                )
                == "yes"
            ):
                after = swap_profile(self.bench.show, stored.key, fresh)
                self.bench.place(
                    f"use a newer {stored.key}",
                    grown(self.bench.show, after, [u.id for u in after.units]),
                )

        self._fetch(entry, done)

    def share(self) -> None:
        view = self.page.library
        if view.stored is None or view.entry is None or view.entry.source != "own":
            self.bench.tell("attention", "Select one of your own profiles in the library first.")
            return
        exchange, stored = self._exchange(), view.stored
        if exchange.token and exchange.in_the_open and not self._may_be_read(exchange.where):
            return
        self._run(
            exchange,
            lambda step: exchange.share(stored, openly=True),
            lambda _: (self.bench.tell("note", f"Shared {stored.key}."), self.refresh()),
        )

    def _may_be_read(self, where: str) -> bool:
        words = (
            f"{where} is not asked by https: whoever is on the way can read your token and use it."
        )
        choices = [("no", "Do not share"), ("yes", "Send it anyway")]
        return ask(self.window(), "Your token can be read", words, choices) == "yes"
