"""Find a part of a picture by local features.

Scale-invariant features (D. Lowe, "Distinctive Image Features from Scale-Invariant Keypoints",
IJCV 2004), compared by the Hellinger kernel (R. Arandjelović and A. Zisserman, "Three Things
Everyone Should Know to Improve Object Retrieval", CVPR 2012), matched both ways, and kept where
one turn, scale and shift explains them (M. Fischler and R. Bolles, "Random Sample Consensus",
1981).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from stonestack.core.image import Bytes

LONGEST = 512
"""Longest side at which features are looked for."""
_LEAST_SIDE = 256
_MOST = 300
_ASKED = 600
_SCALE = 512
"""Marks are stored in bytes; their unit length is this."""
_NEAR = 0.55 * _SCALE
_SIZE = 128
_LEAST_CONTRAST = 0.005
_KEPT = (0.4, 0.33, 0.27)
"""Shares kept for features of each octave, the finest first; the last stands for all coarser."""
_LEAST_PAIRS = 4
_BY_CHANCE = 0.1
_DRAWS = 600
"""Pairs of pairs that are tried: where a tenth agree, two of these are found 99 times of 100."""
ENOUGH = 7
"""Matches that agree on one place, below which they may be chance."""


@dataclass(frozen=True)
class Features:
    """Local features of a picture.

    Parameters
    ----------
    points : ndarray, float32, shape (count, 2)
    marks : ndarray, uint8, shape (count, 128)
    """

    points: NDArray[np.float32]
    marks: NDArray[np.uint8]

    def stored(self) -> bytes:
        """Return the features as bytes."""
        return self.points.astype("<f4").tobytes() + self.marks.tobytes()

    @staticmethod
    def read(data: bytes) -> Features:
        """Read features from :meth:`stored`."""
        count = len(data) // (8 + _SIZE)
        points = np.frombuffer(data, "<f4", count * 2).reshape(-1, 2)
        return Features(points, np.frombuffer(data, np.uint8, offset=count * 8).reshape(-1, _SIZE))


def features(texels: Bytes, asked: bool = False) -> Features:
    """Find the features of a picture, fine ones and coarse ones.

    The finest stand out most, and are gone in a smaller copy; so coarser ones have places kept.

    Parameters
    ----------
    texels : ndarray, uint8, shape (height, width, 4)
        Stored texels, at most about :data:`LONGEST` on the longer side.
    asked : bool
        Whether this is the picture that is looked for; it gets more.
    """
    grey = cv2.cvtColor(np.ascontiguousarray(texels[..., :3]), cv2.COLOR_RGB2GRAY)
    scale = max(1.0, _LEAST_SIDE / max(grey.shape))
    if scale > 1:
        grey = cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC)
    # Stretch the contrast, so that dark and pale surfaces have features too.
    grey = cv2.normalize(grey, None, 0, 255, cv2.NORM_MINMAX)  # type: ignore[call-overload]
    finder = cv2.SIFT_create(0, contrastThreshold=_LEAST_CONTRAST)  # type: ignore[attr-defined]
    picked = _picked(finder.detect(grey, None), _ASKED if asked else _MOST)
    points, marks = finder.compute(grey, picked)
    if marks is None:
        return Features(np.zeros((0, 2), np.float32), np.zeros((0, _SIZE), np.uint8))
    places = np.array([p.pt for p in points], np.float32) / np.float32(scale)
    rooted = np.sqrt(marks / (marks.sum(axis=1, keepdims=True) + 1e-7)) * _SCALE
    return Features(places, np.clip(np.rint(rooted), 0, 255).astype(np.uint8))


def _picked(points: Sequence[cv2.KeyPoint], most: int) -> list[cv2.KeyPoint]:
    """Return those that stand out most, some of each size."""
    by_size: list[list[cv2.KeyPoint]] = [[] for _ in _KEPT]
    for point in sorted(points, key=lambda p: -p.response):
        # The octave is a signed byte; -1 is twice the picture's size.
        octave = (point.octave + 128) % 256 - 128
        by_size[min(len(_KEPT) - 1, max(0, octave + 1))].append(point)
    kept = [size[: round(share * most)] for size, share in zip(by_size, _KEPT, strict=True)]
    left = [p for size, first in zip(by_size, kept, strict=True) for p in size[len(first) :]]
    first = [point for size in kept for point in size]
    return first + left[: most - len(first)]


class Sought:
    """A picture that is looked for, as it is and turned over.

    Parameters
    ----------
    texels : ndarray, uint8, shape (height, width, 4)
        Stored texels, at most about :data:`LONGEST` on the longer side.
    """

    def __init__(self, texels: Bytes) -> None:
        # Turned over up and down is turned over left and right, and round.
        both = [features(np.ascontiguousarray(t), asked=True) for t in (texels, texels[:, ::-1])]
        self._points = [each.points for each in both]
        self._edges = np.cumsum([0, *(len(each.points) for each in both)])
        self._marks = np.concatenate([each.marks for each in both]).astype(np.float32)
        self._squares = np.square(self._marks).sum(axis=1, keepdims=True)

    def agreement(self, held: Features) -> int:
        """Return how many features agree with a picture's on one place, whichever way it is."""
        if len(held.points) < _LEAST_PAIRS or len(self._marks) == 0:
            return 0
        marks = held.marks.astype(np.float32)
        apart = self._squares - 2 * (self._marks @ marks.T) + np.square(marks).sum(axis=1)
        return max(
            _agreement(apart[a:b], points, held.points)
            for points, (a, b) in zip(self._points, pairwise(self._edges), strict=True)
        )


def _agreement(
    apart: NDArray[np.float32], asked: NDArray[np.float32], held: NDArray[np.float32]
) -> int:
    """Return how many pairs of features, each other's nearest, agree on one place.

    Parameters
    ----------
    apart : ndarray, float32, shape (asked, held)
        Squared distances of their marks.
    """
    if len(asked) < _LEAST_PAIRS:
        return 0
    ours = np.arange(len(asked))
    theirs = apart.argmin(axis=1)
    mutual = (apart.argmin(axis=0)[theirs] == ours) & (apart[ours, theirs] <= _NEAR**2)
    pairs = int(mutual.sum())
    if pairs < ENOUGH:
        return 0
    move, inside = cv2.estimateAffinePartial2D(
        asked[mutual], held[theirs[mutual]], ransacReprojThreshold=4.0, maxIters=_DRAWS
    )
    if move is None:
        return 0
    scale = float(np.hypot(move[0, 0], move[1, 0]))
    agreed = int(inside.sum())
    # Of many pairs some agree by chance.
    return agreed if 0.1 < scale < 10 and agreed >= _BY_CHANCE * pairs + 4 else 0
