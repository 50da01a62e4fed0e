"""The Handover page: papers people work from."""

from __future__ import annotations

from isthmus.app.kit.actions import Action
from isthmus.app.model.house import House
from isthmus.app.pages.base import Page
from isthmus.app.pages.handover.views.papers import PapersView
from isthmus.papers.all_papers import RIG
from isthmus.plural import many


class HandoverPage(Page):
    title = "Handover"
    context = ("handover.save", "handover.all")

    def __init__(self, house: House) -> None:
        super().__init__(house)
        self.papers = PapersView(house.bench)
        self.take_views({"Papers": self.papers})
        self.head.say(*many(len(RIG), "paper").split(" ", 1))

    def mark_switch(self, name: str) -> None:
        """There is one view."""

    def actions(self) -> list[Action]:
        return [
            Action("handover.save", "Save the paper…", self._save, group="Handover"),
            Action("handover.all", "Save all papers…", self._save_all, group="Handover"),
        ]

    def _save(self) -> None:
        self.here("Papers")
        self.papers.save()

    def _save_all(self) -> None:
        self.here("Papers")
        self.papers.save_all()
