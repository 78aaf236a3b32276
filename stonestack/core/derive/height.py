"""Height from colour: lighter stands out, or darker does; broad tone can be left out."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core import colour
from stonestack.core.image import Floats, Picture, Space
from stonestack.core.resize import resample
from stonestack.core.roles import Role
from stonestack.core.stepkind import Group, StepKind, StepParams

_BROAD_SAMPLES = 8
_FINE_SAMPLES = 160


class HeightFromColour(StepParams):
    """Parameters of :func:`height_from_colour`."""

    kind: Literal["height_from_colour"] = "height_from_colour"
    invert: bool = Field(False, title="Dark stands out", description="Turns heights upside down")
    broad: float = Field(
        0.5,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="Broad forms",
        description="How much slow change of tone counts as height",
    )
    fine: float = Field(
        0.5,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="Fine grain",
        description="How much the smallest marks count as height",
    )


def height_from_colour(picture: Picture, params: HeightFromColour) -> Picture:
    """Read perceived lightness as height, in three bands of scale.

    Bands are shares of the picture's width, so the result does not depend on resolution.
    Heights are stretched so that the 0.5 and 99.5 percentiles lie at 0 and 1.

    Parameters
    ----------
    picture : Picture
        Linear colour, or data that is taken as lightness.
    """
    seen = colour.lightness(picture.body) if picture.space is Space.LINEAR else picture.body
    coarse = _below(seen, _BROAD_SAMPLES, picture.wraps)
    middle = _below(seen, _FINE_SAMPLES, picture.wraps)
    height = (
        coarse * np.float32(params.broad) + (middle - coarse) + (seen - middle) * params.fine
    ).astype(np.float32)
    if params.invert:
        height = -height
    low, high = np.percentile(height, (0.5, 99.5))
    flat = high - low < 1e-4
    scaled = np.full_like(height, 0.5) if flat else np.clip((height - low) / (high - low), 0, 1)
    return Picture(scaled.astype(np.float32), Space.DATA, wraps=picture.wraps)


def _below(values: Floats, samples: int, wraps: bool) -> Floats:
    """Return the part that ``samples`` across the width can still show."""
    height, width = values.shape[:2]
    if samples >= width:
        return values
    rows = max(2, min(height, round(samples * height / width)))
    small = resample(values, samples, rows, "lanczos", wraps)
    return resample(small, width, height, "lanczos", wraps)


STEP = StepKind(
    name="height_from_colour",
    title="Height from colour",
    hint="Reads lightness as height",
    params=HeightFromColour,
    version=1,
    apply=height_from_colour,
    spaces=frozenset({Space.LINEAR}),
    makes=frozenset({Role.HEIGHT}),
    group=Group.MAKE,
    summary=lambda p: f"{'dark' if p.invert else 'light'} stands out",
)
