"""Specular level from colour."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core import colour
from stonestack.core.image import Picture, Space
from stonestack.core.roles import Role
from stonestack.core.stepkind import Group, StepKind, StepParams


class SpecularFromColour(StepParams):
    """Parameters of :func:`specular_from_colour`."""

    kind: Literal["specular_from_colour"] = "specular_from_colour"
    invert: bool = Field(False, title="Dark shines", description="Turns the scale upside down")
    low: float = Field(
        0.08, ge=0, le=1, multiple_of=0.01, title="Least", description="Level of the dullest part"
    )
    high: float = Field(
        0.35, ge=0, le=1, multiple_of=0.01, title="Most", description="Level of the shiniest part"
    )
    contrast: float = Field(
        1.0,
        ge=0.2,
        le=4,
        multiple_of=0.05,
        title="Contrast",
        description="How sharply dull and shiny part",
    )


def specular_from_colour(picture: Picture, params: SpecularFromColour) -> Picture:
    """Map perceived lightness to a range of specular levels.

    Lightness is stretched between its 1 and 99 percentiles and bent around its middle by
    ``contrast``, then laid between ``low`` and ``high``.

    Parameters
    ----------
    picture : Picture
        Linear colour, or data that is taken as lightness.
    """
    seen = colour.lightness(picture.body) if picture.space is Space.LINEAR else picture.body
    bottom, top = np.percentile(seen, (1, 99))
    span = max(float(top - bottom), 1e-4)
    t = np.clip((seen - bottom) / span, 0, 1)
    t = 1 - t if params.invert else t
    bent = t**params.contrast / (t**params.contrast + (1 - t) ** params.contrast)
    level = params.low + bent * (params.high - params.low)
    return Picture(level.astype(np.float32), Space.DATA, wraps=picture.wraps)


STEP = StepKind(
    name="specular_from_colour",
    title="Specular from colour",
    hint="Reads lightness as shine",
    params=SpecularFromColour,
    version=1,
    apply=specular_from_colour,
    spaces=frozenset({Space.LINEAR}),
    makes=frozenset({Role.SPECULAR}),
    group=Group.MAKE,
    summary=lambda p: f"{p.low:.2f}–{p.high:.2f}",
)
