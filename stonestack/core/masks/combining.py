"""What is done with drawn masks: put together, grown, feathered, and given values."""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from stonestack.core.filters import gaussian
from stonestack.core.image import Picture
from stonestack.core.masks.edges import signed_distance, within


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
    """Move a mask's edge outwards, or inwards below nothing, by per cent of the width."""
    by = share / 100 * mask.width
    if by == 0:
        return mask
    apart = signed_distance(np.ascontiguousarray(mask.body[..., 0]), abs(by) + 2, mask.wraps)
    return mask.with_pixels(within(apart + np.float32(by), 1)[..., np.newaxis])


def feathered(mask: Picture, share: float) -> Picture:
    """Blur a mask by per cent of the width."""
    soft = gaussian(mask.body, share / 100 * mask.width, mask.wraps)
    return mask.with_pixels(np.clip(soft, 0, 1))


def valued(mask: Picture, inside: float, outside: float) -> Picture:
    """Give a mask its values: where it is all, and where it is nothing."""
    span = np.float32(inside - outside)
    return mask.with_pixels(np.clip(mask.body * span + np.float32(outside), 0, 1))
