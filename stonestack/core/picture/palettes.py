"""Palettes: few colours for a picture, and the picture in them.

Sources: S. Lloyd, "Least Squares Quantization in PCM", IEEE Trans. Information Theory 28 (1982),
in OKLab, begun by D. Arthur and S. Vassilvitskii, "k-means++" (2007); R. Floyd and L. Steinberg,
"An Adaptive Algorithm for Spatial Grey Scale" (1976); B. Bayer, "An Optimum Method for Two-Level
Rendition of Continuous-Tone Pictures" (1973).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.colour import bytes_to_linear, linear_to_bytes
from stonestack.core.picture.image import Floats
from stonestack.core.picture.perceptual import to_lab
from stonestack.core.runtime.parallel import over_bands

_SAMPLES = 1 << 13
_LOOKED_AT = 1 << 16
_ROUNDS = 24
_SEED = 3
_STILL = 1e-5
_BAYER = 8
_CLEAR = 1e-3


def made(light: Floats, count: int, opacity: Floats | None = None) -> Floats:
    """Return the colours that stand best for those of a picture, dark to light.

    Parameters
    ----------
    light : ndarray, float32, shape (height, width, 3)
        Linear light; of sixteen bits, what eight tell apart.
    count : int
        How many at most; where there are no more, exactly those that there are.
    opacity : ndarray, float32, shape (height, width, 1), optional
        What is clear does not count.

    Returns
    -------
    ndarray, float32, shape (at most count, 3)
        OKLab.
    """
    from stonestack.core.picture.kernels.dithering import gathered

    lab, counts = _distinct(light, opacity, count)
    if len(lab) <= count:
        return _ordered(lab)
    centres = _seeded(lab, counts, count, np.random.default_rng(_SEED))
    for _ in range(_ROUNDS):
        sums, total = np.zeros(centres.shape), np.zeros(len(centres))
        gathered(lab, counts, centres, sums, total)
        shared = sums / np.maximum(total, 1e-9)[:, np.newaxis]
        new = np.where(total[:, np.newaxis] > 0, shared, centres).astype(np.float32)
        moved = float(np.abs(new - centres).max())
        centres = new
        if moved < _STILL:
            break
    return _ordered(centres)


def nearest_of(lab: Floats, colours: Floats) -> NDArray[np.int32]:
    """Return for each of some colours, shape (n, 3), which of a palette lies nearest."""
    from stonestack.core.picture.kernels.dithering import nearest

    out = np.empty(len(lab), np.int32)
    over_bands(lambda a, b: nearest(lab[a:b], colours, out[a:b]), len(lab), 1 << 13)
    return out


def thresholds(height: int, width: int) -> Floats:
    """Return the ordered thresholds of a picture, about -0.5..0.5, by Bayer's square of eight."""
    square = np.zeros((1, 1))
    while len(square) < _BAYER:
        square = np.block([[4 * square, 4 * square + 2], [4 * square + 3, 4 * square + 1]])
    square = (square + 0.5) / square.size - 0.5
    tiled = np.tile(square, (height // _BAYER + 1, width // _BAYER + 1))
    return np.ascontiguousarray(tiled[:height, :width], np.float32)


def _distinct(
    light: Floats, opacity: Floats | None, few: int
) -> tuple[Floats, NDArray[np.float64]]:
    """Return the colours that there are, in OKLab, and how common each is.

    Of a picture with more than a few, those of a part of its texels.
    """
    flat = light.reshape(-1, 3)
    if opacity is not None and (solid := opacity.ravel() > _CLEAR).any():
        flat = flat[solid]
    part = flat[:: max(1, len(flat) // _LOOKED_AT)]
    found, counts = np.unique(_codes(part), return_counts=True)
    if len(found) <= few:
        found, counts = np.unique(_codes(flat), return_counts=True)
    if len(found) > _SAMPLES:
        chosen = np.random.default_rng(_SEED).choice(len(found), _SAMPLES, replace=False)
        found, counts = found[chosen], counts[chosen]
    texels = np.stack([found >> 16, found >> 8 & 255, found & 255], axis=1).astype(np.uint8)
    return to_lab(bytes_to_linear(texels)), counts.astype(np.float64)


def _codes(light: Floats) -> NDArray[np.int32]:
    """Return colours, shape (n, 3), as numbers of their eight bits each."""
    stored = linear_to_bytes(light).astype(np.int32)
    return stored[:, 0] << 16 | stored[:, 1] << 8 | stored[:, 2]


def _seeded(
    lab: Floats, counts: NDArray[np.float64], count: int, rng: np.random.Generator
) -> Floats:
    """Choose first colours far from each other."""
    from stonestack.core.picture.kernels.dithering import brought_nearer

    first = int(np.argmax(counts))
    chosen = [first]
    away = np.square(lab - lab[first]).sum(axis=1)
    for _ in range(count - 1):
        reached = np.cumsum(away * counts)
        if reached[-1] <= 0:
            break
        drawn = np.searchsorted(reached, rng.random() * reached[-1], side="right")
        place = min(int(drawn), len(lab) - 1)
        chosen.append(place)
        brought_nearer(lab, place, away)
    return lab[chosen]


def _ordered(lab: Floats) -> Floats:
    return np.ascontiguousarray(lab[np.argsort(lab[:, 0], kind="stable")], np.float32)
