"""Routes as a picture and as a table, with what is done to those chosen, and proving them."""

from __future__ import annotations

import time
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QSplitter, QVBoxLayout, QWidget

from isthmus.app.kit.actions import Registry
from isthmus.app.kit.dialogs import Entry, ask
from isthmus.app.kit.first import FirstSteps
from isthmus.app.kit.widgets import PageView, bind, button, column_of, field, label, take_row
from isthmus.app.model.workbench import Workbench
from isthmus.app.pages.routes.dialogs.output import OutputDialog
from isthmus.app.pages.routes.models.outputs import OutputsModel, outputs_table
from isthmus.app.pages.routes.views.picture import RoutePicture
from isthmus.check import prove
from isthmus.errors import EntryFault
from isthmus.patch.choose import read_choice
from isthmus.patch.index import index_of
from isthmus.patch.numbers import read_numbers
from isthmus.plural import many
from isthmus.routes import Reach, propose, read_host, read_number, routed, universes_in_use
from isthmus.routes import edits as core
from isthmus.routes.ports import WORDS
from isthmus.show.records import Node, Output

NODE_FIELDS = [
    ("Name", ""),
    ("Address", "2.0.0.10"),
    ("Place", ""),
    ("Port-addresses", "0, 1, 2, 3"),
    ("Protocol", "Art-Net"),
    ("Ports that take DMX in", ""),
    ("Takes at most (universes)", ""),
    ("Stands by as a spare", "no"),
    ("May be asked by RDM", "yes"),
]


def read_node(values: list[str]) -> dict[str, Any]:
    """What was typed about a node. Raises EntryFault."""
    protocol = "sacn" if values[4].strip().casefold().startswith("s") else "artnet"
    return {
        "name": " ".join(values[0].split()),
        "ip": read_host(values[1]),
        "place": " ".join(values[2].split()),
        "ports": tuple(
            read_number(protocol, part)
            for part in values[3].replace(";", ",").split(",")
            if part.strip()
        ),
        "protocol": protocol,
        "inputs": tuple(read_numbers(values[5])) if values[5].strip() else (),
        "cap": read_numbers(values[6])[0] if values[6].strip() else 0,
        "spare": values[7].strip().casefold() in ("yes", "y", "1", "spare"),
        "rdm": values[8].strip().casefold() not in ("no", "n", "0", "off"),
    }


def write_node(node: Node) -> list[str]:
    """The same, to be typed over."""
    ports, inputs = ", ".join(map(str, node.ports)), ", ".join(map(str, node.inputs))
    cap = str(node.cap) if node.cap else ""
    return [
        node.name,
        node.ip,
        node.place,
        ports,
        WORDS[node.protocol],
        inputs,
        cap,
        "yes" if node.spare else "no",
        "yes" if node.rdm else "no",
    ]


class RoutesView(PageView):
    def __init__(self, bench: Workbench, actions: Registry, window: QWidget) -> None:
        super().__init__()
        self.bench, self.window_ = bench, window
        column = column_of(self)
        self.picture = RoutePicture(bench, self.remove)
        self.picture.chose.connect(self.choose)
        self.picture.chose_universe.connect(lambda _: self.table.clearSelection())
        area = QScrollArea()
        self.first = FirstSteps(
            area,
            "No universes yet",
            "Patch units first, or add the nodes of the network; then route universes to ports.",
            [
                actions.button("patch.add", "Add units…", height=30),
                actions.button("routes.node", "Add a node…", height=30),
                actions.button("nodes.look", "Look for nodes", height=30),
            ],
        )
        area.setWidget(self.picture)
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setMinimumHeight(180)
        lower = QWidget()
        below = QVBoxLayout(lower)
        below.setContentsMargins(0, 4, 0, 0)
        below.setSpacing(6)
        below.addLayout(self._acts(actions))
        self.model = OutputsModel(bench)
        self.table = outputs_table(bench, self.model, self._picked)
        below.addWidget(self.table, 1)
        below.addLayout(self._proving())
        self.split = QSplitter()
        self.split.setOrientation(Qt.Orientation.Vertical)
        self.split.addWidget(area)
        self.split.addWidget(lower)
        self.split.setSizes([330, 270])
        self.split.setChildrenCollapsible(False)
        column.addWidget(self.split, 1)
        bind(bench.proving.changed, self, self._tell_proof)
        bind(bench.levels.changed, self, self.picture.update)
        self._tell_proof()

    def _acts(self, actions: Registry) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        for words, action in (
            ("Add a node…", "routes.node"),
            ("Assign in order…", "routes.assign"),
            ("Change…", "routes.change"),
            ("Number…", "routes.number"),
            ("Mirror a node…", "routes.mirror"),
            ("Remove", "routes.remove"),
        ):
            row.addWidget(actions.button(action, words))
        row.addStretch(1)
        row.addWidget(label("Selected:", "quiet"))
        for words, action in (
            ("Dark", "routes.dark"),
            ("Hold", "routes.hold"),
            ("Resume", "routes.live"),
        ):
            row.addWidget(actions.button(action, words, name=f"master {words}"))
        return row

    def _proving(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(label("Test:", "quiet"))
        self.what = field("prove what", "", "slot 1-512, or unit 101", mono=True)
        self.what.setFixedWidth(214)
        row.addWidget(self.what)
        for words, run in (
            ("Slot", self.prove_slot),
            ("Unit", self.prove_unit),
            ("Flash its number", self.prove_number),
            ("Chase over them", self.prove_chase),
        ):
            row.addWidget(
                button(words, run=lambda r=run: self.bench.guard(r), name=f"prove {words}")
            )
        self.ending = button("End", run=self.bench.proving.end, name="end proof")
        row.addWidget(self.ending)
        self.seen = label("", size="table")
        row.addWidget(self.seen, 1)
        return row

    # ------------------------------------------------------------ what is so

    def refresh(self) -> None:
        show = self.bench.show
        self.first.show_if(not show.outputs and not show.nodes and not universes_in_use(show))
        self.picture.refresh()
        self.model.refresh()

    def ids(self) -> list[str]:
        """The chosen outputs, in the order of the table."""
        rows = sorted({index.row() for index in self.table.selectionModel().selectedRows()})
        found = [self.model.rows[row].id for row in rows if row < len(self.model.rows)]
        return found or ([self.picture.chosen] if self.picture.chosen else [])

    def _chosen(self) -> list[Output]:
        ids = self.ids()
        found = [o for o in self.bench.show.outputs if o.id in ids]
        if not found:
            raise EntryFault("No output is chosen.", do="Click a line or a row first.")
        return found

    def universes(self) -> list[int]:
        """Universes for the selected rows, else all that are routed."""
        if self.picture.universe:
            return [self.picture.universe]
        ids = set(self.ids())
        return sorted({o.universe for o in self.bench.show.outputs if o.id in ids})

    def _picked(self) -> None:
        rows = self.table.selectionModel().selectedRows()
        if rows:  # a universe may be chosen in the picture instead
            self.picture.choose(self.model.rows[rows[0].row()].id)

    def choose(self, output: str) -> None:
        for y, row in enumerate(self.model.rows):
            if row.id == output:
                take_row(self.table, y)
                self.table.scrollTo(self.model.index(y, 0))

    def show_universe(self, universe: int) -> None:
        output = next((o.id for o in self.bench.show.outputs if o.universe == universe), "")
        self.picture.choose(output, 0 if output else universe)
        self.choose(output)

    # ------------------------------------------------------------ acts

    def remove(self, output: str) -> None:
        self.bench.commit("remove an output", core.remove_outputs(self.bench.show, {output}))

    def remove_chosen(self) -> None:
        chosen = self._chosen()
        name = "remove an output" if len(chosen) == 1 else f"remove {many(len(chosen), 'output')}"
        self.bench.commit(name, core.remove_outputs(self.bench.show, {o.id for o in chosen}))

    def propose(self, by: str) -> None:
        self.bench.commit(f"route what has no output, by {by}", propose(self.bench.show, by))

    def add(self) -> None:
        show = self.bench.show
        lost = [u for u in universes_in_use(show) if u not in routed(show)]
        universe = self.picture.universe or (lost[0] if lost else 1)
        host = show.nodes[0].ip if show.nodes else ""
        OutputDialog(
            self.window_,
            self.bench,
            Output(id="", universe=universe, host=host, delivery="unicast" if host else "asked"),
        ).open()

    def change(self) -> None:
        chosen = self._chosen()
        OutputDialog(self.window_, self.bench, chosen[0], chosen).open()

    def number(self) -> None:
        chosen = self._chosen()
        protocol = chosen[0].protocol
        if any(o.protocol != protocol for o in chosen):
            raise EntryFault(
                "Art-Net and sACN outputs are numbered apart.", do="Select outputs of one protocol."
            )

        def take(values: list[str]) -> None:
            first, step = read_number(protocol, values[0]), read_numbers(values[1])[0]
            made = core.number_in_order(self.bench.show, [o.id for o in chosen], first, step)
            self.bench.commit(f"number {many(len(chosen), 'output')} from {first}", made)

        words = "First port-address" if protocol == "artnet" else "First universe"
        fields = [(words, str(chosen[0].number)), ("Step", "1")]
        Entry(
            self.window_,
            f"Number {many(len(chosen), 'output')} in order",
            "Number them",
            fields,
            take,
        ).open()

    def mirror(self) -> None:
        show = self.bench.show
        if len(show.nodes) < 2:
            raise EntryFault("Mirroring needs two expected nodes.", do="Add a node first.")
        reach = Reach(show)
        mine = [p.node for o in self.ids() for p in reach.of_output.get(o, [])]
        start = mine[0] if mine else show.nodes[0]
        other = next(
            (n for n in show.nodes if n.spare and n.id != start.id),
            next(n for n in show.nodes if n.id != start.id),
        )

        def take(values: list[str]) -> None:
            named = {n.name.casefold(): n for n in show.nodes}
            nodes = [named.get(value.strip().casefold()) for value in values[:2]]
            if None in nodes:
                raise EntryFault(
                    "There is no node of that name.",
                    do=f"Names are {', '.join(n.name for n in show.nodes)}.",
                )
            a, b = (n.id for n in nodes if n)
            role = "spare" if values[2].strip().casefold().startswith("s") else "mirror"
            self.bench.commit(f"mirror {values[0]}", core.mirror(self.bench.show, a, b, role))

        fields = [
            ("Node", start.name),
            ("To", other.name),
            ("As (mirror, sent always; spare, stands by)", "mirror"),
        ]
        Entry(self.window_, "Mirror a node", "Mirror it", fields, take).open()

    def add_node(self) -> None:
        Entry(self.window_, "Add a node", "Add it", NODE_FIELDS, self._add_node).open()

    def _add_node(self, values: list[str]) -> None:
        made = read_node(values)
        show = core.add_node(
            self.bench.show,
            made.pop("name"),
            made.pop("ip"),
            made.pop("place"),
            made.pop("ports"),
            **made,
        )
        self.bench.commit(f"add node {values[0]}", show)

    def assign(self) -> None:
        """Universes to the ports of a node, one by one."""
        show = self.bench.show
        if not show.nodes:
            raise EntryFault("No node is expected yet.", do="Add a node first.")
        lost = [u for u in universes_in_use(show) if u not in routed(show)]

        def take(values: list[str]) -> None:
            node = next(
                (n for n in show.nodes if n.name.casefold() == values[1].strip().casefold()), None
            )
            if node is None:
                raise EntryFault(
                    "There is no node of that name.",
                    do=f"Names are {', '.join(n.name for n in show.nodes)}.",
                )
            ports = [
                p
                for p in Reach(show).ports
                if p.node.id == node.id and p.index >= read_numbers(values[2])[0] and not p.is_input
            ]
            leave = int(values[3]) if values[3].strip().isdigit() else 0
            made = core.assign_in_order(self.bench.show, read_numbers(values[0]), ports, leave)
            self.bench.commit(f"assign universes {values[0]}", made)

        wanted = ", ".join(map(str, lost)) or "1"
        fields = [
            ("Universes", wanted),
            ("Node", show.nodes[0].name),
            ("From port", "1"),
            ("Leave free after each", "0"),
        ]
        Entry(self.window_, "Assign universes in order", "Assign them", fields, take).open()

    def take_over(self) -> None:
        """Switch to what stands by for a node that has gone."""
        show = self.bench.show
        waiting = [n for n in show.nodes if core.spares_for(show, n.id)]
        if not waiting:
            raise EntryFault(
                "Nothing stands by for any node.", do="Mirror a node as a spare first."
            )
        answer = ask(
            self.window_,
            "Take over",
            "Switch to the spare of which node?",
            [(n.id, f"{n.name} ({n.ip})") for n in waiting],
        )
        if answer:
            self.bench.commit("switch to a spare", core.take_over(self.bench.show, answer))

    def master(self, state: str) -> None:
        """Dark, hold or live for the chosen outputs; for a chosen universe, all of it."""
        if self.picture.universe:
            self.bench.levels.master(state, universe=self.picture.universe)
        else:
            for output in self._chosen():
                self.bench.levels.master(state, output=output.id)
                if not state:
                    self.bench.levels.master(state, universe=output.universe)
        self.refresh()

    # ------------------------------------------------------------ proving

    def _of_chosen(self) -> list[int]:
        found = self.universes()
        if not found:
            raise EntryFault("No route is chosen.", do="Click a universe, a line or a row first.")
        return found

    def _begin(self, make) -> None:
        self.bench.proving.begin(
            lambda: make(self.bench.show, self.bench.levels.live, time.monotonic())
        )
        if not self.bench.levels.sending:
            self.bench.tell(
                "attention",
                "Output is off: nothing of this leaves the machine until you switch it on.",
            )

    def prove_slot(self) -> None:
        universe = self._of_chosen()[0]
        address = read_numbers(self.what.text() or "1")[0]
        self._begin(lambda show, live, now: prove.ProveSlot(show, live, now, universe, address))

    def prove_unit(self) -> None:
        if self.what.text().strip():
            unit = read_choice(self.bench.show, self.what.text()).ids[0]
        else:
            spans = index_of(self.bench.show).universe(self._of_chosen()[0]).spans
            if not spans:
                raise EntryFault("No unit is patched there.", do="Raise a slot instead.")
            unit = spans[0].unit
        self._begin(lambda show, live, now: prove.ProveUnit(show, live, now, unit))

    def prove_number(self) -> None:
        universe = self._of_chosen()[0]
        self._begin(lambda show, live, now: prove.ProveNumber(show, live, now, universe))

    def prove_chase(self) -> None:
        universes = (
            self.universes() if len(self.universes()) > 1 else sorted(routed(self.bench.show))
        )
        self._begin(lambda show, live, now: prove.ProveChase(show, live, now, universes))

    def _tell_proof(self) -> None:
        proof = self.bench.proving.proof
        self.ending.setEnabled(proof is not None)
        self.seen.setText(proof.words if proof else "")
