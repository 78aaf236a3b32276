"""Where the light of a picture came from, as far as the picture tells.

Under a lamp at one side a matt relief is seen by its slope towards the lamp. P. Kube and A.
Pentland, "On the Imaging of Fractal Surfaces", IEEE TPAMI 10 (1988), equations 8 and 9: each wave
of the relief shows by the cosine between its way and the lamp's. From the strength of the waves
only the lamp's axis can be told, not on which side of it the lamp stands: the same picture is seen
of the opposite relief under the opposite lamp. What tells them apart is that what is steep in a
relief is mostly where something ends, and falls away from there: its walls towards the lamp lie on
the far side of what is deep. So the tone is held against the slope of its own local contrast, a
statistic of the third order.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from stonestack.core.picture.filters import gaussian
from stonestack.core.picture.image import Floats
from stonestack.core.picture.measures.ramps import ramp
from stonestack.core.picture.remembering import Remembered

_BANDS = ((1.0, 4.0), (2.0, 8.0))
"""Fine and broad standard deviation of bands, in 384ths of the width."""
_WIDTH = 384
_AROUND = 1.5
_SURE = (0.2, 0.3)
_SURE_BESIDE_JOINTS = (0.05, 0.1)
_SURE_OF_WAVES = (0.3, 0.4)
"""Share of the tone, as a correlation, from which on a direction is believed, and wholly: usually,
where pale joints tell what is deep, and where the relief itself runs in waves one way, whose own
crests may lean."""
_WAVES = 0.15
_AGREE = (0.3, 0.7)
"""Cosine between the directions of the two bands."""
_AXIS_SEEN, _AXIS_SURE = 0.12, 0.24
_GRAIN_SEEN, _GRAIN_SURE = 0.9, 0.75
"""Above this one-sidedness waves lie along a grain, as in wood, and not along a lamp's axis."""


@dataclass(frozen=True)
class Lighting:
    """Where light came from.

    Parameters
    ----------
    azimuth : float
        Radians anticlockwise from the right, where it stood.
    side : float
        0 to 1: how surely it came from there.
    axis : float
        Radians: along which waves are strongest.
    uneven : float
        How much stronger, 0 to 1: 0 for the same every way, 1 for all along the axis.
    lost : float
        0 to 1: how surely it came along the axis, from which of its ends cannot be told.
    """

    azimuth: float
    side: float
    axis: float
    uneven: float
    lost: float


_FOUND: Remembered[Lighting] = Remembered()


def lighting_of(tone: Floats, wraps: bool, beside_joints: bool = False) -> Lighting:
    """Tell where light came from.

    Parameters
    ----------
    tone : ndarray, float32, shape (height, width)
        Logarithm of linear light; a few hundred texels each way are enough.
    wraps : bool
    beside_joints : bool
        Whether the picture is known to have joints that are paler than what they lie between:
        then it is known what is deep, and less is needed to believe what follows.
    """
    return _FOUND.of(tone, wraps, beside_joints, work=lambda: _told(tone, wraps, beside_joints))


def _told(tone: Floats, wraps: bool, beside_joints: bool) -> Lighting:
    unit = tone.shape[1] / _WIDTH
    ways, sizes = [], []
    for fine, broad in _BANDS:
        way, share = _steepness(_band(tone, fine * unit, broad * unit, wraps), fine * unit, wraps)
        ways.append(way)
        sizes.append(share)
    units = [way / max(float(np.hypot(*way)), 1e-9) for way in ways]
    agree = ramp(float(units[0] @ units[1]), *_AGREE)
    both = units[0] * sizes[0] ** 2 + units[1] * sizes[1] ** 2
    broad_band = _band(tone, 2 * unit, 8 * unit, wraps)
    usual = _SURE_OF_WAVES if _waviness(broad_band) > _WAVES else _SURE
    least, whole = _SURE_BESIDE_JOINTS if beside_joints else usual
    side = ramp(max(sizes) * agree, least, whole)
    axis, uneven = axis_of(broad_band, wraps)
    along = ramp(uneven, _AXIS_SEEN, _AXIS_SURE) * ramp(-uneven, -_GRAIN_SEEN, -_GRAIN_SURE)
    return Lighting(math.atan2(both[1], both[0]), side, axis, uneven, (1 - side) * along)


def slopes_across(values: Floats, wraps: bool) -> tuple[Floats, Floats]:
    """Return how much values rise to the right and up, by central differences, a texel."""
    around = np.pad(values, 1, mode="wrap" if wraps else "edge")
    right = (around[1:-1, 2:] - around[1:-1, :-2]) * np.float32(0.5)
    up = (around[:-2, 1:-1] - around[2:, 1:-1]) * np.float32(0.5)
    return right, up


def _band(tone: Floats, fine: float, broad: float, wraps: bool) -> Floats:
    whole = tone[..., np.newaxis]
    return (gaussian(whole, fine, wraps) - gaussian(whole, broad, wraps))[..., 0]


def _steepness(band: Floats, fine: float, wraps: bool) -> tuple[Floats, float]:
    """Return which way tone falls off from what is steep, and what share of tone does."""
    right, up = slopes_across(band, wraps)
    energy = np.square(right) + np.square(up)
    around = gaussian(energy[..., np.newaxis], fine * _AROUND, wraps)[..., 0]
    steep = np.sqrt(np.maximum(around, 0) + np.float32(1e-8))
    x, y = slopes_across(steep, wraps)
    spread = np.array([[_mean(x * x), _mean(x * y)], [_mean(x * y), _mean(y * y)]])
    shared = np.array([_mean(band * x), _mean(band * y)])
    if np.linalg.det(spread) < 1e-24:
        return np.zeros(2, np.float32), 0.0
    way = np.linalg.solve(spread, shared)
    told = max(0.0, float(shared @ way)) / max(_mean(band * band), 1e-12)
    return way.astype(np.float32), math.sqrt(told)


def axis_of(band: Floats, wraps: bool) -> tuple[float, float]:
    """Return along which way tone changes most, and how one-sided that is."""
    x, y = slopes_across(band, wraps)
    across, down, both = _mean(x * x), _mean(y * y), _mean(x * y)
    apart = math.hypot(across - down, 2 * both)
    return 0.5 * math.atan2(2 * both, across - down), apart / max(across + down, 1e-12)


def _waviness(band: Floats) -> float:
    """Return how much of the tone lies in waves of few ways, 0 to 1; a lamp alone leaves none.

    A lamp weighs waves by the square of a cosine, which has no fourth harmonic over the ways.
    """
    waves = np.square(np.abs(np.fft.fft2(band)))
    waves[0, 0] = 0
    across, down = np.fft.fftfreq(band.shape[1])[np.newaxis], np.fft.fftfreq(band.shape[0])
    way = np.exp(4j * np.arctan2(down[:, np.newaxis], across))
    total = float(waves.sum())
    return abs(complex((waves * way).sum())) / total if total > 0 else 0.0


def _mean(values: Floats) -> float:
    return float(values.mean(dtype=np.float64))
