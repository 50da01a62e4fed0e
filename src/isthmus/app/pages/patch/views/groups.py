"""Groups: the list at the left in its order and nesting, what is in one at the right."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout

from isthmus.app.kit.theme import font
from isthmus.app.kit.widgets import PageView, bind, button, field, label, units_field
from isthmus.app.model.workbench import Workbench
from isthmus.errors import EntryFault
from isthmus.patch import groups as core
from isthmus.patch.choose import complete, read_choice
from isthmus.patch.index import index_of
from isthmus.patch.naming import name_for
from isthmus.plural import many
from isthmus.show.records import Group


class GroupsView(PageView):
    def __init__(self, bench: Workbench) -> None:
        super().__init__()
        self.bench, self._offered = bench, ""
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(18)
        left = QVBoxLayout()
        left.setSpacing(6)
        self.list = QListWidget()
        self.list.setObjectName("groups")
        self.list.setAccessibleName("Groups")
        self.list.setFont(font("body"))
        self.list.setFixedWidth(430)
        left.addWidget(self.list, 1)
        order = QHBoxLayout()
        order.setSpacing(6)
        for words, run in (
            ("Up", lambda: self._move(-1)),
            ("Down", lambda: self._move(1)),
            ("Nest", self._nest),
            ("Un-nest", self._unnest),
        ):
            order.addWidget(button(words, run=run, name=f"group {words}"))
        order.addStretch(1)
        left.addLayout(order)
        row.addLayout(left)
        right = QVBoxLayout()
        right.setSpacing(6)
        self.title = label("", size="section", weight=600)
        self.holds = label("", "quiet", wrap=True)
        right.addWidget(self.title)
        right.addWidget(self.holds)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.name = field("group name", "", "name of the group")
        self.units = units_field(
            "group units", "1-8, all but 7, a name", lambda text: complete(self.bench.show, text)
        )
        line.addWidget(self.name, 1)
        line.addWidget(self.units, 2)
        right.addLayout(line)
        self.understood = label("", "quiet", "caption", wrap=True)
        right.addWidget(self.understood)
        acts = QHBoxLayout()
        acts.setSpacing(6)
        self.make = button("Make a group", "primary", self._make, 30)
        acts.addWidget(self.make)
        acts.addWidget(button("Rename", run=self._rename))
        acts.addWidget(button("Set its units", run=self._give))
        acts.addStretch(1)
        right.addLayout(acts)
        acts = QHBoxLayout()
        acts.setSpacing(6)
        self.step = button("Stop updating", run=self._freeze, name="freeze")
        acts.addWidget(button("Select it", run=self.take))
        acts.addWidget(self.step)
        acts.addWidget(button("Remove", run=self._remove, name="remove group"))
        acts.addStretch(1)
        right.addLayout(acts)
        right.addWidget(
            button(
                "Propose groups by model, position and number",
                run=self._propose,
                name="propose groups",
            )
        )
        right.addStretch(1)
        row.addLayout(right, 1)
        self.list.currentRowChanged.connect(lambda _: self._chosen())
        self.list.itemActivated.connect(lambda _: self.take())
        self.units.textChanged.connect(self._understand)
        bind(bench.changed, self, self.refresh)
        bench.selection.changed.connect(self._understand)
        self.refresh()

    # ------------------------------------------------------------ what is so

    def refresh(self) -> None:
        show, chosen = self.bench.show, self.group()
        lines: list[tuple[Group, int]] = []

        def below(parent: str, depth: int) -> None:
            for group in show.groups:
                if group.parent == parent and depth < 12:
                    lines.append((group, depth))
                    below(group.id, depth + 1)

        below("", 0)
        self.list.blockSignals(True)
        self.list.clear()
        for group, depth in lines:
            count = len(core.members(show, group))
            how = "in step" if group.rule else "frozen"
            item = QListWidgetItem(f"{'      ' * depth}{group.name}   {many(count, 'unit')}, {how}")
            item.setData(Qt.ItemDataRole.UserRole, group.id)
            self.list.addItem(item)
        ids = [group.id for group, _ in lines]
        if ids:
            self.list.setCurrentRow(ids.index(chosen.id) if chosen and chosen.id in ids else 0)
        self.list.blockSignals(False)
        self._chosen()

    def group(self) -> Group | None:
        item = self.list.currentItem()
        wanted = item.data(Qt.ItemDataRole.UserRole) if item else ""
        return next((g for g in self.bench.show.groups if g.id == wanted), None)

    def _chosen(self) -> None:
        group = self.group()
        if group is None:
            self.title.setText("No groups yet")
            self.holds.setText(
                "Make one of what is selected, of numbers, or let them be made of models and "
                "positions."
            )
        else:
            kind, _, value = group.rule.partition(":")
            self.title.setText(group.name)
            kept = (
                f" Kept in step with {kind} {value}."
                if group.rule
                else " Frozen: it keeps these units."
            )
            self.holds.setText(core.told(self.bench.show, group) + "." + kept)
        self.step.setEnabled(bool(group and group.rule))
        self._understand()

    def _ids(self) -> list[str]:
        text = self.units.text().strip()
        return (
            list(read_choice(self.bench.show, text).ids) if text else list(self.bench.selection.ids)
        )

    def _offer_name(self) -> None:
        """The name of what is selected is offered, ready to be typed over."""
        if self.name.text() in ("", self._offered):
            taken = [g.name for g in self.bench.show.groups]
            self._offered = name_for(self.bench.show, self.bench.selection.units(), taken)
            self.name.setText(self._offered)
            self.name.selectAll()

    def _understand(self, *_: object) -> None:
        self._offer_name()
        try:
            if self.units.text().strip():
                self.understood.setText(read_choice(self.bench.show, self.units.text()).words)
            else:
                count = len(self.bench.selection.ids)
                self.understood.setText(f"{many(count, 'unit')} selected")
        except EntryFault as fault:
            self.understood.setText(str(fault))

    # ------------------------------------------------------------ acts

    def _edit(self, name: str, edit) -> None:
        self.bench.guard(lambda: self.bench.commit(name, edit()))

    def _make(self) -> None:
        name = self.name.text()

        def run() -> None:
            ids = self._ids()
            if not ids:
                raise EntryFault("No units to group.", do="Select units, or type their numbers.")
            self.bench.commit(
                f"make group “{name[:30]}”", core.make_group(self.bench.show, name, ids)
            )
            self.name.clear()
            self.units.clear()

        self.bench.guard(run)

    def _rename(self) -> None:
        if group := self.group():
            self._edit(
                "rename a group",
                lambda: core.change_group(self.bench.show, group.id, name=self.name.text()),
            )

    def _give(self) -> None:
        if group := self.group():
            self._edit(
                f"units of “{group.name}”",
                lambda: core.change_group(
                    self.bench.show, group.id, units=tuple(self._ids()), rule=""
                ),
            )

    def _freeze(self) -> None:
        if group := self.group():
            self._edit(f"freeze “{group.name}”", lambda: core.freeze(self.bench.show, group.id))

    def _remove(self) -> None:
        if group := self.group():
            self._edit(
                f"remove group “{group.name}”",
                lambda: core.remove_groups(self.bench.show, [group.id]),
            )

    def _propose(self) -> None:
        self._edit("make groups", lambda: core.propose_groups(self.bench.show))

    def _move(self, by: int) -> None:
        if group := self.group():
            self._edit(
                f"move “{group.name}”", lambda: core.move_group(self.bench.show, group.id, by)
            )

    def _nest(self) -> None:
        group, row = self.group(), self.list.currentRow()
        if group and row > 0:
            above = self.list.item(row - 1).data(Qt.ItemDataRole.UserRole)
            self._edit(
                f"put “{group.name}” into another",
                lambda: core.change_group(self.bench.show, group.id, parent=above),
            )

    def _unnest(self) -> None:
        group = self.group()
        parent = next((g for g in self.bench.show.groups if group and g.id == group.parent), None)
        if group and parent:
            self._edit(
                f"take “{group.name}” out",
                lambda: core.change_group(self.bench.show, group.id, parent=parent.parent),
            )

    def take(self) -> None:
        if group := self.group():
            index = index_of(self.bench.show)
            self.bench.selection.select(
                [u for u in core.members(self.bench.show, group) if u in index.by_id]
            )
