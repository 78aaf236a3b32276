"""What is measured of one map so that it can be judged: numbers of the picture, and no rule yet."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from stonestack.core.picture import colour, texels
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.measures.quantiles import median, quantiles
from stonestack.core.picture.normals import Green, are_unit, green_of
from stonestack.core.picture.resize import limited
from stonestack.core.steps.derive.slopes import slopes_from
from stonestack.core.steps.relief_light import lamp_of

_LOOKED_AT = 512
_STEEPEST = 0.9
_BLACK, _WHITE = 1.5, 253.5
"""Stored levels of 255 beyond which there is nothing left to tell."""
_LEVEL = 1.5
"""Stored levels of 255 by which texels of a backdrop may differ from its usual one."""
_ALONG = 0.5
_SOLID = 0.5
_THICK = 0.02
_GUIDE_STEADY = 0.9
_GUIDE_EVEN, _GUIDE_APART, _GUIDE_WIDE = 1.0, 40.0, 3
"""How even a guide line is, how far from what lies beside it, in levels; and its most texels."""


class Slopes(BaseModel):
    """What is measured of normals.

    Parameters
    ----------
    steepness : float
        Degrees; one texel in ten is steeper.
    green : Green
        The likelier direction of green; up is as it is understood now.
    sure : float
        How sure that is, 0.5..1.
    """

    model_config = ConfigDict(frozen=True)

    steepness: float
    green: Green
    sure: float


class Tones(BaseModel):
    """What is measured of a colour.

    Parameters
    ----------
    low, middle, high : float
        Luminance, linear, that a twentieth, a half and all but a twentieth of the texels are below.
    crushed, blown : float
        Shares of the texels that are black, or white in every channel.
    lamp : float or None
        Degrees anticlockwise from the right from where its relief is lit, where that can be told.
    """

    model_config = ConfigDict(frozen=True)

    low: float
    middle: float
    high: float
    crushed: float
    blown: float
    lamp: float | None


class Guide(BaseModel):
    """A drawn line that runs from edge to edge.

    Parameters
    ----------
    way : {"down", "across"}
    at, width : float
        Its middle, and its breadth with a texel on each side, as shares of the side across it.
    """

    model_config = ConfigDict(frozen=True)

    way: Literal["down", "across"]
    at: float
    width: float


class Left(BaseModel):
    """What of a maker's helpers was left in a picture.

    Parameters
    ----------
    backdrop : (int, int, int) or None
        Stored colour of an even ground at its rim.
    share : float
        Of the picture that it takes.
    inside : (float, float, float, float) or None
        Left, top, right and bottom of what lies inside, where that is a rectangle.
    guides : tuple of Guide
    """

    model_config = ConfigDict(frozen=True)

    backdrop: tuple[int, int, int] | None = None
    share: float = 0.0
    inside: tuple[float, float, float, float] | None = None
    guides: tuple[Guide, ...] = ()


class Levels(BaseModel):
    """How much a map of numbers says: its least, middle and most, by hundredths of its texels."""

    model_config = ConfigDict(frozen=True)

    least: float
    low: float
    middle: float
    high: float
    most: float


class Traits(BaseModel):
    """What is measured of one map; of each part only what its numbers can be asked for."""

    model_config = ConfigDict(frozen=True)

    width: int
    height: int
    slopes: Slopes | None = None
    tones: Tones | None = None
    left: Left | None = None
    levels: Levels | None = None
    clear: float | None = None
    """Share of the texels that are not wholly opaque, where there is an opacity."""


def traits(picture: Picture) -> Traits:
    """Measure a map."""
    vectors, light = picture.space is Space.VECTOR, picture.space is Space.LINEAR
    opacity = picture.opacity
    return Traits(
        width=picture.width,
        height=picture.height,
        slopes=slopes(picture) if vectors else None,
        tones=tones(picture) if light else None,
        left=left_in(picture) if light else None,
        levels=levels(picture) if picture.space is Space.DATA else None,
        clear=None if opacity is None else float((opacity < 254.5 / 255).mean()),
    )


def not_unit(stored: Picture) -> float:
    """Return which share of stored normals has not the length 1.

    Parameters
    ----------
    stored : Picture
        Channels as they are in the file, 0..1; of two there is nothing to say.
    """
    channels = stored.pixels[..., :3]
    if channels.shape[2] < 3 or float(np.ptp(channels[..., 2])) == 0:
        return 0.0
    return float(1 - are_unit(channels, 1.0).mean())


def slopes(picture: Picture) -> Slopes:
    """Measure normals."""
    small = limited(picture, _LOOKED_AT).body
    right, up = slopes_from(small)
    steep = float(quantiles(np.hypot(right, up), (_STEEPEST,))[0])
    green, sure = green_of(picture.body)
    return Slopes(steepness=math.degrees(math.atan(steep)), green=green, sure=sure)


def tones(picture: Picture) -> Tones:
    """Measure a colour."""
    opacity, body = picture.opacity, picture.body.reshape(-1, 1, 3)
    if opacity is not None and (opacity > _SOLID).any():
        body = np.ascontiguousarray(body[opacity.ravel() > _SOLID])
    luminance = colour.luminance(body)
    low, middle, high = (float(v) for v in quantiles(luminance, (0.05, 0.5, 0.95)))
    red, green, blue = np.moveaxis(colour.to_srgb(body) * np.float32(255), 2, 0)
    brightest = np.maximum(np.maximum(red, green), blue)
    darkest = np.minimum(np.minimum(red, green), blue)
    return Tones(
        low=low,
        middle=middle,
        high=high,
        crushed=float((brightest < _BLACK).mean()),
        blown=float((darkest > _WHITE).mean()),
        lamp=lamp_of(picture),
    )


def levels(picture: Picture) -> Levels:
    """Measure plain numbers."""
    values = picture.body
    found = quantiles(values, (0.001, 0.05, 0.5, 0.95, 0.999))
    return Levels(**dict(zip(Levels.model_fields, (float(v) for v in found), strict=True)))


def left_in(picture: Picture) -> Left:
    """Look for an even backdrop at the rim, and for lines from edge to edge.

    Matter has grain: what is even to a level over a broad area, or all along a line, was drawn.
    """
    if picture.whole or min(picture.width, picture.height) < 32:
        return Left()
    stored = texels.to_texels(picture, 8)[..., :3].astype(np.float32)
    backdrop, share, inside = _backdrop(stored, picture.opacity)
    if backdrop is not None:
        return Left(backdrop=backdrop, share=share, inside=inside)
    return Left(guides=(*_guides(stored, "down"), *_guides(stored.transpose(1, 0, 2), "across")))


Box = tuple[float, float, float, float]


def _backdrop(
    stored: Floats, opacity: Floats | None
) -> tuple[tuple[int, int, int] | None, float, Box | None]:
    """Return the colour of an even ground at the rim, its share, and the rectangle inside it."""
    import cv2

    rows, columns = stored.shape[:2]
    rims = (stored[0], stored[-1], stored[:, 0], stored[:, -1])
    for rim in rims:
        colours, counts = np.unique(rim.reshape(-1, 3), axis=0, return_counts=True)
        usual = colours[np.argmax(counts)]
        if (np.abs(rim - usual) <= _LEVEL).all(axis=1).mean() < _ALONG:
            continue
        even: NDArray[np.bool_] = (np.abs(stored - usual) <= _LEVEL).all(axis=2)
        if opacity is not None:
            # What is clear already is no backdrop.
            even &= opacity[..., 0] > 0.5
        if even.all():
            continue
        _, labels = cv2.connectedComponents(even.astype(np.uint8), connectivity=4)
        at_rim = np.unique(np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]]))
        ground = np.isin(labels, at_rim[at_rim > 0])
        padded = np.pad(ground, 1, mode="edge").astype(np.uint8)
        thick = cv2.distanceTransform(padded, cv2.DIST_C, 3).max()
        if thick < max(2.0, _THICK / 2 * min(rows, columns)):
            continue
        share = float(ground.mean())
        tint = (int(usual[0]), int(usual[1]), int(usual[2]))
        return tint, share, _inside(~ground)
    return None, 0.0, None


def _inside(kept: NDArray[np.bool_]) -> Box | None:
    """Return the box of what is kept, where it fills it."""
    rows, columns = np.flatnonzero(kept.any(axis=1)), np.flatnonzero(kept.any(axis=0))
    top, bottom, left, right = rows[0], rows[-1] + 1, columns[0], columns[-1] + 1
    if kept[top:bottom, left:right].mean() < 0.98:
        return None
    high, wide = kept.shape
    return (float(left / wide), float(top / high), float(right / wide), float(bottom / high))


def _guides(stored: Floats, way: Literal["down", "across"]) -> list[Guide]:
    """Return where columns of one even colour stand between others."""
    columns = stored.shape[1]
    # From texel to texel a drawn line hardly changes; only where that is so is looked closer.
    steady = (np.abs(np.diff(stored, axis=0)) <= 2 * _GUIDE_EVEN).all(axis=2).mean(axis=0)
    near = np.flatnonzero(steady >= _GUIDE_STEADY)
    if len(near) == 0:
        return []
    near = np.unique(np.clip(near[:, np.newaxis] + np.arange(-2, 4), 0, columns - 1))
    middle, even = np.zeros((columns, 3), np.float32), np.zeros(columns, np.bool_)
    middle[near] = median(stored[:, near], axis=0)[0]
    apart = np.abs(stored[:, near] - middle[near]).max(axis=2)
    even[near] = quantiles(apart, (0.97,), axis=0)[0] <= _GUIDE_EVEN
    found: list[Guide] = []
    at = 0
    while at < columns:
        wide = 0
        while at + wide < columns and even[at + wide]:
            wide += 1
        beside = [at - 2, at + wide + 1]
        if 0 < wide <= _GUIDE_WIDE and beside[0] >= 0 and beside[1] < columns:
            own = middle[at : at + wide].mean(axis=0)
            stands_out = min(float(np.abs(middle[b] - own).max()) for b in beside)
            if stands_out > _GUIDE_APART:
                middle_at, breadth = (at + wide / 2) / columns, (wide + 2) / columns
                found.append(Guide(way=way, at=middle_at, width=breadth))
        at += max(wide, 1)
    return found
