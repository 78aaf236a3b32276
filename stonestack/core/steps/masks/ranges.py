"""Where a map has certain values: a range of colours, or of lightness or number."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.mask import MaskKind, MaskShape
from stonestack.core.kinds.references import MapRef
from stonestack.core.picture import colour, perceptual, swatches
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.steps.masks.edges import smooth


class ColourRange(MaskShape):
    """Parameters of :func:`colour_range`."""

    kind: Literal["colour_range"] = "colour_range"
    map: MapRef = Field(title="Map", description="Whose colours count, as it is once it tiles")
    colour: swatches.Swatch = Field(
        "#a04030", title="Colour", description="Picked on the picture, or typed"
    )
    tolerance: float = Field(
        0.1, ge=0, le=0.8, multiple_of=0.005, title="Tolerance", description="How far off it may be"
    )
    soft: float = Field(
        0.04, ge=0, le=0.4, multiple_of=0.005, title="Soft", description="From all to nothing"
    )
    shade: float = Field(
        1.0,
        ge=0,
        le=1,
        multiple_of=0.05,
        title="Shade counts",
        description="At 0 light and shadow of one colour are alike",
    )


def colour_range(
    params: ColourRange, _width: int, _height: int, _wraps: bool, other: Picture
) -> Floats:
    """Return where a map's colour lies near one, by the distance in OKLab."""
    body = other.body
    if body.shape[2] == 1:
        light = colour.to_linear(body) if other.space is Space.DATA else body
        body = np.repeat(light, 3, axis=2)
    lab = perceptual.to_lab(body)
    old = perceptual.to_lab(swatches.linear(params.colour))
    return perceptual.selected(lab, old, params.tolerance, params.soft, params.shade)


class ValueRange(MaskShape):
    """Parameters of :func:`value_range`; on the stored scale."""

    kind: Literal["value_range"] = "value_range"
    map: MapRef = Field(title="Map", description="Whose values count, as it is once it tiles")
    low: float = Field(
        0.5, ge=0, le=1, multiple_of=0.005, title="From", description="Darker, or less, is out"
    )
    high: float = Field(
        1.0, ge=0, le=1, multiple_of=0.005, title="To", description="Lighter, or more, is out"
    )
    soft: float = Field(
        0.05, ge=0, le=0.5, multiple_of=0.005, title="Soft", description="From nothing to all"
    )


def value_range(
    params: ValueRange, _width: int, _height: int, _wraps: bool, other: Picture
) -> Floats:
    """Return where a map is within a range: colour by its lightness, vectors by how steep."""
    if other.space is Space.LINEAR:
        values = other.body
        values = colour.lightness(values) if values.shape[2] == 3 else colour.to_srgb(values)
    elif other.space is Space.VECTOR:
        values = 1 - other.body[..., 2:3]
    else:
        values = other.body.mean(axis=2, keepdims=True)
    values = values[..., 0]
    reach = max(params.soft, 1e-6)
    # What lies at an end of the scale is in, where the range reaches there.
    rising = smooth((values - params.low) / reach + 0.5) if params.low > 0 else np.float32(1)
    falling = smooth((params.high - values) / reach + 0.5) if params.high < 1 else np.float32(1)
    return np.asarray(np.broadcast_to(rising * falling, values.shape), np.float32)


COLOUR_RANGE = MaskKind(
    name="colour_range",
    title="Colour range",
    hint="Where a map has about one colour",
    params=ColourRange,
    version=2,
    draw=colour_range,
)
VALUE_RANGE = MaskKind(
    name="value_range",
    title="Value range",
    hint="Where a map is so light, so high or so steep",
    params=ValueRange,
    version=1,
    draw=value_range,
)
