"""Alpha: the picture's own, or from its luminance."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import colour
from stonestack.core.picture.image import Picture, Space
from stonestack.core.tables.roles import Role


class AlphaFromPicture(StepParams):
    """Parameters of :func:`alpha_from_picture`."""

    kind: Literal["alpha_from_picture"] = "alpha_from_picture"
    source: Literal["own", "lightness"] = Field(
        "own", title="Taken from", description="The picture's own alpha, or how light it is"
    )
    middle: float = Field(
        0.5, ge=0, le=1, multiple_of=0.01, title="Edge at", description="Value that is half open"
    )
    soft: float = Field(
        1.0, ge=0, le=1, multiple_of=0.01, title="Softness", description="0 cuts hard"
    )
    invert: bool = Field(False, title="Turn round", description="Solid becomes open")


def alpha_from_picture(picture: Picture, params: AlphaFromPicture) -> Picture:
    """Return alpha as data, 0 open and 1 solid.

    A picture without alpha of its own is solid everywhere. ``soft`` is the width of the
    ramp around ``middle``; at 1 and with ``middle`` 0.5 values pass unchanged.
    """
    if params.source == "own":
        own = picture.opacity
        values = own if own is not None else np.ones_like(picture.body[..., :1])
    elif picture.space is Space.LINEAR:
        values = colour.lightness(picture.body)
    else:
        values = picture.body
    ramp = np.float32(max(params.soft, 1e-3))
    t = np.clip((values - np.float32(params.middle)) / ramp + np.float32(0.5), 0, 1)
    t = 1 - t if params.invert else t
    return Picture(np.ascontiguousarray(t, dtype=np.float32), Space.DATA, wraps=picture.wraps)


STEP = StepKind(
    name="alpha_from_picture",
    title="Alpha from picture",
    hint="Takes the picture's own alpha, or its lightness",
    params=AlphaFromPicture,
    version=1,
    apply=alpha_from_picture,
    spaces=frozenset({Space.LINEAR}),
    makes=frozenset({Role.ALPHA}),
    group=Group.MAKE,
    summary=lambda p: "own alpha" if p.source == "own" else f"lightness at {p.middle:.2f}",
)
