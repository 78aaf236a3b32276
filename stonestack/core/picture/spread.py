"""Colour under clear texels, spread from its neighbours: so that no rim shows where both are mixed.

Whoever samples a stored texture between two texels mixes their colours before alpha is looked at,
so a clear texel must have the colour of what lies beside it. Source of the way, push and pull over
smaller levels: S. Gortler et al., "The Lumigraph", SIGGRAPH 1996, section 3.4.
"""

from __future__ import annotations

import numpy as np

from stonestack.core.picture.image import Floats, Picture, Space

_CLEAR = 1e-3
"""Opacity that is nothing when it is stored in eight bits."""


def spread(picture: Picture) -> Picture:
    """Return a picture whose fully clear texels have the colour of their nearest neighbours.

    Where nothing is opaque at all, and in vectors, nothing is changed.
    """
    if picture.opacity is None or picture.space is Space.VECTOR:
        return picture
    clear = picture.opacity <= _CLEAR
    if not clear.any() or clear.all():
        return picture
    filled = _filled(picture.body * picture.opacity, picture.opacity, picture.wraps)
    return picture.with_body(np.where(clear, filled, picture.body).astype(np.float32))


def _filled(weighted: Floats, weight: Floats, wraps: bool) -> Floats:
    """Return colour everywhere: weighted colour over its weight, and that of the level below."""
    own = np.divide(weighted, weight, out=np.zeros_like(weighted), where=weight > _CLEAR)
    if not (weight <= _CLEAR).any() or max(weight.shape[:2]) == 1:
        return own
    height, width = weight.shape[:2]
    smaller = _filled(_halved(weighted, wraps), _halved(weight, wraps), wraps)
    larger = np.repeat(np.repeat(smaller, 2, axis=0), 2, axis=1)[:height, :width]
    return np.where(weight > _CLEAR, own, larger)


def _halved(values: Floats, wraps: bool) -> Floats:
    """Return the mean of each two by two; an odd side is filled up by its other or own end."""
    height, width = values.shape[:2]
    pad = ((0, height % 2), (0, width % 2), (0, 0))
    even = np.pad(values, pad, mode="wrap" if wraps else "edge")
    return np.asarray(
        (even[::2, ::2] + even[1::2, ::2] + even[::2, 1::2] + even[1::2, 1::2]) * np.float32(0.25),
        np.float32,
    )
