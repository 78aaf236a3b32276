"""An ellipse with soft edges."""

from __future__ import annotations

from typing import Literal

import numpy as np

from stonestack.core.kinds.mask import BoxShape, MaskKind
from stonestack.core.picture.image import Floats
from stonestack.core.steps.masks.edges import ring_away, within


class Ellipse(BoxShape):
    """Parameters of :func:`draw`; it may reach over the edges of a tile."""

    kind: Literal["ellipse"] = "ellipse"


def draw(params: Ellipse, width: int, height: int, wraps: bool) -> Floats:
    """Draw the ellipse: 1 inside, 0 outside, a smooth step over its edge.

    The distance to the edge is that to first order: the implicit form over its slope.
    """
    half_x, half_y = params.width * width / 2, params.height * height / 2
    x = ring_away(width, params.x + params.width / 2, wraps)
    y = ring_away(height, params.y + params.height / 2, wraps)[:, np.newaxis]
    away = np.hypot(x / half_x, y / half_y)
    slope = np.hypot(x / half_x**2, y / half_y**2)
    inside = (1 - away) * away / np.maximum(slope, 1e-9)
    inside = np.where(away < 1e-3, min(half_x, half_y), inside)
    return within(inside, params.soft * min(width, height))


MASK = MaskKind(
    name="ellipse",
    title="Ellipse",
    hint="A round part",
    params=Ellipse,
    version=1,
    draw=draw,
    edged=True,
)
