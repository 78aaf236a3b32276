"""Recolour: one range of colours becomes another; the shading stays."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import perceptual, swatches
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.runtime.parallel import texelwise

_SHADE = 0.3
"""How much lightness counts for being of a colour: a shadow on it is still of it."""
_DULL = 0.02
"""Chroma under which a colour has no hue to turn from."""


class Recolour(StepParams):
    """Parameters of :func:`recolour`."""

    kind: Literal["recolour"] = "recolour"
    old: swatches.Swatch = Field("#a04030", title="From", description="About this colour")
    new: swatches.Swatch = Field("#3c6e9a", title="To", description="It becomes this one")
    tolerance: float = Field(
        0.08,
        ge=0,
        le=0.6,
        multiple_of=0.005,
        title="Tolerance",
        description="How far off it may be",
    )
    soft: float = Field(
        0.06, ge=0, le=0.4, multiple_of=0.005, title="Soft", description="From all to nothing"
    )


def recolour(picture: Picture, params: Recolour) -> Picture:
    """Turn the hue and scale chroma and lightness of a range, so that one colour becomes another.

    What lies beside the old colour lies as far beside the new one: shade and variation stay.
    """
    old, new = (perceptual.to_lab(swatches.linear(one)) for one in (params.old, params.new))

    def work(body: Floats) -> Floats:
        lab = perceptual.to_lab(body)
        share = perceptual.selected(lab, old, params.tolerance, params.soft, _SHADE)[
            ..., np.newaxis
        ]
        return perceptual.from_lab(lab + (_moved(lab, old, new) - lab) * share)

    return picture.with_body(texelwise(work, picture.body))


def _moved(lab: Floats, old: Floats, new: Floats) -> Floats:
    moved = np.empty_like(lab)
    moved[..., :1] = lab[..., :1] * (new[0] / max(float(old[0]), 0.02))
    had = float(np.hypot(old[1], old[2]))
    if had < _DULL:
        moved[..., 1:] = lab[..., 1:] + (new[1:] - old[1:])
    else:
        # A turn and a scale in one: multiplication of complex numbers.
        turn = complex(new[1], new[2]) / complex(old[1], old[2])
        a, b = lab[..., 1], lab[..., 2]
        moved[..., 1] = a * turn.real - b * turn.imag
        moved[..., 2] = a * turn.imag + b * turn.real
    return moved


STEP = StepKind(
    name="recolour",
    title="Recolour",
    hint="Makes one range of colours another and keeps the shading",
    params=Recolour,
    version=2,
    apply=recolour,
    spaces=frozenset({Space.LINEAR}),
    group=Group.COLOUR,
    summary=lambda p: f"{p.old} to {p.new}",
)
