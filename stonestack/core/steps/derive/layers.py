"""What heights say of coverage: where one layer of ground lies over another, and what is open."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.references import SourceRef
from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import resize
from stonestack.core.runtime.parallel import texelwise
from stonestack.core.tables.roles import Role


class BlendFromHeight(StepParams):
    """Parameters of :func:`blend_from_height`."""

    kind: Literal["blend_from_height"] = "blend_from_height"
    over: SourceRef | None = Field(
        None,
        title="Heights of the other layer",
        description="Light stands out; without it the other layer is level, as water or sand",
    )
    cover: float = Field(
        0.5,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="Cover",
        description="How far the other layer is raised: 0 shows none of it, 1 only it",
    )
    soft: float = Field(
        0.1,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="Soft",
        description="Difference of height over which one goes over into the other",
    )


def blend_from_height(picture: Picture, params: BlendFromHeight, *others: Picture) -> Picture:
    """Return where another layer lies over this one: 1 where it stands higher.

    The layers are held against each other by height, so that the lower one shows first in the
    hollows of the higher (A. Mishkinis, "Advanced Terrain Texture Splatting", 2013, here as a
    mask).

    Parameters
    ----------
    picture : Picture
        Heights of the layer below, 0..1.
    """
    soft = np.float32(max(params.soft, 1e-3))
    other = _heights(others[0], picture) if others else np.full_like(picture.body, 0.5)
    # At 0 the other's highest lies under this one's lowest, at 1 its lowest over the highest.
    rise = np.float32((params.cover * 2 - 1) * (1 + params.soft))

    def share(below: Floats, above: Floats) -> Floats:
        t = np.clip((above + rise - below) / soft + np.float32(0.5), 0, 1)
        return np.asarray(t * t * (3 - 2 * t), np.float32)

    return Picture(texelwise(share, picture.body, other), Space.DATA, wraps=picture.wraps)


def _heights(other: Picture, like: Picture) -> Floats:
    fitted = resize(other, like.width, like.height)
    return np.ascontiguousarray(colour.lightness(fitted.body))


class AlphaFromHeight(StepParams):
    """Parameters of :func:`alpha_from_height`."""

    kind: Literal["alpha_from_height"] = "alpha_from_height"
    level: float = Field(
        0.5, ge=0, le=1, multiple_of=0.01, title="Open below", description="This height"
    )
    soft: float = Field(
        0.05, ge=0, le=1, multiple_of=0.01, title="Soft", description="From open to solid"
    )
    invert: bool = Field(False, title="Turn round", description="What is high opens")


def alpha_from_height(picture: Picture, params: AlphaFromHeight) -> Picture:
    """Open what lies lower than a height."""
    soft = np.float32(max(params.soft, 1e-3))
    t = np.clip((picture.body[..., :1] - np.float32(params.level)) / soft + np.float32(0.5), 0, 1)
    values = 1 - t if params.invert else t
    return Picture(values.astype(np.float32), Space.DATA, wraps=picture.wraps)


BLEND = StepKind(
    name="blend_from_height",
    title="Blend from height",
    hint="Another layer fills the hollows first",
    params=BlendFromHeight,
    version=1,
    apply=blend_from_height,
    spaces=frozenset({Space.DATA}),
    makes=frozenset({Role.BLEND}),
    group=Group.MAKE,
    summary=lambda p: f"{p.cover * 100:.0f} % up",
)
ALPHA = StepKind(
    name="alpha_from_height",
    title="Alpha from height",
    hint="What lies low is open",
    params=AlphaFromHeight,
    version=1,
    apply=alpha_from_height,
    spaces=frozenset({Space.DATA}),
    makes=frozenset({Role.ALPHA}),
    group=Group.MAKE,
    summary=lambda p: f"below {p.level:.2f}",
)
