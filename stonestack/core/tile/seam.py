"""How well a picture tiles: the step across its edge, and the detail near it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from stonestack.core import colour
from stonestack.core.image import Floats, Picture, Space

_NEAR = 24


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
    over the edge is divided by the mean over the nearest columns inside.
    """
    body = colour.to_srgb(picture.body) if picture.space is Space.LINEAR else picture.body
    return SeamScore(_score(body), _score(body.transpose(1, 0, 2)))


def _score(values: Floats) -> float:
    width = values.shape[1]
    near = max(1, min(_NEAR, width // 4))
    # Column 0 of this strip lies `near + 2` columns before the wrap.
    strip = np.concatenate([values[:, width - near - 2 :], values[:, : near + 2]], axis=1)
    steps = np.diff(strip, axis=1)
    surprise = np.abs(steps[:, 1:-1] - (steps[:, :-2] + steps[:, 2:]) / 2).mean(axis=(0, 2))
    edge = near
    inside = np.concatenate([surprise[: edge - 1], surprise[edge + 2 :]])
    floor = 1e-3
    return float((surprise[edge] + floor) / (inside.mean() + floor))


def detail(picture: Picture) -> Floats:
    """Return how much fine detail each pixel has: the distance from its 3 x 3 mean.

    Returns
    -------
    ndarray, float32, shape (height, width)
        On the stored scale.
    """
    from scipy.ndimage import uniform_filter

    body = colour.to_srgb(picture.body) if picture.space is Space.LINEAR else picture.body
    mode = "wrap" if picture.wraps else "nearest"
    smooth = uniform_filter(body, size=(3, 3, 1), mode=mode)
    result: Floats = np.abs(body - smooth).mean(axis=2).astype(np.float32)
    return result
