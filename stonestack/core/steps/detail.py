"""Detail: less noise, blur, sharpen, and what a picture has without its broad tones."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import colour
from stonestack.core.picture.filters import edge_preserving, radius_of, weighted_gaussian
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.texels import normalised
from stonestack.core.runtime.parallel import texelwise

_ALL = frozenset({Space.LINEAR, Space.DATA, Space.VECTOR})
_NUMBERS = frozenset({Space.LINEAR, Space.DATA})


class Denoise(StepParams):
    """Parameters of :func:`denoise`."""

    kind: Literal["denoise"] = "denoise"
    radius: float = Field(
        0.4, ge=0.05, le=5, multiple_of=0.05, title="Radius", description="Per cent of the width"
    )
    contrast: float = Field(
        0.1,
        ge=0.005,
        le=0.5,
        multiple_of=0.005,
        title="Contrast",
        description="Edges of more than this stay sharp",
    )


def denoise(picture: Picture, params: Denoise) -> Picture:
    """Smooth what varies little, and keep edges."""
    radius = max(1, round(radius_of(params.radius, picture)))
    return _on_seen(picture, lambda v: edge_preserving(v, radius, params.contrast, picture.wraps))


class Blur(StepParams):
    """Parameters of :func:`blur`."""

    kind: Literal["blur"] = "blur"
    radius: float = Field(
        0.5, ge=0, le=25, multiple_of=0.01, title="Radius", description="Per cent of the width"
    )


def blur(picture: Picture, params: Blur) -> Picture:
    """Blur by a Gaussian, as a lens out of focus mixes light; over the edges of a tile."""
    body = weighted_gaussian(picture, picture.body, radius_of(params.radius, picture))
    return picture.with_body(normalised(body) if picture.space is Space.VECTOR else body)


class Sharpen(StepParams):
    """Parameters of :func:`sharpen`."""

    kind: Literal["sharpen"] = "sharpen"
    radius: float = Field(
        0.15, ge=0.02, le=5, multiple_of=0.01, title="Radius", description="Per cent of the width"
    )
    strength: float = Field(
        0.8, ge=0, le=4, multiple_of=0.01, title="Strength", description="Times the detail"
    )
    least: float = Field(
        0.0,
        ge=0,
        le=0.2,
        multiple_of=0.005,
        title="From",
        description="Detail fainter than this, noise perhaps, is left as it is",
    )


def sharpen(picture: Picture, params: Sharpen) -> Picture:
    """Add what a blur takes away; of colour in lightness alone, so that no edge is tinted."""
    sigma = radius_of(params.radius, picture)

    def shade_of(values: Floats) -> Floats:
        coloured = values.shape[2] == 3 and picture.space is Space.LINEAR
        return (values @ colour.LUMINANCE)[..., np.newaxis] if coloured else values

    def sharpened(values: Floats, soft: Floats) -> Floats:
        detail = shade_of(values) - soft
        if params.least > 0:
            least = np.float32(params.least)
            detail = np.sign(detail) * np.maximum(np.abs(detail) - least, 0)
        return values + detail * np.float32(params.strength)

    def sharper(values: Floats) -> Floats:
        soft = weighted_gaussian(picture, texelwise(shade_of, values), sigma)
        return texelwise(sharpened, values, soft)

    return _on_seen(picture, sharper)


class HighPass(StepParams):
    """Parameters of :func:`high_pass`."""

    kind: Literal["high_pass"] = "high_pass"
    radius: float = Field(
        5.0, ge=0.1, le=25, multiple_of=0.1, title="Radius", description="Per cent of the width"
    )


def high_pass(picture: Picture, params: HighPass) -> Picture:
    """Take tones that are broader than a radius out; the mean stays."""
    sigma = radius_of(params.radius, picture)

    def finer(values: Floats) -> Floats:
        means = [values[..., k].mean(dtype=np.float64) for k in range(values.shape[2])]
        mean = np.array(means, np.float32)
        broad = weighted_gaussian(picture, values, sigma)
        return texelwise(lambda rows, broad: rows - broad + mean, values, broad)

    return _on_seen(picture, finer)


def _on_seen(picture: Picture, work: Callable[[Floats], Floats]) -> Picture:
    """Work on the scale that the eye is even on, and come back."""
    done = work(colour.seen(picture))
    linear = picture.space is Space.LINEAR
    return picture.with_body(colour.from_seen(done) if linear else np.clip(done, 0, 1))


DENOISE = StepKind(
    name="denoise",
    title="Denoise",
    hint="Smooths noise and keeps edges",
    params=Denoise,
    version=2,
    apply=denoise,
    spaces=_NUMBERS,
    group=Group.DETAIL,
    summary=lambda p: f"{p.radius:.2f} %",
)
BLUR = StepKind(
    name="blur",
    title="Blur",
    hint="Softens, over the edges of a tile too",
    params=Blur,
    version=1,
    apply=blur,
    spaces=_ALL,
    group=Group.DETAIL,
    summary=lambda p: f"{p.radius:.2f} %",
)
SHARPEN = StepKind(
    name="sharpen",
    title="Sharpen",
    hint="Brings fine detail out",
    params=Sharpen,
    version=2,
    apply=sharpen,
    spaces=_NUMBERS,
    group=Group.DETAIL,
    summary=lambda p: f"×{p.strength:.2f}",
)
HIGH_PASS = StepKind(
    name="high_pass",
    title="High pass",
    hint="Takes broad tones out and leaves detail",
    params=HighPass,
    version=2,
    apply=high_pass,
    spaces=_NUMBERS,
    group=Group.DETAIL,
    summary=lambda p: f"{p.radius:.1f} %",
)
