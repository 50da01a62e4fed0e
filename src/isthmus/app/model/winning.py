"""Who has the say on a value that is sent: the hand, a roll call, a cue, a limit, or no one."""

from __future__ import annotations

from typing import NamedTuple

from isthmus.app.model.workbench import Workbench

CUT = 1e-3  # of a level: less is rounding


class Winner(NamedTuple):
    """`words` are a sentence, `short` two or three words."""

    words: str
    short: str
    limited: bool = False


NO_ONE = Winner("", "")


def who_wins(bench: Workbench, unit: str, attribute: str, cell: int | None = None) -> Winner:
    """Whose is one value of a unit; no one's for what has no address."""
    live = bench.levels.live
    cells = range(256) if cell is None else (cell,)
    places = next((p for c in cells if (p := live.compiled.places.get((unit, c, attribute)))), [])
    if not places:
        return NO_ONE
    at = places[0]
    holder = bench.levels.held_by()
    if live.by_hand[at]:
        words = f"Set by the {holder}" if holder else "Set by hand, in front of all cue lists"
        short = holder or "by hand"
    elif cue := bench.playing.who(at):
        words, short = f"From {cue}", cue
    else:
        words, short = "At home: nothing asks for it", ""
    one = bench.show.unit(unit)
    if one and any(limit.attribute == attribute for limit in one.limits):
        low, high = float(live.sent[at]), float(live.levels[at])
        if abs(low - high) > CUT:
            held = "; held back by the limit of the unit"
            return Winner(f"{words}{held}.", f"limited, {short}".rstrip(", "), True)
    return Winner(f"{words}.", short)
