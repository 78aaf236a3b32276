"""Exposure and contrast, in light."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.runtime.parallel import texelwise

_PIVOT = np.float32(0.18)
"""Linear light of a grey that reflects 18 %: contrast turns about it (ISO 12232)."""


class Exposure(StepParams):
    """Parameters of :func:`exposure`."""

    kind: Literal["exposure"] = "exposure"
    stops: float = Field(
        0.0, ge=-6, le=6, multiple_of=0.05, title="Exposure", description="One is twice the light"
    )
    contrast: float = Field(
        1.0, ge=0.1, le=3, multiple_of=0.01, title="Contrast", description="About a middle grey"
    )


def exposure(picture: Picture, params: Exposure) -> Picture:
    """Multiply the light, then raise it to a power about a middle grey."""

    def work(body: Floats) -> Floats:
        light = np.maximum(body, 0) * np.float32(2**params.stops)
        if params.contrast != 1:
            light = _PIVOT * (light / _PIVOT) ** np.float32(params.contrast)
        return np.clip(light, 0, 1)

    return picture.with_body(texelwise(work, picture.body))


STEP = StepKind(
    name="exposure",
    title="Exposure",
    hint="More or less light, and contrast",
    params=Exposure,
    version=1,
    apply=exposure,
    spaces=frozenset({Space.LINEAR}),
    group=Group.TONE,
    summary=lambda p: f"{p.stops:+.2f}, ×{p.contrast:.2f}",
)
