"""Grain: a little unevenness, as film, paper and stone have it."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.noise import cells_of, gradient_noise
from stonestack.core.runtime.parallel import texelwise


class Grain(StepParams):
    """Parameters of :func:`grain`."""

    kind: Literal["grain"] = "grain"
    strength: float = Field(
        0.06, ge=0, le=0.5, multiple_of=0.005, title="Strength", description="Lighter and darker by"
    )
    size: float = Field(
        0.8, ge=0.1, le=5, multiple_of=0.05, title="Size", description="Per cent of the width"
    )
    tinted: bool = Field(False, title="Tinted", description="Each channel has grain of its own")
    seed: int = Field(1, ge=0, le=9999, title="Seed", description="Another number, other grain")


def grain(picture: Picture, params: Grain) -> Picture:
    """Add noise on the scale that the eye is even on."""
    count = picture.body.shape[2] if params.tinted else 1
    cells = cells_of(params.size, picture.width, picture.height)
    layers = [
        gradient_noise(picture.width, picture.height, cells, 2, 7 * params.seed + place, 0.7)
        for place in range(count)
    ]
    linear = picture.space is Space.LINEAR

    def work(body: Floats, *noise: Floats) -> Floats:
        seen = colour.to_seen(body) if linear else body
        uneven = seen + np.stack(noise, axis=2) * np.float32(params.strength)
        return colour.from_seen(uneven) if linear else np.clip(uneven, 0, 1)

    return picture.with_body(texelwise(work, picture.body, *layers))


STEP = StepKind(
    name="grain",
    title="Grain",
    hint="Adds fine unevenness",
    params=Grain,
    version=2,
    apply=grain,
    spaces=frozenset({Space.LINEAR, Space.DATA}),
    group=Group.DETAIL,
    summary=lambda p: f"{p.strength:.3f}",
)
