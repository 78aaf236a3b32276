"""Fill: one colour, a gradient, noise, or another picture repeated; a mask says where."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.references import SourceRef
from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import colour, swatches
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.noise import cells_of, gradient_noise
from stonestack.core.runtime.parallel import texelwise
from stonestack.core.steps.sampling import repeated

_NUMBERS = frozenset({Space.LINEAR, Space.DATA})


class Fill(StepParams):
    """Parameters of :func:`fill`."""

    kind: Literal["fill"] = "fill"
    colour: swatches.Swatch = Field(
        "#808080", title="Colour", description="Of plain numbers its grey"
    )


def fill(picture: Picture, params: Fill) -> Picture:
    """Fill with one colour."""
    value = swatches.values(params.colour, picture)
    return picture.with_body(np.broadcast_to(value, picture.body.shape))


class Gradient(StepParams):
    """Parameters of :func:`gradient`; places are shares of the sides."""

    kind: Literal["gradient"] = "gradient"
    shape: Literal["linear", "radial"] = Field(
        "linear", title="Shape", description="Along a line, or round a middle"
    )
    start: swatches.Swatch = Field("#000000", title="From", description="Where it begins")
    end: swatches.Swatch = Field("#ffffff", title="To", description="Where it ends")
    x: float = Field(0.5, ge=-1, le=2, multiple_of=0.001, title="Across", description="Its middle")
    y: float = Field(0.5, ge=-1, le=2, multiple_of=0.001, title="Down", description="Its middle")
    length: float = Field(
        1.0, ge=0.01, le=4, multiple_of=0.01, title="Length", description="Share of the width"
    )
    turn: float = Field(
        90.0, ge=-180, le=180, multiple_of=1, title="Turn", description="Degrees; 90 is downwards"
    )
    mirrored: bool = Field(
        False, title="There and back", description="From the middle both ways, so that it can wrap"
    )


def gradient(picture: Picture, params: Gradient) -> Picture:
    """Fill with colours that go over into each other, evenly for the eye."""
    x = (np.arange(picture.width, dtype=np.float32) + np.float32(0.5)) - np.float32(
        params.x * picture.width
    )
    y = (np.arange(picture.height, dtype=np.float32) + np.float32(0.5))[:, np.newaxis] - np.float32(
        params.y * picture.height
    )
    length = params.length * picture.width
    if params.shape == "radial":
        t = np.hypot(x, y) / (length / 2)
    else:
        turn = math.radians(params.turn)
        along = (x * math.cos(turn) + y * math.sin(turn)) / length
        t = 2 * np.abs(along) if params.mirrored else along + 0.5
    return picture.with_body(_between(np.clip(t, 0, 1), params.start, params.end, picture))


class Noise(StepParams):
    """Parameters of :func:`noise`."""

    kind: Literal["noise"] = "noise"
    start: swatches.Swatch = Field("#3a3a3a", title="From", description="Its hollows")
    end: swatches.Swatch = Field("#c8c8c8", title="To", description="Its tops")
    size: float = Field(
        12.0, ge=0.5, le=100, multiple_of=0.5, title="Size", description="Per cent of the width"
    )
    octaves: int = Field(5, ge=1, le=8, title="Detail", description="How many sizes lie in it")
    contrast: float = Field(
        1.0, ge=0.1, le=4, multiple_of=0.05, title="Contrast", description="How far it swings"
    )
    seed: int = Field(1, ge=0, le=9999, title="Seed", description="Another number, other noise")


def noise(picture: Picture, params: Noise) -> Picture:
    """Fill with noise between two colours; it goes on over the edges."""
    cells = cells_of(params.size, picture.width, picture.height)
    values = gradient_noise(picture.width, picture.height, cells, params.octaves, params.seed)
    t = np.clip(values * np.float32(params.contrast / 2) + 0.5, 0, 1)
    return picture.with_body(_between(t, params.start, params.end, picture))


class Pattern(StepParams):
    """Parameters of :func:`pattern`."""

    kind: Literal["pattern"] = "pattern"
    picture: SourceRef = Field(title="Picture", description="What is repeated")
    repeats: float = Field(
        4.0, ge=0.25, le=64, multiple_of=0.05, title="Repeats", description="Over the width"
    )
    turn: float = Field(
        0.0,
        ge=-180,
        le=180,
        multiple_of=0.5,
        title="Turn",
        description="Degrees; on a tile the nearest at which it meets itself over the edges",
    )
    x: float = Field(
        0.0, ge=-1, le=1, multiple_of=0.001, title="Across", description="Shift, share of a repeat"
    )
    y: float = Field(
        0.0, ge=-1, le=1, multiple_of=0.001, title="Down", description="Shift, share of a repeat"
    )


def pattern(picture: Picture, params: Pattern, other: Picture) -> Picture:
    """Fill with another picture, repeated; on a tile it meets itself over the edges."""
    return repeated(picture, other, params.repeats, params.turn, (params.x, params.y))


def _between(t: Floats, start: str, end: str, like: Picture) -> Floats:
    """Return what lies between two colours, mixed on the scale that the eye is even on."""
    one, other = (swatches.values(s, like) for s in (start, end))
    linear = like.space is Space.LINEAR
    if linear:
        one, other = colour.to_srgb(one), colour.to_srgb(other)

    def work(share: Floats) -> Floats:
        mixed = one + (other - one) * share[..., np.newaxis]
        return colour.from_seen(mixed) if linear else np.asarray(mixed, np.float32)

    return texelwise(work, np.asarray(t, np.float32))


FILL = StepKind(
    name="fill",
    title="Fill",
    hint="One colour",
    params=Fill,
    version=1,
    apply=fill,
    spaces=_NUMBERS,
    group=Group.FILL,
    summary=lambda p: p.colour,
)
GRADIENT = StepKind(
    name="gradient",
    title="Gradient",
    hint="One colour that goes over into another",
    params=Gradient,
    version=2,
    apply=gradient,
    spaces=_NUMBERS,
    group=Group.FILL,
    summary=lambda p: f"{p.start} to {p.end}",
)
NOISE = StepKind(
    name="noise",
    title="Noise",
    hint="Clouds between two colours; it tiles",
    params=Noise,
    version=2,
    apply=noise,
    spaces=_NUMBERS,
    group=Group.FILL,
    summary=lambda p: f"{p.size:.0f} %",
)
PATTERN = StepKind(
    name="pattern",
    title="Pattern",
    hint="Another picture, repeated",
    params=Pattern,
    version=1,
    apply=pattern,
    spaces=_NUMBERS,
    over=True,
    group=Group.FILL,
    summary=lambda p: f"{p.repeats:g} ×",
)
