"""Who has the say on a value that is sent: the hand, a roll call, a cue, a limit, or no one."""

from __future__ import annotations

from isthmus.app.model.workbench import Workbench

CUT = 1e-3  # of a level: less is rounding


def who_wins(bench: Workbench, unit: str, attribute: str, cell: int | None = None) -> str:
    """A sentence about one value of a unit; "" for what has no address."""
    live = bench.levels.live
    cells = range(256) if cell is None else (cell,)
    places = next((p for c in cells if (p := live.compiled.places.get((unit, c, attribute)))), [])
    if not places:
        return ""
    at = places[0]
    holder = bench.levels.held_by()
    if live.by_hand[at]:
        words = f"Set by the {holder}" if holder else "Set by hand, in front of all cue lists"
    elif cue := bench.playing.who(at):
        words = f"From {cue}"
    else:
        words = "At home: nothing asks for it"
    one = bench.show.unit(unit)
    if one and any(limit.attribute == attribute for limit in one.limits):
        low, high = float(live.sent[at]), float(live.levels[at])
        if abs(low - high) > CUT:
            words += "; held back by the limit of the unit"
    return words + "."
