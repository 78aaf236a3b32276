"""What is done with drawn masks: put together, grown, feathered, and given values."""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from stonestack.core.picture.filters import gaussian
from stonestack.core.picture.image import Picture
from stonestack.core.steps.masks.edges import spread


class Combine(StrEnum):
    """How a further part of a mask comes to those before."""

    ADD = "add"
    TAKE = "take"
    MEET = "meet"


def combined(before: Picture, part: Picture, how: Combine) -> Picture:
    """Put two masks of one size together: the algebra of fuzzy sets, by greatest and least.

    Source: L. Zadeh, "Fuzzy Sets", Information and Control 8 (1965), section II.
    """
    one, other = before.body, part.body
    if how is Combine.ADD:
        return before.with_pixels(np.maximum(one, other))
    return before.with_pixels(np.minimum(one, 1 - other if how is Combine.TAKE else other))


def grown(mask: Picture, share: float) -> Picture:
    """Move a mask's edge outwards, or inwards below nothing, by per cent of the width.

    A soft edge stays as soft: each of its values is moved by as much.
    """
    by = share / 100 * mask.width
    if by == 0:
        return mask
    values = np.ascontiguousarray(mask.body[..., 0])
    moved = spread(values, by, mask.wraps) if by > 0 else 1 - spread(1 - values, -by, mask.wraps)
    return mask.with_pixels(np.ascontiguousarray(moved, np.float32)[..., np.newaxis])


def feathered(mask: Picture, share: float) -> Picture:
    """Blur a mask by per cent of the width."""
    soft = gaussian(mask.body, share / 100 * mask.width, mask.wraps)
    return mask.with_pixels(np.clip(soft, 0, 1))


def valued(mask: Picture, inside: float, outside: float) -> Picture:
    """Give a mask its values: where it is all, and where it is nothing."""
    span = np.float32(inside - outside)
    return mask.with_pixels(np.clip(mask.body * span + np.float32(outside), 0, 1))
