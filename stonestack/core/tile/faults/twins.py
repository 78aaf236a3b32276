"""At which distances small parts of a ring are there again, by votes.

As in the search for parts copied within a photograph (J. Fridrich, D. Soukal and J. Lukas,
"Detection of Copy-Move Forgery in Digital Images", DFRWS 2003): a few numbers that describe the
surroundings of a texel are rounded and sorted, so that equal ones stand beside each other, and
each such pair votes for the distance between its places. A patch that is a hundredth of the ring
is lost in the correlation of the whole, and has hundreds of votes here.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.filters import bordered
from stonestack.core.picture.image import Floats

_SOFT = 1.0
_REACH = 4
_STEP = 0.75
"""By how much numbers may differ that are rounded to one, in spreads of the ring."""
_OFF = 0.37
"""Where rounding begins: not at nothing, where most numbers are."""
_LEVELS = 16
_ROUGH = 0.35
"""Spreads that the surroundings of a texel show at least: what is even is the same everywhere."""
_MOST_PLACES = 150_000
_MIXER = np.uint64(0x9E3779B97F4A7C15)
"""An odd number (2^64 by the golden ratio) whose products spread over all bits."""
_ONE, _PLACE = np.uint64(1), np.uint64(28)
"""Bits of a place: what describes it takes 36."""
_MOST_ALIKE = 6
"""Places alike beyond which they are the matter's own."""
_LEAST_VOTES = 6
_MOST = 20
_APART = 3


def twin_distances(detail: Floats, nearest: float) -> list[tuple[int, int]]:
    """Return distances at which parts are there again, those with most votes first.

    Parameters
    ----------
    detail : ndarray, float32, shape (height, width)
        A ring without its broad variation.
    nearest : float
        Pixels up to which all is like itself.

    Returns
    -------
    list of tuple of int
        x and y, 0 to the ring's sides; of a distance and its opposite, the one whose y is less.
    """
    height, width = detail.shape
    votes = _votes(*_surroundings(detail), height, width)
    down = np.minimum(np.arange(height), height - np.arange(height))[:, np.newaxis]
    across = np.minimum(np.arange(width), width - np.arange(width))[np.newaxis]
    votes[np.hypot(down, across) <= nearest] = 0
    votes[height // 2 + 1 :] = 0
    found: list[tuple[int, int]] = []
    while len(found) < _MOST:
        y, x = (int(v) for v in np.unravel_index(int(np.argmax(votes)), votes.shape))
        if votes[y, x] < _LEAST_VOTES:
            break
        found.append((x, y))
        votes[max(0, y - _APART) : y + _APART + 1, max(0, x - _APART) : x + _APART + 1] = 0
    return found


def _surroundings(detail: Floats) -> tuple[NDArray[np.uint64], NDArray[np.int64]]:
    """Return what describes each rough place, nine numbers in one, and where it lies."""
    import cv2

    around = bordered(detail, 2 * _REACH, True)
    soft = cv2.GaussianBlur(around, (0, 0), _SOFT)[
        2 * _REACH : -2 * _REACH, 2 * _REACH : -2 * _REACH
    ]
    soft = np.asarray(soft / max(float(soft.std()), 1e-12), np.float32)
    rounded = np.floor(soft / _STEP + _OFF) + _LEVELS // 2
    levels = np.clip(rounded, 0, _LEVELS - 1).astype(np.uint64)
    size = np.abs(soft)
    described, rough = np.zeros(detail.shape, np.uint64), np.zeros(detail.shape, np.float32)
    for y in (-_REACH, 0, _REACH):
        for x in (-_REACH, 0, _REACH):
            described = (described << np.uint64(4)) | np.roll(levels, (-y, -x), (0, 1))
            rough += np.roll(size, (-y, -x), (0, 1))
    places = np.flatnonzero(rough > 9 * _ROUGH)
    described = described.reshape(-1)[places]
    if len(places) > _MOST_PLACES:
        # Which are left out goes by what they look like, so that both of a pair are, or neither.
        kept = (described * _MIXER) >> np.uint64(32) < np.uint64(2**32 * _MOST_PLACES / len(places))
        described, places = described[kept], places[kept]
    return described, places


def _votes(
    described: NDArray[np.uint64], places: NDArray[np.int64], height: int, width: int
) -> NDArray[np.int64]:
    """Count the pairs of places that are described alike by their distance, either way."""
    if len(places) == 0:
        return np.zeros((height, width), np.int64)
    # Sorted with its place in the lowest bits, which takes a third of what sorting indices does.
    both = np.sort((described << _PLACE) | places.astype(np.uint64))
    described, places = both >> _PLACE, (both & ((_ONE << _PLACE) - _ONE)).astype(np.int64)
    begins = np.concatenate([[True], described[1:] != described[:-1]])
    starts = np.flatnonzero(begins)
    alike = np.diff(starts, append=len(places))
    few = np.repeat(alike <= _MOST_ALIKE, alike)
    described, places = described[few], places[few]
    pairs = [np.zeros((2, 0), np.int64)]
    # All pairs of a group, so that the order within it does not matter.
    for beside in range(1, _MOST_ALIKE):
        alike = described[beside:] == described[:-beside]
        pairs.append(np.stack([places[:-beside][alike], places[beside:][alike]]))
    one, other = np.concatenate(pairs, axis=1)
    down, across = other // width - one // width, other % width - one % width
    at = [(sign * down % height) * width + sign * across % width for sign in (1, -1)]
    return np.bincount(np.concatenate(at), minlength=height * width).reshape(height, width)
