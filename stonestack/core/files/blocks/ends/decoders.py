"""Decoders of the blocks that BC1 to BC5 are made of.

Layouts: Khronos Data Format Specification 1.3, sections 18.1 (S3TC) and 19.1 (RGTC). What lies
between two ends is computed exactly and rounded to the nearest whole number.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit

from stonestack.core.picture.image import Bytes


@njit(nogil=True, cache=True)
def decode_colours(
    data: Bytes, start: int, stop: int, stride: int, at: int, out: Bytes, four: bool
) -> None:
    """Decode the colour of the blocks ``start`` to ``stop``.

    Parameters
    ----------
    data : ndarray, uint8, flat
        Blocks, ``stride`` bytes each; these eight bytes lie at ``at``.
    out : ndarray, uint8, shape (block count, 16, 4)
        Colour is written; alpha only where ``four`` is false (BC1).
    four : bool
        Whether four colours are read whatever the order of the ends (BC3).
    """
    palette = np.empty((4, 4), np.int32)
    for block in range(start, stop):
        place = block * stride + at
        for k in range(2):
            packed = np.int32(data[place + 2 * k]) | (np.int32(data[place + 2 * k + 1]) << 8)
            r = packed >> 11
            g = (packed >> 5) & 63
            b = packed & 31
            palette[k, 0] = (r << 3) | (r >> 2)
            palette[k, 1] = (g << 2) | (g >> 4)
            palette[k, 2] = (b << 3) | (b >> 2)
            palette[k, 3] = 255
        first = np.int32(data[place]) | (np.int32(data[place + 1]) << 8)
        second = np.int32(data[place + 2]) | (np.int32(data[place + 3]) << 8)
        blended = four or first > second
        for c in range(3):
            e0 = palette[0, c]
            e1 = palette[1, c]
            if blended:
                palette[2, c] = (2 * e0 + e1 + 1) // 3
                palette[3, c] = (e0 + 2 * e1 + 1) // 3
            else:
                palette[2, c] = (e0 + e1 + 1) // 2
                palette[3, c] = 0
        palette[2, 3] = 255
        palette[3, 3] = 255 if blended else 0
        bits = np.uint32(0)
        for byte in range(4):
            bits |= np.uint32(data[place + 4 + byte]) << np.uint32(8 * byte)
        for i in range(16):
            code = np.int32((bits >> np.uint32(2 * i)) & np.uint32(3))
            for c in range(3):
                out[block, i, c] = palette[code, c]
            if not four:
                out[block, i, 3] = palette[code, 3]


@njit(nogil=True, cache=True)
def decode_scalar(
    data: Bytes, start: int, stop: int, stride: int, at: int, out: Any, channel: int, signed: bool
) -> None:
    """Decode one channel of the blocks ``start`` to ``stop``.

    Parameters
    ----------
    data : ndarray, uint8, flat
        Blocks, ``stride`` bytes each; these eight bytes lie at ``at``.
    out : ndarray, uint8 or int8, shape (block count, 16, channels)
        Written in channel ``channel``.
    signed : bool
        Whether numbers go from -127 to 127; -128 means -127.
    """
    palette = np.empty(8, np.int32)
    for block in range(start, stop):
        place = block * stride + at
        e0 = np.int32(data[place])
        e1 = np.int32(data[place + 1])
        low, high = 0, 255
        if signed:
            e0 = max(e0 - 256 if e0 > 127 else e0, np.int32(-127))
            e1 = max(e1 - 256 if e1 > 127 else e1, np.int32(-127))
            # Divisions round as those of numbers from 0 on do.
            e0 += 127
            e1 += 127
            high = 254
        palette[0] = e0
        palette[1] = e1
        if e0 > e1:
            for k in range(1, 7):
                palette[k + 1] = ((7 - k) * e0 + k * e1 + 3) // 7
        else:
            for k in range(1, 5):
                palette[k + 1] = ((5 - k) * e0 + k * e1 + 2) // 5
            palette[6] = low
            palette[7] = high
        if signed:
            for k in range(8):
                palette[k] -= 127
        bits = np.uint64(0)
        for byte in range(6):
            bits |= np.uint64(data[place + 2 + byte]) << np.uint64(8 * byte)
        for i in range(16):
            code = np.int32((bits >> np.uint64(3 * i)) & np.uint64(7))
            out[block, i, channel] = palette[code]
