"""The units of a simulator: what they do with the slots they get, and what is broken
about them.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from isthmus.errors import FileFault
from isthmus.profiles import chart, light_program
from isthmus.profiles.colour import LUMINANCE, encode_srgb
from isthmus.profiles.light import LightProgram
from isthmus.standin.cells import rewired
from isthmus.standin.scenario import FAULTS, Loaded, SimUnit

Slots = Callable[
    [SimUnit], NDArray[np.uint8] | None
]  # what the port a unit is plugged to sends; None without any


class Units:
    """All units with their own truth. `slots_of` says what their ports sent out."""

    def __init__(self, loaded: Loaded, slots_of: Slots) -> None:
        self.loaded = loaded
        self.units = list(loaded.scenario.units)
        self.programs = [
            light_program(loaded.profiles[u.profile][0], m)
            for u, m in zip(self.units, loaded.modes, strict=True)
        ]
        self._slots_of = slots_of
        self._last: dict[
            int, tuple[SimUnit, bool, bytes, dict[str, Any]]
        ] = {}  # by index: what a state came from, and it

    def modes_of(self, unit: SimUnit) -> list[tuple[str, int]]:
        """The modes of a unit's profile with their footprints: its personalities."""
        profile = self.loaded.profiles[unit.profile][0]
        return [(mode.name, chart(profile, mode).footprint) for mode in profile.modes]

    def received(self, index: int) -> NDArray[np.uint8]:
        """The bytes a unit takes from its port at the address set on it, (width,), as its insides
        have them.
        """
        unit, program = self.units[index], self.programs[index]
        out = np.zeros(program.width, np.uint8)
        slots = self._slots_of(unit)
        if slots is not None:
            part = slots[unit.address - 1 : unit.address - 1 + program.width]
            out[: len(part)] = part
        return broken(unit, program, out)

    def state(self, index: int) -> dict[str, Any]:
        """What one unit does now; calculated again only when what it gets has changed."""
        unit, slots = self.units[index], self.received(index)
        dead = "dead" in unit.faults or self._slots_of(unit) is None
        last = self._last.get(index)
        if last is None or last[0] is not unit or last[1:3] != (dead, slots.tobytes()):
            last = self._last[index] = (
                unit,
                dead,
                slots.tobytes(),
                self._state(unit, self.programs[index], slots, dead),
            )
        return last[3]

    @staticmethod
    def _state(
        unit: SimUnit, program: LightProgram, slots: NDArray[np.uint8], dead: bool
    ) -> dict[str, Any]:
        """What a unit does with its slots. A dead one does nothing, whatever it is sent."""
        light = program.read(slots[None])
        level = 0.0 if dead or "lamp" in unit.faults else float(light.intensity()[0])
        rgb = light.rgb[0].max(axis=0) if light.rgb.size else np.zeros(3)
        shown = encode_srgb(rgb / max(rgb.max(), 1e-9)) if level > 0 else np.zeros(3)
        return {
            "label": unit.label,
            "serial": unit.serial,
            "level": round(level, 4),
            "colour": [round(float(c), 3) for c in shown],
            "cells": [round(float(c), 4) if level > 0 else 0.0 for c in light.rgb[0] @ LUMINANCE],
            "tints": [
                [round(float(c), 3) for c in tint]
                for tint in light.rgb[0] / np.maximum(light.rgb[0].max(axis=1, keepdims=True), 1e-9)
            ],
            "field": [round(float(f), 2) for f in light.field[0]],
            "pan": [0.0 if dead else round(float(a), 2) for a in light.pan[0]],
            "tilt": [0.0 if dead else round(float(a), 2) for a in light.tilt[0]],
            "slots": "" if dead or "lamp" in unit.faults else slots.tobytes().hex(),
            "address": unit.address,
            "mode": unit.mode,
            "faults": list(unit.faults),
        }

    def change(self, label: str, **changes: Any) -> None:
        """Another truth for a unit: address, mode, faults, node, port. Raises FileFault for what
        cannot be.
        """
        index = next((i for i, u in enumerate(self.units) if label in (u.label, u.serial)), None)
        if index is None:
            raise FileFault(f"no unit is labelled {label}.")
        unit = replace(
            self.units[index],
            **{k: tuple(v) if isinstance(v, list) else v for k, v in changes.items()},
        )
        mode = self.loaded.profiles[unit.profile][0].mode(unit.mode)
        if (
            mode is None
            or not 1 <= unit.address <= 512
            or any(f not in FAULTS for f in unit.faults)
        ):
            raise FileFault(
                f"unit {label} cannot be like that.",
                do=f"Faults are {', '.join(FAULTS)}; addresses go from 1 to 512.",
            )
        self.units[index] = unit
        self.programs[index] = light_program(self.loaded.profiles[unit.profile][0], mode)


def broken(unit: SimUnit, program: LightProgram, slots: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """What the faults of a unit make of its slots."""
    if not unit.faults:
        return slots
    places = _places(program)
    out = slots.copy()
    if "swapped" in unit.faults:
        for a, b in zip(places.get("Pan", []), places.get("Tilt", []), strict=False):
            out[a], out[b] = slots[b], slots[a]
    for axis in ("Pan", "Tilt"):
        if f"{axis.lower()} inverted" in unit.faults:
            at = places.get(axis, [])
            out[at] = 255 - out[at]
    for fault in unit.faults:
        if fault.startswith("cells "):
            out = rewired(program, fault.removeprefix("cells "), out)
    for fault, attribute in (("pan", "Pan"), ("shutter", "Shutter")):
        if fault in unit.faults:
            out[places.get(attribute, [])] = 0
    return out


def _places(program: LightProgram) -> dict[str, list[int]]:
    """Attribute → its slots, from 0; shutters of all numbers together."""
    places: dict[str, list[int]] = {}
    for channel in program.chart.channels:
        name = "Shutter" if channel.attribute.startswith("Shutter") else channel.attribute
        places.setdefault(name, []).extend(program.columns_of(channel))
    return places
