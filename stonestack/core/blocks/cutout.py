"""BC1 blocks with holes: three colours and see-through (DirectX, "Block Compression", BC1).

A block whose first stored end is not the greater has two ends, their middle, and code 3 for
see-through. Blocks without holes keep four colours and are not written here.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from stonestack.core.blocks.layout import padded
from stonestack.core.image import Bytes


def fill_holes(texels: Bytes, blocks: Bytes) -> None:
    """Write blocks anew, in place, where texels are see-through (alpha below 128).

    Parameters
    ----------
    texels : ndarray, uint8, shape (height, width, 4)
    blocks : ndarray, uint8, shape (count, 8)
        Encoded without holes.
    """
    _fill(padded(texels), blocks)


@njit(cache=True, nogil=True)
def _five_six_five(colour):  # type: ignore[no-untyped-def]
    red = int(colour[0] * 31 / 255 + 0.5)
    green = int(colour[1] * 63 / 255 + 0.5)
    blue = int(colour[2] * 31 / 255 + 0.5)
    return red << 11 | green << 5 | blue


@njit(cache=True, nogil=True)
def _spread(value, out):  # type: ignore[no-untyped-def]
    red, green, blue = value >> 11, (value >> 5) & 63, value & 31
    out[0] = (red << 3) | (red >> 2)
    out[1] = (green << 2) | (green >> 4)
    out[2] = (blue << 3) | (blue >> 2)


@njit(cache=True, nogil=True)
def _fill(grid, blocks):  # type: ignore[no-untyped-def]
    across = grid.shape[1] // 4
    low = np.empty(3, np.float32)
    high = np.empty(3, np.float32)
    palette = np.empty((3, 3), np.float32)
    for b in range(blocks.shape[0]):
        top, left = b // across * 4, b % across * 4
        holes = 0
        darkest = np.float32(1e9)
        lightest = np.float32(-1.0)
        for t in range(16):
            texel = grid[top + t // 4, left + t % 4]
            if texel[3] < 128:
                holes += 1
                continue
            light = np.float32(texel[0]) * 2 + np.float32(texel[1]) * 4 + np.float32(texel[2])
            if light < darkest:
                darkest = light
                low[:] = texel[:3]
            if light > lightest:
                lightest = light
                high[:] = texel[:3]
        if holes == 0:
            continue
        if holes == 16:
            low[:] = 0
            high[:] = 0
        first, second = _five_six_five(low), _five_six_five(high)
        if first > second:
            first, second = second, first
        _spread(first, palette[0])
        _spread(second, palette[1])
        palette[2] = (palette[0] + palette[1]) / 2
        codes = np.uint32(0)
        for t in range(16):
            texel = grid[top + t // 4, left + t % 4]
            code = 3
            if texel[3] >= 128:
                least = np.float32(1e30)
                for k in range(3):
                    error = np.float32(0)
                    for c in range(3):
                        off = np.float32(texel[c]) - palette[k, c]
                        error += off * off
                    if error < least:
                        least = error
                        code = k
            codes |= np.uint32(code) << np.uint32(2 * t)
        blocks[b, 0], blocks[b, 1] = first & 255, first >> 8
        blocks[b, 2], blocks[b, 3] = second & 255, second >> 8
        for i in range(4):
            blocks[b, 4 + i] = (codes >> np.uint32(8 * i)) & np.uint32(255)
