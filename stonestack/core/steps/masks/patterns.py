"""Masks that cover the whole map by a rule: a gradient, stripes, noise."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.mask import MaskKind, MaskShape
from stonestack.core.picture.image import Floats
from stonestack.core.picture.noise import cells_of, gradient_noise
from stonestack.core.steps.masks.edges import smooth


class GradientMask(MaskShape):
    """Parameters of :func:`gradient`."""

    kind: Literal["gradient"] = "gradient"
    x: float = Field(0.5, ge=-1, le=2, multiple_of=0.001, title="Across", description="Its middle")
    y: float = Field(0.5, ge=-1, le=2, multiple_of=0.001, title="Down", description="Its middle")
    length: float = Field(
        1.0, ge=0.01, le=4, multiple_of=0.01, title="Length", description="Share of the width"
    )
    turn: float = Field(
        90.0, ge=-180, le=180, multiple_of=1, title="Turn", description="Degrees; 90 is downwards"
    )
    mirrored: bool = Field(
        False, title="There and back", description="Mirrored about an axis through its middle"
    )


def gradient(params: GradientMask, width: int, height: int, _wraps: bool) -> Floats:
    """Go from nothing to all along a line; mirrored, all lies on the axis."""
    turn = math.radians(params.turn)
    x = np.arange(width, dtype=np.float32) + np.float32(0.5 - params.x * width)
    y = (np.arange(height, dtype=np.float32) + np.float32(0.5 - params.y * height))[:, np.newaxis]
    along = (x * math.cos(turn) + y * math.sin(turn)) / (params.length * width)
    t = 1 - 2 * np.abs(along) if params.mirrored else along + 0.5
    return np.asarray(np.clip(t, 0, 1), np.float32)


class Stripes(MaskShape):
    """Parameters of :func:`stripes`."""

    kind: Literal["stripes"] = "stripes"
    width: int = Field(
        4, ge=1, le=4096, title="Texels wide", description="Of the map where it is used"
    )
    every: int = Field(
        32, ge=1, le=8192, title="Every", description="Texels from one stripe to the next"
    )
    first: int = Field(0, ge=0, le=8191, title="First at", description="Texels from the edge")
    level: bool = Field(False, title="Level", description="Else they stand upright")


def stripes(params: Stripes, width: int, height: int, _wraps: bool) -> Floats:
    """Draw stripes of exactly so many texels."""
    side = height if params.level else width
    inside = (np.arange(side) - params.first) % params.every < params.width
    row = inside.astype(np.float32)
    whole = (height, width)
    return np.ascontiguousarray(np.broadcast_to(row[:, np.newaxis] if params.level else row, whole))


class NoiseMask(MaskShape):
    """Parameters of :func:`noise`."""

    kind: Literal["noise"] = "noise"
    size: float = Field(
        12.0, ge=0.5, le=100, multiple_of=0.5, title="Size", description="Per cent of the width"
    )
    octaves: int = Field(4, ge=1, le=8, title="Detail", description="How many sizes lie in it")
    cover: float = Field(
        0.5, ge=0, le=1, multiple_of=0.01, title="Cover", description="How much of the map, about"
    )
    soft: float = Field(
        0.3, ge=0.01, le=1, multiple_of=0.01, title="Soft", description="From nothing to all"
    )
    seed: int = Field(1, ge=0, le=9999, title="Seed", description="Another number, other noise")


def noise(params: NoiseMask, width: int, height: int, _wraps: bool) -> Floats:
    """Draw patches of noise that go on over the edges of a tile."""
    cells = cells_of(params.size, width, height)
    values = gradient_noise(width, height, cells, params.octaves, params.seed)
    if params.cover <= 0 or params.cover >= 1:
        return np.full((height, width), params.cover, np.float32)
    # Noise is about normal with a spread of a third: so much of it lies above this.
    from scipy.stats import norm

    level = float(norm.isf(params.cover)) / 3
    return smooth((values - np.float32(level)) / np.float32(params.soft) + np.float32(0.5))


GRADIENT = MaskKind(
    name="gradient",
    title="Gradient",
    hint="From nothing to all along a line, or there and back",
    params=GradientMask,
    version=1,
    draw=gradient,
)
STRIPES = MaskKind(
    name="stripes",
    title="Stripes",
    hint="Of an exact width in texels",
    params=Stripes,
    version=1,
    draw=stripes,
)
NOISE = MaskKind(
    name="noise",
    title="Noise",
    hint="Patches with uneven edges",
    params=NoiseMask,
    version=2,
    draw=noise,
)
