"""The one register of masks. A new kind is one file, and one line here."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from stonestack.core.kinds.mask import MaskKind, MaskShape
from stonestack.core.runtime.registers import must_agree
from stonestack.core.steps.masks import (
    ellipse,
    others,
    outline,
    patterns,
    raised,
    ranges,
    rectangle,
    strokes,
)

__all__ = ["MASKS", "AnyMask", "MaskKind", "MaskShape"]

_ALL = (
    rectangle.MASK,
    ellipse.MASK,
    outline.MASK,
    strokes.MASK,
    ranges.COLOUR_RANGE,
    ranges.VALUE_RANGE,
    raised.MASK,
    patterns.GRADIENT,
    patterns.STRIPES,
    patterns.NOISE,
    others.BORDER,
    others.ANOTHER,
)
MASKS: dict[str, MaskKind] = {mask.name: mask for mask in _ALL}

AnyMask = Annotated[
    rectangle.Rectangle
    | ellipse.Ellipse
    | outline.Outline
    | strokes.Strokes
    | ranges.ColourRange
    | ranges.ValueRange
    | raised.Raised
    | patterns.GradientMask
    | patterns.Stripes
    | patterns.NoiseMask
    | others.Border
    | others.Another,
    Field(discriminator="kind"),
]
"""Parameters of any mask, told apart by their ``kind``."""

must_agree("masks", {mask.params for mask in MASKS.values()}, AnyMask)
