"""How common each tone is."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from stonestack.core.picture import colour
from stonestack.core.picture.image import Picture, Space

COUNTED_AT = 512
"""Longest side at which tones are counted."""
BINS = 64


class Histogram(BaseModel):
    """Shares of the most common tone, dark to light, one list a channel."""

    counts: list[list[float]]


def counted(picture: Picture) -> Histogram:
    """Count tones on the scale that the eye is even on; what is clear does not count."""
    stored = colour.seen(picture)
    if picture.space is Space.VECTOR:
        stored = stored * np.float32(0.5) + np.float32(0.5)
    weights = None if picture.opacity is None else picture.opacity.ravel()
    counts = [
        np.histogram(stored[..., k], BINS, (0, 1), weights=weights)[0]
        for k in range(stored.shape[2])
    ]
    most = max(1e-9, float(max(c.max() for c in counts)))
    return Histogram(counts=[[round(float(n) / most, 4) for n in c] for c in counts])
