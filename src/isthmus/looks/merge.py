"""Several lists at once on the same parameters: the highest counts where a channel says so (HTP),
else the latest (LTP), each as far as it has a say.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from isthmus.looks.compiled import Programme
from isthmus.looks.position import Floats, Position

Running = Sequence[tuple[Programme, Position]]


class Stack(NamedTuple):
    """All parameters any list has: (m,) which and whether the highest counts; (lists, m) value,
    weight, and when it was last asked.
    """

    index: NDArray[np.int64]
    highest: NDArray[np.bool_]
    value: Floats
    weight: Floats
    order: NDArray[np.float64]


def merged(running: Running, time: float, base: Floats) -> Floats:
    """The levels of all parameters: `base` (p,) where no list has any say."""
    found = base.copy()
    if not running:
        return found
    one = stacked(running, time)
    below = base[one.index]
    high = np.maximum((one.value * one.weight).max(axis=0), below * (1 - one.weight.max(axis=0)))
    latest = below
    for row in np.argsort(one.order, axis=0, kind="stable")[:, None]:
        v, w = np.take_along_axis(one.value, row, 0)[0], np.take_along_axis(one.weight, row, 0)[0]
        latest = latest + (v - latest) * w
    found[one.index] = np.where(one.highest, high, latest)
    return found


def stacked(running: Running, time: float) -> Stack:
    index = running[0][0].index
    if len(running) > 1:
        index = np.unique(np.concatenate([programme.index for programme, _ in running]))
    shape = len(running), len(index)
    value, weight = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
    order, highest = np.full(shape, -np.inf), np.zeros(len(index), bool)
    for row, (programme, position) in enumerate(running):
        at = np.searchsorted(index, programme.index)
        value[row, at], weight[row, at] = position.at(time)
        order[row, at] = position.order
        highest[at] = programme.highest
    return Stack(index, highest, value, weight, order)


def say(running: Running, time: float, index: NDArray[np.int64]) -> Floats:
    """How much of a say any list has on parameters, (n,), 0…1."""
    one = stacked(running, time)
    whole = np.zeros(int(max(index.max(initial=0), one.index.max(initial=0))) + 1, np.float32)
    whole[one.index] = one.weight.max(axis=0)
    return whole[index]


def winner(running: Running, time: float, parameter: int) -> str:
    """The id of the list that has the say on a parameter; "" where none has."""
    if not running:
        return ""
    one = stacked(running, time)
    at = int(np.searchsorted(one.index, parameter))
    if at >= len(one.index) or one.index[at] != parameter or not (one.weight[:, at] > 0).any():
        return ""
    says = one.value[:, at] * one.weight[:, at] if one.highest[at] else one.order[:, at]
    return running[int(np.where(one.weight[:, at] > 0, says, -np.inf).argmax())][0].id
