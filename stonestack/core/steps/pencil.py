"""Single texels set by hand, each line in its colour."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.references import StrokesRef
from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import swatches
from stonestack.core.picture.image import Picture, Space
from stonestack.core.steps.masks import strokes

_UNSAID = "#000000"


class Pencil(StepParams):
    """Parameters of :func:`pencil`."""

    kind: Literal["pencil"] = "pencil"
    strokes: StrokesRef = Field(title="Lines", description="Drawn in the flat view")


def pencil(picture: Picture, _params: Pencil, data: bytes) -> Picture:
    """Set the texels that lines go over, each line over those before it.

    One that takes away gives back what was there before the step. Strokes of the soft marker that
    are among them count where they cover a texel by half or more. Where it sets a texel, that is
    solid.
    """
    body = picture.body.copy()
    touched = np.zeros((picture.height, picture.width), bool)
    for stroke in strokes.read(data).strokes:
        where = strokes.covered(stroke, picture.width, picture.height, picture.wraps)
        if stroke.takes:
            body[where] = picture.body[where]
            touched[where] = False
        else:
            body[where] = swatches.values(stroke.colour or _UNSAID, picture)
            touched[where] = True
    if picture.opacity is None:
        return picture.with_body(body)
    solid = np.where(touched[..., np.newaxis], np.float32(1), picture.opacity)
    return picture.with_pixels(np.concatenate([body, solid], axis=2))


STEP = StepKind(
    name="pencil",
    title="Pencil",
    hint="Single texels set by hand, each line in its colour",
    params=Pencil,
    version=1,
    apply=pencil,
    spaces=frozenset({Space.LINEAR, Space.DATA}),
    group=Group.TEXELS,
    summary=lambda p: f"{p.strokes.count} {'line' if p.strokes.count == 1 else 'lines'}",
)
