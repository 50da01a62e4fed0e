"""Mode masters: functions of a channel that are in force only while another channel stands in a
range (DIN SPEC 15800, ChannelFunction ModeMaster, ModeFrom, ModeTo).
"""

from __future__ import annotations

from dataclasses import dataclass

from isthmus.profiles.chart import Chart, ChartChannel
from isthmus.profiles.gdtf.values import dmx_value
from isthmus.profiles.records import ChannelFunction


@dataclass(frozen=True)
class Waits:
    """A function is in force while `master` stands from `low` to `high`, DMX values of its own
    resolution.
    """

    master: ChartChannel
    low: int
    high: int

    def holds(self, value: int) -> bool:
        return self.low <= value <= self.high

    @property
    def at_home(self) -> bool:
        """Whether the function is in force while the master rests."""
        return self.holds(self.master.default)


def waits_for(chart: Chart, function: ChannelFunction, cell: int) -> Waits | None:
    """What a function waits for: its master by the name of the channel, in the same cell where
    there are several. A master that is not in the mode binds nothing.
    """
    name = function.mode_master.split(".")[0]
    masters = [
        item
        for item in chart.channels
        if name
        and item.slots
        and item.channel.logical
        and f"{item.channel.geometry}_{item.channel.logical[0].attribute}" == name
    ]
    if not masters:
        return None
    master = next((item for item in masters if item.cell == cell), masters[0])
    low, high = (
        dmx_value(text or otherwise, len(master.slots))
        for text, otherwise in ((function.mode_from, "0/1"), (function.mode_to, "255/1"))
    )
    return Waits(master, low, high)
