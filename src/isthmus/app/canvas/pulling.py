"""Pulling handles, for plan and stage alike: what is pulled is shown in both while it goes, and
becomes one edit at the end.
"""

from __future__ import annotations

import numpy as np

from isthmus.app.model.workbench import Workbench
from isthmus.errors import IsthmusError
from isthmus.layout.handles import Handle, handles_of, pull_together, pull_units, unit_handles
from isthmus.plural import many
from isthmus.show.records import Show, Structure, Vec3
from isthmus.stage.runs import run_of

DEEDS = {"move": "move", "turn": "turn", "height": "lift", "start": "length of", "end": "length of"}


class Pulling:
    """One hand at the handles of the selected structure, or of the selected units."""

    def __init__(self, bench: Workbench) -> None:
        self.bench = bench
        self.handle: Handle | None = None
        self._start: Vec3 = (0.0, 0.0, 0.0)

    def structure(self) -> Structure | None:
        """The selected structure, as it would be when released now."""
        return next(
            (s for s in self.bench.plan.shown.structures if s.id == self.bench.selection.structure),
            None,
        )

    def handles(self, units: bool) -> list[Handle]:
        """Those of the selected structure; else, with `units`, of the units. None while nothing may
        move.
        """
        if not self.bench.plan.rearranging:
            return []
        held = self.structure()
        if held is not None:
            return handles_of(held)
        chosen = set(self.bench.selection.ids)
        return (
            unit_handles([u for u in self.bench.plan.shown.units if u.id in chosen])
            if units
            else []
        )

    def take(self, handle: Handle, at: Vec3) -> None:
        """Take hold of a handle at a point on its level or its vertical."""
        self.handle, self._start = handle, at

    def pull(self, to: Vec3, free: bool) -> None:
        """Show what would be. What cannot be is said, and what could be last stays shown."""
        assert self.handle is not None
        bench, name = self.bench, self.handle.name
        try:
            if bench.selection.structure:
                made = pull_together(
                    bench.show,
                    bench.selection.structures,
                    name,
                    self._start,
                    to,
                    bench.plan.length_way,
                    free,
                )
                bench.plan.see(
                    made.show,
                    _words(
                        next(s for s in made.show.structures if s.id == bench.selection.structure),
                        made.words,
                    ),
                )
            else:
                show = pull_units(bench.show, bench.selection.ids, name, self._start, to, free)
                bench.plan.see(
                    show,
                    _moved(bench.show, show, bench.selection.ids[0])
                    if name != "turn"
                    else "turning",
                )
        except IsthmusError as error:
            bench.plan.see(bench.plan.preview, str(error))

    def let_go(self) -> None:
        """What is shown becomes an edit."""
        bench, handle, made = self.bench, self.handle, self.bench.plan.preview
        held = self.structure()
        count = len(bench.selection.structures)
        what = many(len(bench.selection.ids), "unit")
        if held:
            what = held.name if count == 1 else many(count, "structure")
        self.drop()
        if made is not None and handle is not None:
            bench.guard(lambda: bench.commit(f"{DEEDS[handle.name]} {what}", made))

    def drop(self) -> None:
        """As it was before it was taken."""
        self.handle = None
        self.bench.plan.see(None)


def _words(one: Structure, past: str) -> str:
    x, y, z = one.position
    return f"{run_of(one).length:.2f} m long at {x:.2f}, {y:.2f}, {z:.2f} m. {past}"


def _moved(before: Show, after: Show, unit_id: str) -> str:
    a, b = before.unit(unit_id), after.unit(unit_id)
    if a is None or b is None or a.position is None or b.position is None:
        return ""
    dx, dy, dz = (float(v) for v in np.array(b.position) - np.array(a.position))
    return f"{dx:+.2f}, {dy:+.2f}, {dz:+.2f} m"
