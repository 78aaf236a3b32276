"""Tone: brightness, saturation, hue and lightness of a colour map."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import colour
from stonestack.core.picture.image import Picture, Space


class Tone(StepParams):
    """Parameters of :func:`tone`."""

    kind: Literal["tone"] = "tone"
    brightness: float = Field(
        1.0, ge=0.1, le=4, multiple_of=0.01, title="Brightness", description="Times the light"
    )
    saturation: float = Field(
        1.0, ge=0, le=3, multiple_of=0.01, title="Saturation", description="0 is grey"
    )
    hue: float = Field(
        0.0, ge=-180, le=180, multiple_of=1, title="Hue", description="Degrees round the circle"
    )
    lightness: float = Field(
        0.0,
        ge=-1,
        le=1,
        multiple_of=0.01,
        title="Lightness",
        description="Towards black or white, evenly for the eye",
    )


def tone(picture: Picture, params: Tone) -> Picture:
    """Scale light, turn hue about the grey axis and scale the distance from grey.

    These three are one linear map of linear light; lightness comes after it. Luminance is put
    back after the turn, so that a hue is changed without a change of brightness.
    """
    angle = np.radians(params.hue)
    c, s = np.cos(angle), np.sin(angle)
    third, root = (1 - c) / 3, np.sqrt(1 / 3) * s
    turn = np.array(
        [
            [c + third, third - root, third + root],
            [third + root, c + third, third - root],
            [third - root, third + root, c + third],
        ],
        dtype=np.float32,
    )
    grey = np.tile(colour.LUMINANCE, (3, 1))
    turn += grey - grey @ turn
    matrix = params.brightness * (grey + params.saturation * (turn - grey))
    lit = picture.with_body(colour.by_matrix(picture.body, np.asarray(matrix, np.float32)))
    if params.lightness == 0:
        return lit
    end = float(params.lightness > 0)
    table = np.linspace(0, 1, colour.STEPS + 1)
    table += (end - table) * abs(params.lightness)
    return lit.with_body(colour.bent(lit, table.astype(np.float32)))


STEP = StepKind(
    name="tone",
    title="Tone",
    hint="Brightness, saturation, hue and lightness",
    params=Tone,
    version=2,
    apply=tone,
    spaces=frozenset({Space.LINEAR}),
    group=Group.COLOUR,
    summary=lambda p: f"×{p.brightness:.2f}, hue {p.hue:+.0f}°",
)
