"""The show as a file: new, open, save, who holds it, what another person wrote over it, and work
left by a crash.
"""

from __future__ import annotations

import time
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog

from isthmus.app.kit import settings
from isthmus.app.kit.changes import ChangesTable
from isthmus.app.kit.dialogs import ask
from isthmus.app.kit.log import LOG
from isthmus.app.model.keeping import Keeper
from isthmus.app.model.sides import FILES, ask_show
from isthmus.compare import difference, joined, with_both
from isthmus.compare.words import contents, differences
from isthmus.demo import whole_demo
from isthmus.errors import FileFault
from isthmus.plural import many
from isthmus.show import Show, open_show
from isthmus.show.container import SUFFIX
from isthmus.show.holding import Hold, Stamp, changed_since, free_name, holder_of, myself
from isthmus.show.recovery import Found
from isthmus.show.versions import root_of, with_all

if TYPE_CHECKING:
    from isthmus.app.shell.window import Window

SENTENCES = 12  # of what differs, in a question
TOLD = 5  # of what is left out of a file, in a line; the log has all


class ShowFiles:
    """What the window does with show files. Acts raise FileFault, which the window tells."""

    def __init__(self, window: Window) -> None:
        self.window, self.bench = window, window.bench
        self.keeper = Keeper(window.bench, window)
        self.hold: Hold | None = None

    # ------------------------------------------------------------ leaving and beginning

    def may_leave(self) -> bool:
        """Ask only when unsaved work would be lost. True when it is saved or given up."""
        count = self.bench.history.unsaved
        if not count:
            return True
        words = (
            f"“{self.bench.show.name}” has {many(count, 'change')} that "
            f"{'are' if count != 1 else 'is'} not saved."
        )
        answer = ask(self.window, "Save first?", words, [("save", "Save"), ("drop", "Do not save")])
        if answer == "save":
            return self.bench.guard(self.save) and self.bench.history.unsaved == 0
        return answer == "drop"

    def adopt(
        self,
        show: Show,
        path: Path | None,
        hold: Hold | None = None,
        saved: bool = True,
        stamp: Stamp | None = None,
    ) -> None:
        """Another show takes the place of this one; the file held before is released."""
        self._take_hold(hold)
        self.bench.adopt(show, path, saved, stamp)

    def _held(self, path: Path) -> Hold:
        """The hold of a file: the one there is, or a new one. Raises FileFault when the file is
        open elsewhere.
        """
        return (
            self.hold if self.hold is not None and self.hold.path == path.resolve() else Hold(path)
        )

    def _take_hold(self, hold: Hold | None) -> None:
        before, self.hold = self.hold, hold
        if before is not None and before is not hold:
            before.let_go()

    def new(self) -> None:
        if self.may_leave():
            self.adopt(Show(), None)

    def open_demo(self) -> None:
        if self.may_leave():
            self.adopt(whole_demo(), None)

    # ------------------------------------------------------------ opening

    def open(self) -> None:
        if not self.may_leave():
            return
        if path := ask_show(self.window, "Open a show", self._folder()):
            self.open_path(path)

    def open_path(self, path: Path) -> None:
        """Open a file, or ask how when it is open elsewhere. Raises FileFault; the show here then
        stays.
        """
        hold: Hold | None = None
        answer: str | None = "open"
        if path.exists():
            try:
                hold = self._held(path)
            except FileFault as fault:
                answer = self._ask_held(path, fault)
                if answer is None:
                    return
                if answer == "force":
                    hold = Hold(path, force=True)
        try:
            self.bench.open(path, read_only=answer == "read", copy=answer == "copy")
        except FileFault:
            if hold and hold is not self.hold:
                hold.let_go()
            raise
        self._take_hold(hold)
        self._tell_opened(path, answer)
        if answer == "open":
            self._remember(path)

    def _ask_held(self, path: Path, fault: FileFault) -> str | None:
        words = (
            f"{path.name}: {fault.what} Both would save over each other. What do you want to do "
            "here?"
        )
        choices = [("copy", "Work on a copy"), ("read", "Open read-only")]
        other = holder_of(path)
        if other is not None and other.host != myself().host:
            choices.append(("force", "It is not open there any more: open it"))
        return ask(self.window, "This show is open elsewhere", words, choices)

    def _tell_opened(self, path: Path, how: str | None) -> None:
        if self.bench.damage:
            damage = self.bench.damage
            LOG.info("opened in part: %s", " ".join(damage))
            more = f" There is more; the log names all {len(damage)}." * (len(damage) > TOLD)
            self.bench.tell(
                "attention",
                f"{path.name}: {' '.join(damage[:TOLD])}{more} The rest is open, and the file "
                "stays as it is until you save; take a whole copy where you have one.",
            )
        elif how == "copy":
            self.bench.tell("note", f"This is a copy of {path.name}; saving asks for its own name.")
        elif how == "read":
            self.bench.tell(
                "note",
                f"{path.name} is open read-only; use Save as… to keep changes under another name.",
            )

    # ------------------------------------------------------------ saving

    def save(self) -> None:
        if self.bench.path is None or self.bench.read_only:
            self.save_as()
        else:
            self._save_to(self.bench.path)

    def save_as(self) -> None:
        path = self._ask_path("Save the show")
        if path:
            self._save_to(path)

    def save_copy(self, versions: bool = True) -> None:
        path = self._ask_path("Save a copy" if versions else "Save without versions")
        if path:
            hold = self._held(path)  # refused where it is open elsewhere
            if hold is not self.hold:
                hold.let_go()
            self.bench.save_copy(path, versions)
            bare = "" if versions else " without versions"
            self.bench.tell(
                "ok",
                f"A copy{bare} is in {path}. You go on in {self.bench.path or 'the unsaved show'}.",
            )

    def _save_to(self, path: Path) -> None:
        hold = self._held(path)
        if path == self.bench.path and changed_since(path, self.bench.stamp) and self._other(path):
            beside = free_name(path)
            words = (
                f"{path} was saved by another person or program since you opened it. Saving over "
                "it would erase what they changed."
            )
            answer = ask(
                self.window,
                "The file was changed",
                words,
                [
                    ("join", "Join both"),
                    ("beside", f"Save beside it as {beside.name}"),
                    ("over", "Save over it"),
                ],
            )
            if answer is None or (answer == "join" and not self._join(path)):
                return
            if answer == "beside":
                path = beside
                hold = Hold(path)
        try:
            self.bench.save(path)
        except FileFault:
            if hold is not self.hold:
                hold.let_go()
            raise
        self._take_hold(hold)
        self._remember(path)
        self.bench.tell("ok", f"Saved {path}.")

    def _other(self, path: Path) -> bool:
        """Whether a file holds anything that is not among our versions."""
        try:
            return root_of(open_show(path)) not in {v.root for v in self.bench.show.versions}
        except FileFault:
            return True

    def _join(self, path: Path) -> bool:
        """What another person wrote to our file, joined with ours. False where that has to be
        settled first; then it is shown, and saving again saves what came of it.
        """
        bench = self.bench
        theirs = open_show(path)
        _, made = joined(bench.show, theirs)
        if made.conflicts:
            self.window.join_with(path)
            what = f"{many(len(made.conflicts), 'thing')} both changed differently."
            bench.tell("attention", f"{what} Settle them, join, and save again.")
            return False
        bench.commit(f"Join with {path.name}", with_both(made.show, bench.show, theirs, path.name))
        bench.tell("ok", f"Joined with what {path.name} held.")
        return True

    def _folder(self) -> str:
        return str(self.bench.path.parent) if self.bench.path else str(Path.home())

    def _ask_path(self, title: str) -> Path | None:
        """A file to write. The dialog asks before one that is there is replaced; it knows the
        ending, so it asks about the right one.
        """
        start = str(
            self.bench.path
            or Path(self._folder()) / f"{self.bench.show.name.replace('/', '-')}{SUFFIX}"
        )
        dialog = QFileDialog(self.window, title, start, FILES)
        dialog.setOptions(QFileDialog.Option.DontUseNativeDialog)
        dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
        dialog.setDefaultSuffix(SUFFIX.lstrip("."))
        dialog.selectFile(Path(start).name)
        chosen = dialog.selectedFiles() if dialog.exec() else []
        dialog.deleteLater()
        return Path(chosen[0]) if chosen else None

    def _remember(self, path: Path) -> None:
        self.window.settings.last_show = str(path)
        settings.save(self.window.settings)

    # ------------------------------------------------------------ after a crash

    def offer_recovered(self, found: list[Found]) -> None:
        """Unsaved work of runs that ended: what differs from the saved file is said, and all, some
        or none of it is taken.
        """
        left = list(found)
        while left:
            item = left.pop(0)
            choices = [("take", "Recover it"), ("drop", "Discard it")]
            saved = item.saved()
            table = ChangesTable(difference(saved, item.show)) if saved is not None else None
            answer = ask(
                self.window,
                "Unsaved work was found",
                recovered_words(item, saved),
                choices,
                "Decide later",
                table,
            )
            if answer == "drop":
                item.discard()
            elif answer == "take":
                if self._take_up(item) and table is not None and not table.whole:
                    self.bench.commit(table.words, with_all(table.applied(), item.show))
                break
            else:
                item.let_go()
        for item in left:
            item.let_go()

    def _take_up(self, item: Found) -> bool:
        if not self.may_leave():
            item.let_go()
            return False
        path, hold, elsewhere = item.original, None, ""
        if path is not None:
            try:
                hold = self._held(path)
            except FileFault:
                elsewhere = f" {path.name} is open elsewhere now, so saving asks for another name."
                path = None
        # what the work was built on: another file in its place is noticed before it is overwritten
        stamp = Stamp(-1, -1, -1, item.digest) if path is not None and item.digest else None
        self.adopt(item.show, path, hold, saved=False, stamp=stamp)
        stands = self.keeper.take_up(item)
        if item.levels:
            self.bench.levels.change(
                lambda live: live.restore({(u, c, a): level for u, c, a, level in item.levels})
            )
        words = (
            [
                (
                    "A roll call was under way. Its verdicts are here, and the levels are as "
                    "they were before it."
                )
            ]
            if item.levels
            else []
        )
        words += [] if stands else [f"The recovered copy stays in {item.place} as well."]
        if words or elsewhere:
            self.bench.tell("note", " ".join(words) + elsewhere)
        return True

    def end(self, forget: bool) -> None:
        """The window goes. `forget`: what is unsaved was given up."""
        if forget:
            self.keeper.forget()
        else:
            self.keeper.end()
        self._take_hold(None)


def recovered_words(item: Found, saved: Show | None) -> str:
    """What was found, and how it differs from the saved file."""
    when = time.strftime("%d %B, %H:%M", time.localtime(item.when))
    where = f" Its file is {item.original}." if item.original else " It was never saved to a file."
    if item.original and saved is None:
        where = f" Its file {item.original} is not there any more, or cannot be read."
    told = differences(saved, item.show) if saved is not None else contents(item.show)
    against = "Against the saved file:" if saved is not None else "It holds:"
    rest = [f"And {len(told) - SENTENCES} more differences."] if len(told) > SENTENCES else []
    lines = [
        f"“{item.show.name}” was not saved when Isthmus ended ({when}).{where}",
        *([f"The last edit was: {item.last}."] if item.last else []),
        *item.losses,
        "",
        f"{against}",
        *(f"•  {line}" for line in told[:SENTENCES]),
        *rest,
    ]
    return "\n".join(lines)
