"""Add units: what is wished on the left, what it would do below, before it is done. Batch after
batch goes on from the last.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QCompleter,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QWidget,
)

from isthmus.app.kit.dialogs import Frame
from isthmus.app.kit.theme import font
from isthmus.app.kit.widgets import Choice, button, choice, field, label
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.patch.views.ruler import Ruler
from isthmus.errors import EntryFault, IsthmusError
from isthmus.gels import books_at_hand, set_gel
from isthmus.layout import set_out
from isthmus.library.at_hand import at_hand
from isthmus.library.facts import body_words
from isthmus.patch.add import (
    AFTER,
    AT,
    GAPS,
    NOWHERE,
    STRETCH,
    Add,
    AddPreview,
    next_number,
    preview_add,
    spacings,
)
from isthmus.patch.groups import groups_for
from isthmus.patch.index import Room, index_of
from isthmus.patch.models import Library
from isthmus.patch.numbers import MAX_COUNT, read_numbers, write_numbers
from isthmus.plural import many
from isthmus.profiles import chart
from isthmus.profiles.store import load_stored
from isthmus.show import read_address, write_address
from isthmus.show.records import SLOTS, StoredProfile

PLACES = (
    (AT, "At an address"),
    (STRETCH, "Next free run for all"),
    (GAPS, "Next gap for each"),
    (AFTER, "After the last"),
    (NOWHERE, "Without an address"),
)


@dataclass
class Batch:
    """What was added last: the next dialog goes on from there."""

    profile: str = ""
    mode: str = ""
    place: str = AT
    spacing: str = ""
    name: str = ""
    hangs_on: str = ""
    purpose: str = ""
    gel: str = ""
    number: int = 0
    spot: tuple[int, int] | None = None


class AddDialog(Frame):
    def __init__(
        self,
        bench: Workbench,
        parent: QWidget,
        stored: StoredProfile | None = None,
        mode: str = "",
        to_library: Callable[[], object] | None = None,
    ) -> None:
        """`stored` and `mode`: what was chosen in the library, if it was; `to_library` goes there
        to choose.
        """
        super().__init__(parent, "Add units", "Add units", self._take, 860)
        self.setObjectName("add units")
        self.bench = bench
        self.last = bench.last_added if isinstance(bench.last_added, Batch) else Batch()
        self._own: tuple[StoredProfile, ...] = (stored,) if stored else ()
        self._shelf: Library = at_hand(bench.show)
        self._preview: AddPreview | None = None
        self._auto_address = True
        self._make_fields()
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(6)
        rows = [
            ("Profile", self.profile, "Mode", self.mode),
            ("How many", self.count, "First number", self.first),
            ("Place", self.place, "Address", self.address),
            ("Spacing", self.spacing, "", self.keep),
            ("Names", self.name, "Position", self.hangs_on),
            ("Purpose", self.purpose, "Gel", self.gel),
        ]
        for y, row in enumerate(rows):
            for x, item in enumerate(row):
                grid.addWidget(label(item, "quiet") if isinstance(item, str) else item, y, x)
        grid.setColumnStretch(1, 3)
        grid.setColumnStretch(3, 3)
        self.body.addLayout(grid)
        links = QHBoxLayout()
        links.setSpacing(18)
        links.addWidget(button("A profile from a GDTF file…", "link", self._from_file))
        if to_library is not None:
            links.addWidget(
                button("Choose in the library…", "link", lambda: (self.reject(), to_library()))
            )
        self.marks = label("", "quiet", "caption")
        links.addWidget(self.marks)
        links.addStretch(1)
        links.addWidget(button("Next free address", "link", self._next_free))
        self.body.addLayout(links)
        self.ruler = Ruler(bench)
        self.body.addSpacing(4)
        self.body.addWidget(self.ruler)
        self.outcome = label("", "quiet", wrap=True)
        self.outcome.setMinimumHeight(34)
        self.outcome.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.body.addWidget(self.outcome)
        self.again = button("Add and continue", run=self._add_on, height=30)
        self.again.setAutoDefault(False)
        self.buttons.insertWidget(2, self.again)
        self._fill_profiles()
        self._go_on_from_last(bool(stored))
        self.profile.setCurrentIndex(-1)
        self.profile.setEditText("")
        self._connect()
        self._profile_changed()
        if stored is not None:
            chosen = self._shelf.profiles.profiles[stored.key]
            self.profile.setCurrentText(f"{chosen.label}  ({chosen.maker})")
            self.mode.setCurrentIndex(max(0, self.mode.findData(mode)))
        self.profile.setFocus()

    def _make_fields(self) -> None:
        show = self.bench.show
        self.profile = self._combo("profile", editable=True)
        if line := self.profile.lineEdit():
            line.setPlaceholderText("Type a few letters of the maker or the model")
        self.mode = self._combo("mode")
        self.count = field("count", "1", "how many, or numbers: 1-8, 2-20 step 2", mono=True)
        self.count.setToolTip(
            "A count such as 6, or the numbers themselves: 101-108, 2-20 step 2, 1-9 but 5"
        )
        self.first = field("first number", str(next_number(show)), mono=True)
        self.place = choice("where they go", PLACES)
        self.address = field("address", "", mono=True)
        self.spacing = self._combo("spacing", editable=True)
        self.spacing.setCompleter(None)  # type: ignore[arg-type]  # or a typed 2 becomes the 20 that is offered
        if line := self.spacing.lineEdit():
            line.setPlaceholderText("as the footprint")
        self.keep = QCheckBox("Reserve the spacing")
        self.keep.setFont(font("table"))
        self.name = field("name pattern", "", "# counts, @ is the unit number")
        self.hangs_on = self._combo("position", editable=True)
        positions = dict.fromkeys(
            [*(s.name for s in show.structures), *(u.hangs_on for u in show.units if u.hangs_on)]
        )
        self.hangs_on.addItems(["", *positions])
        self.purpose = field("purpose", "")
        self.gel = self._combo("gel", editable=True)
        self.gel.addItems(["", *(g.code for g in show.gels)])

    def _combo(self, name: str, editable: bool = False) -> Choice:
        made = choice(name)
        made.setEditable(editable)
        if editable:
            made.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        return made

    def _connect(self) -> None:
        self.profile.currentTextChanged.connect(self._profile_changed)
        self.mode.currentIndexChanged.connect(self._mode_changed)
        self.place.currentIndexChanged.connect(self._place_changed)
        self.address.textEdited.connect(self._address_typed)
        self.keep.toggled.connect(self._changed)
        for line in (self.count, self.first, self.name, self.address):
            line.textChanged.connect(self._changed)
        for combo in (self.spacing, self.hangs_on, self.gel):
            combo.currentTextChanged.connect(self._changed)

    def _go_on_from_last(self, chosen: bool) -> None:
        """Profile and mode stay chosen until the next; number, address and position go on."""
        last = self.last
        if last.profile and not chosen and last.profile in self._shelf.profiles.profiles:
            self.profile.setCurrentIndex(max(0, self.profile.findData(last.profile)))
        self.place.setCurrentIndex(max(0, self.place.findData(last.place)))
        self.spacing.setCurrentText(last.spacing)
        self.name.setText(last.name)
        self.hangs_on.setCurrentText(last.hangs_on)
        self.purpose.setText(last.purpose)
        self.gel.setCurrentText(last.gel)
        if last.number and last.number + 1 not in index_of(self.bench.show).numbers:
            self.first.setText(str(last.number + 1))

    # ------------------------------------------------------------ what is wished

    def _fill_profiles(self) -> None:
        self._shelf = Library.of(self._own, tuple(at_hand(self.bench.show).stored.values()))
        self.profile.clear()
        used = {unit.profile for unit in self.bench.show.units}
        for key, profile in sorted(
            self._shelf.profiles.profiles.items(),
            key=lambda item: (item[0] not in used, item[1].name),
        ):
            self.profile.addItem(f"{profile.label}  ({profile.maker})", key)
        finder = QCompleter([self.profile.itemText(i) for i in range(self.profile.count())], self)
        finder.setFilterMode(Qt.MatchFlag.MatchContains)
        finder.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        finder.setCompletionMode(QCompleter.CompletionMode.PopupCompletion)
        self.profile.setCompleter(finder)

    def _key(self) -> str:
        text = self.profile.currentText()
        index = self.profile.findText(text)
        if index >= 0:
            return self.profile.itemData(index)
        found = [
            i
            for i in range(self.profile.count())
            if text.strip() and text.lower() in self.profile.itemText(i).lower()
        ]
        return self.profile.itemData(found[0]) if len(found) == 1 else ""

    def _length(self) -> int:
        profile = self._shelf.profiles.profiles.get(self._key())
        mode = profile.mode(self.mode.currentData() or "") if profile else None
        return chart(profile, mode).footprint if profile and mode else 0

    def _profile_changed(self) -> None:
        self.mode.blockSignals(True)
        self.mode.clear()
        profile = self._shelf.profiles.profiles.get(self._key())
        for mode in profile.modes if profile else ():
            lay = chart(profile, mode)  # type: ignore[arg-type]
            cells = f", {lay.cells} cells" if lay.cells else ""
            self.mode.addItem(f"{mode.name}  ({lay.footprint} slots{cells})", mode.name)
        self.mode.blockSignals(False)
        stored = self._shelf.stored.get(self._key())
        self.marks.setText(body_words(profile, stored) if profile and stored else "")
        self._mode_changed()

    def _mode_changed(self, *_: object) -> None:
        typed = self.spacing.currentText()
        self.spacing.blockSignals(True)
        self.spacing.clear()
        self.spacing.addItems(["", *(str(n) for n in spacings(self._length())[1:])])
        self.spacing.setCurrentText(typed)
        self.spacing.blockSignals(False)
        if self._auto_address:
            self._next_free()
        self._changed()

    def _place_changed(self, *_: object) -> None:
        self.address.setEnabled(self.place.currentData() not in (AFTER, NOWHERE))
        self._changed()

    def _next_free(self) -> None:
        """Where the last batch ended, or after what is patched: the next place that fits."""
        self._auto_address = True
        length = max(1, self._length())
        index = index_of(self.bench.show)
        universe, last = index.last_used()
        if self.last.spot:
            universe, last = self.last.spot[0], self.last.spot[1] - 1
        spot = Room(index.universes).find(min(length, SLOTS), universe, min(SLOTS, last + 1))
        self.address.setText(write_address(*spot) if spot else "")

    def _address_typed(self) -> None:
        self._auto_address = False

    def _from_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self,
            "A profile from a GDTF file",
            "",
            "GDTF profiles (*.gdtf)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if name:
            try:
                stored, profile = load_stored(Path(name))
            except IsthmusError as error:
                self.say_trouble(str(error))
                return
            self._own = (stored, *self._own)
            self._fill_profiles()
            self.profile.setCurrentText(f"{profile.label}  ({profile.maker})")

    # ------------------------------------------------------------ what it would do

    def _wish(self) -> Add:
        key = self._key()
        if not key:
            raise EntryFault(
                "Choose a profile from the list.", do="Type a few letters of its maker or model."
            )
        spacing = self.spacing.currentText().strip()
        if spacing and not spacing.isdigit():
            raise EntryFault(
                f"“{spacing[:20]}” is not a spacing.",
                do="Write a whole number of slots, or leave it empty.",
            )
        many = self.count.text().strip()
        numbers: tuple[int, ...] = ()
        if not many.isdigit():
            numbers = tuple(read_numbers(many))
        elif not 1 <= int(many) <= MAX_COUNT:
            raise EntryFault(f"{many} units cannot be added at once.", do=f"Add 1 to {MAX_COUNT}.")
        self.first.setEnabled(not numbers)
        place = self.place.currentData()
        return Add(
            self._shelf.stored[key],
            self.mode.currentData() or "",
            1 if numbers else int(many),
            None if numbers else read_numbers(self.first.text())[0],
            None if place in (AFTER, NOWHERE) else read_address(self.address.text()),
            int(spacing or 0),
            self.name.text().strip(),
            self.hangs_on.currentText().strip(),
            self.purpose.text().strip(),
            "",
            numbers,
            place,
            self.keep.isChecked(),
        )

    def _changed(self, *_: object) -> None:
        self._preview = None
        try:
            self._preview = preview_add(self.bench.show, self._wish())
        except IsthmusError as error:
            self.say_trouble(str(error))
            self.again.setEnabled(False)
            self.outcome.setText("")
            self.ruler.preview(())
            return
        self.say_trouble("")
        self.again.setEnabled(True)
        found = self._preview
        count = len(found.units)
        self.primary.setText(f"Add {many(count, 'unit')}")
        self.ruler.preview(found.spans)
        words = [write_numbers([u.number for u in found.units])]
        if found.spans:
            last = found.spans[-1]
            words.append(
                f"{write_address(found.spans[0].universe, found.spans[0].start)} to "
                f"{write_address(last.universe, last.end)}"
            )
        else:
            words.append("without an address")
        text = ", ".join(words) + ". " + " ".join(found.notes[:3])
        if found.clashes:
            clash = found.clashes[0]
            more = f", and {len(found.clashes) - 1} more clashes" if len(found.clashes) > 1 else ""
            place = write_address(clash.a.universe, clash.first)
            text += (
                f" {clash.a.number} and {clash.b.number} would both claim {place}{more}; you can "
                "add them anyway and fix it later."
            )
        self.outcome.setText(text)

    def _take(self) -> bool:
        if self._preview is None:
            return False
        units = self._preview.units
        ids = [u.id for u in units]
        gel = self.gel.currentText().strip()
        # they stand in space at once: on the structure they name, else in rows in front, where they
        # can be seen
        made = set_out(self._preview.show, ids)
        try:
            made = set_gel(made, ids, gel, books_at_hand()) if gel else made
        except EntryFault as fault:
            self.say_trouble(str(fault))
            return False
        made = groups_for(made, ids)
        spans = self._preview.spans
        spot = None
        if spans:
            last = spans[-1]
            stride = max(last.length, int(self.spacing.currentText() or 0))
            spot = (
                (last.universe, last.start + stride)
                if last.start + stride <= SLOTS
                else (last.universe + 1, 1)
            )
        self.last = self.bench.last_added = Batch(
            self._key(),
            self.mode.currentData() or "",
            self.place.currentData(),
            self.spacing.currentText(),
            self.name.text(),
            self.hangs_on.currentText(),
            self.purpose.text(),
            gel,
            max(u.number for u in units),
            spot,
        )
        self.bench.commit(f"add {many(len(ids), 'unit')}", made)
        self.bench.selection.select(ids)
        return True

    def _add_on(self) -> None:
        """Add this batch and stay: numbers and addresses go on where it ended."""
        if not self._take():
            return
        if not self.count.text().strip().isdigit():
            self.count.setText("1")
        self._go_on_from_last(False)
        if self.place.currentData() == AT:
            self._next_free()
        self._changed()
        self.count.setFocus()
        self.count.selectAll()
