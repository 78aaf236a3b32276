"""Few colours and few texels: palettes, and the look of low resolution."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.references import SourceRef
from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import palettes, perceptual, swatches
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import resize
from stonestack.core.runtime.parallel import texelwise


class Palette(StepParams):
    """Parameters of :func:`palette`."""

    kind: Literal["palette"] = "palette"
    count: int = Field(
        16, ge=2, le=256, title="Colours", description="How many are made, where none are given"
    )
    colours: tuple[swatches.Swatch, ...] = Field(
        (),
        max_length=256,
        title="Given",
        description="These and no others; none: they are made from the picture",
        json_schema_extra={"format": "colours"},
    )
    picture: SourceRef | None = Field(
        None, title="Read from", description="A picture whose colours are taken"
    )
    dither: Literal["none", "ordered", "diffused"] = Field(
        "none", title="Dither", description="How tones between the colours are made up"
    )
    dithering: float = Field(
        1.0, ge=0, le=1, multiple_of=0.01, title="Dithering", description="How much of it"
    )


def palette(picture: Picture, params: Palette, *read: Picture) -> Picture:
    """Bring a picture to few colours, each texel to the nearest for the eye."""
    colours = _colours(picture, params, read)
    # Each is one of eight bits, so that so many colours and no more are stored.
    exact = np.stack([swatches.linear(swatches.named(c)) for c in perceptual.from_lab(colours)])
    if params.dither == "diffused" and params.dithering > 0:
        from stonestack.core.picture.kernels.dithering import diffused

        lab = perceptual.to_lab(picture.body)
        return picture.with_body(exact[diffused(lab, colours, params.dithering, picture.wraps)])
    shifts: tuple[Floats, ...] = ()
    if params.dither == "ordered":
        step = np.float32(_spacing(colours) * params.dithering)
        shifts = (palettes.thresholds(picture.height, picture.width) * step,)

    def work(body: Floats, *shift: Floats) -> Floats:
        lab = perceptual.to_lab(body)
        for one in shift:
            lab[..., 0] += one
        places = palettes.nearest_of(lab.reshape(-1, 3), colours)
        return np.take(exact, places, axis=0).reshape(body.shape)

    return picture.with_body(texelwise(work, picture.body, *shifts))


def _colours(picture: Picture, params: Palette, read: tuple[Picture, ...]) -> Floats:
    """Return the palette in OKLab: as given, as read, or made."""
    if params.colours:
        return perceptual.to_lab(np.stack([swatches.linear(c) for c in params.colours]))
    given = read[0] if read else picture
    return palettes.made(given.body, params.count, given.opacity)


def _spacing(colours: Floats) -> float:
    """Return how far apart neighbours of a palette lie in lightness, about."""
    return float((colours[:, 0].max() - colours[:, 0].min()) / max(1, len(colours) - 1))


class LowResolution(StepParams):
    """Parameters of :func:`low_resolution`."""

    kind: Literal["low_resolution"] = "low_resolution"
    across: int = Field(64, ge=1, le=4096, title="Across", description="Square dots over the width")
    by: Literal["mean", "nearest"] = Field(
        "mean", title="Dot is", description="The mean of what it covers, or what lies in its middle"
    )


def low_resolution(picture: Picture, params: LowResolution) -> Picture:
    """Lay a picture out in so many even dots; their edges stay hard at any size."""
    across = min(params.across, picture.width)
    down = max(1, round(across * picture.height / picture.width))
    small = resize(picture, across, down, "box" if params.by == "mean" else "nearest")
    return replace(resize(small, picture.width, picture.height, "nearest"), wraps=picture.wraps)


PALETTE = StepKind(
    name="palette",
    title="Palette",
    hint="Few colours, made, given or read from a picture",
    params=Palette,
    version=2,
    apply=palette,
    spaces=frozenset({Space.LINEAR}),
    group=Group.TEXELS,
    summary=lambda p: f"{len(p.colours) or p.count} colours",
)
LOW_RESOLUTION = StepKind(
    name="low_resolution",
    title="Low resolution",
    hint="Even square dots, with hard edges at any size",
    params=LowResolution,
    version=1,
    apply=low_resolution,
    spaces=frozenset({Space.LINEAR, Space.DATA, Space.VECTOR}),
    group=Group.TEXELS,
    summary=lambda p: f"{p.across} across",
)
