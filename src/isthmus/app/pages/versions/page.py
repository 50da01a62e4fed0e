"""The Versions page: what the show was, and what of other shows is taken into it."""

from __future__ import annotations

from isthmus.app.kit.actions import Action
from isthmus.app.kit.widgets import PageView, bind
from isthmus.app.model.house import House
from isthmus.app.pages.base import Page
from isthmus.app.pages.versions.views.bring import BringView
from isthmus.app.pages.versions.views.compare import CompareView
from isthmus.app.pages.versions.views.join import JoinView
from isthmus.plural import many

VIEWS = ("Compare", "Bring in", "Join")


class VersionsPage(Page):
    title = "Versions"
    context = (
        "versions.look",
        "versions.back",
        "",
        "versions.file",
        "versions.exchange",
        "versions.bring",
    )

    def __init__(self, house: House) -> None:
        super().__init__(house)
        self.sides = house.sides
        self.add_switches(VIEWS)
        self.compare = CompareView(house.bench, self.sides)
        self.bring = BringView(house.bench, self.sides)
        self.join = JoinView(house.bench, self.sides, house.go)
        made: tuple[PageView, ...] = (self.compare, self.bring, self.join)
        self.take_views(dict(zip(VIEWS, made, strict=True)))
        bind(house.bench.changed, self, self._say)
        self._say()

    def _say(self) -> None:
        self.head.say(*many(len(self.bench.history.show.versions), "version").split(" ", 1))

    def entered(self) -> None:
        super().entered()
        asked, self.sides.asked = self.sides.asked, ""
        if asked:
            self.show_view("Compare")
            self.compare.show_file(asked)

    def actions(self) -> list[Action]:
        acts = [
            ("make", "Make a version", self._make),
            ("look", "Look at the version", self.compare.look),
            ("back", "Go back to the version", self.compare.go_back),
            ("file", "Compare with another file…", self.compare.open),
            ("bring", "Bring in from another file…", self._bring),
            ("join", "Join with another copy…", self._join),
            ("exchange", "Exchange what is compared", self.compare.exchange),
        ]
        return [
            Action(f"versions.{name}", words, run, group="Versions") for name, words, run in acts
        ]

    def _bring(self) -> None:
        self.here("Bring in")
        self.bring.open()

    def _join(self) -> None:
        self.here("Join")
        self.join.open()

    def _make(self) -> None:
        self.here("Compare")
        self.compare.note.setFocus()
