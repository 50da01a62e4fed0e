"""All papers of the rig by name: a new one is a function and a line here."""

from __future__ import annotations

from collections.abc import Callable

from isthmus.papers import rig
from isthmus.papers.calls import roll_call
from isthmus.papers.evening import all_cues, focus_sheet
from isthmus.papers.loads import point_loads
from isthmus.papers.network import address_plan
from isthmus.papers.settings import settings
from isthmus.papers.table import Paper
from isthmus.papers.troubles import snag_list
from isthmus.show.records import Show

RIG: dict[str, tuple[str, Callable[[Show, rig.Only], Paper]]] = {
    "number": ("Units by number", rig.by_number),
    "address": ("Units by address, with free runs", rig.by_address),
    "position": ("Units by position, in hanging order", rig.by_position),
    "settings": ("What to set at the units since the last handover", settings),
    "gels": ("Gels to cut, by position", rig.gel_list),
    "universes": ("Universes, outputs and ports", rig.universes),
    "network": ("Address plan of the network", address_plan),
    "loads": ("Weight and power, by position", rig.weight_and_power),
    "lines": ("Weight and power, by DMX line", rig.weight_by_line),
    "points": ("Point loads along each structure", point_loads),
    "snags": ("Snags by position, to tick", snag_list),
    "calls": ("Record of roll call, by position", roll_call),
    "focus": ("Focus, palette by palette", focus_sheet),
    "cues": ("Cues of every list with their times", all_cues),
}
