"""Rigs where all answers, and the devices units are."""

from __future__ import annotations

from isthmus.check import mark
from isthmus.check.devices import Device
from isthmus.check.findings.model import SEEN_ACTS, Model
from isthmus.profiles import chart, profiles_of
from isthmus.show.records import Show
from isthmus.wire import rdm


def all_answer(show: Show, but: dict[str, dict] | None = None) -> Show:
    """Everybody that can be called answers, but for some: unit → what `mark` is told."""
    for unit in Model(show).ids:
        told = {"result": "works", **(but or {}).get(unit, {})}
        show = mark(show, unit, told.pop("result"), acts=SEEN_ACTS, **told)
    return show


def device_of(show: Show, unit_id: str) -> Device:
    unit = show.unit(unit_id)
    profile, mode = profiles_of(show).mode_of(unit) or (None, None)
    assert profile is not None and mode is not None
    modes = tuple((m.name, chart(profile, m).footprint) for m in profile.modes)
    number = [m for m, _ in modes].index(unit.mode) + 1
    info = rdm.Info(
        1,
        0x0101,
        1,
        chart(profile, mode).footprint,
        number,
        len(modes),
        unit.patch[0].address,
        0,
        0,
    )
    label = f"{unit.number} {unit.name}"
    return Device(
        rdm.uid(0x7FF0, unit.number),
        "127.0.0.2",
        "Ferry A",
        1,
        0,
        info,
        label,
        profile.name,
        profile.maker,
        "",
        modes,
    )
