"""Take the light of one lamp out of the relief that it shows.

A lamp at one side lights what faces it and leaves what turns away dark, whatever its colour. The
relief is read from the colour; by how much its tone follows the slope towards the lamp is a least
square fit over all of it, in the logarithm, where light adds (P. Kube and A. Pentland, "On the
Imaging of Fractal Surfaces", IEEE TPAMI 10 (1988), equation 8). That share is taken out: what the
matter does by itself does not follow the slope, and stays.
"""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.filters import gaussian
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import limited, resample
from stonestack.core.runtime.parallel import texelwise
from stonestack.core.steps.derive.height import ReliefFromColour, relief_of
from stonestack.core.steps.derive.lighting import lighting_of
from stonestack.core.steps.derive.slopes import slopes_of

_READ_AT = 1024
_TOLD_AT = 384
_FLOOR = np.float32(0.01)
_BROAD = 3.0
"""Standard deviation, in hundredths of the width, beyond which light is broad, and no relief's."""
_MOST = np.float32(1.5)


class ReliefLight(StepParams):
    """Parameters of :func:`without_relief_light`."""

    kind: Literal["relief_light"] = "relief_light"
    light: Literal["found", "given"] = Field(
        "found",
        title="Light came from",
        description="Where it can be told from the picture, else nothing changes; or where you say",
    )
    azimuth: float = Field(
        90.0,
        ge=0,
        le=360,
        multiple_of=1,
        title="Angle of the light",
        description="Where you say: degrees anticlockwise from the right, 90 is from above",
    )


def lamp_of(picture: Picture) -> float | None:
    """Return where the lamp stood, in degrees anticlockwise from the right, if that can be told."""
    small = limited(picture, _TOLD_AT)
    found = lighting_of(np.ascontiguousarray(_tone(small)[..., 0]), small.wraps)
    return math.degrees(found.azimuth) % 360 if found.side >= 1 else None


def without_relief_light(picture: Picture, params: ReliefLight) -> Picture:
    """Take out what a lamp at one side did to a relief.

    Parameters
    ----------
    picture : Picture
        Linear colour.
    """
    azimuth = lamp_of(picture) if params.light == "found" else params.azimuth
    if azimuth is None:
        return picture
    small = limited(picture, _READ_AT)
    given = ReliefFromColour(light="given", azimuth=round(azimuth))
    relief = relief_of(small, given if params.light == "given" else ReliefFromColour())
    slopes = np.stack(slopes_of(np.ascontiguousarray(relief), "plain", small.wraps), axis=2)
    columns = slopes.reshape(-1, 2).astype(np.float64)
    tone = _tone(small).ravel().astype(np.float64)
    product = columns.T @ columns + 1e-9 * len(tone) * np.eye(2)
    lit = (columns @ np.linalg.solve(product, columns.T @ tone)).reshape(small.height, small.width)
    lit = np.clip(lit, -_MOST, _MOST).astype(np.float32)[..., np.newaxis]
    if lit.shape[:2] != (picture.height, picture.width):
        lit = resample(lit, picture.width, picture.height, "mitchell", picture.wraps)
    out = texelwise(lambda body, light: np.clip(body * np.exp(-light), 0, 1), picture.body, lit)
    return picture.with_body(out)


def _tone(picture: Picture) -> Floats:
    light = np.log(picture.body.mean(axis=2, keepdims=True, dtype=np.float32) + _FLOOR)
    broad = gaussian(light, _BROAD / 100 * picture.width, picture.wraps)
    return np.asarray(light - broad, np.float32)


STEP = StepKind(
    name="relief_light",
    title="Relief's light out",
    hint="Takes out what a lamp at one side did to the relief",
    params=ReliefLight,
    version=1,
    apply=without_relief_light,
    spaces=frozenset({Space.LINEAR}),
    group=Group.TONE,
    summary=lambda p: "found" if p.light == "found" else f"{p.azimuth:.0f}°",
)
