"""Find a part of a picture by local features.

Scale-invariant features (D. Lowe, "Distinctive Image Features from Scale-Invariant Keypoints",
IJCV 2004), compared by the Hellinger kernel (R. Arandjelović and A. Zisserman, "Three Things
Everyone Should Know to Improve Object Retrieval", CVPR 2012), matched both ways, and kept where
one turn, scale and shift explains them (M. Fischler and R. Bolles, "Random Sample Consensus",
1981).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from stonestack.core.image import Bytes

LONGEST = 512
"""Longest side at which features are looked for."""
_LEAST_SIDE = 256
_MOST = 300
_ASKED = 800
_SCALE = 512
"""Marks are stored in bytes; their unit length is this."""
_NEAR = 0.55 * _SCALE
_SIZE = 128
_BY_CHANCE = 0.1
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
    """Find the features of a picture.

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
    finder = cv2.SIFT_create(_ASKED if asked else _MOST, contrastThreshold=0.02)  # type: ignore[attr-defined]
    points, marks = finder.detectAndCompute(grey, None)
    if marks is None:
        return Features(np.zeros((0, 2), np.float32), np.zeros((0, _SIZE), np.uint8))
    places = np.array([p.pt for p in points], np.float32) / np.float32(scale)
    rooted = np.sqrt(marks / (marks.sum(axis=1, keepdims=True) + 1e-7)) * _SCALE
    return Features(places, np.clip(np.rint(rooted), 0, 255).astype(np.uint8))


def agreement(asked: Features, held: Features) -> int:
    """Return how many features of two pictures agree on one place."""
    if len(asked.points) < 4 or len(held.points) < 4:
        return 0
    matcher = cv2.BFMatcher(cv2.NORM_L2, crossCheck=True)
    found = matcher.match(asked.marks.astype(np.float32), held.marks.astype(np.float32))
    pairs = [m for m in found if m.distance <= _NEAR]
    if len(pairs) < 4:
        return 0
    ours = asked.points[[m.queryIdx for m in pairs]]
    theirs = held.points[[m.trainIdx for m in pairs]]
    move, inside = cv2.estimateAffinePartial2D(ours, theirs, ransacReprojThreshold=4.0)
    if move is None:
        return 0
    scale = float(np.hypot(move[0, 0], move[1, 0]))
    agreed = int(inside.sum())
    # Of many pairs some agree by chance.
    return agreed if 0.1 < scale < 10 and agreed >= _BY_CHANCE * len(pairs) + 4 else 0
