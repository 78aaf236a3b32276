"""Roughness: gloss the other way round."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.image import Picture, Space
from stonestack.core.roles import Role
from stonestack.core.stepkind import Group, StepKind, StepParams


class RoughnessFromGloss(StepParams):
    """Parameters of :func:`roughness_from_gloss`."""

    kind: Literal["roughness_from_gloss"] = "roughness_from_gloss"
    bend: float = Field(
        1.0, ge=0.2, le=5, multiple_of=0.01, title="Bend", description="Above 1 is rougher"
    )


def roughness_from_gloss(picture: Picture, params: RoughnessFromGloss) -> Picture:
    """Return ``(1 - gloss) ** (1 / bend)`` of a picture's mean channel, 0..1."""
    gloss = picture.body.mean(axis=2, keepdims=True, dtype=np.float32)
    rough = np.clip(1 - gloss, 0, 1) ** np.float32(1 / params.bend)
    return replace(picture, pixels=rough.astype(np.float32), space=Space.DATA, alpha=False)


STEP = StepKind(
    name="roughness_from_gloss",
    title="Roughness from gloss",
    hint="Turns tight reflections into wide ones",
    params=RoughnessFromGloss,
    version=1,
    apply=roughness_from_gloss,
    spaces=frozenset({Space.DATA}),
    makes=frozenset({Role.ROUGHNESS}),
    group=Group.MAKE,
    summary=lambda p: f"bent {p.bend:.2f}",
)
