"""Eight-value blocks of one channel: the whole of BC4, half of BC5, the alpha of BC3.

Layout: Khronos Data Format Specification 1.3, section 19.1 (RGTC); the interpolation is
the specification's, rounded to nearest. Two end values of 8 bits, then sixteen indices of
3 bits. With ``end0 > end1`` six values are interpolated between the ends; otherwise four
are, and indices 6 and 7 mean 0 and 255.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from stonestack.core.blocks.layout import LANES
from stonestack.core.image import Bytes

# Rows of the scratch array: one block of memory, so that the compiler can see that
# its rows do not overlap and turns the loops over lanes into vector instructions.
_LOW = 0
_HIGH = 1
_LOW2 = 2
_HIGH2 = 3
_ERROR = 4
_ERROR2 = 5
_SAA = 6
_SAB = 7
_SBB = 8
_SAV = 9
_SBV = 10
_SCALE = 11
_ROWS = 12


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def encode_scalar(
    texels: Bytes, channel: int, start: int, stop: int, out: Bytes, stride: int, at: int
) -> None:
    """Encode one channel of the blocks ``start`` to ``stop``.

    Parameters
    ----------
    texels : ndarray, uint8, shape (height, width, channels)
        Sides are multiples of four.
    channel : int
        Which channel.
    start, stop : int
        Half-open range of blocks, counted row by row.
    out : ndarray, uint8, flat
        Written at ``block * stride + at``, eight bytes a block.
    stride, at : int
        Bytes of a whole block, and where in it these eight lie.

    Notes
    -----
    The ends start at the block's extremes; indices are assigned on the even scale between
    them; one least-squares refit of the ends follows, and is kept for those blocks whose
    error it lowers.
    """
    across = texels.shape[1] // 4
    s = np.empty((_ROWS, LANES), np.float32)
    v = np.empty((16, LANES), np.float32)
    index = np.empty((16, LANES), np.float32)
    fitted = np.empty((16, LANES), np.float32)
    for first in range(start, stop, LANES):
        for lane in range(LANES):
            block = min(first + lane, stop - 1)
            y0 = (block // across) * 4
            x0 = (block % across) * 4
            for i in range(16):
                v[i, lane] = np.float32(texels[y0 + (i >> 2), x0 + (i & 3), channel])
        for lane in range(LANES):
            s[_LOW, lane] = v[0, lane]
            s[_HIGH, lane] = v[0, lane]
        for i in range(1, 16):
            for lane in range(LANES):
                s[_LOW, lane] = min(s[_LOW, lane], v[i, lane])
                s[_HIGH, lane] = max(s[_HIGH, lane], v[i, lane])
        for lane in range(LANES):
            span = s[_HIGH, lane] - s[_LOW, lane]
            s[_SCALE, lane] = np.float32(7.0) / max(span, np.float32(1.0))
            s[_ERROR, lane] = np.float32(0.0)
            s[_SAA, lane] = np.float32(0.0)
            s[_SAB, lane] = np.float32(0.0)
            s[_SBB, lane] = np.float32(0.0)
            s[_SAV, lane] = np.float32(0.0)
            s[_SBV, lane] = np.float32(0.0)
        for i in range(16):
            for lane in range(LANES):
                t = np.floor((v[i, lane] - s[_LOW, lane]) * s[_SCALE, lane] + np.float32(0.5))
                index[i, lane] = t
                b = t * np.float32(1.0 / 7.0)
                a = np.float32(1.0) - b
                gap = v[i, lane] - np.floor(
                    a * s[_LOW, lane] + b * s[_HIGH, lane] + np.float32(0.5)
                )
                s[_ERROR, lane] += gap * gap
                s[_SAA, lane] += a * a
                s[_SAB, lane] += a * b
                s[_SBB, lane] += b * b
                s[_SAV, lane] += a * v[i, lane]
                s[_SBV, lane] += b * v[i, lane]
        for lane in range(LANES):
            determinant = s[_SAA, lane] * s[_SBB, lane] - s[_SAB, lane] * s[_SAB, lane]
            solid = determinant > np.float32(1e-4)
            inverse = np.float32(1.0) / (determinant if solid else np.float32(1.0))
            lo = (s[_SAV, lane] * s[_SBB, lane] - s[_SBV, lane] * s[_SAB, lane]) * inverse
            hi = (s[_SBV, lane] * s[_SAA, lane] - s[_SAV, lane] * s[_SAB, lane]) * inverse
            lo = np.floor(min(max(lo, np.float32(0.0)), np.float32(255.0)) + np.float32(0.5))
            hi = np.floor(min(max(hi, np.float32(0.0)), np.float32(255.0)) + np.float32(0.5))
            s[_LOW2, lane] = lo if solid else s[_LOW, lane]
            s[_HIGH2, lane] = hi if solid else s[_HIGH, lane]
            span = s[_HIGH2, lane] - s[_LOW2, lane]
            s[_SCALE, lane] = np.float32(7.0) / max(span, np.float32(1.0))
            s[_ERROR2, lane] = np.float32(0.0)
        for i in range(16):
            for lane in range(LANES):
                t = np.floor((v[i, lane] - s[_LOW2, lane]) * s[_SCALE, lane] + np.float32(0.5))
                t = min(max(t, np.float32(0.0)), np.float32(7.0))
                fitted[i, lane] = t
                b = t * np.float32(1.0 / 7.0)
                value = s[_LOW2, lane] + b * (s[_HIGH2, lane] - s[_LOW2, lane])
                gap = v[i, lane] - np.floor(value + np.float32(0.5))
                s[_ERROR2, lane] += gap * gap
        for lane in range(min(LANES, stop - first)):
            better = s[_ERROR2, lane] < s[_ERROR, lane] and s[_HIGH2, lane] > s[_LOW2, lane]
            lo = s[_LOW2, lane] if better else s[_LOW, lane]
            hi = s[_HIGH2, lane] if better else s[_HIGH, lane]
            bits = np.uint64(0)
            if hi > lo:
                for i in range(16):
                    t = np.int32(fitted[i, lane] if better else index[i, lane])
                    # Position 7 is end0 (index 0), position 0 is end1 (index 1); between
                    # them the indices 2..7 run from end0 to end1.
                    code = 0 if t == 7 else (1 if t == 0 else 8 - int(t))
                    bits |= np.uint64(code) << np.uint64(3 * i)
            place = (first + lane) * stride + at
            out[place] = np.uint8(hi)
            out[place + 1] = np.uint8(lo)
            for byte in range(6):
                out[place + 2 + byte] = np.uint8((bits >> np.uint64(8 * byte)) & np.uint64(255))


@njit(nogil=True, cache=True)
def decode_scalar(
    data: Bytes, start: int, stop: int, stride: int, at: int, out: Bytes, channel: int
) -> None:
    """Decode one channel of the blocks ``start`` to ``stop``.

    Parameters
    ----------
    data : ndarray, uint8, flat
        Blocks, ``stride`` bytes each; these eight bytes lie at ``at``.
    out : ndarray, uint8, shape (block count, 16, channels)
        Written in channel ``channel``.
    """
    palette = np.empty(8, np.int32)
    for block in range(start, stop):
        place = block * stride + at
        e0 = np.int32(data[place])
        e1 = np.int32(data[place + 1])
        palette[0] = e0
        palette[1] = e1
        if e0 > e1:
            for k in range(1, 7):
                palette[k + 1] = ((7 - k) * e0 + k * e1 + 3) // 7
        else:
            for k in range(1, 5):
                palette[k + 1] = ((5 - k) * e0 + k * e1 + 2) // 5
            palette[6] = 0
            palette[7] = 255
        bits = np.uint64(0)
        for byte in range(6):
            bits |= np.uint64(data[place + 2 + byte]) << np.uint64(8 * byte)
        for i in range(16):
            code = np.int32((bits >> np.uint64(3 * i)) & np.uint64(7))
            out[block, i, channel] = palette[code]
