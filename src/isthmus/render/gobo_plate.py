"""Gobos in haze: how much light of a chord through the beam a gobo lets through, for every chord,
as a small picture.

A ray from the eye crosses a beam along a chord; what it sees of a gobo is the mean of the gobo
along that chord (a Radon transform). Laid out beforehand over the chord's direction and its
distance from the middle, it costs one texture fetch.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

ANGLES, OFFSETS, STEPS = 64, 64, 48


def radon(gobo: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """(ANGLES, OFFSETS): row, the direction of the chord over a whole turn; column, its offset −1…1
    to the left of it.
    """
    return _radon(gobo.tobytes(), gobo.shape[0])


@lru_cache(maxsize=256)
def _radon(data: bytes, size: int) -> NDArray[np.uint8]:
    gobo = np.frombuffer(data, np.uint8).reshape(size, size).astype(np.float32)
    angle = np.arange(ANGLES) / ANGLES * 2 * np.pi
    offset = (np.arange(OFFSETS) + 0.5) / OFFSETS * 2 - 1
    half = np.sqrt(np.maximum(1 - offset**2, 0))
    along = ((np.arange(STEPS) + 0.5) / STEPS * 2 - 1)[None, None, :] * half[None, :, None]
    c, s = np.cos(angle)[:, None, None], np.sin(angle)[:, None, None]
    u = along * c - offset[None, :, None] * s
    v = along * s + offset[None, :, None] * c
    column = np.clip(((u + 1) / 2 * size).astype(int), 0, size - 1)
    row = np.clip(((1 - v) / 2 * size).astype(int), 0, size - 1)
    return gobo[row, column].mean(axis=2).astype(np.uint8)
