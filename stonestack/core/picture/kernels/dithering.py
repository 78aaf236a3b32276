"""The nearest of few colours, and spreading the error: compiled."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats

_SOME = 512


@njit(nogil=True, cache=True)
def diffused(lab: Floats, colours: Floats, amount: float, wraps: bool) -> NDArray[np.int32]:
    """Return which colour each texel gets, its error spread to those that follow.

    Floyd and Steinberg's weights, row by row to the right. On a ring two rounds are made, the
    second with what the first spread over the edges.

    Parameters
    ----------
    lab : ndarray, float32, shape (height, width, 3)
    colours : ndarray, float32, shape (count, 3)
    amount : float
        Share of the error that is spread, 0..1.
    """
    height, width, _ = lab.shape
    out = np.zeros((height, width), np.int32)
    first = np.zeros((width, 3), np.float32)
    rounds = 2 if wraps else 1
    for _ in range(rounds):
        here = first.copy()
        for y in range(height):
            below = np.zeros((width, 3), np.float32)
            for x in range(width):
                best, least = 0, np.float32(1e9)
                a = lab[y, x, 0] + here[x, 0]
                b = lab[y, x, 1] + here[x, 1]
                c = lab[y, x, 2] + here[x, 2]
                for k in range(len(colours)):
                    da, db, dc = a - colours[k, 0], b - colours[k, 1], c - colours[k, 2]
                    apart = da * da + db * db + dc * dc
                    if apart < least:
                        best, least = k, apart
                out[y, x] = best
                for k in range(3):
                    value = (a, b, c)[k]
                    error = (value - colours[best, k]) * np.float32(amount)
                    right, left = x + 1, x - 1
                    if wraps:
                        right, left = right % width, left % width
                    if right < width:
                        if x + 1 < width:
                            here[right, k] += error * np.float32(7 / 16)
                        below[right, k] += error * np.float32(1 / 16)
                    if left >= 0:
                        below[left, k] += error * np.float32(3 / 16)
                    below[x, k] += error * np.float32(5 / 16)
            here = below
        first = here
    return out


@njit(nogil=True, cache=True)
def nearest(lab: Floats, colours: Floats, out: NDArray[np.int32]) -> None:
    """Fill ``out[i]`` with which colour lies nearest to ``lab[i]``, of equals the first.

    Some at a time, colour by colour, so that it becomes vector instructions.

    Parameters
    ----------
    lab : ndarray, float32, shape (samples, 3)
    colours : ndarray, float32, shape (count, 3)
    out : ndarray, int32, shape (samples,)
    """
    parts, least = np.empty((3, _SOME), np.float32), np.empty(_SOME, np.float32)
    best = np.empty(_SOME, np.int32)
    for start in range(0, len(lab), _SOME):
        count = min(_SOME, len(lab) - start)
        for i in range(count):
            for k in range(3):
                parts[k, i] = lab[start + i, k]
            best[i], least[i] = 0, np.float32(1e9)
        for k in range(len(colours)):
            one, two, three = colours[k, 0], colours[k, 1], colours[k, 2]
            place = np.int32(k)
            for i in range(count):
                a, b, c = parts[0, i] - one, parts[1, i] - two, parts[2, i] - three
                apart = a * a + b * b + c * c
                nearer = apart < least[i]
                best[i] = place if nearer else best[i]
                least[i] = apart if nearer else least[i]
        for i in range(count):
            out[start + i] = best[i]


@njit(nogil=True, cache=True)
def gathered(
    lab: Floats,
    counts: NDArray[np.float64],
    colours: Floats,
    sums: NDArray[np.float64],
    total: NDArray[np.float64],
) -> None:
    """Add up, for each colour of a palette, the samples that lie nearest to it.

    Parameters
    ----------
    lab : ndarray, float32, shape (samples, 3)
    counts : ndarray, float64, shape (samples,)
        How much each weighs.
    colours : ndarray, float32, shape (count, 3)
    sums, total : ndarray, float64, shape (count, 3) and (count,)
        Are added to: weighted sums, and weights.
    """
    places = np.empty(len(lab), np.int32)
    nearest(lab, colours, places)
    for i in range(len(lab)):
        best = places[i]
        total[best] += counts[i]
        for k in range(3):
            sums[best, k] += counts[i] * lab[i, k]


@njit(nogil=True, cache=True)
def brought_nearer(lab: Floats, place: int, away: Floats) -> None:
    """Lower each sample's squared distance to the chosen ones by one more of them."""
    for i in range(len(lab)):
        a, b, c = lab[i, 0] - lab[place, 0], lab[i, 1] - lab[place, 1], lab[i, 2] - lab[place, 2]
        away[i] = min(away[i], a * a + b * b + c * c)
