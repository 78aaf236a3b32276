"""The best that a block of one channel can be: every pair of ends of both kinds of block tried.

It takes milliseconds a block, so it measures encoders on samples of blocks. The layout is that of
Khronos Data Format Specification 1.3, section 19.1 (RGTC).
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from stonestack.core.picture.image import Bytes
from stonestack.core.runtime.parallel import over_bands


@njit(cache=True, nogil=True)
def _search(blocks: Bytes, start: int, stop: int, out: NDArray[np.int64]) -> None:
    palette = np.empty(8, np.int32)
    for n in range(start, stop):
        least = np.int64(1) << 40
        for e0 in range(256):
            for e1 in range(256):
                palette[0], palette[1] = e0, e1
                if e0 > e1:
                    for k in range(1, 7):
                        palette[k + 1] = ((7 - k) * e0 + k * e1 + 3) // 7
                else:
                    for k in range(1, 5):
                        palette[k + 1] = ((5 - k) * e0 + k * e1 + 2) // 5
                    palette[6], palette[7] = 0, 255
                total = np.int64(0)
                for t in range(16):
                    value = np.int32(blocks[n, t])
                    best = 1 << 30
                    for k in range(8):
                        off = palette[k] - value
                        best = min(best, off * off)
                    total += best
                    if total >= least:
                        break
                least = min(least, total)
        out[n] = least


def least_errors(blocks: Bytes) -> NDArray[np.int64]:
    """Return the least sum of squared errors that each block can have.

    Parameters
    ----------
    blocks : ndarray, uint8, shape (count, 16)
    """
    out = np.zeros(len(blocks), np.int64)
    whole = np.ascontiguousarray(blocks)
    over_bands(lambda start, stop: _search(whole, start, stop, out), len(blocks))
    return out


def sampled(channel: Bytes, count: int, seed: int = 1) -> tuple[Bytes, NDArray[np.int64]]:
    """Return some blocks of a channel that are not all of one value, and where they stand.

    Parameters
    ----------
    channel : ndarray, uint8, shape (height, width)
        Sides are multiples of four.

    Returns
    -------
    blocks : ndarray, uint8, shape (up to ``count``, 16)
    places : ndarray, int64
        Their numbers, row by row.
    """
    cut = _cut(channel)
    varied = np.flatnonzero(np.ptp(cut, axis=1) > 0)
    places = np.random.default_rng(seed).permutation(varied)[:count]
    return cut[places], places


def sampled_at(channel: Bytes, places: NDArray[np.int64]) -> Bytes:
    """Return the blocks at these places."""
    return _cut(channel)[places]


def _cut(channel: Bytes) -> Bytes:
    height, width = channel.shape
    cut = channel.reshape(height // 4, 4, width // 4, 4).transpose(0, 2, 1, 3)
    return np.ascontiguousarray(cut.reshape(-1, 16))
