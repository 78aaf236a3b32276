"""Broad light and drifts: one bright and one dark side in each repeat.

The waves that fit once into the tile are held against those that fit two to six times along the
same axis, and against those of two to three in any direction: a matter that varies broadly
varies at all of these, a lamp in the broadest only. A drift that steps back somewhere has waves of
all lengths, in step: so a ramp is laid on each axis where it fits best, as by a matched filter (G.
Turin, "An Introduction to Matched Filters", 1960), and held against the waves that it leaves.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stonestack.core.image import Floats
from stonestack.core.resize import at_most
from stonestack.core.tile.faults.evidence import HINT, Evidence

_SIDE = 64
_FINER = slice(2, 7)
_AROUND = (1.9, 3.2)
_ALLOWED = (2.0, 2.0)
_VISIBLE = 0.007
_LEAST = 1.75
_LEAST_DRIFT = 2.1


@dataclass(frozen=True)
class _Broad:
    """A ring in few pixels, relative to its mean, and the amplitudes of its waves."""

    relative: NDArray[np.float64]
    waves: NDArray[np.float64]
    usual: float
    """Of waves that fit two to three times, in any direction."""


def light_evidence(values: Floats) -> list[Evidence]:
    """Measure the broadest waves of lightness, and drifts along both axes.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        A ring, as the eye weighs it.

    Returns
    -------
    list of Evidence
        Of light, none or one; its size is the span from the darkest to the lightest, of the mean.
        Of drifts, steps of tone where they begin anew; their size is the step, of the mean.
    """
    height, width = values.shape[:2]
    broad = _broad(values)
    return [*_light(broad, width, height), *_drifts(broad, width, height)]


def _broad(values: Floats) -> _Broad:
    small = at_most(values, _SIDE).mean(axis=2, dtype=np.float64)
    relative = small / max(float(small.mean()), 0.05) - 1
    waves = np.abs(np.fft.fft2(relative)) * (2 / relative.size)
    rows, columns = relative.shape
    around = np.hypot(
        np.fft.fftfreq(rows, 1 / rows)[:, np.newaxis], np.fft.fftfreq(columns, 1 / columns)
    )
    ring = waves[(around >= _AROUND[0]) & (around < _AROUND[1])]
    return _Broad(relative, waves, math.sqrt(float(np.square(ring).mean())))


def _light(broad: _Broad, width: int, height: int) -> Iterator[Evidence]:
    amplitude = 0.0
    beyond = 0.0
    for line in (broad.waves[0], broad.waves[:, 0]):
        finer = math.sqrt(float(np.square(line[_FINER]).mean()))
        allowed = math.hypot(_VISIBLE, max(_ALLOWED[0] * broad.usual, _ALLOWED[1] * finer))
        amplitude = math.hypot(amplitude, float(line[1]))
        beyond = math.hypot(beyond, float(line[1]) / allowed)
    if beyond > _LEAST * (1 + HINT):
        whole = (0.0, 0.0, float(width), float(height))
        yield Evidence("light", whole, beyond / _LEAST - 1, 2 * amplitude)


def _drifts(broad: _Broad, width: int, height: int) -> Iterator[Evidence]:
    for axis, side in ((0, width), (1, height)):
        profile = broad.relative.mean(axis=axis)
        count = len(profile)
        ramp = (np.arange(count) + 0.5) / count - 0.5
        alike = np.fft.irfft(np.fft.rfft(profile) * np.conj(np.fft.rfft(ramp)), n=count)
        begin = int(np.argmax(np.abs(alike)))
        step = float(alike[begin] / np.square(ramp).sum())
        left = np.abs(np.fft.rfft(profile - step * np.roll(ramp, begin))) * (2 / count)
        finer = math.sqrt(float(np.square(left[1 : _FINER.stop]).mean()))
        allowed = math.hypot(_VISIBLE, max(broad.usual, _ALLOWED[1] * finer))
        # The broadest wave of a ramp from -1/2 to 1/2 has an amplitude of 1/pi.
        excess = abs(step) / math.pi / allowed / _LEAST_DRIFT - 1
        if excess > HINT:
            at, wide = begin * side / count, 2 * side / count
            box = (at - wide / 2, 0.0, wide, float(height))
            if axis == 1:
                box = (0.0, at - wide / 2, float(width), wide)
            yield Evidence("tone", box, excess, abs(step))
