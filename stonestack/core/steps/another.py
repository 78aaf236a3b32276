"""Bring another map of the surface into this one."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.references import MapRef
from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.resize import resize


class AnotherMap(StepParams):
    """Parameters of :func:`another_map`."""

    kind: Literal["another_map"] = "another_map"
    map: MapRef = Field(title="Map", description="Which map of this surface comes in")


def another_map(picture: Picture, _params: AnotherMap, other: Picture) -> Picture:
    """Return another map's numbers in this one's place; the blend mode says how they come in.

    Plain data is taken as grey light; colour is taken as data by its mean.
    """
    other = resize(other, picture.width, picture.height)
    body = other.body
    if picture.space is Space.LINEAR and body.shape[2] == 1:
        body = np.repeat(body, 3, axis=2)
    if picture.space is Space.DATA and body.shape[2] == 3:
        body = body.mean(axis=2, keepdims=True, dtype=np.float32)
    return replace(picture, pixels=np.ascontiguousarray(body), alpha=False)


STEP = StepKind(
    name="another_map",
    title="Another map",
    hint="Multiplies, adds or mixes another map of this surface in",
    params=AnotherMap,
    version=1,
    apply=another_map,
    spaces=frozenset({Space.LINEAR, Space.DATA}),
    group=Group.LAY,
    summary=lambda p: p.map.map,
)
