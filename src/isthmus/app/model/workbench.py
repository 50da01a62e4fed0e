"""The work being done: the show with its history, the one selection, the live levels, the roll
call.

Every change of the show goes through `commit`; views listen to `changed` and compare by identity
what concerns them.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from isthmus.check import rollcall, verdicts
from isthmus.check.prove import Proof
from isthmus.check.slots import mark_slot
from isthmus.errors import IsthmusError
from isthmus.output import Live, Masters, RigView, identity
from isthmus.output.aiming import Aiming, aim_units, in_words
from isthmus.patch.addresses import Placing
from isthmus.sheets.sheets import sheets_of
from isthmus.show import History, Show
from isthmus.show.container import encode_show, open_damaged, save_show, write_atomically
from isthmus.show.holding import Stamp, stamp_of
from isthmus.show.records import Sheet, Unit
from isthmus.snags import Crossing, Snag, SnagBook
from isthmus.snags.records import ORDER, RANK

if TYPE_CHECKING:
    from isthmus.net import View


UNTITLED = Show().name
HELD = 4  # bytes an edit takes in memory for each of its bytes on disk


class Workbench(QObject):
    changed = Signal(object, object)  # old show, new show
    adopted = Signal()  # another show, before anything of it is shown
    saved = Signal()
    selection_changed = Signal()
    levels_changed = Signal()
    title_changed = Signal()
    call_changed = Signal()
    sending_changed = Signal()
    network_changed = Signal()
    proof_changed = Signal()
    concluded_changed = Signal()  # findings of roll call are others than before
    held_changed = Signal()  # another selected structure, or none
    state_changed = Signal()  # using or rearranging
    sheet_changed = Signal()
    figures_changed = Signal()
    preview_changed = Signal()
    filter_changed = Signal()
    told = Signal(str, str)  # severity, sentence
    clashing = Signal(
        object, str
    )  # a Placing whose addresses are in use, and what the edit is called

    def __init__(self, show: Show | None = None) -> None:
        super().__init__()
        self.history = History(show or Show())
        self.path: Path | None = None
        self.stamp: Stamp | None = None  # what its file was when it was last read or written here
        self.read_only = False  # its file is open elsewhere
        self.damage: list[str] = []  # what of its file could not be read
        self.keep: Callable[[str, Show, Show], int] = lambda name, old, new: (
            0
        )  # keeps an edit for a crash; how many bytes it is
        self.selection: list[str] = []
        self.live = Live(self.show)
        self.call: rollcall.RollCall | None = None
        self.proof: Proof | None = None
        self.ask_past: Callable[[str, list[int]], bool] = lambda about, numbers: (
            False
        )  # may a proof go past these units' limits
        self.past_numbers: list[int] = []  # units whose limits the proof that runs goes past
        self._past: dict[str, bool] = {}
        self.masters = Masters()
        self.network: View | None = None  # as the hub last told it
        self.sending = False  # kept by the output control
        self.last_added: object = None  # what the Add dialog goes on from
        self.structure = ""  # the selected structure
        self.length_way = "spacing"  # what units do when the length of their structure changes
        self.rearranging = False
        self.sheet_id = "plan"
        self.figures: dict[str, str] = {}  # written beside units while they are fanned
        self.preview: Show | None = (
            None  # the show as it would be, while a handle is pulled or a length is typed
        )
        self.preview_words = ""
        self.filters: dict[str, str] = {}  # page → what its filter hides, in words
        self.concluded: list[Snag] = []  # findings of roll call, kept by `Checks`
        self._book = SnagBook()
        self._view: tuple[tuple[object, ...], RigView] | None = None

    # ------------------------------------------------------------ the show

    @property
    def show(self) -> Show:
        return self.history.show

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
        self.end_call()
        self.end_proof()
        self.masters.clear()
        old = self.show
        self.history = History(show)
        if not saved:
            self.history.mark_unsaved()
        self.path, self.stamp, self.read_only, self.damage = path, stamp, read_only, list(damage)
        self.last_added = None
        self.live = Live(show)
        self.adopted.emit()
        self._after(old)
        self.levels_changed.emit()

    def commit(self, name: str, show: Show) -> None:
        """Take an edit into the history under a name."""
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
        gone = self.history.gone
        self.history.commit(name, show, HELD * self.keep(name, old, show))
        if self.history.gone > gone == 0:
            self.tell(
                "note",
                f"Undo now reaches back {self.history.steps} edits; older ones are given up "
                "as you go on.",
            )
        self._after(old)

    def place(self, name: str, placing: Placing) -> None:
        """Take new addresses into the history; when address in use, the ways out are
        asked for first.
        """
        if placing.in_the_way:
            self.clashing.emit(placing, name)
        else:
            self.commit(name, placing.show)

    def undo(self) -> None:
        old, name = self.show, self.history.undo()
        self.keep(f"Undo {name}", old, self.show)
        self._after(old)
        self.tell("note", f"Undone: {name}.")

    def redo(self) -> None:
        old, name = self.show, self.history.redo()
        self.keep(f"Redo {name}", old, self.show)
        self._after(old)
        self.tell("note", f"Redone: {name}.")

    def _after(self, old: Show) -> None:
        ids = {unit.id for unit in self.show.units}
        kept = [unit for unit in self.selection if unit in ids]
        self.live.set_show(self.show)
        self.see(None)
        if self.call and any(unit not in ids for unit in self.call.order):
            self.end_call()
        self.changed.emit(old, self.show)
        self.title_changed.emit()
        self.levels_changed.emit()
        if kept != self.selection:
            self.select(kept)
        if self.structure and all(s.id != self.structure for s in self.show.structures):
            self.hold("")
        if self.sheet_id not in {s.id for s in sheets_of(self.show)}:
            self.turn_to("plan")

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
        self.name_after(path)
        data = encode_show(self.show)
        write_atomically(path, data)
        self.path, self.stamp, self.read_only, self.damage = path, stamp_of(path, data), False, []
        self.history.mark_saved()
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

    def save_copy(self, path: Path) -> None:
        save_show(self.show, path)

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

    # ------------------------------------------------------------ selection

    def select(self, ids: Iterable[str]) -> None:
        """In the order given, each once."""
        chosen = list(dict.fromkeys(ids))
        if chosen and self.structure:
            self.hold("")
        if chosen != self.selection:
            self.selection = chosen
            self.selection_changed.emit()

    def toggle(self, unit: str) -> None:
        self.select(
            [u for u in self.selection if u != unit]
            if unit in self.selection
            else [*self.selection, unit]
        )

    def selected(self) -> list[Unit]:
        units = {unit.id: unit for unit in self.show.units}
        return [units[unit] for unit in self.selection if unit in units]

    def hold(self, structure: str) -> None:
        """Select a structure, or none. The selected units stay selected, so that they can be
        hung on it.
        """
        if structure != self.structure:
            self.structure = structure
            self.held_changed.emit()

    # ------------------------------------------------------------ using and rearranging

    def rearrange(self, on: bool) -> None:
        """Between using the plan and the stage, where nothing moves, and rearranging them."""
        if on != self.rearranging:
            self.rearranging = on
            self.state_changed.emit()

    def say_figures(self, figures: dict[str, str]) -> None:
        """Write figures beside units, by id; {} clears them."""
        if figures != self.figures:
            self.figures = figures
            self.figures_changed.emit()

    def say_filter(self, page: str, words: str) -> None:
        """A page hides units by a filter, which every page tells; "" when it hides none."""
        if self.filters.get(page, "") != words:
            self.filters[page] = words
            self.filter_changed.emit()

    def see(self, show: Show | None, words: str = "") -> None:
        """Let plan and stage show what would be; None shows what is."""
        if show is not self.preview or words != self.preview_words:
            self.preview, self.preview_words = show, words
            self.preview_changed.emit()

    @property
    def shown(self) -> Show:
        """What plan and stage show."""
        return self.preview or self.show

    def turn_to(self, sheet_id: str) -> None:
        """Show another sheet."""
        if sheet_id != self.sheet_id:
            self.sheet_id = sheet_id
            self.sheet_changed.emit()

    @property
    def sheet(self) -> Sheet:
        return next(
            (s for s in sheets_of(self.show) if s.id == self.sheet_id), sheets_of(self.show)[0]
        )

    # ------------------------------------------------------------ what is so

    @property
    def snags(self) -> list[Snag]:
        """Worst first. A finding stands for the verdicts it explains."""
        found = self._book.update(self.show, self.network).snags
        if not self.concluded:
            return found
        explained = {unit for snag in self.concluded for unit in snag.units}
        rest = [
            s
            for s in found
            if s.rule not in ("silent", "wrong") or not explained.issuperset(s.units)
        ]
        return sorted([*self.concluded, *rest], key=lambda s: (ORDER[s.severity], RANK[s.rule]))

    @property
    def crossing(self) -> Crossing:
        return self._book.update(self.show, self.network).crossing

    @property
    def view(self) -> RigView:
        """The rig in space as the show has it, fed from the frame that is sent."""
        show = self.show
        ground = (
            show.units,
            show.profiles,
            show.structures,
            show.gels,
            self.live.compiled,
        )  # a verdict changes none of them
        if self._view is None or any(
            a is not b for a, b in zip(self._view[0], ground, strict=True)
        ):
            self._view = (ground, RigView(show, self.live.compiled))
        return self._view[1]

    def see_network(self, view: View) -> None:
        """Take what is known of the network now."""
        self.network = view
        self.network_changed.emit()

    # ------------------------------------------------------------ live levels

    def levels(self, change: Callable[[Live], object]) -> None:
        """Change live levels, unless a roll call holds them."""
        if self.call is not None or self.proof is not None:
            who = "roll call" if self.call is not None else "output test"
            self.tell("attention", f"The {who} holds the levels. End it to use hand controls.")
            return
        change(self.live)
        self.levels_changed.emit()

    def master(self, state: str, universe: int | None = None, output: str | None = None) -> None:
        """Dark, hold or live again: everything, a universe or one output."""
        self.masters.set(state, universe, output)
        self.levels_changed.emit()

    def aim(
        self, ids: Sequence[str], targets: object, way: str = "nearest", quiet: bool = False
    ) -> list[Aiming]:
        """Point beams at one point for all or one for each; who cannot reach is told, unless it is
        `quiet`.
        """
        answers: list[Aiming] = []

        def change(live: Live) -> None:
            wanted, found = aim_units(live, ids, targets, way)
            answers.extend(found)
            live.ask(wanted)

        self.levels(change)
        if answers and not quiet:
            self.tell("ok" if all(a.reached for a in answers) else "attention", in_words(answers))
        return answers

    # ------------------------------------------------------------ proving a route

    def begin_proof(self, make: Callable[[], Proof], about: str = "") -> None:
        """Raises EntryFault when it cannot be. The levels are given back when it ends.

        Where limits are in its way it is asked whether this one may go past them: once for a row of
        proofs about the same, such as the looks of a hunt, until `end_proof`. The limits hold
        unless the person says so.
        """
        self.end_call()
        self._end_proof()
        proof = make()
        numbers = self.live.held_back(proof.bytes_laid())
        if numbers:
            about = about or proof.words
            if about not in self._past:
                self._past = {about: self.ask_past(about, numbers)}
            proof.past = self._past[about]
            self.past_numbers = numbers if proof.past else []
        self.proof = proof
        self.step_proof(self.proof.began)
        self.proof_changed.emit()

    def step_proof(self, now: float) -> None:
        if self.proof is not None and self.proof.step(now):
            self.levels_changed.emit()
            self.proof_changed.emit()

    def end_proof(self) -> None:
        """The levels are given back; what was allowed for it is not allowed any more."""
        self._past = {}
        self._end_proof()

    def _end_proof(self) -> None:
        if self.proof is not None:
            proof, self.proof = self.proof, None
            self.past_numbers = []
            proof.end()
            self.proof_changed.emit()
            self.levels_changed.emit()

    # ------------------------------------------------------------ roll call

    def begin_call(
        self,
        manner: rollcall.Manner | None = None,
        only: Sequence[str] | None = None,
        start: str | None = None,
        words: str = "",
    ) -> None:
        """`words` says what keeps the others out, when `only` some are called. Raises EntryFault
        when nothing can be called.
        """
        self.end_call()
        self.end_proof()
        self.call = rollcall.begin(self.show, self.live, manner, start, only, words)
        self._called()

    def step_call(self, by: int) -> None:
        if self.call:
            self.call = rollcall.step(self.call, self.show, self.live, by)
            self._called()

    def call_again(self) -> None:
        """The same stop once more, from its first act."""
        self.step_call(0)

    def jump_call(self, unit: str) -> None:
        if self.call:
            self.call = rollcall.jump(self.call, self.show, self.live, unit)
            self._called()

    def step_act(self, by: int = 1) -> None:
        if self.call:
            self.call = rollcall.step_act(self.call, self.show, self.live, by)
            self._acted()

    def step_phase(self) -> float:
        """On by one phase of the act; returns the seconds it is to stand."""
        if not self.call:
            return 1.0
        self.call, seconds = rollcall.step_phase(self.call, self.show, self.live)
        self._acted()
        return seconds

    def mark(
        self,
        result: str,
        note: str = "",
        what: Sequence[str] = (),
        others: Sequence[str] = (),
        by: str = "",
    ) -> None:
        """Keep a verdict of the units called, and go on to the next stop. Raises EntryFault for a
        verdict that is not known.
        """
        if self.call is None:
            return
        stop, kinds, show = self.call.call, self.call.manner.kinds, self.show
        if stop.slot:
            show = mark_slot(show, stop.slot, result, note, what, by)
            if show is not self.show:
                self.commit(f"Mark {stop.title} {result}", show)
        else:
            for unit in stop.units:
                show = verdicts.mark(
                    show, unit, result, note, what=what, others=others, acts=kinds, by=by
                )
            self.commit(f"Mark {stop.title} {result}", show)
        if self.call.at + 1 < len(self.call.calls):
            self.step_call(1)
        else:
            left = verdicts.tally(self.show, self.call.order)["left"]
            words = (
                f"{left} of the units called {'has' if left == 1 else 'have'} no verdict."
                if left
                else "Every unit called has a verdict."
            )
            self.tell("ok", f"That was the last one called. {words}")
            self.call_changed.emit()

    def mark_unit(self, unit: str, result: str, note: str = "", **more: Any) -> None:
        """Keep a verdict of any unit, called or not."""
        found = self.show.unit(unit)
        self.commit(
            f"Mark {found.number if found else ''} {result}",
            verdicts.mark(self.show, unit, result, note, **more),
        )

    def unmark(self) -> None:
        """Take the verdicts of the units called away."""
        if self.call and not self.call.call.slot:
            show = self.show
            for unit in self.call.call.units:
                show = verdicts.unmark(show, unit)
            self.commit(f"take the verdict of {self.call.call.title} away", show)

    def end_call(self) -> None:
        if self.call:
            call, self.call = self.call, None
            rollcall.end(call, self.live)
            self.call_changed.emit()
            self.levels_changed.emit()

    def _called(self) -> None:
        if self.call:
            self.select(self.call.call.units)
        self._acted()

    def _acted(self) -> None:
        self.call_changed.emit()
        self.levels_changed.emit()
