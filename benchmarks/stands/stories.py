"""Stories of rigs that went wrong, written down one by one: what happened, and what it was."""

from __future__ import annotations

from dataclasses import dataclass

from benchmarks.stands import faults as f
from benchmarks.stands.faults import Fault
from benchmarks.stands.rig import Hung, Rig, stand


@dataclass(frozen=True)
class Story:
    words: str
    rig: str
    faults: tuple[Fault, ...]

    def as_it_stands(self) -> Rig:
        rig = RIGS[self.rig]()
        for fault in self.faults:
            rig = fault(rig)
        return rig


def barge() -> Rig:
    """Two nodes, four universes: 1 lanterns and pars, 2 washes, 3 spots and battens, 4 pars."""
    return stand(
        {"Ferry A": (1, 2), "Ferry B": (3, 4)},
        (
            Hung("Bow rail", "Lamplight 1", "Dimmer", 8, 1, 1),
            Hung("Port mast", "Tidepool 4", "Five", 6, 1, 21),
            Hung("Starboard mast", "Tidepool 4", "Eight", 6, 1, 101),
            Hung("Mast bridge", "Swell 300", "Short", 8, 2, 1),
            Hung("Boathouse eave", "Swell 300", "Short", 5, 2, 101, 15),
            Hung("Foredeck", "Heron 700", "Basic", 7, 3, 1),
            Hung("Waterline", "Breakwater 6", "Cells", 4, 3, 101),
            Hung("Boathouse boom", "Tidepool 4", "Five", 8, 4, 1, 10),
        ),
    )


def shed() -> Rig:
    """One node of two ports, close addresses."""
    return stand(
        {"Ferry A": (1, 2)},
        (
            Hung("Bow rail", "Heron 700", "Basic", 6, 1, 1),
            Hung("Port mast", "Swell 300", "Long", 6, 1, 61),
            Hung("Foredeck", "Tidepool 4", "Five", 10, 2, 1),
            Hung("Waterline", "Lamplight 1", "Dimmer", 12, 2, 51),
        ),
    )


RIGS = {"barge": barge, "shed": shed}


def _story(words: str, rig: str, *faults: Fault) -> Story:
    return Story(words, rig, faults)


STORIES = (
    # one unit
    _story("A lantern's lamp is out", "barge", f.broken(103, "lamp")),
    _story("A wash has no power", "barge", f.broken(205, "dead")),
    _story("The lamp of a spot did not strike", "barge", f.broken(303, "lamp")),
    _story("A par has no power, at the end of its hang", "barge", f.broken(114, "dead")),
    _story("Pan and tilt swapped at the unit", "barge", f.broken(202, "swapped")),
    _story("Pan inverted at the unit", "barge", f.broken(304, "pan inverted")),
    _story("Tilt inverted at the unit", "shed", f.broken(108, "tilt inverted")),
    _story("A pan belt is torn", "barge", f.broken(207, "pan stuck")),
    _story("A tilt lock was left on", "shed", f.broken(103, "tilt stuck")),
    _story("A par's red does not light", "barge", f.broken(112, "emitter", 0)),
    _story("A par's blue does not light", "shed", f.broken(204, "emitter", 2)),
    _story("The third cell of a batten is out", "barge", f.broken(309, "cell", 2)),
    _story("A wash was held to a quarter in its menu", "barge", f.broken(209, "held", 0.25)),
    _story("A par runs its own programme", "barge", f.broken(403, "by itself")),
    _story("A spot was left in its own programme", "shed", f.broken(102, "by itself")),
    # addresses
    _story("A par is one too high", "barge", f.address(110, 27)),
    _story("A par is one too low", "barge", f.address(404, 30)),
    _story("A lantern is one too high, where another is", "barge", f.address(102, 3)),
    _story("A wash is ten too low", "barge", f.address(210, 106)),
    _story("A spot is ten too high, where another is", "barge", f.address(302, 21)),
    _story("A wash has a hundred too many", "barge", f.address(204, 334)),
    _story("A par was set with two digits exchanged", "barge", f.address(115, 151)),
    _story("A par came from another job and says 400", "barge", f.address(116, 400)),
    _story("Two washes have each other's address", "barge", f.exchanged(202, 203)),
    _story("Two pars far apart have each other's address", "barge", f.exchanged(402, 407)),
    _story("Two washes stand at one address", "barge", f.address(206, 34)),
    _story("A batten is one cell too high", "barge", f.address(310, 158)),
    _story("A spot is one too low", "shed", f.address(104, 30)),
    _story("A dimmer channel is one too low", "shed", f.address(220, 59)),
    # modes
    _story("A wash is in its longer mode", "barge", f.mode(213, "Long")),
    _story("A spot is in its longer mode", "barge", f.mode(307, "Extended")),
    _story("A batten is whole instead of cells", "barge", f.mode(308, "Whole")),
    _story("A par takes eight slots instead of five", "barge", f.mode(408, "Eight")),
    _story(
        "All washes of a hang are in the longer mode",
        "barge",
        f.hang_mode("Boathouse eave", "Long"),
    ),
    _story("All pars of a hang are in the other mode", "barge", f.hang_mode("Port mast", "Eight")),
    _story(
        "A wash in its longer mode shifts those after it",
        "barge",
        f.longer(203, "Long", ("Mast bridge",)),
    ),
    _story("A longer spot shifts all after it, over hangs", "shed", f.longer(102, "Extended")),
    # hangs
    _story("A hang was set one too high", "barge", f.shifted("Port mast", 1)),
    _story(
        "A hang of washes was set one footprint too high", "barge", f.shifted("Mast bridge", 11)
    ),
    _story("A hang of spots was set ten too high", "barge", f.shifted("Foredeck", 10)),
    _story("A hang of lanterns is one too high", "barge", f.shifted("Bow rail", 1)),
    _story("The cable to a hang is out", "barge", f.cut(109, 110, 111, 112, 113, 114)),
    _story(
        "A cable is out in the middle of a hang",
        "barge",
        f.cut(204, 205, 206, 207, 208, kind="break"),
    ),
    # the way there
    _story("A unit is plugged to the line beside it", "barge", f.line(211, "Ferry A", 0)),
    _story("A par hangs on the spots' line", "barge", f.line(402, "Ferry B", 0)),
    _story("A port is dead", "barge", f.port_dark("Ferry A", 1)),
    _story("A node has no power", "barge", f.node_dark("Ferry B")),
    _story("A node answers but puts nothing out", "barge", f.node_dark("Ferry B", answers=True)),
    _story("A port has the wrong number", "barge", f.port_number("Ferry B", 1, 40)),
    _story("A port has its neighbour's number", "barge", f.port_number("Ferry A", 1, 1)),
    _story("A node counts from nought", "barge", f.counts_from("Ferry A", -1)),
    _story("Two cables at a node are exchanged", "barge", f.crossed("Ferry A", 0, 1)),
    _story("Two cables at a node are exchanged, in the shed", "shed", f.crossed("Ferry A", 0, 1)),
    # others
    _story("A desk left on holds some pars up", "barge", f.sender(4, range(1, 31))),
    _story(
        "A desk at a higher priority takes a universe", "barge", f.sender(2, range(1, 60), "above")
    ),
    _story("A desk holds a few slots of the washes", "barge", f.sender(2, range(5, 28), "slots")),
    _story(
        "A sender nobody sees in the network view", "barge", f.sender(1, range(1, 5), seen=False)
    ),
    _story("A limit was left in the show", "barge", f.limited(203, 0.3)),
    _story(
        "Pan inverted in the show for a head that is not", "barge", f.handled(305, invert_pan=True)
    ),
    _story(
        "A limit was left in the unit and one in the show",
        "barge",
        f.limited(112, 0.25),
        f.broken(208, "held", 0.3),
    ),
    # pairs
    _story(
        "A dead par and a swapped wash", "barge", f.broken(111, "dead"), f.broken(206, "swapped")
    ),
    _story(
        "A hang is dark and a unit elsewhere is off by one",
        "barge",
        f.cut(301, 302, 303, 304, 305, 306, 307),
        f.address(404, 32),
    ),
    _story("Two units off, side by side", "barge", f.address(110, 27), f.broken(111, "dead")),
    _story(
        "A dead node and a wrong mode on the other",
        "barge",
        f.node_dark("Ferry B"),
        f.mode(213, "Long"),
    ),
    _story(
        "A double address beside a dead unit", "shed", f.address(202, 11), f.broken(205, "dead")
    ),
)
