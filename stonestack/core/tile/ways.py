"""What all ways of making a tile share: their axes, and the scale they compare and join on."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space, straightened
from stonestack.core.picture.texels import normalised
from stonestack.core.runtime.errors import BadRequest

FAMILY = "tile"
"""The family of steps that make a tile."""

Axes = Literal["both", "x", "y"]
AXES_WORDS: dict[str, str] = {"both": "both ways", "x": "left to right", "y": "top to bottom"}

Keeping = Literal["whole", "free"]
KEEPING: Keeping = Field(
    "whole",
    title="Structure",
    description="Whole: bricks, tiles and threads go on in step over the edges; free: cut anywhere",
)
"""The parameter of all ways that can keep what recurs whole."""


LEAST_SIDE = 16
"""Pixels each way below which nothing can be cut, laid or measured."""


def check_sides(guide: Picture, wanted: str = "make a tile of") -> None:
    """See that a picture, or its guide, is large enough.

    Parameters
    ----------
    guide : Picture
    wanted : str
        What is done with it, in words that follow "to".

    Raises
    ------
    BadRequest
        If it is not.
    """
    if min(guide.width, guide.height) < LEAST_SIDE:
        raise BadRequest(
            "too-small-to-tile",
            f"There are too few pixels to {wanted}.",
            f"Start from a larger picture, at least {LEAST_SIDE} pixels each way.",
        )


def as_seen(pixels: Floats, like: Picture) -> Floats:
    """Weigh premultiplied pixels as the eye does: colour as it is stored, all else as it is.

    Parameters
    ----------
    pixels : ndarray, float32, shape (height, width, channels)
    like : Picture
        Says what the channels are.
    """
    if like.space is not Space.LINEAR:
        return pixels
    if not like.alpha:
        return colour.to_seen(pixels)
    return np.concatenate([colour.to_seen(pixels[..., :-1]), pixels[..., -1:]], axis=2)


def from_seen(values: Floats, like: Picture) -> Picture:
    """Return a picture from values that :func:`as_seen` has given, each brought to its range."""
    if like.space is Space.VECTOR:
        pixels = values.copy()
        pixels[..., :3] = normalised(np.ascontiguousarray(values[..., :3]))
        return like.with_pixels(pixels)
    pixels = np.clip(values, 0, 1)
    if like.space is Space.LINEAR:
        body = colour.from_seen(pixels[..., :3])
        pixels = np.concatenate([body, pixels[..., 3:]], axis=2) if like.alpha else body
    return straightened(np.ascontiguousarray(pixels), like)
