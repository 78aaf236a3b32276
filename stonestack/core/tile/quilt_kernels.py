"""Matching and laying of patches: compiled."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from stonestack.core.image import Floats

Ints = NDArray[np.int32]


@njit(nogil=True, cache=True, fastmath=True)
def mismatches(
    source: Floats, pixels: Ints, wanted: Floats, places: Ints, found: Floats, start: int, stop: int
) -> None:
    """Measure how far windows of the source are from what they are to match.

    Parameters
    ----------
    source : ndarray, float32, shape (height, width, channels)
    pixels : ndarray, int32, shape (count, 2)
        Row and column, within a window, of each pixel that is compared.
    wanted : ndarray, float32, shape (count, channels)
        What should be there.
    places : ndarray, int32, shape (windows, 2)
        Row and column of each window in the source.
    found : ndarray, float32, shape (windows,)
        Takes the mean squared differences from ``start`` to ``stop``.
    """
    channels = source.shape[2]
    for k in range(start, stop):
        total = np.float32(0)
        for n in range(len(pixels)):
            y = places[k, 0] + pixels[n, 0]
            x = places[k, 1] + pixels[n, 1]
            for c in range(channels):
                d = source[y, x, c] - wanted[n, c]
                total += d * d
        found[k] = total / max(1, len(pixels))


@njit(nogil=True, cache=True)
def lay_labels(
    source: Floats,
    offsets: Ints,
    labels: Ints,
    out: Floats,
    along_x: Floats,
    along_y: Floats,
    start: int,
    stop: int,
) -> None:
    """Lay patches by their labels, and say what gradient takes the steps between them out.

    Parameters
    ----------
    source : ndarray, float32, shape (height, width, channels)
    offsets : ndarray, int32, shape (patches, 4)
        Row and column where a patch is laid, and where it lies in the source.
    labels : ndarray, int32, shape (rows, columns)
    out, along_x, along_y : ndarray, float32, shape (rows, columns, channels)
        Rows ``start`` to ``stop`` are written. Across a join the gradient is to be the mean
        of both patches' own; the correction's is that less what hard laying gives.
    """
    height, width, channels = source.shape
    rows, columns = labels.shape
    for y in range(start, stop):
        below = y + 1 if y + 1 < rows else 0
        for x in range(columns):
            beside = x + 1 if x + 1 < columns else 0
            here = labels[y, x]
            sy, sx = _place(offsets, here, y, x, rows, columns)
            for c in range(channels):
                out[y, x, c] = source[sy, sx, c]
                along_x[y, x, c] = 0
                along_y[y, x, c] = 0
            for way in range(2):
                ny, nx = (y, beside) if way == 0 else (below, x)
                other = labels[ny, nx]
                if other == here:
                    continue
                dy, dx = (0, 1) if way == 0 else (1, 0)
                oy, ox = _place(offsets, other, ny, nx, rows, columns)
                # One step further in each patch, where it has one.
                fy, fx = min(sy + dy, height - 1), min(sx + dx, width - 1)
                by, bx = max(oy - dy, 0), max(ox - dx, 0)
                for c in range(channels):
                    ours = source[fy, fx, c] - source[sy, sx, c]
                    theirs = source[oy, ox, c] - source[by, bx, c]
                    step = source[oy, ox, c] - source[sy, sx, c]
                    wanted = (ours + theirs) * np.float32(0.5) - step
                    if way == 0:
                        along_x[y, x, c] = wanted
                    else:
                        along_y[y, x, c] = wanted


@njit(nogil=True, cache=True)
def _place(offsets: Ints, label: int, y: int, x: int, rows: int, columns: int) -> tuple[int, int]:
    """Return where in the source a pixel of a patch lies."""
    down = (y - offsets[label, 0]) % rows
    across = (x - offsets[label, 1]) % columns
    return offsets[label, 2] + down, offsets[label, 3] + across
