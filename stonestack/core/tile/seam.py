"""How well a picture tiles: the step across its edge, and the detail near it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from stonestack.core import colour
from stonestack.core.image import Floats, Picture, Space

_FLOOR = np.float32(1e-3)
"""A quarter of the smallest step that eight bits can hold."""


@dataclass(frozen=True)
class SeamScore:
    """Scores of both joins; 1 means that the edge cannot be told from its surroundings.

    Higher means a visible step, lower means a blur.
    """

    x: float
    y: float

    @property
    def worst(self) -> float:
        """The score farthest from 1, by ratio."""
        return max((self.x, self.y), key=lambda score: abs(np.log(max(score, 1e-3))))


def seam_score(picture: Picture) -> SeamScore:
    """Compare the step across the wrap with steps just inside.

    Parameters
    ----------
    picture : Picture
        At least four pixels each way.

    Notes
    -----
    A step counts by what its neighbours do not lead one to expect: the difference across
    it less the mean of the differences on both sides, so that a slope is no step. The mean
    over the edge is held against the means over all columns inside: the score is 1 while it
    lies among the middle nine tenths of them, else its ratio to the nearer end of these.
    """
    body = colour.to_srgb(picture.body) if picture.space is Space.LINEAR else picture.body
    return SeamScore(_score(body), _score(body.transpose(1, 0, 2)))


def _score(values: Floats) -> float:
    # Entry k of `surprise` belongs to the step from column k to column k + 1; the last is
    # the one across the wrap.
    steps = np.roll(values, -1, axis=1) - values
    expected = (np.roll(steps, 1, axis=1) + np.roll(steps, -1, axis=1)) / 2
    surprise = np.abs(steps - expected).mean(axis=(0, 2)) + _FLOOR
    # The steps beside the wrap are compared with it, so they know of it: leave them out.
    low, high = np.percentile(surprise[1:-2], (5, 95))
    edge = surprise[-1]
    return float(edge / high if edge > high else edge / low if edge < low else 1.0)


def detail(picture: Picture) -> Floats:
    """Return how much fine detail each pixel has: the distance from its 3 x 3 mean.

    Returns
    -------
    ndarray, float32, shape (height, width)
        On the stored scale.
    """
    from scipy.ndimage import uniform_filter

    body = colour.to_srgb(picture.body) if picture.space is Space.LINEAR else picture.body
    smooth = uniform_filter(body, size=(3, 3, 1), mode="wrap" if picture.wraps else "nearest")
    result: Floats = np.abs(body - smooth).mean(axis=2).astype(np.float32)
    return result
