"""Gloss and roughness: each is the other the other way round."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.image import Picture, Space
from stonestack.core.tables.roles import Role


class RoughnessFromGloss(StepParams):
    """Parameters of :func:`roughness_from_gloss`."""

    kind: Literal["roughness_from_gloss"] = "roughness_from_gloss"
    bend: float = Field(
        1.0, ge=0.2, le=5, multiple_of=0.01, title="Bend", description="Above 1 is rougher"
    )


def roughness_from_gloss(picture: Picture, params: RoughnessFromGloss) -> Picture:
    """Return ``(1 - gloss) ** (1 / bend)`` of a picture's mean channel, 0..1."""
    return _turned(picture, params.bend)


class GlossFromRoughness(StepParams):
    """Parameters of :func:`gloss_from_roughness`."""

    kind: Literal["gloss_from_roughness"] = "gloss_from_roughness"
    bend: float = Field(
        1.0, ge=0.2, le=5, multiple_of=0.01, title="Bend", description="Above 1 is glossier"
    )


def gloss_from_roughness(picture: Picture, params: GlossFromRoughness) -> Picture:
    """Return ``(1 - roughness) ** (1 / bend)`` of a picture's mean channel, 0..1."""
    return _turned(picture, params.bend)


def _turned(picture: Picture, bend: float) -> Picture:
    values = picture.body.mean(axis=2, keepdims=True, dtype=np.float32)
    other = np.clip(1 - values, 0, 1)
    if bend != 1:
        other = other ** np.float32(1 / bend)
    return replace(picture, pixels=other.astype(np.float32), space=Space.DATA, alpha=False)


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
TO_GLOSS = StepKind(
    name="gloss_from_roughness",
    title="Gloss from roughness",
    hint="Turns wide reflections into tight ones",
    params=GlossFromRoughness,
    version=1,
    apply=gloss_from_roughness,
    spaces=frozenset({Space.DATA}),
    makes=frozenset({Role.GLOSS}),
    group=Group.MAKE,
    summary=lambda p: f"bent {p.bend:.2f}",
)
