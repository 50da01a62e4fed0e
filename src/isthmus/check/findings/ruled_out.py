"""Where a unit is known not to listen, because it stayed dark while others were called."""

from __future__ import annotations

from collections.abc import Sequence

from isthmus.check.findings.evidence import gather
from isthmus.check.findings.model import Model
from isthmus.check.hunt_asked import Place
from isthmus.show.records import Show

PLAIN = 0.5  # of all its light: less may have gone unseen


def ruled_out(
    show: Show, unit: str, universes: Sequence[int] = (), any_mode: bool = False
) -> set[Place]:
    """Places at which it would have lit plainly in some call, and did not. Empty for a unit that
    cannot be called.
    """
    model = Model(show)
    if unit not in model.place:
        return set()
    evidence = gather(show)
    calls = [
        model.place[c]
        for c, v in evidence.verdicts.items()
        if c in model.place and unit not in evidence.lit(c) and v.unit
    ]
    own = model.programs[unit]
    modes = [m.name for m in own.profile.modes] if any_mode else [own.mode.name]
    wanted = [
        u
        for u in universes or [p.universe for p in model.units[unit].patch]
        if u in model.universes
    ]
    out: set[Place] = set()
    for universe in wanted:
        changed = set(model.lights.changed([universe]).tolist())
        looked = [c for c in calls if c in changed] + [c for c in calls if c not in changed][
            :1
        ]  # in all others it is at home
        frames = [model.lights.moment(c, universe) for c in looked]
        for mode in modes:
            out |= {
                Place(universe, int(a), mode)
                for frame in frames
                for a in model.scan(unit, mode, frame, PLAIN)
            }
    return out
