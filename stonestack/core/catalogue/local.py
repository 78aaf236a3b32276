"""Find a part of a picture by local features.

Scale-invariant features (D. Lowe, "Distinctive Image Features from Scale-Invariant Keypoints",
IJCV 2004), compared by the Hellinger kernel (R. Arandjelović and A. Zisserman, "Three Things
Everyone Should Know to Improve Object Retrieval", CVPR 2012), matched both ways, and kept where
one turn, scale and shift explains them. Two matches tell a shift, a turn and a scale; the features
themselves have a size and a direction, so that only those pairs are tried whose own turn and
scale say the same (as in Lowe's section 7.3). Nothing is drawn at random.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Bytes

LONGEST = 512
"""Longest side at which features are looked for."""
_LEAST_SIDE = 256
_MOST = 300
_ASKED = 600
_SCALE = 512
"""Marks are stored in bytes; their unit length is this."""
_NEAR = 0.55 * _SCALE
_SIZE, _POINT = 128, 16
"""Bytes of a mark and of a point."""
_LEAST_CONTRAST = 0.005
_KEPT = (0.4, 0.33, 0.27)
"""Shares kept for features of each octave, the finest first; the last stands for all coarser."""
_PLACE: Final = 4.0
"""How many pixels of the picture that is held two matches may be apart from one place."""
_SCALES, _TURN = np.float32(np.log(1.5)), np.float32(np.radians(22))
"""How far a feature's own scale, as a logarithm, and turn may be from those of the place."""
_APART: Final = 8.0
"""Pixels between two matches, below which they tell too little about turn and scale."""
_PAIRS: Final = 3000
"""Pairs of matches that are tried at most, those whose scale and turn agree best."""
_LEAST, _MOST_SCALE = 0.1, 10.0
_LEAST_AGREED, _BY_CHANCE = 5.0, 0.03
"""Matches that agree on one place by chance: so many, and this share of all."""
_WIDE = 0.3
"""Spread of those that agree, across where they are narrowest, beside that of all features of
either picture: along one joint much looks alike."""


@dataclass(frozen=True)
class Features:
    """Local features of a picture.

    Parameters
    ----------
    points : ndarray, float32, shape (count, 4)
        Across, down, the logarithm of the size in pixels, and the direction in radians.
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
        count = len(data) // (_POINT + _SIZE)
        points = np.frombuffer(data, "<f4", count * 4).reshape(-1, 4)
        marks = np.frombuffer(data, np.uint8, offset=count * _POINT).reshape(-1, _SIZE)
        return Features(points, marks)


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
        return Features(np.zeros((0, 4), np.float32), np.zeros((0, _SIZE), np.uint8))
    told = [(*p.pt, p.size, p.angle) for p in points]
    across, down, size, degrees = np.array(told, np.float32).T
    places = np.stack([across / scale, down / scale, np.log(size / scale), np.radians(degrees)], 1)
    rooted = np.sqrt(marks / (marks.sum(axis=1, keepdims=True) + 1e-7)) * _SCALE
    return Features(places.astype(np.float32), np.clip(np.rint(rooted), 0, 255).astype(np.uint8))


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
        if len(held.points) == 0 or len(self._marks) == 0:
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
    if len(asked) == 0:
        return 0
    ours = np.arange(len(asked))
    theirs = apart.argmin(axis=1)
    mutual = (apart.argmin(axis=0)[theirs] == ours) & (apart[ours, theirs] <= _NEAR**2)
    agreed = on_one_place(asked[mutual], held[theirs[mutual]])
    if len(agreed) < _LEAST_AGREED + _BY_CHANCE * int(mutual.sum()):
        return 0
    ours = ours[mutual][agreed]
    wide = max(
        _narrowest(asked[ours]) / _narrowest(asked),
        _narrowest(held[theirs[ours]]) / _narrowest(held),
    )
    return len(agreed) if wide > _WIDE else 0


def _narrowest(points: NDArray[np.float32]) -> float:
    """Return the spread of points, in pixels, in the direction in which it is least."""
    least = float(np.linalg.eigvalsh(np.cov(points[:, :2].T))[0])
    return float(np.sqrt(max(1.0, least)))


def on_one_place(asked: NDArray[np.float32], held: NDArray[np.float32]) -> NDArray[np.intp]:
    """Return which matches one turn, scale and shift explains: as many as there are.

    Parameters
    ----------
    asked, held : ndarray, float32, shape (matches, 4)
        Points as :class:`Features` has them.
    """
    # Places as complex numbers: a turn and a scale together are one factor.
    ours, theirs = (p[:, 0].astype(np.float64) + 1j * p[:, 1] for p in (asked, held))
    grown, turned = held[:, 2] - asked[:, 2], held[:, 3] - asked[:, 3]
    one, other = np.triu_indices(len(ours), 1)
    span = ours[other] - ours[one]
    wide = np.abs(span) * np.exp(np.maximum(grown[one], 0)) >= _APART
    one, other, span = one[wide], other[wide], span[wide]
    factor = (theirs[other] - theirs[one]) / span
    scale = np.log(np.maximum(np.abs(factor), 1e-9)).astype(np.float32)
    turn = np.angle(factor).astype(np.float32)
    off = np.maximum(
        _off(scale, turn, grown[one], turned[one]), _off(scale, turn, grown[other], turned[other])
    )
    fit = (off < 1) & (scale > np.log(_LEAST)) & (scale < np.log(_MOST_SCALE))
    tried = np.flatnonzero(fit)
    if len(tried) > _PAIRS:
        tried = tried[np.argpartition(off[tried], _PAIRS)[:_PAIRS]]
    if len(tried) == 0:
        return tried
    factor, scale, turn = factor[tried, None], scale[tried, None], turn[tried, None]
    shift = theirs[one[tried], None] - factor * ours[one[tried], None]
    near = np.abs(factor * ours + shift - theirs) < _PLACE * np.clip(np.abs(factor), 1, 2)
    agreed: NDArray[np.bool_] = near & (_off(scale, turn, grown, turned) < 1)
    return np.flatnonzero(agreed[agreed.sum(axis=1).argmax()])


def _off(
    scale: NDArray[np.float32],
    turn: NDArray[np.float32],
    grown: NDArray[np.float32],
    turned: NDArray[np.float32],
) -> NDArray[np.float32]:
    """Return how far features' own scale and turn are from a place's; below 1 they agree."""
    around = np.abs((turned - turn + np.pi) % (2 * np.pi) - np.pi)
    off: NDArray[np.float32] = np.maximum(np.abs(grown - scale) / _SCALES, around / _TURN)
    return off
