"""Match: brightness and colour of another picture, by mean and spread.

Source: E. Reinhard, M. Ashikhmin, B. Gooch and P. Shirley, "Color Transfer between Images", IEEE
Computer Graphics and Applications 21 (2001), section 2, here in OKLab.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import BaseModel, Field

from stonestack.core.kinds.references import SourceRef
from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import perceptual
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import limited
from stonestack.core.runtime.parallel import texelwise

_SEEN_AT = 256
"""Longest side at which means are taken; more makes no difference to them."""
_FLAT = 1e-4


class Match(StepParams):
    """Parameters of :func:`match`."""

    kind: Literal["match"] = "match"
    picture: SourceRef = Field(title="Picture", description="What it is made like")
    lightness: float = Field(
        1.0, ge=0, le=1, multiple_of=0.01, title="Brightness", description="How far it is matched"
    )
    spread: float = Field(
        1.0, ge=0, le=1, multiple_of=0.01, title="Contrast", description="How far it is matched"
    )
    colour: float = Field(
        1.0, ge=0, le=1, multiple_of=0.01, title="Colour", description="How far it is matched"
    )


@dataclass(frozen=True)
class Likeness:
    """Mean and spread of lightness and colour, in OKLab.

    Parameters
    ----------
    mean, spread : ndarray, float32, shape (3,)
    """

    mean: Floats
    spread: Floats


def likeness(picture: Picture) -> Likeness:
    """Measure a picture of colour; what is clear does not count."""
    small = limited(picture, _SEEN_AT)
    lab = perceptual.to_lab(small.body).reshape(-1, 3)
    weights = np.ones(len(lab)) if small.opacity is None else small.opacity.reshape(-1)
    total = max(float(weights.sum()), 1e-6)
    mean = (lab * weights[:, np.newaxis]).sum(axis=0) / total
    spread = np.sqrt((np.square(lab - mean) * weights[:, np.newaxis]).sum(axis=0) / total)
    return Likeness(mean.astype(np.float32), spread.astype(np.float32))


class Difference(BaseModel):
    """How far two pictures are apart, in hundredths of OKLab; above 0 the first has more."""

    lightness: float
    contrast: float
    colour: float


def difference(picture: Picture, other: Picture) -> Difference:
    """Measure by how much a picture's mean and spread differ from another's."""
    one, two = likeness(picture), likeness(other)
    mean, spread = (one.mean - two.mean) * 100, (one.spread - two.spread) * 100
    return Difference(
        lightness=round(float(mean[0]), 1),
        contrast=round(float(spread[0]), 1),
        colour=round(float(np.hypot(mean[1], mean[2])), 1),
    )


def match(picture: Picture, params: Match, other: Picture) -> Picture:
    """Give a picture the mean and the spread of another, as far as is asked."""
    own, wanted = likeness(picture), likeness(other)
    share = np.array([params.lightness, params.colour, params.colour], np.float32)
    mean = own.mean + (wanted.mean - own.mean) * share
    by = np.where(own.spread > _FLAT, wanted.spread / np.maximum(own.spread, _FLAT), 1)
    share = np.array([params.spread, params.colour, params.colour], np.float32)
    scale = np.asarray(np.clip(by, 0.1, 10) ** share, np.float32)

    def work(body: Floats) -> Floats:
        return perceptual.from_lab((perceptual.to_lab(body) - own.mean) * scale + mean)

    return picture.with_body(texelwise(work, picture.body))


STEP = StepKind(
    name="match",
    title="Match",
    hint="Brightness, contrast and colour of another picture, so that both suit one scene",
    params=Match,
    version=2,
    apply=match,
    spaces=frozenset({Space.LINEAR}),
    group=Group.COLOUR,
    summary=lambda p: p.picture.name,
)
