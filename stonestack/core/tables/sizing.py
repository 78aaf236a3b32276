"""The size stage: how a picture fits into sides that a game takes, and what that costs."""

from __future__ import annotations

import math
from dataclasses import replace
from enum import StrEnum

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, field_validator

from stonestack.core.picture.image import Picture
from stonestack.core.picture.resize import Filter, resize

SIZES = tuple(2**n for n in range(2, 13))
"""Sides that a finished map may have."""

_MOST_REPEATS = 8
_STRETCH_SEEN = 1.5
"""Percent of stretch that nobody sees."""


class Fit(StrEnum):
    """How a picture is brought to the sides wanted."""

    STRETCH = "stretch"
    REPEAT = "repeat"
    PAD = "pad"


class Size(BaseModel):
    """Texels of a finished map, powers of two; and how the picture gets there."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    width: int = 1024
    height: int = 1024
    fit: Fit = Field(
        Fit.STRETCH,
        title="Fit",
        description="Stretch to fill, repeat the tile, or lay it on a larger canvas",
    )
    across: int = Field(1, ge=1, le=_MOST_REPEATS, title="Across", description="Repeats in a row")
    down: int = Field(1, ge=1, le=_MOST_REPEATS, title="Down", description="Rows of repeats")
    filter: Filter = Field(
        "lanczos", title="Filter", description="Sharp, soft, plain average, or whole pixels"
    )

    @field_validator("width", "height")
    @classmethod
    def _power_of_two(cls, side: int) -> int:
        if side not in SIZES:
            raise ValueError(f"A side is a power of two from {SIZES[0]} to {SIZES[-1]}.")
        return side


class Area(BaseModel):
    """A part of a picture, as shares of its sides."""

    x: float
    y: float
    width: float
    height: float


class Proposal(BaseModel):
    """A size that fits, and what it costs.

    Parameters
    ----------
    size : Size
    stretch : float
        Change of the sides' ratio, in percent.
    scale : float
        Texels for one of the picture's, by length; below 1 detail is lost, above 1 invented.
    unused : float
        Share of the canvas that shows nothing, in percent.
    words : str
        The same for the person.
    """

    size: Size
    stretch: float
    scale: float
    unused: float
    words: str


def fitted(picture: Picture, size: Size) -> Picture:
    """Bring a picture to its size.

    Repeated, a tile stays a tile. On a larger canvas the picture keeps its proportions and
    lies in the middle; its rim is carried on to the edges, so that smaller levels blend with
    nothing foreign, and the result wraps no more.
    """
    if size.fit is Fit.STRETCH:
        return resize(picture, size.width, size.height, size.filter)
    if size.fit is Fit.REPEAT:
        return resize(picture, size.width, size.height, size.filter, (size.across, size.down))
    left, top, width, height = _inside(picture.width, picture.height, size)
    inner = resize(picture, width, height, size.filter)
    right, bottom = size.width - left - width, size.height - top - height
    pixels = np.pad(inner.pixels, ((top, bottom), (left, right), (0, 0)), mode="edge")
    return replace(picture, pixels=pixels, wraps=False)


def visible_area(width: int, height: int, size: Size) -> Area | None:
    """Return where on its canvas a padded picture lies; None where it fills it."""
    if size.fit is not Fit.PAD:
        return None
    left, top, inner_width, inner_height = _inside(width, height, size)
    return Area(
        x=left / size.width,
        y=top / size.height,
        width=inner_width / size.width,
        height=inner_height / size.height,
    )


def _inside(width: int, height: int, size: Size) -> tuple[int, int, int, int]:
    """Return left, top, width and height of a picture laid on its canvas, at whole blocks."""
    scale = min(size.width / width, size.height / height)
    inner_width = min(size.width, max(1, round(width * scale)))
    inner_height = min(size.height, max(1, round(height * scale)))
    left = (size.width - inner_width) // 2 // 4 * 4
    top = (size.height - inner_height) // 2 // 4 * 4
    return left, top, inner_width, inner_height


def stretch_percent(width: int, height: int, size: Size) -> float:
    """Return how much the ratio of the sides changes, in percent."""
    if size.fit is Fit.PAD:
        return 0.0
    ratio = (size.width / (width * size.across)) / (size.height / (height * size.down))
    if size.fit is Fit.STRETCH:
        ratio = (size.width / width) / (size.height / height)
    return (max(ratio, 1 / ratio) - 1) * 100


def unused_percent(width: int, height: int, size: Size) -> float:
    """Return which share of the canvas shows nothing of the picture, in percent."""
    area = visible_area(width, height, size)
    return 0.0 if area is None else 100 * (1 - area.width * area.height)


def proposals(
    width: int,
    height: int,
    wraps: bool,
    *,
    smallest: int,
    largest: int,
    square: bool,
    exact: tuple[int, int] | None = None,
    most: int = 4,
) -> list[Proposal]:
    """Propose sizes for a picture, the one that loses least first.

    Parameters
    ----------
    width, height : int
        Of the picture before this stage.
    wraps : bool
        Whether it is a tile: then it may be repeated, and is never padded.
    smallest, largest : int
        Sides that the target takes.
    square : bool
        Whether both sides have to be equal.
    exact : (int, int), optional
        The one size that the game has for this surface; then only ways to that are proposed.
    most : int
        How many.

    Notes
    -----
    The cost is the stretch that is seen, and each halving or doubling of detail as much as a
    stretch of 20 or 30 percent; unused canvas and repeats count a little.
    """
    sides = [side for side in SIZES if smallest <= side <= largest]
    pairs = [exact] if exact else [(w, h) for w in sides for h in sides if not square or w == h]
    found: list[tuple[float, Proposal]] = []
    for w, h in pairs:
        for size in _ways(w, h, wraps):
            one = proposal(width, height, size)
            found.append((_cost(one), one))
    found.sort(key=lambda pair: pair[0])
    return [one for _, one in found[:most]]


def _ways(width: int, height: int, wraps: bool) -> list[Size]:
    if width not in SIZES or height not in SIZES:
        return []
    ways = [Size(width=width, height=height)]
    if not wraps:
        return [*ways, Size(width=width, height=height, fit=Fit.PAD)]
    return ways + [
        Size(width=width, height=height, fit=Fit.REPEAT, across=across, down=down)
        for across in (1, 2, 3)
        for down in (1, 2, 3)
        if across * down > 1
    ]


def proposal(width: int, height: int, size: Size) -> Proposal:
    """Return what a size costs a picture of these sides."""
    stretch = stretch_percent(width, height, size)
    unused = unused_percent(width, height, size)
    if size.fit is Fit.PAD:
        scale = min(size.width / width, size.height / height)
    else:
        across, down = (size.across, size.down) if size.fit is Fit.REPEAT else (1, 1)
        scale = math.sqrt(size.width * size.height / (width * across * height * down))
    words = {
        Fit.STRETCH: f"stretch {stretch:.1f} %",
        Fit.REPEAT: f"{size.across} × {size.down} times, stretch {stretch:.1f} %",
        Fit.PAD: f"{unused:.0f} % of the canvas unused",
    }[size.fit]
    if scale < 0.95:
        words += f", {100 * (1 - scale * scale):.0f} % of its texels lost"
    elif scale > 1.05:
        words += f", enlarged {scale:.1f} times"
    return Proposal(size=size, stretch=stretch, scale=scale, unused=unused, words=words)


def _cost(one: Proposal) -> float:
    size = one.size
    octaves = math.log2(one.scale)
    detail = -20 * octaves if octaves < 0 else 30 * octaves
    repeats = 4 * (size.across * size.down - 1) if size.fit is Fit.REPEAT else 0
    return max(0.0, one.stretch - _STRETCH_SEEN) + detail + 0.6 * one.unused + repeats
