"""The Handover page: papers people work from, labels, and the rig as a file for others."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from isthmus.app.kit.actions import Action
from isthmus.app.kit.dialogs import Entry
from isthmus.app.kit.tasks import away
from isthmus.app.kit.widgets import PageView, bind
from isthmus.app.model.house import House
from isthmus.app.model.saving import save_made
from isthmus.app.pages.base import Page
from isthmus.app.pages.handover.views.labels import LabelsView
from isthmus.app.pages.handover.views.lists import ListsView
from isthmus.app.pages.handover.views.papers import PapersView
from isthmus.app.pages.handover.views.stations import StationsView
from isthmus.errors import EntryFault
from isthmus.papers.all_papers import RIG
from isthmus.papers.loads import HEAVIEST, STRONGEST, read_load, with_loads, with_type_loads
from isthmus.plural import many
from isthmus.show import Show
from isthmus.show.handovers import standing

Typed = Callable[[Show, Sequence[str], float | None, float | None], Show]
VIEWS = ("Papers", "Labels", "Lists", "Stations")


class HandoverPage(Page):
    title = "Handover"
    context = (
        "handover.over",
        "",
        "handover.save",
        "handover.set",
        "handover.mvr",
        "handover.list",
    )

    def __init__(self, house: House) -> None:
        super().__init__(house)
        self.add_switches(VIEWS)
        self.papers = PapersView(house.bench, house.sides)
        self.labels = LabelsView(house.bench)
        self.lists = ListsView(house.bench)
        self.stations = StationsView(house, self._beside)
        made: tuple[PageView, ...] = (self.papers, self.labels, self.lists, self.stations)
        self.take_views(dict(zip(VIEWS, made, strict=True)))
        bind(house.bench.changed, self, self._say)
        self._say()

    def _say(self) -> None:
        papers = many(len(RIG), "paper").split(" ", 1)
        told = standing(self.bench.show) if self.isVisible() else ""
        self.head.say(papers[0], ", ".join(words for words in (papers[1], told) if words))

    def actions(self) -> list[Action]:
        acts = (
            ("over", "Hand over…", self.papers.hand_over),
            ("save", "Save the paper…", self._save),
            ("set", "Save the whole set…", self._save_set),
            ("all", "Save each paper in a folder…", self._save_all),
            ("labels", "Save the labels…", self._save_labels),
            ("mvr", "Save as MVR…", self._save_mvr),
            ("gltf", "Save as glTF…", self._save_gltf),
            ("list", "Open another's list…", self._open_list),
            ("stations", "Stations of other programs", lambda: self.here("Stations")),
            ("move", "Ask all stations to move…", self._ask_move),
            ("loads", "Weight and power of the selection…", self._loads),
            ("type_loads", "Weight and power of the types selected…", self._type_loads),
        )
        return [
            Action(f"handover.{name}", words, run, group="Handover") for name, words, run in acts
        ]

    def entered(self) -> None:
        super().entered()
        self._say()

    def shut_down(self) -> None:
        self.papers.whole.cancel()
        self.stations.shut_down()
        super().shut_down()

    def _save(self) -> None:
        self.here("Papers")
        self.papers.save()

    def _save_set(self) -> None:
        self.here("Papers")
        self.papers.save_set()

    def _save_all(self) -> None:
        self.here("Papers")
        self.papers.save_all()

    def _save_labels(self) -> None:
        self.here("Labels")
        self.labels.save()

    def _save_gltf(self) -> None:
        from isthmus.render.gltf import rig_gltf

        show = self.bench.show
        save_made(self.bench, self, "rig", ("glb",), lambda _: away(lambda: rig_gltf(show)))

    def _loads(self) -> None:
        """Typed for the units that are selected; nothing typed: as their types have it."""
        units = self.bench.selection.units()
        ids = [unit.id for unit in units]
        given = {(unit.weight, unit.power) for unit in units}
        self._ask_loads(many(len(units), "unit"), given, with_loads, ids)

    def _type_loads(self) -> None:
        """Typed for all units of the types selected; nothing typed: as their profiles state it."""
        keys = {unit.profile for unit in self.bench.selection.units()}
        types = [one for one in self.bench.show.profiles if one.key in keys]
        words = types[0].key if len(types) == 1 else many(len(types), "type")
        given = {(one.weight, one.power) for one in types}
        self._ask_loads(words, given, with_type_loads, [one.key for one in types])

    def _ask_loads(
        self,
        words: str,
        given: set[tuple[float | None, float | None]],
        typed: Typed,
        keys: Sequence[str],
    ) -> None:
        if not keys:
            self.bench.tell("warning", "Select the units first, on any page.")
            return
        weight, power = given.pop() if len(given) == 1 else (None, None)

        def take(values: list[str]) -> None:
            kg = read_load(values[0], HEAVIEST, "kilograms")
            watts = read_load(values[1], STRONGEST, "watts")
            self.bench.commit(f"Weight of {words}", typed(self.bench.show, keys, kg, watts))

        fields = [
            ("Kilograms", "" if weight is None else f"{weight:g}"),
            ("Watts", "" if power is None else f"{power:g}"),
        ]
        Entry(self.window(), f"Weight and power of {words}", "Take", fields, take).open()

    def _beside(self, path: Path) -> None:
        self.here("Lists")
        self.lists.open_path(path)

    def _ask_move(self) -> None:
        """All stations to another group, or to the host of one."""
        self.here("Stations")
        fields = [("Group or address of a host", "")]

        def take(values: list[str]) -> None:
            if not values[0].strip():
                raise EntryFault("Type the name of a group, or an address as ws://host:port/.")
            self.stations.ask_move(values[0].strip())

        Entry(self.window(), "Ask all stations to move", "Ask", fields, take).open()

    def _open_list(self) -> None:
        self.here("Lists")
        self.lists.open()

    def _save_mvr(self) -> None:
        from isthmus.mvr import write_show  # meshes and all: not needed at the start

        show = self.bench.show
        save_made(self.bench, self, "rig", ("mvr",), lambda _: away(lambda: write_show(show)))
