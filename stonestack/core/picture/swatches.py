"""A colour as a person types it: six hexadecimal digits of sRGB."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from stonestack.core.picture import colour
from stonestack.core.picture.image import Bytes, Floats, Picture, Space

Swatch = Annotated[str, Field(pattern="^#[0-9a-f]{6}$", json_schema_extra={"format": "colour"})]
"""``#rrggbb``, small letters."""


def linear(swatch: str) -> Floats:
    """Return a swatch as linear light, shape (3,)."""
    return colour.bytes_to_linear(_bytes(swatch))


def named(light: Floats) -> str:
    """Return linear light, shape (3,), as the nearest swatch."""
    return "#" + colour.linear_to_bytes(light).tobytes().hex()


def values(swatch: str, like: Picture) -> Floats:
    """Return a swatch as a picture's numbers, shape (1 or 3,).

    For plain numbers it is the mean of what is stored: half grey is about a half.
    """
    if like.space is Space.LINEAR:
        light = linear(swatch)
        return light if like.body.shape[2] == 3 else colour.luminance(light)
    grey = _bytes(swatch).mean() / 255
    return np.full(like.body.shape[2], grey, np.float32)


def _bytes(swatch: str) -> Bytes:
    return np.frombuffer(bytes.fromhex(swatch[1:]), np.uint8)
