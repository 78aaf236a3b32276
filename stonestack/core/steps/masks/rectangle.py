"""A rectangle with soft edges."""

from __future__ import annotations

from typing import Literal

import numpy as np

from stonestack.core.kinds.mask import BoxShape, MaskKind
from stonestack.core.picture.image import Floats


class Rectangle(BoxShape):
    """Parameters of :func:`draw`; a rectangle may reach over the edges of a tile."""

    kind: Literal["rectangle"] = "rectangle"


def draw(params: Rectangle, width: int, height: int, wraps: bool) -> Floats:
    """Draw the rectangle: 1 inside, 0 outside, a smooth step over its edge.

    The step's middle lies on the edge. Texels are measured at their middle; a hard edge that
    crosses a texel covers it by its share.
    """
    reach = max(params.soft * min(width, height), 1.0)
    across = _along(params.x, params.width, width, reach, wraps)
    down = _along(params.y, params.height, height, reach, wraps)
    return np.multiply.outer(down, across).astype(np.float32)


def _along(start: float, length: float, side: int, reach: float, wraps: bool) -> Floats:
    """Return how far each texel of an axis lies inside, 0..1."""
    if wraps and length >= 1:
        return np.ones(side, np.float32)
    middle = (start + length / 2) * side
    away = np.abs(np.arange(side) + 0.5 - middle)
    if wraps:
        away = np.abs((np.arange(side) + 0.5 - middle + side / 2) % side - side / 2)
    t = np.clip((length * side / 2 - away) / reach + 0.5, 0, 1)
    return np.asarray(t * t * (3 - 2 * t) if reach > 1 else t, np.float32)


MASK = MaskKind(
    name="rectangle",
    title="Rectangle",
    hint="A part with straight sides",
    params=Rectangle,
    version=1,
    draw=draw,
    edged=True,
)
