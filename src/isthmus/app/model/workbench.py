"""The work being done: the show with its history. What else is shared while it is worked on hangs
on it, each in a class of its own.

Every change of the show goes through `commit`; views listen to `changed` and compare by identity
what concerns them.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable, Sequence
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from isthmus.app.model.filters import Filters
from isthmus.app.model.grid_tests import GridTests
from isthmus.app.model.known import Known
from isthmus.app.model.levels import Levels
from isthmus.app.model.looking import Looked
from isthmus.app.model.plan_state import PlanState
from isthmus.app.model.playing import Playing
from isthmus.app.model.proving import Proving
from isthmus.app.model.selection import Selection
from isthmus.app.model.session import CallSession
from isthmus.errors import IsthmusError
from isthmus.output import identity
from isthmus.output.turns import Turns
from isthmus.patch.addresses import Placing
from isthmus.show import History, Show
from isthmus.show.container import encode_show, open_damaged, save_show
from isthmus.show.files import write_atomically
from isthmus.show.holding import Stamp, stamp_of
from isthmus.show.records import Version
from isthmus.show.versions import SAVED, guarded, with_all, with_version, without_versions

UNTITLED = Show().name
HELD = 4  # bytes an edit takes in memory for each of its bytes on disk


class Workbench(QObject):
    changed = Signal(object, object)  # old show, new show
    adopted = Signal()  # another show, before anything of it is shown
    saved = Signal()
    title_changed = Signal()
    told = Signal(str, str)  # severity, sentence
    # a Placing whose addresses are in use, and what the edit is called
    clashing = Signal(object, str)

    def __init__(self, show: Show | None = None) -> None:
        super().__init__()
        self.history = History(show or Show())
        self.path: Path | None = None
        self.stamp: Stamp | None = None  # what its file was when it was last read or written here
        self.read_only = False  # its file is open elsewhere
        self.damage: list[str] = []  # what of its file could not be read
        # keeps an edit for a crash; how many bytes it is
        self.keep: Callable[[str, Show, Show], int] = lambda name, old, new: 0
        self.last_added: object = None  # what the Add dialog goes on from
        self._saved: Show | None = None  # what its file holds, until an edit makes it a version
        self._lineage = Show()  # versions of what its file held since it was opened

        self.looked: Looked | None = None  # a version in the place of what is now

        def now() -> Show:
            return self.show

        def sent() -> Show:
            return self.history.show

        self.selection = Selection(now)
        self.levels = Levels(sent, self.tell)
        self.plan = PlanState(now)
        self.filters = Filters()
        self.known = Known(now)
        self.session = CallSession(self, self.levels, self.selection)
        self.proving = Proving(self.levels)
        # a call and a test both hold the levels: the one that begins ends the other
        self.session.first = lambda: (self.look_at(None), self.proving.end())
        self.proving.first = lambda: (self.look_at(None), self.session.end())
        self.levels.held_by = self._holder
        self.levels.alone = lambda: self.session.alone or self.proving.alone
        self.playing = Playing(sent, self.levels)
        self.grid_tests = GridTests(self)
        for holder in (self.session, self.proving):  # who has the levels may have changed
            holder.changed.connect(self.playing.follow)

    def _holder(self) -> str:
        if self.session.call is not None:
            return "roll call"
        return "output test" if self.proving.proof is not None else ""

    @property
    def turns(self) -> Turns | None:
        """What a roll call or an output test asks as a function of the time."""
        return self.session.turns or self.proving.turns

    # ------------------------------------------------------------ the show

    @property
    def show(self) -> Show:
        """What is shown: what is now, or the version that is looked at."""
        return self.looked.show if self.looked else self.history.show

    def look_at(self, version: Version | None) -> None:
        """Show a version until it is left (None). Nothing can be changed meanwhile, and what is
        sent stays. Raises FileFault for one that is damaged.
        """
        if version is None and self.looked is None:
            return
        if version is not None and (who := self._holder()):
            self.tell("attention", f"The {who} holds the levels. End it to look at a version.")
            return
        old, live = self.show, self.levels.live
        now = self.history.show
        self.looked = Looked(now, version, live.snapshot()) if version else None
        self._seen(old)

    def _closed(self) -> bool:
        """Whether nothing can be changed, which is told."""
        if self.looked is not None:
            self.tell("attention", f"{self.looked.words} Come back to now first.")
        return self.looked is not None

    def adopt(
        self,
        show: Show,
        path: Path | None,
        saved: bool = True,
        stamp: Stamp | None = None,
        read_only: bool = False,
        damage: Sequence[str] = (),
    ) -> None:
        """Another show takes the place of this one; live levels and selection end. `stamp` is what
        its file was.
        """
        self.session.end()
        self.proving.end()
        self.look_at(None)
        old = self.show
        self.history = History(show)
        if not saved:
            self.history.mark_unsaved()
        self.path, self.stamp, self.read_only, self.damage = path, stamp, read_only, list(damage)
        self.last_added = None
        self._saved, self._lineage = (show if saved and path else None), Show()
        self.playing.begin_anew()
        self.levels.begin_anew()
        self.adopted.emit()
        self._after(old)

    def commit(self, name: str, show: Show) -> None:
        """Take an edit into the history under a name."""
        if self._closed():
            return
        old = self.show
        if (
            not show.sending.cid and show != old
        ):  # which device sends stays the same from here on, whatever the show is called
            show = replace(
                show,
                sending=replace(
                    show.sending, cid=identity(old).cid.hex() if old.units else uuid.uuid4().hex
                ),
            )
        if show is old or show == old:
            return
        show = self._with_versions(old, show)
        gone = self.history.gone
        self.history.commit(name, show, HELD * self.keep(name, old, show))
        if self.history.gone > gone == 0:
            self.tell(
                "note",
                f"Undo now reaches back {self.history.steps} edits; older ones are given up "
                "as you go on.",
            )
        self._after(old)

    def _with_versions(self, old: Show, show: Show) -> Show:
        """With what the file held, which a copy of it may hold still, and with what was before an
        edit that is a risk.
        """
        if self._saved is not None:
            self._lineage = with_version(self._lineage, self._saved, why=SAVED)
            self._saved = None
        return guarded(old, with_all(show, self._lineage))

    def keep_version(self, note: str) -> None:
        """What is there now, as a version with a note."""
        self.commit(f"Make version “{note}”", with_version(self.show, self.show, note))

    def place(self, name: str, placing: Placing) -> None:
        """Take new addresses into the history; when address in use, the ways out are
        asked for first.
        """
        if placing.in_the_way:
            self.clashing.emit(placing, name)
        else:
            self.commit(name, placing.show)

    def undo(self) -> None:
        if self._closed():
            return
        old, name = self.show, self.history.undo()
        self.keep(f"Undo {name}", old, self.show)
        self._after(old)
        self.tell("note", f"Undone: {name}.")

    def redo(self) -> None:
        if self._closed():
            return
        old, name = self.show, self.history.redo()
        self.keep(f"Redo {name}", old, self.show)
        self._after(old)
        self.tell("note", f"Redone: {name}.")

    def _after(self, old: Show) -> None:
        self.levels.live.set_show(self.show)
        self.playing.follow()
        self.session.follow()
        self._seen(old)

    def _seen(self, old: Show) -> None:
        """Another show than before is seen."""
        self.plan.see(None)
        self.changed.emit(old, self.show)
        self.title_changed.emit()
        self.levels.changed.emit()
        self.selection.follow()
        self.plan.follow()

    def open(self, path: Path, read_only: bool = False, copy: bool = False) -> None:
        """Raises FileFault; the show before then stays. A copy has no file yet."""
        show, damage = open_damaged(path)
        if copy:
            self.adopt(show, None, saved=False, damage=damage.words)
        else:
            self.adopt(show, path, stamp=stamp_of(path), read_only=read_only, damage=damage.words)

    def save(self, path: Path) -> None:
        """Raises FileFault; nothing then counts as saved. A show without a title takes that of its
        file.
        """
        self.look_at(None)
        self.name_after(path)
        data = encode_show(self.show)
        write_atomically(path, data)
        self.path, self.stamp, self.read_only, self.damage = path, stamp_of(path, data), False, []
        self.history.mark_saved()
        self._saved = self.show
        self.saved.emit()
        self.title_changed.emit()

    def name_after(self, path: Path) -> None:
        """A show that no one named is called like its file."""
        if (self.show.name == UNTITLED or self.show.named_by_file) and self.show.name != path.stem:
            self.commit(
                f"Name the show {path.stem}", replace(self.show, name=path.stem, named_by_file=True)
            )

    def entitle(self, name: str, venue: str) -> None:
        """Title and venue as the person has them."""
        name = name.strip() or UNTITLED
        self.commit(
            f"Name the show {name}",
            replace(self.show, name=name, venue=venue.strip(), named_by_file=False),
        )

    def save_copy(self, path: Path, versions: bool = True) -> None:
        """With its versions, or without them for passing on."""
        show = self.history.show
        save_show(show if versions else without_versions(show), path)

    # ------------------------------------------------------------ failure

    def tell(self, severity: str, sentence: str) -> None:
        self.told.emit(severity, sentence)

    def guard(self, run: Callable[[], object]) -> bool:
        """Run something a person asked for: an expected failure is told, and the show is
        unchanged.
        """
        try:
            run()
        except IsthmusError as error:
            self.tell("fault", str(error))
            return False
        return True
