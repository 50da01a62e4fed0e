"""Where every beam and body part of a rig is, given the state of each group."""

from __future__ import annotations

import itertools
from dataclasses import fields

import numpy as np

from isthmus.profiles.geometry import Link
from isthmus.profiles.light import LightState
from isthmus.profiles.optics import BLADES, Optics
from isthmus.stage.rig import FLUX_UNIT, ROUND, Beams, Bodies, Drawn, Group, Rig, mesh_key
from isthmus.stage.transforms import Array, turns_about

_SPREAD = 0.55  # of half the field: how far the copies of a prism lean apart
_WIDER = 1.35  # how much full frost widens a beam
_COLUMNS = {
    "origin": (3,),
    "direction": (3,),
    "right": (3,),
    "rgb": (3,),
    "tan": (),
    "half": (),
    "lens": (),
    "iris": (),
    "gobo": (),
    "turn": (),
    "blades": (BLADES, 2),
    "kind": (),
    "unit": (),
}
_WHOLE = ("gobo", "kind", "unit")


def pose(rig: Rig, states: list[LightState], how: Drawn) -> tuple[Beams, Bodies]:
    """Beams and bodies of the whole rig."""
    parts: list[dict[str, Array]] = []
    matrix, shape, owner = [], [], []
    meshes = {key: index for index, key in enumerate(rig.meshes)}
    for group, state in zip(rig.groups, states, strict=True):
        place = _Places(group, state)
        mine = [
            _beams(group, state, index, place(beam.chain), how)
            for index, beam in enumerate(group.program.assembly.beams)
        ]
        if how.cells != "each" and len(mine) > 1:
            mine = [
                _averaged(mine),
                *(
                    [m | {"kind": np.full(len(group.units), 2)} for m in mine]
                    if how.cells == "pattern"
                    else []
                ),
            ]
        # cells drawn as one have the prism of the first
        prisms = state.optics or (None,)
        parts += [
            _split(m, prism) if prism is not None and prism.prism.any() else m
            for m, prism in zip(mine, itertools.cycle(prisms), strict=False)
        ]
        units = np.arange(group.first, group.first + len(group.units))
        for part in group.program.assembly.parts if how.bodies != "none" else ():
            model, turned = part.model, place(part.chain)
            key = mesh_key(group.units[0].profile, model)
            index = meshes.get(key, -1) if how.meshed(key) else -1
            if index < 0:
                size = [max(v, 0.02) for v in (model.length, model.width, model.height)]
                turned = turned * np.array([*size, 1.0])
            matrix.append(turned)
            drum = int(model.primitive in ROUND and how.bodies != "boxes")
            shape.append(np.full(len(units), 2 + index if index >= 0 else drum))
            owner.append(units)
    bodies = Bodies(
        np.concatenate(matrix) if matrix else np.zeros((0, 4, 4)),
        np.concatenate(shape).astype(np.int64) if shape else np.zeros(0, np.int64),
        np.concatenate(owner).astype(np.int64) if owner else np.zeros(0, np.int64),
    )
    return _joined(parts), bodies


class _Places:
    """Where the chains of links of a group lead, (n, 4, 4); what they share from the base on is
    worked out once.
    """

    def __init__(self, group: Group, state: LightState) -> None:
        self._base = group.base
        self._turns: dict[tuple[str, int], Array] = {}
        self._state = state
        self._kept: dict[tuple[int, ...], Array] = {}

    def __call__(self, chain: tuple[Link, ...]) -> Array:
        if not chain:
            return self._base
        key = tuple(map(id, chain))
        found = self._kept.get(key)
        if found is None:
            link = chain[-1]
            found = self(chain[:-1])
            # a fixed step that does not turn only moves: cheaper than a whole product
            if np.array_equal(link.matrix[:3, :3], _UNTURNED):
                moved = found.copy()
                moved[:, :3, 3] += found[:, :3, :3] @ link.matrix[:3, 3]
            else:
                moved = found @ link.matrix
            found = moved @ self._turn(link) if link.turns else moved
            self._kept[key] = found
        return found

    def _turn(self, link: Link) -> Array:
        key = link.turns, link.cell
        if key not in self._turns:
            angle = self._state.axes.get(key)
            if angle is None:  # a virtual channel: nothing turns it
                angle = np.zeros(len(self._base))
            self._turns[key] = turns_about(2 if link.turns == "Pan" else 0, angle)
        return self._turns[key]


_UNTURNED = np.eye(3)


def _joined(parts: list[dict[str, Array]]) -> Beams:
    made = {}
    for name, inner in _COLUMNS.items():
        whole = np.concatenate([p[name] for p in parts]) if parts else np.zeros((0, *inner))
        made[name] = whole.astype(np.int64) if name in _WHOLE else whole
    return Beams(**made)


def _beams(group: Group, state: LightState, index: int, at: Array, how: Drawn) -> dict[str, Array]:
    """One beam of all units of a group."""
    n, beam = len(group.units), group.program.assembly.beams[index].beam
    # a zoom changes both angles alike: what the profile says of one holds for the other
    field = np.radians(np.clip(state.field[:, index], 0.5, 160))
    ratio = min(1.0, max(0.05, beam.beam_angle / beam.field_angle)) if beam.field_angle > 0 else 1.0
    tan, half = np.tan(field / 2), np.tan(field * ratio / 2)
    rgb = state.rgb[:, index] * group.gel * (beam.flux / FLUX_UNIT)
    strobe = state.strobe[:, index]
    if how.flash and strobe.any():  # a short flash at the beginning of each period
        shut = (strobe > 0) & (np.mod(how.time * strobe, 1.0) > 0.35)
        rgb = rgb * np.where(shut, 0.0, 1.0)[:, None]
    kind = np.zeros(n, np.int64)
    if group.off is not None and how.hide_off:
        kind[group.off] = 2
    made = {
        "origin": at[:, :3, 3],
        "direction": -at[:, :3, 2],
        "right": at[:, :3, 0],
        "rgb": rgb,
        "tan": tan,
        "half": half,
        "lens": np.full(n, beam.radius),
        "kind": kind,
        "unit": np.arange(group.first, group.first + n),
    }
    optics = state.optics[index] if state.optics else None
    if optics is None:
        blank = np.full((n, BLADES, 2), np.inf)
        return made | {
            "iris": np.ones(n),
            "gobo": np.full(n, -1),
            "turn": np.zeros(n),
            "blades": blank,
        }
    if optics.frost.any():
        wider = 1 + (_WIDER - 1) * optics.frost
        made |= {"tan": tan * wider, "half": half * wider * (1 - 0.45 * optics.frost)}
    names = np.array([*group.gobos, -1])
    turn = np.radians(optics.turn + (optics.spin * how.time if how.flash else 0.0))
    return made | {
        "iris": optics.iris,
        "gobo": names[optics.gobo],
        "turn": turn,
        "blades": optics.blades,
    }


def _averaged(parts: list[dict[str, Array]]) -> dict[str, Array]:
    """The cells of each unit as one beam from their middle, giving as much light as they do
    together.
    """
    made = dict(parts[0])
    stack = {
        name: np.stack([p[name] for p in parts])
        for name in ("origin", "direction", "rgb", "tan", "half")
    }
    made["origin"] = stack["origin"].mean(axis=0)
    way = stack["direction"].sum(axis=0)
    size = np.linalg.norm(way, axis=1, keepdims=True)
    made["direction"] = np.where(size > 1e-3, way / np.maximum(size, 1e-9), parts[0]["direction"])
    made["rgb"] = stack["rgb"].sum(axis=0)
    made["tan"], made["half"] = stack["tan"].mean(axis=0), stack["half"].mean(axis=0)
    spread = np.ptp(stack["origin"], axis=0).max(axis=1)
    made["lens"] = np.maximum(made["lens"], spread / 2)
    made["kind"] = np.where(made["kind"] == 2, 2, 1 if len(parts) > 1 else 0)
    return made


def _split(part: dict[str, Array], optics: Optics) -> dict[str, Array]:
    """Each beam behind a prism as its copies, leaning apart, sharing its light."""
    copies = np.maximum(optics.prism, 1)
    rows = np.repeat(np.arange(len(copies)), copies)
    nth = np.arange(len(rows)) - np.repeat(np.cumsum(copies) - copies, copies)
    made = {name: value[rows] for name, value in part.items()}
    many = copies[rows] > 1
    angle = 2 * np.pi * nth / copies[rows] + np.radians(optics.prism_turn[rows])
    lean = np.where(many, made["tan"] * _SPREAD, 0.0)
    up = np.cross(made["right"], made["direction"])
    way = made["direction"] + lean[:, None] * (
        np.cos(angle)[:, None] * made["right"] + np.sin(angle)[:, None] * up
    )
    made["direction"] = way / np.linalg.norm(way, axis=1, keepdims=True)
    made["right"] = (
        made["right"]
        - (made["right"] * made["direction"]).sum(axis=1, keepdims=True) * made["direction"]
    )
    made["right"] /= np.linalg.norm(made["right"], axis=1, keepdims=True)
    made["rgb"] = made["rgb"] / copies[rows][:, None]
    return made


assert tuple(_COLUMNS) == tuple(f.name for f in fields(Beams))
