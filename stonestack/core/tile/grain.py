"""How large the features of a matter are; by it ways of tiling choose the size of their pieces."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Picture, premultiplied
from stonestack.core.tile.ways import as_seen


def grain_of(guide: Picture) -> float:
    """Return the size of a matter's grain, as a share of the shorter side.

    It is how far one has to go until half of the likeness of a place with itself is lost.
    """
    light = as_seen(premultiplied(guide), guide).mean(axis=2, dtype=np.float32)
    detail = light - light.mean()
    height, width = detail.shape
    power = np.square(np.abs(np.fft.rfft2(detail, s=(2 * height, 2 * width))))
    alike = np.fft.irfft2(power)
    down, across = alike[: height // 2, 0], alike[0, : width // 2]
    return float(max(_half_way(down), _half_way(across)) / min(width, height))


def _half_way(alike: NDArray[np.float64]) -> int:
    """Return after how many pixels half of what is alike is lost."""
    below = np.flatnonzero(alike < 0.5 * alike[0])
    return int(below[0]) if len(below) else len(alike)
