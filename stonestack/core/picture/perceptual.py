"""OKLab: a space in which equal distances are about equally seen.

Source: B. Ottosson, "A perceptual color space for image processing" (2020), with the matrices
of W3C, "CSS Color Module Level 4", section 9.2; lightness 0..1, the other two about -0.4..0.4.
"""

from __future__ import annotations

import numpy as np

from stonestack.core.picture.image import Floats
from stonestack.core.runtime.parallel import over_bands

_TO_CONES = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
_ROWS = 1 << 13


def to_lab(linear: Floats) -> Floats:
    """Return linear Rec. 709 light as OKLab.

    Parameters
    ----------
    linear : ndarray, float32, shape (..., 3)

    Returns
    -------
    ndarray, float32, shape (..., 3)
        Lightness, then green to red, then blue to yellow.
    """
    from stonestack.core.picture.kernels.oklab import mixed_roots

    flat = np.ascontiguousarray(linear, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    first, second = _TO_CONES.astype(np.float32), _TO_LAB.astype(np.float32)
    over_bands(lambda a, b: mixed_roots(flat[a:b], first, second, out[a:b]), len(flat), _ROWS)
    return out.reshape(linear.shape)


def from_lab(lab: Floats) -> Floats:
    """Return OKLab as linear Rec. 709 light, clipped to 0..1; the way back of :func:`to_lab`."""
    from stonestack.core.picture.kernels.oklab import mixed_cubes

    flat = np.ascontiguousarray(lab, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    first = np.linalg.inv(_TO_LAB).astype(np.float32)
    second = np.linalg.inv(_TO_CONES).astype(np.float32)
    over_bands(lambda a, b: mixed_cubes(flat[a:b], first, second, out[a:b]), len(flat), _ROWS)
    return out.reshape(lab.shape)


def distance(lab: Floats, to: Floats, lightness: float = 1.0) -> Floats:
    """Return how far colours lie from one, shape (...).

    Parameters
    ----------
    lab : ndarray, float32, shape (..., 3)
    to : ndarray, float32, shape (3,)
    lightness : float
        How much a difference of lightness counts; at 0 shade has no say.
    """
    apart = lab - to
    apart[..., 0] *= np.float32(lightness)
    return np.asarray(np.sqrt(np.einsum("...k,...k->...", apart, apart)), np.float32)


def selected(lab: Floats, old: Floats, tolerance: float, soft: float, lightness: float) -> Floats:
    """Return how much each colour is of a range, 0..1, shape (...).

    Parameters
    ----------
    lab : ndarray, float32, shape (..., 3)
    old : ndarray, float32, shape (3,)
    tolerance, soft : float
        Distance in OKLab up to which all is, and over which it falls to nothing.
    lightness : float
        How much a difference of lightness counts.
    """
    apart = distance(lab, old, lightness)
    if soft <= 0:
        return np.asarray(apart <= tolerance, np.float32)
    t = np.clip((tolerance + soft - apart) / soft, 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)
