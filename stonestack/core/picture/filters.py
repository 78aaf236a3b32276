"""Filters that look at neighbours: over a tile's edges where it wraps, reflected where not.

Radii are in texels here; steps take them as shares of the picture, so that a look stays the same
at every resolution.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats, Picture
from stonestack.core.runtime.parallel import cores, over_bands

_REACH = 4.0
"""Standard deviations after which a Gaussian is as good as nothing."""
_NOTHING = 1e-9
"""Share of a wave that no float32 shows."""
_SOME, _ACROSS = 1 << 13, 1 << 8
"""Texels, and numbers of a row, that are worth a thread of their own."""
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
    from stonestack.core.picture.kernels.filtering import means_along, means_down

    height, width, channels = values.shape
    values, half = np.ascontiguousarray(values), np.empty(values.shape, np.float32)
    places = _places(width, radius, wraps)
    over_bands(lambda a, b: means_along(values[a:b], places, radius, half[a:b]), height)
    rows, out = half.reshape(height, -1), np.empty((height, width * channels), np.float32)
    down = _places(height, radius, wraps)
    over_bands(
        lambda a, b: means_down(rows[:, a:b], down, radius, out[:, a:b]), width * channels, _ACROSS
    )
    return out.reshape(values.shape)


def _places(side: int, radius: int, wraps: bool) -> NDArray[np.int32]:
    """Return which texel of a line stands at each place, from so many before the first on."""
    at = np.arange(-radius, side + radius)
    if wraps:
        return (at % side).astype(np.int32)
    turned = at % (2 * side)
    return np.minimum(turned, 2 * side - 1 - turned).astype(np.int32)


def bordered(values: Floats, reach: int, wraps: bool) -> Floats:
    """Return values with so many texels more on every side, carried on or reflected.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width) or (height, width, channels)
    """
    import cv2

    if reach > min(values.shape[:2]):
        pad = [(reach, reach), (reach, reach), (0, 0)][: values.ndim]
        return np.pad(values, pad, mode="wrap" if wraps else "symmetric")
    how = cv2.BORDER_WRAP if wraps else cv2.BORDER_REFLECT
    out = np.asarray(cv2.copyMakeBorder(values, reach, reach, reach, reach, how), np.float32)
    return out.reshape(out.shape[:2] + values.shape[2:])


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
    from stonestack.core.picture.kernels.filtering import as_lines, on_lines, with_products

    height, width, channels = values.shape
    count = height * width
    flat = np.ascontiguousarray(values).reshape(count, channels)
    both = np.empty((count, 2 * channels), np.float32)
    over_bands(lambda a, b: with_products(flat[a:b], both[a:b]), count, _SOME)
    means = box(both.reshape(height, width, -1), radius, wraps).reshape(count, -1)
    over_bands(lambda a, b: as_lines(means[a:b], contrast * contrast), count, _SOME)
    lines = box(means.reshape(height, width, -1), radius, wraps).reshape(count, -1)
    out = np.empty_like(flat)
    over_bands(lambda a, b: on_lines(flat[a:b], lines[a:b], out[a:b]), count, _SOME)
    return out.reshape(values.shape)


def _by_sums(padded: Floats, sigma: float, reach: int) -> Floats:
    import cv2

    side = 2 * reach + 1
    out = cv2.GaussianBlur(padded, (side, side), sigma, borderType=cv2.BORDER_REPLICATE)
    return _middle(np.asarray(out, np.float32).reshape(padded.shape), reach)


def _by_waves(values: Floats, sigma: float) -> Floats:
    """Return a ring both ways under a Gaussian, exactly, by those waves that it leaves any of."""
    from scipy import fft

    height, width = values.shape[:2]
    across = np.exp(-2 * (np.pi * sigma * np.fft.rfftfreq(width)) ** 2).astype(np.float32)
    down = np.exp(-2 * (np.pi * sigma * np.fft.fftfreq(height)) ** 2).astype(np.float32)
    few = int(np.count_nonzero(across > _NOTHING))
    planes = np.ascontiguousarray(values.transpose(2, 0, 1))
    rows = np.asarray(fft.rfft(planes, axis=2, workers=cores()))[..., :few]
    waves = np.asarray(fft.fft(rows, axis=1, workers=cores()))
    waves *= np.multiply.outer(down, across[:few])
    rows = fft.ifft(waves, axis=1, workers=cores())
    out = fft.irfft(rows, n=width, axis=2, workers=cores())
    return np.ascontiguousarray(np.asarray(out, np.float32).transpose(1, 2, 0))


def _middle(padded: Floats, reach: int) -> Floats:
    rows, columns = (slice(reach, n - reach) for n in padded.shape[:2])
    return np.ascontiguousarray(padded[rows, columns])
