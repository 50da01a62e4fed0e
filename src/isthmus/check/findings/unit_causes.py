"""Causes that lie in one unit, or in two of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from msgspec.structs import replace

from isthmus.check.acts import colour_name
from isthmus.check.findings.cause import Cause
from isthmus.check.findings.fixes import Fix, place_fixes
from isthmus.check.findings.model import Model, State
from isthmus.check.matched import Match
from isthmus.patch.edits import change_units
from isthmus.patch.limits import limits_in_words, set_handling
from isthmus.profiles import profiles_of
from isthmus.show.records import PLAIN_HANDLING


def number(model: Model, unit: object) -> str:
    """The number of a unit, or "?" for one that is no longer in the show."""
    found = model.units.get(str(unit))
    return str(found.number) if found else "?"


def signed(by: object) -> str:
    """A shift with its sign: +3 or −3."""
    return f"{by:+d}".replace("-", "−")


def _where(model: Model, unit: str) -> str:
    """Where a unit hangs, after a comma; empty when it is not known."""
    hangs_on = model.units[unit].hangs_on if unit in model.units else ""
    return f", {hangs_on}" if hangs_on else ""


def _set_back(model: Model, unit: str) -> str:
    address = model.expected(unit).places[0][2]
    return f"Set {number(model, unit)} to {address:03d} at the unit."


class Placed(Cause):
    """Units that are at other addresses or in other modes: the patch takes them as they are, or
    they are set as the patch has them.
    """

    WHAT: ClassVar[str] = "address"

    def fixes(self, model: Model, matches: Sequence[Match] = ()) -> list[Fix]:
        return place_fixes(model, self.states, matches, self.WHAT)


class OfUnit(Cause):
    """A fault of one unit; `about` begins with it."""

    @classmethod
    def of(cls, unit: str, state: State, about: Sequence[object] = (), share: float = 1.0) -> Cause:
        return cls({unit: state}, (unit, *about), cls.odds(share))


class Dead(OfUnit):
    KIND, RARITY, DEVICES_TELL = "dead", 0.012, True

    def say(self, model: Model) -> str:
        own = model.programs.get(self.unit)
        heads = own is not None and any(c.attribute in ("Pan", "Tilt") for c in own.chart.channels)
        why = "no power, or broken" if heads else "no power, its lamp out, or broken"
        return f"Unit {number(model, self.unit)} is dead: {why}."

    def advice(self, model: Model) -> str:
        who = f"{number(model, self.unit)}{_where(model, self.unit)}"
        return f"Look at the power and the data cable of {who}; then change it."


class Lamp(OfUnit):
    KIND, RARITY = "lamp", 0.012

    def say(self, model: Model) -> str:
        return f"Unit {number(model, self.unit)} moves, but its lamp is out or its shutter shut."

    def advice(self, model: Model) -> str:
        who = f"{number(model, self.unit)}{_where(model, self.unit)}"
        return f"Strike or change the lamp of {who}."


class Handled(OfUnit):
    """The unit is mounted or set otherwise, which the show can allow for."""

    MEMBER: ClassVar[str] = ""  # of its handling in the show
    DOES: ClassVar[str] = ""
    LABEL: ClassVar[str] = ""

    def say(self, model: Model) -> str:
        return f"Unit {number(model, self.unit)} {self.DOES}."

    def fixes(self, model: Model, matches: Sequence[Match] = ()) -> list[Fix]:
        unit = model.units.get(self.unit)
        if unit is None:
            return []
        turned = {self.MEMBER: not getattr(unit.handling, self.MEMBER)}
        label = f"{self.LABEL} of {unit.number} in the show"
        return [Fix(label, lambda s: set_handling(s, [self.unit], **turned))]


class Swapped(Handled):
    KIND, RARITY = "swapped", 0.008
    MEMBER, DOES, LABEL = "swap", "has pan and tilt swapped", "Swap pan and tilt"


class PanInverted(Handled):
    KIND, RARITY = "pan inverted", 0.010
    MEMBER, DOES, LABEL = "invert_pan", "pans the other way", "Invert pan"


class TiltInverted(Handled):
    KIND, RARITY = "tilt inverted", 0.008
    MEMBER, DOES, LABEL = "invert_tilt", "tilts the other way", "Invert tilt"


class Ailing(OfUnit):
    """Something in the unit that one sentence says; {} is its number."""

    SAYS: ClassVar[str] = ""
    DO: ClassVar[str] = "Look at it from near, then fix or replace it."

    def say(self, model: Model) -> str:
        return self.SAYS.format(number(model, self.unit))

    def advice(self, model: Model) -> str:
        return self.DO.format(number(model, self.unit))


class NoPan(Ailing):
    KIND, RARITY = "pan", 0.004
    SAYS = "Unit {} does not pan."


class NoTilt(Ailing):
    KIND, RARITY = "tilt", 0.004
    SAYS = "Unit {} does not tilt."


class LostHome(Ailing):
    KIND, RARITY = "home", 0.004
    SAYS = "Unit {} does not know where its home is."
    DO = "Reset {}; if it stays so, its sensors are dirty or a belt has slipped."


class Late(Ailing):
    KIND, RARITY = "late", 0.004
    SAYS = "Unit {} answers late: a fade time in its menu, or a wireless link."
    DO = "Look through the menu of {} for a fade time or smoothing, then at the link."


class Held(Ailing):
    KIND, RARITY = "held", 0.006
    SAYS = "Unit {} is held back in its own menu: a limit, a curve or saving power."
    DO = "Look through the menu of {} for a limit of its light; or its lamp is old."


class WheelStuck(Ailing):
    KIND, RARITY = "wheel", 0.004
    SAYS = "The colour wheel of unit {} does not turn."


class BeamStuck(Ailing):
    KIND, RARITY = "beam", 0.004
    SAYS = "Something in the beam of unit {} does not move: its zoom, iris, gobo or shutter."


class OwnProgramme(Ailing):
    KIND, RARITY = "own programme", 0.004
    SAYS = "Unit {} runs a programme of its own: a test, sound, or what it does without data."
    DO = "Set {} to follow DMX in its menu, and look at its cable."


class NoEmitter(OfUnit):
    """About the emitter's attribute, second."""

    KIND, RARITY = "emitter", 0.005

    def say(self, model: Model) -> str:
        colour = colour_name(str(self.about[1]))
        return f"The {colour} of unit {number(model, self.unit)} does not light."

    def advice(self, model: Model) -> str:
        return "Change the unit; until then its colours are mixed without it."


class CellOut(OfUnit):
    """About the cell, from 1, and whether it is all after it."""

    KIND, RARITY = "cell", 0.006

    def say(self, model: Model) -> str:
        who, cell, after = number(model, self.unit), self.about[1], self.about[2]
        if not cell:
            return f"A cell of unit {who} does not light."
        if after:
            return f"Unit {who} lights no further than cell {cell}."
        return f"Cell {cell} of unit {who} does not light."

    def advice(self, model: Model) -> str:
        return "Open it: a cell that is dead, or the ribbon after the last that lights."


class OtherMode(OfUnit, Placed):
    KIND, RARITY, DEVICES_TELL, WHAT = "mode", 0.015, True, "mode"

    def say(self, model: Model) -> str:
        return f"Unit {number(model, self.unit)} is in another mode: {self.about[-1]}."

    def advice(self, model: Model) -> str:
        who = number(model, self.unit)
        return f"Set {who} to its mode at the unit, or take its mode into the patch."


class Address(OfUnit, Placed):
    """About the unit and its shift; on another universe that too. A shift of None: not known."""

    KIND, RARITY, DEVICES_TELL, HUNT_TELLS = "address", 0.03, True, True

    def say(self, model: Model) -> str:
        who = f"Unit {number(model, self.unit)}"
        if self.elsewhere:
            return f"{who} listens at another address, which is not known yet."
        by = self.states[self.unit].places[0][2] - model.expected(self.unit).places[0][2]
        return f"{who} is set to {self._address()}: off by {signed(by)}."

    def _address(self) -> str:
        _, universe, at = self.states[self.unit].places[0]
        return f"{universe}.{at:03d}"

    def advice(self, model: Model) -> str:
        return _set_back(model, self.unit)


class Double(Address):
    """At the address of another unit, which `about` names second."""

    KIND, RARITY = "double", 0.012

    def say(self, model: Model) -> str:
        other = number(model, self.about[1])
        return (
            f"Unit {number(model, self.unit)} is set to {self._address()}, the address of {other}."
        )

    def fixes(self, model: Model, matches: Sequence[Match] = ()) -> list[Fix]:
        # two units at one address would stay so in the patch as well
        return [fix for fix in super().fixes(model, matches) if fix.edit is None]


class OtherLine(OfUnit):
    KIND, RARITY, DEVICES_TELL = "line", 0.003, True

    def say(self, model: Model) -> str:
        who, universe = number(model, self.unit), self.about[-1]
        return f"Unit {who} hangs on another line: universe {universe} comes to it."

    def advice(self, model: Model) -> str:
        return "Follow its cable to the node."


class Exchanged(Placed):
    KIND, RARITY, DEVICES_TELL = "exchanged", 0.006, True

    def say(self, model: Model) -> str:
        return f"Units {' and '.join(number(model, u) for u in self.about)} are exchanged."

    def advice(self, model: Model) -> str:
        return "Exchange the addresses at the units, or in the patch."


class ByTheShow(OfUnit):
    KIND = "show"

    def say(self, model: Model) -> str:
        unit = model.units.get(self.unit)
        words = limits_in_words(unit, profiles_of(model.show)) if unit else ""
        why = words or "its address is shared, or its handling bends it"
        return f"Unit {number(model, self.unit)} is kept like that by the show itself: {why}."

    def fixes(self, model: Model, matches: Sequence[Match] = ()) -> list[Fix]:
        if self.unit not in model.units:
            return []
        free = lambda s: change_units(  # noqa: E731
            s, [self.unit], lambda u: replace(u, limits=(), handling=PLAIN_HANDLING)
        )
        return [Fix(f"Take limits and handling off {number(model, self.unit)}", free)]


class Unknown(OfUnit):
    KIND = "unknown"

    def say(self, model: Model) -> str:
        return f"Unit {number(model, self.unit)}: nothing known explains it."

    def advice(self, model: Model) -> str:
        return "Call it again, and say more exactly what is wrong."
