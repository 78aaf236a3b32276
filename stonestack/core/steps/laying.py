"""Lay a picture over a map: placed, turned and scaled, and carried on over a tile's edges."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from stonestack.core.kinds.references import SourceRef
from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.image import Picture, Space
from stonestack.core.steps.placing import Place, placed
from stonestack.core.steps.stamping import fitted_to_light, stamped


class LayPicture(StepParams):
    """Parameters of :func:`lay_picture`; places and sizes are shares of the map's width."""

    kind: Literal["lay_picture"] = "lay_picture"
    picture: SourceRef = Field(title="Picture", description="What is laid over")
    x: float = Field(
        0.5, ge=-1, le=2, multiple_of=0.0001, title="Across", description="Where its middle lies"
    )
    y: float = Field(
        0.5, ge=-1, le=2, multiple_of=0.0001, title="Down", description="Where its middle lies"
    )
    width: float = Field(
        0.5, ge=0.005, le=4, multiple_of=0.0001, title="Width", description="Share of the map's"
    )
    stretch: float = Field(
        1.0,
        ge=0.1,
        le=10,
        multiple_of=0.001,
        title="Height",
        description="Times what keeps its proportions",
    )
    turn: float = Field(
        0.0, ge=-180, le=180, multiple_of=0.1, title="Turn", description="Degrees clockwise"
    )
    mirrored: Literal["no", "across", "down", "both"] = Field(
        "no", title="Mirrored", description="Left to right, top to bottom, or both"
    )
    light: float = Field(
        0.0,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="Take the light",
        description="How far it follows light and shade of what lies beneath",
    )
    depth: float = Field(
        1.0,
        ge=-20,
        le=20,
        multiple_of=0.1,
        title="Depth",
        description="On a normal map: how far it stands out, or in, per cent of the width",
    )


def lay_picture(map_: Picture, params: LayPicture, picture: Picture) -> Picture:
    """Return what lies over a map: the picture where it is placed, and clear elsewhere.

    Parameters
    ----------
    map_ : Picture
        Its size and whether it wraps are followed.
    picture : Picture
        Of colour; on plain numbers its mean is laid, and on vectors its shape stands out.
    """
    across = params.width * map_.width
    place = Place(
        params.x * map_.width,
        params.y * map_.height,
        across,
        across * picture.height / picture.width * params.stretch,
        params.turn,
        (params.mirrored in ("across", "both"), params.mirrored in ("down", "both")),
    )
    layer = placed(map_, picture, place)
    return stamped(map_, fitted_to_light(map_, layer, params.light), params.depth)


STEP = StepKind(
    name="lay_picture",
    title="Lay a picture over",
    hint="A sign, a stain or any picture, placed by hand",
    params=LayPicture,
    version=3,
    apply=lay_picture,
    spaces=frozenset({Space.LINEAR, Space.DATA, Space.VECTOR}),
    summary=lambda p: f"{p.picture.name}, {p.width * 100:.0f} %",
    over=True,
    group=Group.LAY,
)
