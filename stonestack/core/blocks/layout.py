"""Blocks of four by four texels: from rows to blocks and back.

Kernels work on groups of ``LANES`` blocks: each inner loop runs over the lanes of one
group, so that the compiler turns it into vector instructions.
"""

from __future__ import annotations

import numpy as np

from stonestack.core.image import Bytes

LANES = 16


def blocks_across(size: int) -> int:
    """Return how many blocks cover ``size`` texels."""
    return max(1, (size + 3) // 4)


def padded(texels: Bytes) -> Bytes:
    """Repeat the last row and column until both sides are multiples of four.

    Parameters
    ----------
    texels : ndarray, uint8, shape (height, width, channels)
    """
    height, width = texels.shape[:2]
    down, right = -height % 4, -width % 4
    if not down and not right:
        return np.ascontiguousarray(texels)
    return np.pad(texels, ((0, down), (0, right), (0, 0)), mode="edge")


def from_blocks(blocks: Bytes, width: int, height: int) -> Bytes:
    """Lay decoded blocks out as rows, cut to the picture's size.

    Parameters
    ----------
    blocks : ndarray, uint8, shape (block count, 16, channels)
    width, height : int
        Texels of the picture, before padding.

    Returns
    -------
    ndarray, uint8, shape (height, width, channels)
    """
    across, down = blocks_across(width), blocks_across(height)
    grid = blocks.reshape(down, across, 4, 4, -1).transpose(0, 2, 1, 3, 4)
    return np.ascontiguousarray(grid.reshape(down * 4, across * 4, -1)[:height, :width])
