"""Other forms of normals, and single channels: for engines that want them so.

What is stored of a form is 0..1; each of these has its way back.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.texels import Channel, numbers_of
from stonestack.core.runtime.parallel import texelwise
from stonestack.core.steps.derive.slopes import normals_of, slopes_from
from stonestack.core.tables.roles import Role

_HALF = np.float32(0.5)


class DerivativeParams(StepParams):
    """What a slope of one is stored as; shared by both ways."""

    steepest: float = Field(
        4.0,
        ge=0.25,
        le=32,
        multiple_of=0.25,
        title="Steepest",
        description="The slope, rise over run, that black and white stand for",
    )


class DerivativeFromNormal(DerivativeParams):
    """Parameters of :func:`derivative_from_normal`."""

    kind: Literal["derivative_from_normal"] = "derivative_from_normal"


def derivative_from_normal(picture: Picture, params: DerivativeFromNormal) -> Picture:
    """Store slopes: to the right in red, up in green, level in the middle.

    As M. Mikkelsen, "Bump Mapping Unparametrized Surfaces on the GPU", J. Graphics Tools 15
    (2010), section 3, for a relief measured in texels.
    """
    gain = np.float32(0.5 / params.steepest)

    def stored(vectors: Floats) -> Floats:
        right, up = slopes_from(vectors)
        level = np.full_like(right, _HALF)
        return np.clip(np.stack([right * gain + _HALF, up * gain + _HALF, level], axis=2), 0, 1)

    return Picture(texelwise(stored, picture.body), Space.DATA, wraps=picture.wraps)


class NormalFromDerivative(DerivativeParams):
    """Parameters of :func:`normal_from_derivative`."""

    kind: Literal["normal_from_derivative"] = "normal_from_derivative"


def normal_from_derivative(picture: Picture, params: NormalFromDerivative) -> Picture:
    """Return the normals that stored slopes have."""
    gain = np.float32(2 * params.steepest)
    right = (numbers_of(picture, Channel.RED) - _HALF) * gain
    up = (numbers_of(picture, Channel.GREEN) - _HALF) * gain
    return Picture(normals_of(right, up), Space.VECTOR, wraps=picture.wraps)


class AlphaGreenFromNormal(StepParams):
    """Parameters of :func:`alpha_green_from_normal`."""

    kind: Literal["alpha_green_from_normal"] = "alpha_green_from_normal"


def alpha_green_from_normal(picture: Picture, _params: AlphaGreenFromNormal) -> Picture:
    """Store x in alpha and y in green: the two that block formats of old keep best."""
    x, y = (picture.body[..., k] * _HALF + _HALF for k in (0, 1))
    stored = np.stack([np.ones_like(x), y, np.ones_like(x), x], axis=2).astype(np.float32)
    return Picture(stored, Space.DATA, alpha=True, wraps=picture.wraps, bits=picture.bits)


class NormalFromAlphaGreen(StepParams):
    """Parameters of :func:`normal_from_alpha_green`."""

    kind: Literal["normal_from_alpha_green"] = "normal_from_alpha_green"


def normal_from_alpha_green(picture: Picture, _params: NormalFromAlphaGreen) -> Picture:
    """Return normals of x in alpha and y in green; z follows from unit length."""
    y = numbers_of(picture, Channel.GREEN) * 2 - 1
    x = (np.ones_like(y) if picture.opacity is None else picture.opacity[..., 0]) * 2 - 1
    z = np.sqrt(np.maximum(1 - x * x - y * y, 0))
    vectors = np.stack([x, y, z], axis=2).astype(np.float32)
    return Picture(vectors, Space.VECTOR, wraps=picture.wraps, bits=picture.bits)


class OneChannel(StepParams):
    """Parameters of :func:`one_channel`."""

    kind: Literal["one_channel"] = "one_channel"
    channel: Literal["red", "green", "blue", "alpha"] = Field(
        "red", title="Channel", description="Which of the packed greys"
    )
    invert: bool = Field(False, title="Turn round", description="Black becomes white")


def one_channel(picture: Picture, params: OneChannel) -> Picture:
    """Return one channel as it is stored; an alpha that is not there is solid."""
    if params.channel == "alpha":
        own = picture.opacity
        values = np.ones(picture.pixels.shape[:2], np.float32) if own is None else own[..., 0]
    else:
        values = numbers_of(picture, Channel(params.channel))
    values = 1 - values if params.invert else values
    pixels = np.ascontiguousarray(values, np.float32)[..., np.newaxis]
    return replace(picture, pixels=pixels, space=Space.DATA, alpha=False)


DERIVATIVE = StepKind(
    name="derivative_from_normal",
    title="Slopes of normals",
    hint="Slope to the right in red, up in green",
    params=DerivativeFromNormal,
    version=1,
    apply=derivative_from_normal,
    spaces=frozenset({Space.VECTOR}),
    makes=frozenset({Role.PACKED}),
    group=Group.MAKE,
    summary=lambda p: f"up to {p.steepest:.1f}",
)
FROM_DERIVATIVE = StepKind(
    name="normal_from_derivative",
    title="Normals of slopes",
    hint="Of slope to the right in red, up in green",
    params=NormalFromDerivative,
    version=1,
    apply=normal_from_derivative,
    spaces=frozenset({Space.LINEAR, Space.DATA}),
    makes=frozenset({Role.NORMAL}),
    group=Group.MAKE,
    summary=lambda p: f"up to {p.steepest:.1f}",
)
ALPHA_GREEN = StepKind(
    name="alpha_green_from_normal",
    title="Normals in alpha and green",
    hint="x in alpha, y in green",
    params=AlphaGreenFromNormal,
    version=1,
    apply=alpha_green_from_normal,
    spaces=frozenset({Space.VECTOR}),
    makes=frozenset({Role.PACKED}),
    group=Group.MAKE,
    summary=lambda _: "x in alpha",
)
FROM_ALPHA_GREEN = StepKind(
    name="normal_from_alpha_green",
    title="Normals of alpha and green",
    hint="Of x in alpha, y in green",
    params=NormalFromAlphaGreen,
    version=1,
    apply=normal_from_alpha_green,
    spaces=frozenset({Space.LINEAR, Space.DATA}),
    makes=frozenset({Role.NORMAL}),
    group=Group.MAKE,
    summary=lambda _: "x in alpha",
)
ONE_CHANNEL = StepKind(
    name="one_channel",
    title="One channel",
    hint="One of the greys that are packed in a picture",
    params=OneChannel,
    version=1,
    apply=one_channel,
    spaces=frozenset({Space.LINEAR, Space.DATA, Space.VECTOR}),
    makes=frozenset(role for role in Role if role.info.space is Space.DATA),
    group=Group.MAKE,
    summary=lambda p: p.channel,
)
