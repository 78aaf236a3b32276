"""Broad light and drifts: one bright and one dark side in each repeat.

The waves that fit once into the tile are held against those that fit two to six times along the
same axis, and against those of two to three in any direction: a matter that varies broadly
varies at all of these, a lamp in the broadest only. A drift that steps back somewhere has waves of
all lengths, in step: so a ramp is laid on each axis where it fits best, as by a matched filter (G.
Turin, "An Introduction to Matched Filters", 1960), and held against the waves that it leaves.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats
from stonestack.core.picture.resize import at_most
from stonestack.core.tile.faults.evidence import HINT, Evidence

_SIDE = 64
_FINER = slice(2, 7)
_AROUND = (1.9, 3.2)
_ALLOWED = (2.0, 2.0)
_VISIBLE = 0.007
_LEAST = 1.9
_LEAST_DRIFT = 2.1


@dataclass(frozen=True)
class _Axis:
    """What varies broadly along one axis of a ring, relative to its mean.

    Parameters
    ----------
    broadest : float
        Amplitude of the wave that fits once.
    finer : float
        Of those that fit two to six times.
    left : float
        Of those that fit once to six times, without the ramp.
    step, at : float
        Of the ramp that fits best: by how much it steps back, and where, as a share of the side.
    wide : float
        How exact that place is, likewise.
    """

    broadest: float
    finer: float
    left: float
    step: float
    at: float
    wide: float

    def drift(self, usual: float) -> float:
        """Return how far the ramp lies beyond what a sound tile has, as a share of that."""
        allowed = math.hypot(_VISIBLE, max(usual, _ALLOWED[1] * self.left))
        # The broadest wave of a ramp from -1/2 to 1/2 has an amplitude of 1/pi.
        return abs(self.step) / math.pi / allowed / _LEAST_DRIFT - 1


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
    small = at_most(values, _SIDE).mean(axis=2, dtype=np.float64)
    relative = small / max(float(small.mean()), 0.05) - 1
    usual = _usual(relative)
    axes = [_along(relative.mean(axis=axis)) for axis in (0, 1)]
    found: list[Evidence] = []
    amplitude = beyond = 0.0
    for axis in axes:
        drift = axis.drift(usual)
        # The shorter waves of a drift are no variety of the matter.
        finer = axis.left if drift > 0 else axis.finer
        allowed = math.hypot(_VISIBLE, max(_ALLOWED[0] * usual, _ALLOWED[1] * finer))
        amplitude = math.hypot(amplitude, axis.broadest)
        beyond = math.hypot(beyond, axis.broadest / allowed)
        if drift > HINT:
            if axis is axes[0]:
                box = ((axis.at - axis.wide / 2) * width, 0.0, axis.wide * width, float(height))
            else:
                box = (0.0, (axis.at - axis.wide / 2) * height, float(width), axis.wide * height)
            found.append(Evidence("tone", box, drift, abs(axis.step)))
    if beyond > _LEAST * (1 + HINT):
        whole = (0.0, 0.0, float(width), float(height))
        found.append(Evidence("light", whole, beyond / _LEAST - 1, 2 * amplitude))
    return found


def _usual(relative: NDArray[np.float64]) -> float:
    """Return the amplitude of waves that fit two to three times, in any direction."""
    waves = np.abs(np.fft.fft2(relative)) * (2 / relative.size)
    rows, columns = relative.shape
    around = np.hypot(
        np.fft.fftfreq(rows, 1 / rows)[:, np.newaxis], np.fft.fftfreq(columns, 1 / columns)
    )
    return _middling(waves[(around >= _AROUND[0]) & (around < _AROUND[1])])


def _along(profile: NDArray[np.float64]) -> _Axis:
    """Measure the means of columns or rows."""
    count = len(profile)
    ramp = (np.arange(count) + 0.5) / count - 0.5
    alike = np.fft.irfft(np.fft.rfft(profile) * np.conj(np.fft.rfft(ramp)), n=count)
    begin = int(np.argmax(np.abs(alike)))
    step = float(alike[begin] / np.square(ramp).sum())
    waves, left = (
        np.abs(np.fft.rfft(values)) * (2 / count)
        for values in (profile, profile - step * np.roll(ramp, begin))
    )
    finer = _middling(waves[_FINER])
    return _Axis(
        float(waves[1]), finer, _middling(left[1 : _FINER.stop]), step, begin / count, 2 / count
    )


def _middling(amplitudes: NDArray[np.float64]) -> float:
    return math.sqrt(float(np.square(amplitudes).mean()))
