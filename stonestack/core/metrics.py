"""How far one picture is from another."""

from __future__ import annotations

import math

import numpy as np

from stonestack.core.image import Bytes, Floats


def psnr(reference: Bytes, result: Bytes) -> float:
    """Return the peak signal-to-noise ratio of 8-bit pictures, in decibels.

    Infinite where both are equal.
    """
    difference = reference.astype(np.float32) - result.astype(np.float32)
    error = float(np.mean(np.square(difference), dtype=np.float64))
    return math.inf if error == 0 else 10 * math.log10(255.0**2 / error)


def mean_angle(reference: Floats, result: Floats) -> float:
    """Return the mean angle between two fields of unit vectors, in degrees.

    Parameters
    ----------
    reference, result : ndarray, float32, shape (height, width, 3)
        Unit vectors, -1..1.
    """
    # The chord gives small angles without the cancellation that an arc cosine suffers.
    chord = np.linalg.norm(reference.astype(np.float64) - result, axis=2)
    return float(np.degrees(2 * np.arcsin(np.clip(chord / 2, 0, 1))).mean())
