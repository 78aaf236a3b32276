"""Filters that look at neighbours: over a tile's edges where it wraps, reflected where not.

Radii are in texels here; steps take them as shares of the picture, so that a look stays the same
at every resolution.
"""

from __future__ import annotations

import math

import numpy as np

from stonestack.core.image import Floats, Picture
from stonestack.core.parallel import cores

_REACH = 4.0
"""Standard deviations after which a Gaussian is as good as nothing."""
_BY_SUMS = 8.0
"""Standard deviation up to which adding up is faster than going by waves."""


def radius_of(share: float, picture: Picture) -> float:
    """Return a radius in texels that is given in per cent of the picture's width."""
    return share / 100 * picture.width


def gaussian(values: Floats, sigma: float, wraps: bool) -> Floats:
    """Return values under a Gaussian.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
    sigma : float
        Standard deviation in texels; at 0 nothing changes.
    wraps : bool
        Whether it goes on over the edges; else the picture is reflected there.
    """
    if sigma < 0.05:
        return values
    height, width = values.shape[:2]
    if wraps and sigma > _BY_SUMS:
        return _by_waves(values, sigma)
    reach = min(math.ceil(_REACH * sigma), 4 * max(height, width))
    if sigma <= _BY_SUMS:
        padded = bordered(values, reach, wraps)
        return _by_sums(padded, sigma, reach)
    reach = min(reach, height, width)
    padded = bordered(values, reach, wraps)
    return _middle(_by_waves(padded, sigma), reach)


def box(values: Floats, radius: int, wraps: bool) -> Floats:
    """Return the mean over a square of ``2 * radius + 1`` texels, shape as given."""
    import cv2

    padded = bordered(values, radius, wraps)
    side = 2 * radius + 1
    out = cv2.blur(padded, (side, side), borderType=cv2.BORDER_REPLICATE)
    out = np.asarray(out, np.float32).reshape(padded.shape)
    return _middle(out, radius)


def bordered(values: Floats, reach: int, wraps: bool) -> Floats:
    """Return values with so many texels more on every side, carried on or reflected."""
    import cv2

    if reach > min(values.shape[:2]):
        pad = ((reach, reach), (reach, reach), (0, 0))
        return np.pad(values, pad, mode="wrap" if wraps else "symmetric")
    how = cv2.BORDER_WRAP if wraps else cv2.BORDER_REFLECT
    out = np.asarray(cv2.copyMakeBorder(values, reach, reach, reach, reach, how), np.float32)
    return out.reshape(out.shape[0], out.shape[1], values.shape[2])


def weighted_gaussian(picture: Picture, values: Floats, sigma: float) -> Floats:
    """Return values of a picture under a Gaussian; what is clear has no say, where any is solid."""
    opacity = picture.opacity
    if opacity is None:
        return gaussian(values, sigma, picture.wraps)
    weights = np.maximum(opacity, np.float32(1e-4))
    both = gaussian(np.concatenate([values * weights, weights], axis=2), sigma, picture.wraps)
    return np.asarray(both[..., :-1] / np.maximum(both[..., -1:], np.float32(1e-6)), np.float32)


def edge_preserving(values: Floats, radius: int, contrast: float, wraps: bool) -> Floats:
    """Return values smoothed, with edges of more than a contrast kept.

    Source: K. He, J. Sun and X. Tang, "Guided Image Filtering", IEEE TPAMI 35 (2013), equations 5,
    6 and 8, with the picture's own grey as the guide: an edge of any colour keeps all channels.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
    radius : int
        Of the square that is looked at, in texels.
    contrast : float
        Differences well under it are taken for noise.
    """
    planes = [np.ascontiguousarray(values[..., k]) for k in range(values.shape[2])]
    guide = values.mean(axis=2, dtype=np.float32)

    def mean(plane: Floats) -> Floats:
        return box(plane[..., np.newaxis], radius, wraps)[..., 0]

    mean_guide = mean(guide)
    spread = np.maximum(mean(guide * guide) - mean_guide * mean_guide, 0)
    spread += np.float32(contrast * contrast)
    done = []
    for plane in planes:
        mean_plane = mean(plane)
        shared = mean(plane * guide) - mean_guide * mean_plane
        slope = np.asarray(shared / spread, np.float32)
        done.append(mean(slope) * guide + mean(mean_plane - slope * mean_guide))
    return np.stack(done, axis=2)


def _by_sums(padded: Floats, sigma: float, reach: int) -> Floats:
    import cv2

    side = 2 * reach + 1
    out = cv2.GaussianBlur(padded, (side, side), sigma, borderType=cv2.BORDER_REPLICATE)
    return _middle(np.asarray(out, np.float32).reshape(padded.shape), reach)


def _by_waves(values: Floats, sigma: float) -> Floats:
    """Return a ring both ways under a Gaussian, exactly."""
    from scipy import fft

    height, width = values.shape[:2]
    planes = np.ascontiguousarray(values.transpose(2, 0, 1))
    waves = np.asarray(fft.rfft2(planes, axes=(1, 2), workers=cores()))
    across = np.exp(-2 * (np.pi * sigma * np.fft.rfftfreq(width)) ** 2).astype(np.float32)
    down = np.exp(-2 * (np.pi * sigma * np.fft.fftfreq(height)) ** 2).astype(np.float32)
    waves *= np.multiply.outer(down, across)
    out = fft.irfft2(waves, s=(height, width), axes=(1, 2), workers=cores())
    return np.ascontiguousarray(np.asarray(out, np.float32).transpose(1, 2, 0))


def _middle(padded: Floats, reach: int) -> Floats:
    rows, columns = (slice(reach, n - reach) for n in padded.shape[:2])
    return np.ascontiguousarray(padded[rows, columns])
