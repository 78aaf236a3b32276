"""How far one picture is from another."""

from __future__ import annotations

import math

import numpy as np

from stonestack.core.picture.image import Bytes, Floats
from stonestack.core.runtime.parallel import over_bands

_REACH = 5
"""Texels on either side of the window of structural similarity."""


def psnr(reference: Bytes, result: Bytes) -> float:
    """Return the peak signal-to-noise ratio of 8-bit pictures, in decibels.

    Infinite where both are equal.
    """
    difference = reference.astype(np.float32) - result.astype(np.float32)
    error = float(np.mean(np.square(difference), dtype=np.float64))
    return math.inf if error == 0 else 10 * math.log10(255.0**2 / error)


def ssim(reference: Bytes, result: Bytes) -> float:
    """Return the mean structural similarity of 8-bit pictures, over all channels: 1 where equal.

    Z. Wang and others, "Image Quality Assessment: From Error Visibility to Structural Similarity",
    IEEE Trans. Image Processing 13(4), 2004, equation 13, with a Gaussian window of 1.5 texels.

    Parameters
    ----------
    reference, result : ndarray, uint8, shape (height, width, channels)
    """
    from scipy.ndimage import gaussian_filter

    def blurred(values: Floats) -> Floats:
        return np.asarray(gaussian_filter(values, 1.5, radius=_REACH, mode="nearest"), np.float32)

    height, channels = reference.shape[0], reference.shape[2]
    rows = np.zeros((height, channels))
    low, high = (0.01 * 255) ** 2, (0.03 * 255) ** 2

    def work(start: int, stop: int) -> None:
        top, bottom = max(0, start - _REACH), min(height, stop + _REACH)
        inner = slice(start - top, stop - top)
        for channel in range(channels):
            a, b = (p[top:bottom, :, channel].astype(np.float32) for p in (reference, result))
            mean_a, mean_b = blurred(a), blurred(b)
            spread_a = blurred(a * a) - mean_a * mean_a
            spread_b = blurred(b * b) - mean_b * mean_b
            both = blurred(a * b) - mean_a * mean_b
            structure = (2 * mean_a * mean_b + low) * (2 * both + high)
            structure /= (np.square(mean_a) + np.square(mean_b) + low) * (
                spread_a + spread_b + high
            )
            rows[start:stop, channel] = structure[inner].mean(axis=1, dtype=np.float64)

    over_bands(work, height, 64)
    return float(rows.mean())


def block_errors(reference: Floats, result: Floats) -> Floats:
    """Return the mean squared error of each block of four by four texels, (down, across).

    Blocks at the right and bottom edge may be cut. Where only one has alpha, the other's is full;
    it counts as much as one of three channels of colour.
    """
    channels = max(reference.shape[2], result.shape[2])
    a, b = (_widened(p, channels) for p in (reference, result))
    squares = np.square(a - b).sum(axis=2) / np.float32(min(channels, 3))
    down, across = -(-squares.shape[0] // 4), -(-squares.shape[1] // 4)
    rows = np.add.reduceat(squares, np.arange(down) * 4, axis=0)
    sums = np.add.reduceat(rows, np.arange(across) * 4, axis=1)
    ones = np.ones_like(squares)
    counts = np.add.reduceat(
        np.add.reduceat(ones, np.arange(down) * 4, axis=0), np.arange(across) * 4, axis=1
    )
    return np.asarray(sums / counts, np.float32)


def _widened(values: Floats, channels: int) -> Floats:
    """Return values with an alpha that is full, where another has one."""
    if values.shape[2] == channels:
        return values
    full = np.full((*values.shape[:2], channels - values.shape[2]), 255, np.float32)
    return np.concatenate([values, full], axis=2)


def angles(reference: Floats, result: Floats) -> Floats:
    """Return the angles between two fields of unit vectors, in degrees, (height, width)."""
    # The chord gives small angles without the cancellation that an arc cosine suffers.
    chord = np.linalg.norm(reference.astype(np.float64) - result, axis=2)
    return np.asarray(np.degrees(2 * np.arcsin(np.clip(chord / 2, 0, 1))), np.float32)


def mean_angle(reference: Floats, result: Floats) -> float:
    """Return the mean angle between two fields of unit vectors, in degrees.

    Parameters
    ----------
    reference, result : ndarray, float32, shape (height, width, 3)
        Unit vectors, -1..1.
    """
    return float(angles(reference, result).mean(dtype=np.float64))
