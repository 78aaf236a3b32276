"""Matching and laying of patches: compiled."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats
from stonestack.core.tile.cutpath import least_path

Ints = NDArray[np.int32]

_FAR = np.float32(1e6)
_SPREAD = 7919
"""A prime above any count of pixels: stepping by it, the first few lie all over the patch."""
_AT_A_TIME = 24
"""Pixels compared before a window is given up."""


@njit(nogil=True, cache=True)
def gathered(
    out: Floats, labels: Ints, top: int, left: int, side: int, compared: int
) -> tuple[Ints, Floats]:
    """Return pixels of a patch's place where something is laid, and what is laid there.

    Parameters
    ----------
    out : ndarray, float32, shape (rows, columns, channels)
        What is laid so far; places go on over the edges.
    labels : ndarray, int32, shape (rows, columns)
        Below 0 where nothing is laid.
    compared : int
        About how many pixels to return, evenly spread.

    Returns
    -------
    pixels : ndarray, int32, shape (count, 2)
        Row and column within the patch.
    wanted : ndarray, float32, shape (count, channels)
    """
    rows, columns = labels.shape
    met = 0
    for i in range(side):
        y = (top + i) % rows
        for j in range(side):
            if labels[y, (left + j) % columns] >= 0:
                met += 1
    # An odd number apart, so that not the same columns are met in every row.
    pace = max(1, met // compared) | 1
    count = -(-met // pace)
    pixels = np.empty((count, 2), np.int32)
    wanted = np.empty((count, out.shape[2]), np.float32)
    met = 0
    for i in range(side):
        y = (top + i) % rows
        for j in range(side):
            x = (left + j) % columns
            if labels[y, x] < 0:
                continue
            if met % pace == 0:
                n = met // pace * _SPREAD % count
                pixels[n, 0] = i
                pixels[n, 1] = j
                for c in range(out.shape[2]):
                    wanted[n, c] = out[y, x, c]
            met += 1
    return pixels, wanted


@njit(nogil=True, cache=True, fastmath={"reassoc", "contract"})
def nearest(
    source: Floats, pixels: Ints, wanted: Floats, places: Ints, prices: Floats, keep: int
) -> Ints:
    """Return the windows of the source that match best, the best first.

    Parameters
    ----------
    source : ndarray, float32, shape (height, width, channels)
    pixels, wanted : ndarray
        What they are to match, as :func:`gathered` returns it.
    places : ndarray, int32, shape (windows, 2)
        Row and column of each window; one that is given twice counts once.
    prices : ndarray, float32, shape (windows,)
        Added to the mean squared difference of each. Not negative: a window is left as soon
        as it is worse than the last that is kept.
    keep : int

    Returns
    -------
    ndarray, int32, shape (at most keep, 2)
    """
    channels = source.shape[2]
    count = len(pixels)
    best = np.empty((keep, 2), np.int32)
    least = np.empty(keep, np.float32)
    kept = 0
    for k in range(len(places)):
        limit = least[keep - 1] if kept == keep else np.float32(np.inf)
        total = prices[k] * np.float32(max(1, count))
        y, x = places[k, 0], places[k, 1]
        n = 0
        while n < count and total < limit:
            stop = min(count, n + _AT_A_TIME)
            while n < stop:
                for c in range(channels):
                    apart = source[y + pixels[n, 0], x + pixels[n, 1], c] - wanted[n, c]
                    total += apart * apart
                n += 1
        if total >= limit:
            continue
        known = False
        for i in range(kept):
            if best[i, 0] == y and best[i, 1] == x:
                known = True
        if known:
            continue
        kept = min(keep, kept + 1)
        i = kept - 1
        while i > 0 and least[i - 1] > total:
            least[i] = least[i - 1]
            best[i, 0] = best[i - 1, 0]
            best[i, 1] = best[i - 1, 1]
            i -= 1
        least[i] = total
        best[i, 0] = y
        best[i, 1] = x
    return best[:kept]


@njit(nogil=True, cache=True)
def reuse(places: Ints, used: Ints, core: float) -> Floats:
    """Return how much of what each window would show was shown before, the squares summed.

    Parameters
    ----------
    places, used : ndarray, int32, shape (windows, 2)
        Row and column of each.
    core : float
        Side of what is seen of a window.
    """
    found = np.zeros(len(places), np.float32)
    for k in range(len(places)):
        for n in range(len(used)):
            down = 1 - abs(places[k, 0] - used[n, 0]) / core
            across = 1 - abs(places[k, 1] - used[n, 1]) / core
            if down > 0 and across > 0:
                found[k] += np.float32((down * across) ** 2)
    return found


@njit(nogil=True, cache=True)
def lay_patch(
    source: Floats,
    out: Floats,
    labels: Ints,
    label: int,
    place: Ints,
    overlaps: Ints,
    coarse: Ints,
    ratio: float,
    paths: Ints,
) -> None:
    """Cut a patch to what was laid before, and lay it.

    Parameters
    ----------
    source : ndarray, float32, shape (height, width, channels)
    out : ndarray, float32, shape (rows, columns, channels)
    labels : ndarray, int32, shape (rows, columns)
        Both are written where the patch is laid; places go on over the edges.
    label : int
    place : ndarray, int32, shape (4,)
        Row and column where the patch is laid, and where it comes from.
    overlaps : ndarray, int32, shape (4,)
        How far it lies over what is left of it, above, right and below.
    coarse : ndarray, int32, shape (4, any)
        Paths found at another resolution that are followed; without columns if there are none.
    ratio : float
        Pixels here for one there.
    paths : ndarray, int32, shape (4, side)
        Takes, for each row or column of the patch, where in the overlap it is cut; -1 at a
        side that is not.
    """
    rows, columns, channels = out.shape
    side = paths.shape[1]
    top, left, row, column = place
    gap = np.zeros((side, side), np.float32)
    for i in range(side):
        y = (top + i) % rows
        for j in range(side):
            x = (left + j) % columns
            if labels[y, x] >= 0:
                for c in range(channels):
                    apart = source[row + i, column + j, c] - out[y, x, c]
                    gap[i, j] += apart * apart
    for edge in range(4):
        overlap = overlaps[edge]
        if overlap < 2:
            paths[edge] = -1
            continue
        upright = gap if edge % 2 == 0 else gap.T
        start = 0 if edge < 2 else side - overlap
        cost = _smoothed(upright[:, start : start + overlap])
        if coarse.shape[1] > 0:
            _keep_near(cost, coarse[edge], ratio)
        path = least_path(cost, False)
        for i in range(side):
            paths[edge, i] = path[i]
    for i in range(side):
        y = (top + i) % rows
        for j in range(side):
            x = (left + j) % columns
            ours = (
                (paths[0, i] < 0 or j >= paths[0, i])
                and (paths[1, j] < 0 or i >= paths[1, j])
                and (paths[2, i] < 0 or j < side - overlaps[2] + paths[2, i])
                and (paths[3, j] < 0 or i < side - overlaps[3] + paths[3, j])
            )
            if ours or labels[y, x] < 0:
                labels[y, x] = label
                for c in range(channels):
                    out[y, x, c] = source[row + i, column + j, c]


@njit(nogil=True, cache=True)
def _smoothed(strip: Floats) -> Floats:
    """Return the means over 3 by 3 pixels, and a little, so that a short path is preferred."""
    rows, columns = strip.shape
    cost = np.empty((rows, columns), np.float32)
    for i in range(rows):
        above, below = max(0, i - 1), min(rows - 1, i + 1)
        for j in range(columns):
            before, after = max(0, j - 1), min(columns - 1, j + 1)
            total = np.float32(0)
            for y in (above, i, below):
                total += strip[y, before] + strip[y, j] + strip[y, after]
            cost[i, j] = total / np.float32(9) + np.float32(1e-5)
    return cost


@njit(nogil=True, cache=True)
def _keep_near(cost: Floats, coarse: Ints, ratio: float) -> None:
    """Make all that lies further than a coarse pixel from a coarse path too dear."""
    rows, columns = cost.shape
    count = len(coarse)
    for i in range(rows):
        place = min(max((i + 0.5) * count / rows - 0.5, 0.0), count - 1.0)
        low = int(place)
        high = min(low + 1, count - 1)
        between = coarse[low] + (coarse[high] - coarse[low]) * (place - low)
        middle = min(max((between + 0.5) * ratio - 0.5, 0.0), columns - 1.0)
        for j in range(columns):
            if abs(j - middle) > ratio + 1:
                cost[i, j] = _FAR


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
