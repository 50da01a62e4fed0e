"""Add units: what is wished on the left, what it would do below, before it is done."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QCompleter, QFileDialog, QGridLayout, QSpinBox, QWidget

from isthmus.app.dialogs import Frame
from isthmus.app.pages.ruler import Ruler
from isthmus.app.theme import SIZE, font
from isthmus.app.widgets import Choice, button, choice, field, label
from isthmus.app.workbench import Workbench
from isthmus.errors import EntryFault, IsthmusError
from isthmus.library.at_hand import at_hand
from isthmus.library.facts import body_words
from isthmus.patch import Add, all_spans, next_free, preview_add
from isthmus.patch.add import AddPreview, next_number
from isthmus.patch.hanglist import Library
from isthmus.patch.numbers import read_numbers
from isthmus.profiles import chart
from isthmus.profiles.store import load_stored
from isthmus.show import Show, read_address, write_address
from isthmus.show.records import StoredProfile
from isthmus.stage import hang_by_name


class AddDialog(Frame):
    def __init__(
        self,
        bench: Workbench,
        parent: QWidget,
        stored: StoredProfile | None = None,
        mode: str = "",
        to_library: Callable[[], object] | None = None,
    ) -> None:
        """`stored` and `mode`: what was chosen in the library, if it was; `to_library` goes there to choose."""
        super().__init__(parent, "Add units", "Add units", self._take, 820)
        self.setObjectName("add units")
        self.bench = bench
        self._own: tuple[StoredProfile, ...] = (stored,) if stored else ()
        self._shelf: Library = at_hand(bench.show)
        self._preview: AddPreview | None = None
        self._auto_address = True
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(6)
        self.profile = self._combo("profile", editable=True)
        self.mode = self._combo("mode")
        self.count = QSpinBox()
        self.count.setRange(1, 2000)
        self.count.setFont(font("table", 500, mono=True))
        self.count.setFixedHeight(SIZE["control"])
        self.count.setObjectName("count")
        self.count.lineEdit().setTextMargins(8, 0, 0, 0)
        self.first = field("first number", str(next_number(bench.show)), mono=True)
        self.address = field("address", "", mono=True)
        self.spacing = field("spacing", "", mono=True)
        self.name = field("name pattern", "")
        self.hangs_on = self._combo("hangs on", editable=True)
        self.hangs_on.addItems(["", *(s.name for s in bench.show.structures)])
        self.purpose = field("purpose", "")
        self.gel = self._combo("gel", editable=True)
        self.gel.addItems(["", *(g.code for g in bench.show.gels)])
        self.spacing.setPlaceholderText("as the footprint")
        self.name.setPlaceholderText("# counts, @ is the unit number")
        rows = [
            ("Profile", self.profile, "Mode", self.mode),
            ("How many", self.count, "First number", self.first),
            ("Starts at", self.address, "Spacing", self.spacing),
            ("Names", self.name, "Hangs on", self.hangs_on),
            ("Purpose", self.purpose, "Gel", self.gel),
        ]
        for y, row in enumerate(rows):
            for x, item in enumerate(row):
                if isinstance(item, str):
                    words = label(item, "quiet")
                    grid.addWidget(words, y, x)
                else:
                    grid.addWidget(item, y, x)
        grid.setColumnStretch(1, 3)
        grid.setColumnStretch(3, 3)
        self.body.addLayout(grid)
        file = button("A profile from a GDTF file…", "link", self._from_file)
        file.setFixedWidth(170)
        grid.addWidget(file, len(rows), 1)
        if to_library is not None:
            go = button("Choose in the library…", "link", lambda: (self.reject(), to_library()))
            go.setFixedWidth(140)
            grid.addWidget(go, len(rows), 1, Qt.AlignmentFlag.AlignRight)
        free = button("Next free address", "link", self._next_free)
        free.setFixedWidth(120)
        grid.addWidget(free, len(rows), 3)
        self.ruler = Ruler(bench)
        self.body.addSpacing(4)
        self.body.addWidget(self.ruler)
        self.marks = label("", "quiet", "caption")
        self.body.insertWidget(1, self.marks)
        self.outcome = label("", "quiet", wrap=True)
        self.outcome.setMinimumHeight(34)
        self.outcome.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.body.addWidget(self.outcome)
        self._fill_profiles()
        self.profile.currentTextChanged.connect(self._profile_changed)
        self.mode.currentIndexChanged.connect(self._changed)
        self.count.valueChanged.connect(self._changed)
        self.address.textEdited.connect(self._address_typed)
        for line in (self.first, self.spacing, self.name, self.address):
            line.textChanged.connect(self._changed)
        self._profile_changed()
        if stored is not None:
            chosen = self._shelf.profiles.profiles[stored.key]
            self.profile.setCurrentText(f"{chosen.label}  ({chosen.maker})")
            self.mode.setCurrentIndex(max(0, self.mode.findData(mode)))

    def _combo(self, name: str, editable: bool = False) -> Choice:
        made = choice(name)
        made.setEditable(editable)
        if editable:
            made.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        return made

    # ------------------------------------------------------------ what is wished

    def _fill_profiles(self) -> None:
        self._shelf = Library.of(self._own, tuple(at_hand(self.bench.show).stored.values()))
        self.profile.clear()
        used = {unit.profile for unit in self.bench.show.units}
        for key, profile in sorted(self._shelf.profiles.profiles.items(), key=lambda item: (item[0] not in used, item[1].name)):
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
        found = [i for i in range(self.profile.count()) if text.strip() and text.lower() in self.profile.itemText(i).lower()]
        return self.profile.itemData(found[0]) if len(found) == 1 else ""

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
        if self._auto_address:
            self._next_free()
        self._changed()

    def _next_free(self) -> None:
        self._auto_address = True
        profile = self._shelf.profiles.profiles.get(self._key())
        mode = profile.mode(self.mode.currentData() or "") if profile else None
        if profile and mode:
            spans = all_spans(self.bench.show)
            last = max(((s.universe, s.end + 1) for s in spans), default=(1, 1))
            spot = next_free(spans, max(1, chart(profile, mode).footprint), last[0], min(last[1], 512))
            self.address.setText(write_address(*spot) if spot else "")

    def _address_typed(self) -> None:
        self._auto_address = False

    def _from_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, "A profile from a GDTF file", "", "GDTF profiles (*.gdtf)", options=QFileDialog.Option.DontUseNativeDialog
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
            raise EntryFault("Choose a profile from the list.", do="Type a few letters of its maker or model.")
        spacing = self.spacing.text().strip()
        if spacing and not spacing.isdigit():
            raise EntryFault(f"“{spacing[:20]}” is no spacing.", do="Write a whole number of slots, or leave it empty.")
        numbers = read_numbers(self.first.text())
        return Add(
            self._shelf.stored[key],
            self.mode.currentData() or "",
            self.count.value(),
            numbers[0],
            read_address(self.address.text()),
            int(spacing or 0),
            self.name.text().strip(),
            self.hangs_on.currentText().strip(),
            self.purpose.text().strip(),
            self.gel.currentText().strip(),
        )

    def _changed(self, *_: object) -> None:
        self._preview = None
        try:
            self._preview = preview_add(self.bench.show, self._wish())
        except IsthmusError as error:
            self.say_trouble(str(error))
            self.outcome.setText("")
            self.ruler.preview(())
            return
        self.say_trouble("")
        found = self._preview
        count = len(found.units)
        self.primary.setText(f"Add {count} unit{'s' * (count != 1)}")
        self.ruler.preview(found.spans)
        words = [f"{found.units[0].number} to {found.units[-1].number}" if count > 1 else str(found.units[0].number)]
        if found.spans:
            last = found.spans[-1]
            words.append(f"{write_address(found.spans[0].universe, found.spans[0].start)} to {write_address(last.universe, last.end)}")
        else:
            words.append("without an address")
        text = ", ".join(words) + ". " + " ".join(found.notes[:3])
        if found.clashes:
            clash = found.clashes[0]
            more = f", and {len(found.clashes) - 1} more clashes" if len(found.clashes) > 1 else ""
            place = write_address(clash.a.universe, clash.first)
            text += f" {clash.a.number} and {clash.b.number} would both claim {place}{more}; you can add them and mend it after."
        self.outcome.setText(text)

    def _take(self) -> bool:
        if self._preview is None:
            return False
        ids = [u.id for u in self._preview.units]
        made: Show = hang_by_name(self._preview.show, ids)
        self.bench.commit(f"add {len(ids)} unit{'s' * (len(ids) != 1)}", made)
        self.bench.select(ids)
        return True
