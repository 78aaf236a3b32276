"""BC7: colour and alpha in sixteen bytes a block, written in mode 6.

Source: Khronos Data Format Specification 1.3, section 20 (BPTC). Mode 6 has one line of colours
for the whole block, 7 bits and one shared bit a channel at each end, and 4 bits a texel. The ends
are fitted along the principal axis and refitted once by least squares.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from stonestack.core.blocks import borrowed
from stonestack.core.blocks.layout import padded
from stonestack.core.image import Bytes
from stonestack.core.parallel import over_bands

WEIGHTS = np.array([0, 4, 9, 13, 17, 21, 26, 30, 34, 38, 43, 47, 51, 55, 60, 64], np.int32)


def encode(texels: Bytes) -> bytes:
    """Encode stored colour and alpha, uint8 (height, width, 4)."""
    grid = padded(texels)
    count = grid.shape[0] * grid.shape[1] // 16
    out = np.zeros((count, 16), np.uint8)
    over_bands(lambda a, b: _encode(grid, a, b, out, WEIGHTS), count, 64)
    return out.tobytes()


def decode(data: bytes, width: int, height: int) -> Bytes:
    """Decode any mode to stored colour and alpha, uint8 (height, width, 4)."""
    return borrowed.decode(7, "BC7", data, width, height)


@njit(cache=True, nogil=True)
def _axis(block, mean):  # type: ignore[no-untyped-def]
    """Return the direction in which a block's texels spread most, by power iteration."""
    spread = np.zeros((4, 4), np.float32)
    for t in range(16):
        for i in range(4):
            for j in range(4):
                spread[i, j] += (block[t, i] - mean[i]) * (block[t, j] - mean[j])
    axis = np.empty(4, np.float32)
    best = 0
    for i in range(4):
        if spread[i, i] > spread[best, best]:
            best = i
    for i in range(4):
        axis[i] = spread[best, i]
    for _ in range(6):
        turned = spread @ axis
        size = np.float32(0)
        for i in range(4):
            size = max(size, abs(turned[i]))
        if size < 1e-6:
            break
        axis = turned / size
    length = np.float32(np.sqrt((axis * axis).sum()))
    if length > 1e-6:
        axis = axis / length
    return axis


@njit(cache=True, nogil=True)
def _stored(ends, shared):  # type: ignore[no-untyped-def]
    """Return the ends, (2, 4), as stored with shared lowest bits."""
    out = np.empty((2, 4), np.int32)
    for e in range(2):
        for c in range(4):
            seven = int(np.floor((ends[e, c] - shared[e]) / 2 + 0.5))
            out[e, c] = (min(127, max(0, seven)) << 1) | shared[e]
    return out


@njit(cache=True, nogil=True)
def _assign(block, stored, weights, places):  # type: ignore[no-untyped-def]
    """Choose the nearest of sixteen colours for each texel; return the squared error."""
    palette = np.empty((16, 4), np.float32)
    for k in range(16):
        for c in range(4):
            palette[k, c] = ((64 - weights[k]) * stored[0, c] + weights[k] * stored[1, c] + 32) >> 6
    line = np.empty(4, np.float32)
    length = np.float32(0)
    for c in range(4):
        line[c] = stored[1, c] - stored[0, c]
        length += line[c] * line[c]
    total = np.float32(0)
    for t in range(16):
        guess = 0
        if length > 0:
            along = np.float32(0)
            for c in range(4):
                along += (block[t, c] - stored[0, c]) * line[c]
            guess = max(0, min(15, int(along / length * 15 + np.float32(0.5))))
        least = np.float32(1e30)
        for k in range(max(0, guess - 1), min(15, guess + 1) + 1):
            error = np.float32(0)
            for c in range(4):
                off = block[t, c] - palette[k, c]
                error += off * off
            if error < least:
                least = error
                places[t] = k
        total += least
    return total


@njit(cache=True, nogil=True)
def _best(block, ends, weights, places, kept, kept_places, least):  # type: ignore[no-untyped-def]
    """Try the four choices of shared bits; keep the best.

    An opaque block stays opaque, which needs both bits set.
    """
    shared = np.empty(2, np.int32)
    opaque = True
    for t in range(16):
        opaque = opaque and block[t, 3] == 255
    for choice in range(3 if opaque else 0, 4):
        shared[0] = choice & 1
        shared[1] = choice >> 1
        stored = _stored(ends, shared)
        error = _assign(block, stored, weights, places)
        if error < least:
            least = error
            kept[:] = stored
            kept_places[:] = places
    return least


@njit(cache=True, nogil=True)
def _refitted(block, places, weights, ends):  # type: ignore[no-untyped-def]
    """Solve for the ends that fit the chosen places best; False where they are undetermined."""
    aa = np.float32(0)
    bb = np.float32(0)
    ab = np.float32(0)
    right = np.zeros((2, 4), np.float32)
    for t in range(16):
        w = np.float32(weights[places[t]]) / np.float32(64)
        v = np.float32(1) - w
        aa += v * v
        bb += w * w
        ab += v * w
        for c in range(4):
            right[0, c] += v * block[t, c]
            right[1, c] += w * block[t, c]
    det = aa * bb - ab * ab
    if abs(det) < 1e-4:
        return False
    for c in range(4):
        ends[0, c] = min(255.0, max(0.0, (bb * right[0, c] - ab * right[1, c]) / det))
        ends[1, c] = min(255.0, max(0.0, (aa * right[1, c] - ab * right[0, c]) / det))
    return True


@njit(cache=True, nogil=True)
def _put(out, at, value, bits):  # type: ignore[no-untyped-def]
    for i in range(bits):
        out[(at + i) >> 3] |= ((value >> i) & 1) << ((at + i) & 7)
    return at + bits


@njit(cache=True, nogil=True)
def _encode(grid, start, stop, out, weights):  # type: ignore[no-untyped-def]
    across = grid.shape[1] // 4
    block = np.empty((16, 4), np.float32)
    ends = np.empty((2, 4), np.float32)
    places = np.zeros(16, np.int32)
    kept_places = np.zeros(16, np.int32)
    kept = np.zeros((2, 4), np.int32)
    mean = np.empty(4, np.float32)
    for b in range(start, stop):
        top, left = b // across * 4, b % across * 4
        for t in range(16):
            for c in range(4):
                block[t, c] = grid[top + t // 4, left + t % 4, c]
        for c in range(4):
            mean[c] = block[:, c].mean()
        axis = _axis(block, mean)
        low = np.float32(1e30)
        high = np.float32(-1e30)
        for t in range(16):
            along = np.float32(0)
            for c in range(4):
                along += (block[t, c] - mean[c]) * axis[c]
            low = min(low, along)
            high = max(high, along)
        for c in range(4):
            ends[0, c] = min(255.0, max(0.0, mean[c] + low * axis[c]))
            ends[1, c] = min(255.0, max(0.0, mean[c] + high * axis[c]))
        least = _best(block, ends, weights, places, kept, kept_places, np.float32(1e30))
        if least > 0 and _refitted(block, kept_places, weights, ends):
            _best(block, ends, weights, places, kept, kept_places, least)
        # The first texel's highest bit is left out, so it must be zero.
        if kept_places[0] >= 8:
            for c in range(4):
                kept[0, c], kept[1, c] = kept[1, c], kept[0, c]
            for t in range(16):
                kept_places[t] = 15 - kept_places[t]
        at = _put(out[b], 0, 1 << 6, 7)
        for c in range(4):
            at = _put(out[b], at, kept[0, c] >> 1, 7)
            at = _put(out[b], at, kept[1, c] >> 1, 7)
        at = _put(out[b], at, kept[0, 0] & 1, 1)
        at = _put(out[b], at, kept[1, 0] & 1, 1)
        for t in range(16):
            at = _put(out[b], at, kept_places[t], 3 if t == 0 else 4)
