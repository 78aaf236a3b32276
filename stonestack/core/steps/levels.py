"""Levels: set what is black, what is white, and the middle between them."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field, model_validator

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import colour
from stonestack.core.picture.image import Picture, Space


class Levels(StepParams):
    """Parameters of :func:`levels`; on the stored (sRGB) scale for colour."""

    kind: Literal["levels"] = "levels"
    black: float = Field(
        0.0, ge=0, le=0.98, multiple_of=0.01, title="Black", description="This and darker is black"
    )
    white: float = Field(
        1.0, ge=0.02, le=1, multiple_of=0.01, title="White", description="This and lighter is white"
    )
    middle: float = Field(
        1.0, ge=0.2, le=5, multiple_of=0.01, title="Middle", description="Above 1 lightens"
    )

    @model_validator(mode="after")
    def _in_order(self) -> Levels:
        if self.white - self.black < 0.01:
            raise ValueError("White has to lie above black; move one of them.")
        return self


def levels(picture: Picture, params: Levels) -> Picture:
    """Stretch values between black and white, then bend them: ``t ** (1 / middle)``."""
    at = np.linspace(0, 1, colour.STEPS + 1)
    t = np.clip((at - params.black) / (params.white - params.black), 0, 1) ** (1 / params.middle)
    return picture.with_body(colour.bent(picture, t.astype(np.float32)))


STEP = StepKind(
    name="levels",
    title="Levels",
    hint="Sets black, white and the middle",
    params=Levels,
    version=2,
    apply=levels,
    spaces=frozenset({Space.LINEAR, Space.DATA}),
    group=Group.TONE,
    summary=lambda p: f"{p.black:.2f}–{p.white:.2f}",
)
