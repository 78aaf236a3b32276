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
        return np.asarray(gaussian_filter(values, 1.5, truncate=3.5, mode="nearest"), np.float32)

    means = []
    for channel in range(reference.shape[2]):
        a, b = (p[..., channel].astype(np.float32) for p in (reference, result))
        mean_a, mean_b = blurred(a), blurred(b)
        spread_a = blurred(a * a) - mean_a * mean_a
        spread_b = blurred(b * b) - mean_b * mean_b
        both = blurred(a * b) - mean_a * mean_b
        low, high = (0.01 * 255) ** 2, (0.03 * 255) ** 2
        structure = (2 * mean_a * mean_b + low) * (2 * both + high)
        structure /= (np.square(mean_a) + np.square(mean_b) + low) * (spread_a + spread_b + high)
        means.append(float(structure.mean(dtype=np.float64)))
    return float(np.mean(means))


def block_errors(reference: Bytes, result: Bytes) -> Floats:
    """Return the mean squared error of each block of four by four texels, (down, across).

    Blocks at the right and bottom edge may be cut.
    """
    squares = np.square(reference.astype(np.float32) - result.astype(np.float32)).mean(axis=2)
    down, across = -(-squares.shape[0] // 4), -(-squares.shape[1] // 4)
    rows = np.add.reduceat(squares, np.arange(down) * 4, axis=0)
    sums = np.add.reduceat(rows, np.arange(across) * 4, axis=1)
    ones = np.ones_like(squares)
    counts = np.add.reduceat(
        np.add.reduceat(ones, np.arange(down) * 4, axis=0), np.arange(across) * 4, axis=1
    )
    return np.asarray(sums / counts, np.float32)


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
