"""What points to a fault, before it is judged; and helpers of all who look for it on a ring."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from stonestack.core.picture.image import Floats

FaultKind = Literal[
    "seam", "fade", "blur", "line", "copy", "ghost", "mirror", "light", "spot", "bond", "tone"
]
LEAST_SIDE = 64
"""Pixels of the shorter side below which nothing smaller is looked at."""
HINT = -0.4
_MOST_PEAKS = 12


@dataclass(frozen=True)
class Evidence:
    """Something that stands out.

    Parameters
    ----------
    kind : FaultKind
        Of which fault it is a sign.
    box : tuple of four float
        Left, top, width and height, in pixels of the tile.
    excess : float
        How far it lies beyond what a sound tile has, as a share of that: above 0 it is a fault;
        down to :data:`HINT` it is the more likely one, the nearer it is to 0.
    size : float
        How large it is to the eye, in the unit of its kind.
    """

    kind: FaultKind
    box: tuple[float, float, float, float]
    excess: float
    size: float

    def larger(self, scale: float) -> Evidence:
        """Return it as it lies on the same tile at another size."""
        left, top, width, height = (side * scale for side in self.box)
        return replace(self, box=(left, top, width, height))

    def against(self, bound: float) -> Evidence:
        """Return it held against a bound so many times as large."""
        return replace(self, excess=(1 + self.excess) / bound - 1)

    def turned(self) -> Evidence:
        """Return it as it lies on the tile whose rows are this one's columns."""
        left, top, width, height = self.box
        return replace(self, box=(top, left, height, width))


def finer_to_coarser(values: Floats, count: int) -> list[Floats]:
    """Return a ring at up to ``count`` scales, each about half as fine as the one before."""
    from stonestack.core.picture.resize import resample

    scales = [np.ascontiguousarray(values)]
    while len(scales) < count and min(scales[-1].shape[:2]) >= 2 * LEAST_SIDE:
        height, width = scales[-1].shape[:2]
        scales.append(resample(scales[-1], width // 2, height // 2, "box", True))
    return scales


def peaks(profile: Floats, apart: int, most: int = _MOST_PEAKS) -> list[int]:
    """Return the places of the largest values of a ring, none nearer to another than ``apart``."""
    left, count = profile.astype(np.float32), len(profile)
    found: list[int] = []
    while len(found) < most:
        place = int(left.argmax())
        if left[place] == -np.inf:
            break
        found.append(place)
        left[max(0, place - apart) : place + apart + 1] = -np.inf
        # Of what lies beyond the ends, the other end of the ring is the same.
        left[max(0, place - apart + count) :] = -np.inf
        left[: max(0, place + apart + 1 - count)] = -np.inf
    return found


def period_of(profile: Floats) -> tuple[int, float]:
    """Return after how many places a ring's profile recurs best, and its correlation then."""
    away = profile - profile.mean()
    waves = np.fft.rfft(away)
    alike = np.fft.irfft(np.square(np.abs(waves)), n=len(away))
    alike = alike / max(float(alike[0]), 1e-12)
    half = np.arange(6, len(profile) // 2 + 1)
    tops = half[(alike[half] >= alike[half - 1]) & (alike[half] >= alike[(half + 1) % len(alike)])]
    if len(tops) == 0:
        return 0, 0.0
    best = int(tops[np.argmax(alike[tops])])
    return best, float(alike[best])
