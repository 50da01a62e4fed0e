"""Several lists at once on the same parameters: the highest counts where a channel says so (HTP),
else the latest (LTP), each as far as it has taken the parameter over.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from isthmus.looks.playback import Playback

Levels = NDArray[np.float32]


def merged(playback: Playback, time: float, base: Levels) -> Levels:
    """The levels of all parameters: `base` (p,) where no list has any say."""
    found = base.copy()
    if not playback.positions:
        return found
    index, value, weight, order, highest = stacked(playback, time)
    below = base[index]
    high = np.maximum((value * weight).max(axis=0), below * (1 - weight.max(axis=0)))
    latest = below
    for row in np.argsort(order, axis=0, kind="stable")[:, None]:
        v, w = np.take_along_axis(value, row, 0)[0], np.take_along_axis(weight, row, 0)[0]
        latest = latest + (v - latest) * w
    found[index] = np.where(highest, high, latest)
    return found


def stacked(
    playback: Playback, time: float
) -> tuple[NDArray[np.int64], Levels, Levels, NDArray[np.float64], NDArray[np.bool_]]:
    """Of all parameters any list has: (m,) which, (lists, m) value, weight and order of each list,
    (m,) whether the highest counts.
    """
    running = [(playback.programmes[name], p) for name, p in playback.positions.items()]
    index = np.unique(np.concatenate([programme.index for programme, _ in running]))
    shape = len(running), len(index)
    value, weight = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
    order, highest = np.full(shape, -np.inf), np.zeros(len(index), bool)
    for row, (programme, position) in enumerate(running):
        at = np.searchsorted(index, programme.index)
        value[row, at], weight[row, at] = position.at(time)
        order[row, at] = position.order
        highest[at] = programme.highest
    return index, value, weight, order, highest


def winner(playback: Playback, time: float, parameter: int) -> str:
    """The id of the list that has the say on a parameter; "" where none has."""
    if not playback.positions:
        return ""
    names = list(playback.positions)
    index, value, weight, order, highest = stacked(playback, time)
    at = int(np.searchsorted(index, parameter))
    if at >= len(index) or index[at] != parameter or not (weight[:, at] > 0).any():
        return ""
    says = value[:, at] * weight[:, at] if highest[at] else order[:, at]
    return names[int(np.where(weight[:, at] > 0, says, -np.inf).argmax())]
