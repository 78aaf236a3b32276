"""Colourise: give grey a colour; its shade stays."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import perceptual, swatches
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.runtime.parallel import texelwise

_GREY, _COLOURED = 0.02, 0.06
"""Distance from grey in OKLab up to which all, and from which nothing, is taken for grey."""


class Colourise(StepParams):
    """Parameters of :func:`colourise`."""

    kind: Literal["colourise"] = "colourise"
    colour: swatches.Swatch = Field("#8a5a33", title="Colour", description="What grey becomes")
    greys: bool = Field(
        True, title="Only what is grey", description="Else everything takes this colour"
    )


def colourise(picture: Picture, params: Colourise) -> Picture:
    """Set hue and chroma, and keep lightness.

    Chroma goes with lightness, as it does on lit matter: black and white have none.
    """
    target = perceptual.to_lab(swatches.linear(params.colour))

    def work(body: Floats) -> Floats:
        lab = perceptual.to_lab(body)
        tinted = lab.copy()
        tinted[..., 1:] = target[1:] * fading(lab[..., :1], float(target[0]))
        if params.greys:
            chroma = np.sqrt(np.square(lab[..., 1:2]) + np.square(lab[..., 2:3]))
            t = np.clip((_COLOURED - chroma) / (_COLOURED - _GREY), 0, 1)
            tinted = lab + (tinted - lab) * np.asarray(t * t * (3 - 2 * t), np.float32)
        return perceptual.from_lab(tinted)

    return picture.with_body(texelwise(work, picture.body))


def fading(lightness: Floats, at: float) -> Floats:
    """Return the share of a colour's chroma at other shades of it; all at its own lightness."""
    at = min(max(at, 0.05), 0.95)
    rising, falling = lightness / np.float32(at), (1 - lightness) / np.float32(1 - at)
    return np.asarray(np.clip(np.minimum(rising, falling), 0, 1), np.float32)


STEP = StepKind(
    name="colourise",
    title="Colourise",
    hint="Gives grey areas a colour and keeps their shade",
    params=Colourise,
    version=2,
    apply=colourise,
    spaces=frozenset({Space.LINEAR}),
    group=Group.COLOUR,
    summary=lambda p: p.colour,
)
