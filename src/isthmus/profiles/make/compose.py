"""Whole profiles out of a body and lists of channels."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass

from isthmus.profiles import records as r
from isthmus.profiles.channel_table import ChannelTable
from isthmus.profiles.make.bodies import Body, geometry_of
from isthmus.profiles.make.channels import Channel, channel_of, with_definitions

_SPACE = uuid.UUID("5a1d0c6e-6a77-4f0a-9d6c-27c3b1f0e001")


@dataclass(frozen=True)
class ModePlan:
    """The channels of a mode in order: the unit's own, then `cells` times those of a cell, then the
    rest.

    `slots` gives the unit's own channels places of their own where they do not simply follow each
    other. `blocks` sends own channels to other DMX blocks, by index.
    """

    name: str
    channels: tuple[Channel, ...] = ()
    cells: int = 0
    cell: tuple[Channel, ...] = ()
    tail: tuple[Channel, ...] = ()
    slots: tuple[tuple[int, ...], ...] = ()
    blocks: tuple[int, ...] = ()
    description: str = ""


def profile_id(maker: str, name: str) -> str:
    """The same id for the same maker and model."""
    return str(uuid.uuid5(_SPACE, f"{maker}\n{name}")).upper()


def _geometry_for(attribute: str, body: Body, cells: int, root: str) -> str:
    if cells or body.kind in ("machine", "rack"):
        return root
    if body.kind in ("mover", "mirror"):
        if attribute.startswith("Pan"):
            return "Yoke"
        if attribute.startswith("Tilt"):
            return "Head"
    return root if attribute.startswith("Control") else "Lens"


def compose(
    maker: str,
    name: str,
    body: Body,
    modes: Sequence[ModePlan],
    *,
    description: str = "",
    ident: str = "",
    date: str = "2026-03-02T10:00:00",
    note: str = "First written",
) -> r.Profile:
    """A profile with its definitions, geometry and modes. Modes with equal cells share a
    geometry.
    """
    layouts: dict[str, tuple[int, int, int]] = {}
    roots: dict[tuple[int, int, int], str] = {}
    made: list[r.Mode] = []
    for plan in modes:
        own = sum(channel.size for channel in plan.channels)
        stride = sum(channel.size for channel in plan.cell)
        layout = (plan.cells, own + 1, stride) if plan.cells else (0, 0, 0)
        root = roots.get(layout)
        if root is None:
            root = roots[layout] = "Base" if not layouts else f"Base {len(layouts) + 1}"
            layouts[root] = layout
        made.append(_mode(plan, body, root))
    tops, models = geometry_of(body, layouts)
    plain_profile = r.Profile(
        id=ident or profile_id(maker, name),
        name=name,
        maker=maker,
        long_name=f"{maker} {name}".strip(),
        short_name=name.split()[0] if name else "",
        description=description,
        geometries=tops,
        models=models,
        modes=tuple(made),
        revisions=(r.Revision(text=note, date=date),),
    )
    return with_definitions(plain_profile)


def _mode(plan: ModePlan, body: Body, root: str) -> r.Mode:
    channels: list[r.DmxChannel] = []
    at: dict[int, int] = {}

    def place(channel: Channel, geometry: str, block: int = 1, slots: tuple[int, ...] = ()) -> None:
        first = at.get(block, 1)
        offsets = slots or tuple(range(first, first + channel.size))
        channels.append(channel_of(channel, offsets, geometry, block))
        at[block] = max(first, max(offsets) + 1)

    for index, channel in enumerate(plan.channels):
        slots = plan.slots[index] if index < len(plan.slots) else ()
        block = plan.blocks[index] if index < len(plan.blocks) else 1
        place(channel, _geometry_for(channel.attribute, body, plan.cells, root), block, slots)
    offset = 1
    for channel in plan.cell if plan.cells else ():
        geometry = (
            {"Pan": "Cell Yoke", "Tilt": "Cell Head"}.get(channel.attribute, "Cell Lens")
            if body.moving_cells
            else "Cell"
        )
        channels.append(
            channel_of(channel, tuple(range(offset, offset + channel.size)), geometry, 0)
        )
        offset += channel.size
    at[1] = at.get(1, 1) + plan.cells * sum(channel.size for channel in plan.cell)
    for channel in plan.tail:
        place(channel, _geometry_for(channel.attribute, body, plan.cells, root))
    return r.Mode(
        name=plan.name, geometry=root, channels=tuple(channels), description=plan.description
    )


def from_sheet(
    chart: ChannelTable,
    maker: str,
    name: str,
    mode: str,
    body: Body,
    ident: str = "",
    date: str = "",
    note: str = "",
) -> r.Profile:
    """A new profile from a chart read out of a manual; channels without an attribute keep their
    place as NoFeature.
    """
    channels = tuple(
        Channel(
            line.attribute or "NoFeature",
            line.size,
            line.bands,
            line.default,
            name=line.name if not line.attribute else "",
        )
        for line in chart.lines
    )
    plan = ModePlan(
        mode,
        channels,
        slots=tuple(line.slots for line in chart.lines),
        blocks=tuple(line.block for line in chart.lines),
    )
    return compose(
        maker,
        name,
        body,
        [plan],
        ident=ident or str(uuid.uuid4()).upper(),
        date=date,
        note=note or "From the manual's chart",
    )


def body_for(attributes: set[str], cells: int = 0) -> Body:
    """A body guessed from what a unit can do, so that it is never invisible."""
    if {"Haze1", "Fog1", "Fan1"} & attributes and "Dimmer" not in attributes:
        return Body("machine", (0.5, 0.3, 0.3))
    if {"Pan", "Tilt"} & attributes and cells > 1:
        return Body(
            "cells",
            (min(2.4, 0.25 * cells), 0.2, 0.36),
            r.Beam(beam_angle=6, field_angle=8),
            columns=cells,
            moving_cells=True,
        )
    if {"Pan", "Tilt"} & attributes:
        return Body(
            "mover",
            (0.34, 0.26, 0.55),
            r.Beam(beam_angle=16, field_angle=20, kind="Spot" if "Gobo1" in attributes else "Wash"),
        )
    if cells > 1:
        return Body(
            "cells",
            (min(2.0, 0.16 * cells), 0.1, 0.12),
            r.Beam(beam_angle=38, field_angle=55, flux=900, radius=0.035),
            columns=cells,
        )
    if any(attribute.startswith("ColorAdd_") for attribute in attributes):
        return Body(
            "can", (0.24, 0.24, 0.26), r.Beam(beam_angle=22, field_angle=28, flux=3200, radius=0.09)
        )
    return Body(
        "lantern",
        (0.28, 0.28, 0.42),
        r.Beam(
            beam_angle=22,
            field_angle=26,
            flux=11000,
            color_temperature=3200,
            radius=0.07,
            kind="Spot",
        ),
    )
