"""What stands on the stage and how it is lit, as the next picture is to show it."""

from __future__ import annotations

import time
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from isthmus.output import RigView
from isthmus.render import Request, scene_of
from isthmus.render.look import look_of
from isthmus.show.records import Show
from isthmus.stage.space import Space, space_of

if TYPE_CHECKING:
    from isthmus.app.canvas.stage_view import StageView

BODY = np.array([0.17, 0.175, 0.19])
HELD = np.array([0.62, 0.34, 0.25])
WORKING_LIGHT = 4.0  # of the usual room light: forms can be told, and a lit unit still stands out


class Staged:
    """The show as sent, as it would be, or the rig's own truth; never what is drawn of it."""

    def __init__(self, view: StageView) -> None:
        self.view = view
        self._preview: tuple[Show, RigView] | None = None
        self._born = time.monotonic()
        self._kept_structures: object = None

    def source(self) -> tuple[RigView, NDArray[np.uint8]]:
        if self.view.rig_view is not None and self.view.rig_frame is not None:
            return self.view.rig_view, self.view.rig_frame
        if self.view.bench.plan.preview is not None:
            return self._preview_view(), self.view.bench.levels.live.frame
        if (looked := self.view.bench.looked) is not None:
            return looked.view, looked.live.frame
        return self.view.bench.levels.view, self.view.bench.levels.live.frame

    def _preview_view(self) -> RigView:
        """The show as it would be when the handle were released now."""
        shown = self.view.bench.plan.shown
        if self._preview is None or self._preview[0] is not shown:
            self._preview = (shown, RigView(shown, self.view.bench.levels.live.compiled))
        return self._preview[1]

    def shown_show(self) -> Show:
        """The show whose bodies are drawn: the rig's own, one being pulled about, or the one
        selected.
        """
        if self.view.rig_view is not None and self.view.rig_show is not None:
            return self.view.rig_show
        return self.view.bench.plan.shown

    def space(self) -> Space:
        rig = self.source()[0].rig
        return space_of(rig.positions, rig.structures)

    def request(self, size: tuple[int, int]) -> Request:
        view, frame = self.source()
        drawing, seconds = self.view.drawing, time.monotonic() - self._born
        beams, bodies = view.pose(frame, drawing.drawn(seconds, True))
        tint = np.tile(BODY, (max(1, len(view.rig.order)), 1))
        for index in self.held(view):
            tint[index] = HELD
        space = space_of(view.rig.positions, view.rig.structures)
        look = replace(
            look_of(drawing), room=self.room_light(), time=seconds, space=(space.low, space.high)
        )
        key = (id(view.rig.structures), view.rig.meshes, view.rig.gobos, drawing.triangles)
        scene = None
        if key != self.view.pictures.scene:
            scene = scene_of(self.shown_show(), view.rig, drawing.triangles)
        self._kept_structures = view.rig.structures  # so that its identity is not used again
        self.view.pictures.asked_scene = key
        return Request(size, self.view.camera, beams, bodies, tint, look, scene, drawing.hold)

    def room_light(self) -> float:
        """The room as it is set; while nothing is lit and it was not set, a working light."""
        view, frame = self.source()
        lit = any(state.rgb.any() for state in view.states(frame))
        choice = self.view.choice
        return choice.now.room if lit or choice.room_set else WORKING_LIGHT

    def held(self, view: RigView) -> list[int]:
        """Rows of the selected units: by id, or by number where the rig's own truth is shown."""
        chosen = set(self.view.bench.selection.ids)
        if self.view.rig_view is None:
            return [i for i, unit in enumerate(view.rig.order) if unit in chosen]
        numbers = {u.number for u in self.view.bench.show.units if u.id in chosen}
        return [i for i, number in enumerate(view.rig.numbers) if number in numbers]
