"""The relief that has given slopes, or the nearest that any relief comes to them.

Source: R. Frankot and R. Chellappa, "A Method for Enforcing Integrability in Shape from Shading
Algorithms", IEEE TPAMI 10 (1988), equation 21: the slopes' waves, projected onto those that have a
height. Where a field does not wrap it is continued by its mirror image, heights even and slopes
across the mirror odd, as T. Simchony, R. Chellappa and M. Shao, "Direct Analytical Methods for
Solving Poisson Equations in Computer Vision Problems", IEEE TPAMI 12 (1990), section III, do by
cosines.
"""

from __future__ import annotations

import numpy as np

from stonestack.core.picture.image import Floats
from stonestack.core.runtime.parallel import cores
from stonestack.core.steps.derive.waves import frequencies


def integrated(right: Floats, up: Floats, wraps: bool) -> Floats:
    """Return heights of given slopes, mean 0.

    Parameters
    ----------
    right, up : ndarray, float32, shape (height, width)
        Texels a texel, to the right and against the rows.
    wraps : bool
        Whether the field is a ring; the mean slope is no part of one, and is left out.

    Returns
    -------
    ndarray, float32, shape (height, width)
        In texels.
    """
    if not wraps:
        return _by_mirror(right, up)
    from scipy import fft

    x, y = (fft.rfft2(part, workers=cores()) for part in (right, up))
    u, v = frequencies(right.shape)
    rows, columns = right.shape
    # The finest wave of an even side has no slope at its texels.
    u = np.where(np.arange(u.shape[1]) * 2 == columns, 0, u).astype(np.float32)
    v = np.where(np.arange(rows)[:, np.newaxis] * 2 == rows, 0, v).astype(np.float32)
    square = np.square(u) + np.square(v)
    square[square == 0] = np.inf
    waves = (x * u + y * v) * (-1j / (2 * np.pi)) / square
    return np.asarray(fft.irfft2(waves, s=right.shape, workers=cores()), np.float32)


def _by_mirror(right: Floats, up: Floats) -> Floats:
    rows, columns = right.shape
    across = np.concatenate([right, -right[:, ::-1]], axis=1)
    across = np.concatenate([across, across[::-1]], axis=0)
    down = np.concatenate([up, up[:, ::-1]], axis=1)
    down = np.concatenate([down, -down[::-1]], axis=0)
    whole = integrated(np.ascontiguousarray(across), np.ascontiguousarray(down), True)
    part = whole[:rows, :columns]
    return np.ascontiguousarray(part - part.mean(dtype=np.float64), np.float32)
