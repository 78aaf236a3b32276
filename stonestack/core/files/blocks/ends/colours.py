"""The colour of BC1, BC2 and BC3: what each quality tries, and the table for blocks of one colour.

The layout and the kernels: :mod:`.endpoints`.
"""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

from stonestack.core.files.blocks.layout import as_words
from stonestack.core.files.blocks.quality import Metric, Quality
from stonestack.core.picture.image import Bytes
from stonestack.core.runtime.parallel import over_bands


def _widened(bits: int) -> NDArray[np.int64]:
    """Return all numbers of five or six bits as a decoder widens them to eight."""
    numbers = np.arange(1 << bits)
    return (numbers << (8 - bits)) | (numbers >> (2 * bits - 8))


@cache
def matches_of_one() -> NDArray[np.uint8]:
    """Return the pairs of ends whose second place is nearest to each value.

    Returns
    -------
    ndarray, uint8, shape (4, 256, 2)
        By kind: three and four colours with ends of five bits, then of six. Of pairs that come
        as near, the one whose ends lie closest together.
    """
    out = np.empty((4, 256, 2), np.uint8)
    for kind in range(4):
        wide = _widened(6 if kind > 1 else 5)
        a, b = wide[:, np.newaxis], wide[np.newaxis, :]
        second = (2 * a + b + 1) // 3 if kind & 1 else (a + b + 1) // 2
        apart = np.abs(a - b)
        for value in range(256):
            best = np.argmin(np.abs(second - value) * 1024 + apart)
            out[kind, value] = np.unravel_index(best, second.shape)
    return out


_FIRST = np.array([[3, 0, 0, 10, 0], [3, 0, 0, 0, 10]], np.float32)
_MORE = np.array(
    [
        *([3, 0, 0, 6, 6], [3, 0, 0, 14, 0], [3, 0, 0, 0, 14], [3, 0, 0, 24, 0], [3, 0, 0, 0, 24]),
        *([3, 0.12, 0, 0, 0], [3, 0, 0.12, 0, 0], [3, 0.12, 0.12, 0, 0], [2, 0, 0, 4, 4]),
    ],
    np.float32,
)
_TIERS = {Quality.FAST: 0, Quality.STANDARD: 1, Quality.BEST: 2}


def write_colours(
    texels: Bytes, out: NDArray[np.uint32], four: bool, quality: Quality, metric: Metric
) -> None:
    """Encode the colour of all blocks of a picture into its half of each block.

    Parameters
    ----------
    texels : ndarray, uint8, shape (height, width, 4)
        Sides are multiples of four.
    out : ndarray, uint32, shape (blocks, words)
        The last two words of each block are written.
    four : bool
        Whether the decoder always reads four colours (BC2 and BC3).
    quality, metric
        As for :func:`stonestack.core.files.blocks.encode`.
    """
    from stonestack.core.files.blocks.ends.endpoints import encode_colours

    holes = metric.holes and not four
    limit, least = (128, 0) if holes else (1 if metric.clear else 0, 1 / 64)
    weights = np.array([metric.red, metric.green, metric.blue], np.float32)
    words = as_words(texels)
    stride = out.shape[1]
    flat = out.reshape(-1)

    def band(start: int, stop: int) -> None:
        encode_colours(
            words,
            start,
            stop,
            flat,
            stride,
            stride - 2,
            four,
            np.uint32(limit),
            np.float32(least),
            holes,
            weights,
            matches_of_one(),
            _FIRST,
            _MORE,
            _TIERS[quality],
        )

    over_bands(band, out.shape[0], 64)
