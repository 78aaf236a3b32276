"""Four-colour blocks on a line between two 5:6:5 end colours: BC1 and the colour of BC3.

Layout: Khronos Data Format Specification 1.3, section 18.1 (S3TC, BC1). Two end colours
of 16 bits, then sixteen indices of 2 bits. With ``end0 > end1`` two colours are interpolated
between the ends; otherwise BC1 interpolates one and index 3 is transparent black (BC3 always
has four colours). The decoder interpolates the ends expanded to 8 bits, rounded to nearest.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from stonestack.core.blocks.layout import LANES
from stonestack.core.image import Bytes

_POWER_STEPS = 6
_FITS = 2

# Rows of the scratch array: one block of memory, so that the compiler can see that
# its rows do not overlap and turns the loops over lanes into vector instructions.
_MEAN = 0
_AXIS = 3
_COV = 6
_NEAR = 12
_FAR = 13
_E0 = 14
_E1 = 17
_Q0 = 20
_Q1 = 23
_BEST0 = 26
_BEST1 = 29
_X0 = 32
_D = 35
_SCALE = 38
_ERROR = 39
_BEST_ERROR = 40
_SAA = 41
_SAB = 42
_SBB = 43
_SAP = 44
_SBP = 47
_ROWS = 50


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def encode_colours(
    texels: Bytes, start: int, stop: int, out: Bytes, stride: int, at: int, four: bool
) -> None:
    """Encode the colour of the blocks ``start`` to ``stop``.

    Parameters
    ----------
    texels : ndarray, uint8, shape (height, width, >= 3)
        Red, green, blue first; sides are multiples of four.
    start, stop : int
        Half-open range of blocks, counted row by row.
    out : ndarray, uint8, flat
        Written at ``block * stride + at``, eight bytes a block.
    stride, at : int
        Bytes of a whole block, and where in it these eight lie.
    four : bool
        Whether the decoder always reads four colours (BC3). In BC1 a block of one colour
        must not use the indices that would be read as the transparent one; the encoder
        gives such a block index 0 throughout, which is right in both.

    Notes
    -----
    Colours are fitted in the stored (sRGB) scale, since the hardware interpolates there.
    The principal axis comes from power iteration on the covariance; the ends are the
    extremes along it; one least-squares refit of the ends follows, and the better of the
    two is kept block by block.
    """
    across = texels.shape[1] // 4
    f0 = np.float32(0.0)
    half = np.float32(0.5)
    p = np.empty((3, 16, LANES), np.float32)
    s = np.empty((_ROWS, LANES), np.float32)
    weight = np.empty((16, LANES), np.float32)
    best_weight = np.empty((16, LANES), np.float32)
    top = np.array([31.0, 63.0, 31.0], np.float32)
    for first in range(start, stop, LANES):
        for lane in range(LANES):
            block = min(first + lane, stop - 1)
            by = (block // across) * 4
            bx = (block % across) * 4
            for i in range(16):
                for c in range(3):
                    p[c, i, lane] = np.float32(texels[by + (i >> 2), bx + (i & 3), c])
        for c in range(3):
            for lane in range(LANES):
                s[_MEAN + c, lane] = f0
            for i in range(16):
                for lane in range(LANES):
                    s[_MEAN + c, lane] += p[c, i, lane]
            for lane in range(LANES):
                s[_MEAN + c, lane] *= np.float32(1.0 / 16.0)
        for lane in range(LANES):
            for k in range(6):
                s[_COV + k, lane] = f0
        for i in range(16):
            for lane in range(LANES):
                r = p[0, i, lane] - s[_MEAN, lane]
                g = p[1, i, lane] - s[_MEAN + 1, lane]
                b = p[2, i, lane] - s[_MEAN + 2, lane]
                s[_COV, lane] += r * r
                s[_COV + 1, lane] += r * g
                s[_COV + 2, lane] += r * b
                s[_COV + 3, lane] += g * g
                s[_COV + 4, lane] += g * b
                s[_COV + 5, lane] += b * b
        for lane in range(LANES):
            # The row of the channel with the largest spread is never at right angles to
            # the principal axis, so it is a safe start.
            red = s[_COV, lane] >= s[_COV + 3, lane] and s[_COV, lane] >= s[_COV + 5, lane]
            green = s[_COV + 3, lane] >= s[_COV + 5, lane]
            ax = s[_COV, lane] if red else (s[_COV + 1, lane] if green else s[_COV + 2, lane])
            ay = s[_COV + 1, lane] if red else (s[_COV + 3, lane] if green else s[_COV + 4, lane])
            az = s[_COV + 2, lane] if red else (s[_COV + 4, lane] if green else s[_COV + 5, lane])
            for _ in range(_POWER_STEPS):
                nx = s[_COV, lane] * ax + s[_COV + 1, lane] * ay + s[_COV + 2, lane] * az
                ny = s[_COV + 1, lane] * ax + s[_COV + 3, lane] * ay + s[_COV + 4, lane] * az
                nz = s[_COV + 2, lane] * ax + s[_COV + 4, lane] * ay + s[_COV + 5, lane] * az
                size = max(max(abs(nx), abs(ny)), max(abs(nz), np.float32(1e-12)))
                inv = np.float32(1.0) / size
                ax = nx * inv
                ay = ny * inv
                az = nz * inv
            length = np.sqrt(ax * ax + ay * ay + az * az)
            inv = np.float32(1.0) / max(length, np.float32(1e-6))
            s[_AXIS, lane] = ax * inv
            s[_AXIS + 1, lane] = ay * inv
            s[_AXIS + 2, lane] = az * inv
            s[_NEAR, lane] = np.float32(1e9)
            s[_FAR, lane] = np.float32(-1e9)
        for i in range(16):
            for lane in range(LANES):
                t = (
                    (p[0, i, lane] - s[_MEAN, lane]) * s[_AXIS, lane]
                    + (p[1, i, lane] - s[_MEAN + 1, lane]) * s[_AXIS + 1, lane]
                    + (p[2, i, lane] - s[_MEAN + 2, lane]) * s[_AXIS + 2, lane]
                )
                s[_NEAR, lane] = min(s[_NEAR, lane], t)
                s[_FAR, lane] = max(s[_FAR, lane], t)
        for c in range(3):
            for lane in range(LANES):
                s[_E0 + c, lane] = s[_MEAN + c, lane] + s[_AXIS + c, lane] * s[_FAR, lane]
                s[_E1 + c, lane] = s[_MEAN + c, lane] + s[_AXIS + c, lane] * s[_NEAR, lane]
        for lane in range(LANES):
            s[_BEST_ERROR, lane] = np.float32(1e30)
        for attempt in range(_FITS):
            for c in range(3):
                limit = top[c]
                to_grid = limit / np.float32(255.0)
                for lane in range(LANES):
                    a = min(max(s[_E0 + c, lane] * to_grid, f0), limit)
                    b = min(max(s[_E1 + c, lane] * to_grid, f0), limit)
                    a = np.floor(a + half)
                    b = np.floor(b + half)
                    s[_Q0 + c, lane] = a
                    s[_Q1 + c, lane] = b
                    # Bit replication of 5 and 6 bits equals these roundings.
                    a = np.floor(a * np.float32(255.0) / limit + half)
                    b = np.floor(b * np.float32(255.0) / limit + half)
                    s[_X0 + c, lane] = a
                    s[_D + c, lane] = b - a
            for lane in range(LANES):
                dd = (
                    s[_D, lane] * s[_D, lane]
                    + s[_D + 1, lane] * s[_D + 1, lane]
                    + s[_D + 2, lane] * s[_D + 2, lane]
                )
                s[_SCALE, lane] = np.float32(3.0) / max(dd, half)
                s[_ERROR, lane] = f0
                s[_SAA, lane] = f0
                s[_SAB, lane] = f0
                s[_SBB, lane] = f0
            for c in range(3):
                for lane in range(LANES):
                    s[_SAP + c, lane] = f0
                    s[_SBP + c, lane] = f0
            for i in range(16):
                for lane in range(LANES):
                    r = p[0, i, lane] - s[_X0, lane]
                    g = p[1, i, lane] - s[_X0 + 1, lane]
                    b = p[2, i, lane] - s[_X0 + 2, lane]
                    t = (r * s[_D, lane] + g * s[_D + 1, lane] + b * s[_D + 2, lane]) * s[
                        _SCALE, lane
                    ]
                    t = min(max(np.floor(t + half), f0), np.float32(3.0))
                    weight[i, lane] = t
                    w = t * np.float32(1.0 / 3.0)
                    v = np.float32(1.0) - w
                    r -= s[_D, lane] * w
                    g -= s[_D + 1, lane] * w
                    b -= s[_D + 2, lane] * w
                    s[_ERROR, lane] += r * r + g * g + b * b
                    s[_SAA, lane] += v * v
                    s[_SAB, lane] += v * w
                    s[_SBB, lane] += w * w
                    s[_SAP, lane] += v * p[0, i, lane]
                    s[_SAP + 1, lane] += v * p[1, i, lane]
                    s[_SAP + 2, lane] += v * p[2, i, lane]
                    s[_SBP, lane] += w * p[0, i, lane]
                    s[_SBP + 1, lane] += w * p[1, i, lane]
                    s[_SBP + 2, lane] += w * p[2, i, lane]
            for i in range(16):
                for lane in range(LANES):
                    better = s[_ERROR, lane] < s[_BEST_ERROR, lane]
                    best_weight[i, lane] = weight[i, lane] if better else best_weight[i, lane]
            for c in range(3):
                for lane in range(LANES):
                    better = s[_ERROR, lane] < s[_BEST_ERROR, lane]
                    s[_BEST0 + c, lane] = s[_Q0 + c, lane] if better else s[_BEST0 + c, lane]
                    s[_BEST1 + c, lane] = s[_Q1 + c, lane] if better else s[_BEST1 + c, lane]
            for lane in range(LANES):
                s[_BEST_ERROR, lane] = min(s[_BEST_ERROR, lane], s[_ERROR, lane])
            if attempt < _FITS - 1:
                for c in range(3):
                    for lane in range(LANES):
                        det = s[_SAA, lane] * s[_SBB, lane] - s[_SAB, lane] * s[_SAB, lane]
                        solid = det > np.float32(1e-3)
                        inv = np.float32(1.0) / (det if solid else np.float32(1.0))
                        a = (
                            s[_SAP + c, lane] * s[_SBB, lane] - s[_SBP + c, lane] * s[_SAB, lane]
                        ) * inv
                        b = (
                            s[_SBP + c, lane] * s[_SAA, lane] - s[_SAP + c, lane] * s[_SAB, lane]
                        ) * inv
                        s[_E0 + c, lane] = a if solid else s[_E0 + c, lane]
                        s[_E1 + c, lane] = b if solid else s[_E1 + c, lane]
        for lane in range(min(LANES, stop - first)):
            c0 = (
                (np.int32(s[_BEST0, lane]) << 11)
                | (np.int32(s[_BEST0 + 1, lane]) << 5)
                | np.int32(s[_BEST0 + 2, lane])
            )
            c1 = (
                (np.int32(s[_BEST1, lane]) << 11)
                | (np.int32(s[_BEST1 + 1, lane]) << 5)
                | np.int32(s[_BEST1 + 2, lane])
            )
            bits = np.uint32(0)
            if c0 != c1:
                turned = c1 > c0 and not four
                for i in range(16):
                    t = np.int32(best_weight[i, lane])
                    t = 3 - t if turned else t
                    code = 0 if t == 0 else (1 if t == 3 else t + 1)
                    bits |= np.uint32(code) << np.uint32(2 * i)
                if turned:
                    swap = c0
                    c0 = c1
                    c1 = swap
            place = (first + lane) * stride + at
            out[place] = np.uint8(c0 & 255)
            out[place + 1] = np.uint8(c0 >> 8)
            out[place + 2] = np.uint8(c1 & 255)
            out[place + 3] = np.uint8(c1 >> 8)
            for byte in range(4):
                out[place + 4 + byte] = np.uint8((bits >> np.uint32(8 * byte)) & np.uint32(255))


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
