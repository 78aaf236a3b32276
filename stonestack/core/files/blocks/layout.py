"""Blocks of four by four texels: from rows to blocks and back."""

from __future__ import annotations

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Bytes

_Number = TypeVar("_Number", bound=np.generic)


def blocks_across(size: int) -> int:
    """Return how many blocks cover ``size`` texels."""
    return max(1, (size + 3) // 4)


def padded(texels: NDArray[_Number]) -> NDArray[_Number]:
    """Repeat the last row and column until both sides are multiples of four.

    Parameters
    ----------
    texels : ndarray, shape (height, width, channels)
    """
    height, width = texels.shape[:2]
    down, right = -height % 4, -width % 4
    if not down and not right:
        return np.ascontiguousarray(texels)
    return np.pad(texels, ((0, down), (0, right), (0, 0)), mode="edge")


def from_blocks(blocks: NDArray[_Number], width: int, height: int) -> NDArray[_Number]:
    """Lay decoded blocks out as rows, cut to the picture's size.

    Parameters
    ----------
    blocks : ndarray, shape (block count, 16, channels)
    width, height : int
        Texels of the picture, before padding.

    Returns
    -------
    ndarray, shape (height, width, channels)
    """
    across, down = blocks_across(width), blocks_across(height)
    grid = blocks.reshape(down, across, 4, 4, -1).transpose(0, 2, 1, 3, 4)
    return np.ascontiguousarray(grid.reshape(down * 4, across * 4, -1)[:height, :width])


def as_words(texels: Bytes) -> NDArray[np.uint32]:
    """Return texels of four channels as one word each, red in the lowest byte.

    Parameters
    ----------
    texels : ndarray, uint8, shape (height, width, 4), C-contiguous
    """
    return np.ascontiguousarray(texels).view("<u4")[..., 0]
