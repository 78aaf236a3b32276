"""Find a part of a picture by local features.

Corners with binary descriptors (E. Rublee et al., "ORB: An Efficient Alternative to SIFT or
SURF", ICCV 2011), matched both ways, and kept where one turn, scale and shift explains them
(M. Fischler and R. Bolles, "Random Sample Consensus", 1981).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from stonestack.core.image import Bytes

LONGEST = 512
"""Longest side at which features are looked for."""
_MOST = 400
_ASKED = 900
_NEAR = 60
ENOUGH = 9
"""Matches that agree on one place, below which they may be chance."""


@dataclass(frozen=True)
class Features:
    """Local features of a picture.

    Parameters
    ----------
    points : ndarray, float32, shape (count, 2)
    marks : ndarray, uint8, shape (count, 32)
    """

    points: NDArray[np.float32]
    marks: NDArray[np.uint8]

    def stored(self) -> bytes:
        """Return the features as bytes."""
        return self.points.astype("<f4").tobytes() + self.marks.tobytes()

    @staticmethod
    def read(data: bytes) -> Features:
        """Read features from :meth:`stored`."""
        count = len(data) // 40
        points = np.frombuffer(data, "<f4", count * 2).reshape(-1, 2)
        return Features(points, np.frombuffer(data, np.uint8, offset=count * 8).reshape(-1, 32))


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
    if min(grey.shape) < 32:
        grey = cv2.resize(grey, None, fx=2, fy=2, interpolation=cv2.INTER_LINEAR)
    # Stretch the contrast, so that dark and pale surfaces have corners too.
    grey = cv2.normalize(grey, None, 0, 255, cv2.NORM_MINMAX)  # type: ignore[call-overload]
    finder = cv2.ORB_create(_ASKED if asked else _MOST, fastThreshold=8)  # type: ignore[attr-defined]
    points, marks = finder.detectAndCompute(grey, None)
    if marks is None:
        return Features(np.zeros((0, 2), np.float32), np.zeros((0, 32), np.uint8))
    places = np.array([p.pt for p in points], np.float32)
    return Features(places, np.asarray(marks, dtype=np.uint8))


def agreement(asked: Features, held: Features) -> int:
    """Return how many features of two pictures agree on one place."""
    if len(asked.points) < 4 or len(held.points) < 4:
        return 0
    matcher = cv2.BFMatcher(cv2.NORM_HAMMING, crossCheck=True)
    pairs = [m for m in matcher.match(asked.marks, held.marks) if m.distance <= _NEAR]
    if len(pairs) < 4:
        return 0
    ours = asked.points[[m.queryIdx for m in pairs]]
    theirs = held.points[[m.trainIdx for m in pairs]]
    move, inside = cv2.estimateAffinePartial2D(ours, theirs, ransacReprojThreshold=4.0)
    if move is None:
        return 0
    scale = float(np.hypot(move[0, 0], move[1, 0]))
    return int(inside.sum()) if 0.1 < scale < 10 else 0
