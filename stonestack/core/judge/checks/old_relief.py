"""Where a map still carries the relief of a picture that the colour no longer shows.

What a map explains of the colour's tone (:mod:`explained`) is held against that tone once more,
place by place: where both belong together the tone follows it, by as much as it does elsewhere;
where the colour was painted over, moved or filled, the map says that something should be seen, and
it is not. Where it is known how the colour was before, a place counts only if it followed then, and
less is needed.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from stonestack.core.judge.checks.explained import (
    LOOKED_AT,
    Explained,
    features_of,
    fitted,
    looked_at,
    tone_of,
    usual_only,
)
from stonestack.core.picture.colour import to_srgb
from stonestack.core.picture.filters import gaussian
from stonestack.core.picture.image import Floats, Picture
from stonestack.core.picture.measures.quantiles import median
from stonestack.core.picture.resize import resize

_AROUND = 20.0
"""The standard deviation of a place, as a part of the longer side: 1 over this."""
_TOLD = 0.25
"""Correlation with the colour below which nothing is said."""
_SURE = 5.0
"""By how many of its standard errors a place follows less than usual."""
_ALONE = 24.0
"""Texels, of 384 a side, that say about as much as one that is independent of its neighbours."""
_THERE = 0.3
"""Share of the usual strength of relief that has to be there."""
_LEAST_AREA = 0.004
_MOST_PARTS = 8
_MOST_CORNERS = 96
_DAMPED = 0.15
_SEEN, _RIM = 4 / 255, (5, 5)
"""By how much a stored colour has to differ to be called changed; and the rim round that."""
_OTHERWISE = 0.5
"""Correlation, fitted anew in a place alone, from which on it follows in another way."""


@dataclass(frozen=True)
class _Limits:
    """What makes a place.

    Parameters
    ----------
    rim, core : float
        Share of the usual by which the tone follows at the rim of a place, and at its middle at
        most.
    most : float
        Share of the map beyond which nothing is said.
    """

    rim: float
    core: float
    most: float


_UNKNOWN = _Limits(rim=0.5, core=0.3, most=0.3)
"""Where more does not follow, the map is of another matter, and was never seen in the colour."""
_KNOWN = _Limits(rim=0.65, core=0.45, most=0.9)


class Part(BaseModel):
    """A place that does not belong to the colour any more.

    Parameters
    ----------
    corners : tuple of (float, float)
        Its outline, in shares of the sides; over the edge of a tile it goes below 0 or above 1.
    share : float
        Of the map, 0..1.
    follows : float
        By how much the tone follows the map there, 1 for as much as elsewhere.
    """

    model_config = ConfigDict(frozen=True)

    corners: tuple[tuple[float, float], ...]
    share: float
    follows: float


def old_relief(colour: Picture, other: Picture, before: Picture | None = None) -> list[Part]:
    """Return the places where a map carries a relief that the colour does not show.

    Parameters
    ----------
    colour : Picture
        Linear colour, as it is now.
    other : Picture
        Normals, or data, of the same part; of any size.
    before : Picture, optional
        The colour as it was when the map belonged to it, of the same part.

    Returns
    -------
    list of Part
        The largest first; none where the map and the colour have too little in common to tell.
    """
    size = looked_at(colour)
    features = features_of(resize(other, *size))
    tone = tone_of(resize(colour, *size))
    if before is not None:
        # A map may have come in when the colour was changed already: then that tells nothing.
        found = _since(colour, before, tone, features, size)
        if found:
            return found
    told = fitted(tone, features)
    if told is None or told.alike < _TOLD:
        return []
    return _parts(told, features, _UNKNOWN, colour.wraps)


def _since(
    colour: Picture, before: Picture, tone: Floats, features: Floats, size: tuple[int, int]
) -> list[Part]:
    """Return the places where a colour was changed from what a map explains."""
    then, now = (resize(one, *size) for one in (before, colour))
    told = fitted(tone_of(then), features)
    if told is None or told.alike < _TOLD:
        return []
    # What is new in the colour, and nothing else, speaks against what was explained.
    new = replace(told, tone=told.by_map + usual_only(tone) - told.tone)
    return _parts(new, features, _KNOWN, colour.wraps, _changed(then.body, now.body))


def _changed(before: Floats, now: Floats) -> NDArray[np.bool_]:
    """Return where a colour was changed, with a rim."""
    import cv2

    apart = np.abs(to_srgb(now) - to_srgb(before)).max(axis=2) > _SEEN
    return np.asarray(cv2.dilate(apart.astype(np.uint8), np.ones(_RIM, np.uint8))) > 0


@dataclass(frozen=True)
class _Followed:
    """By how much the tone follows the map at each place, 1 as usual, and where the map says."""

    slope: Floats
    usual: float
    there: NDArray[np.bool_]


def _followed(told: Explained, wraps: bool) -> _Followed:
    around = max(told.tone.shape) / _AROUND
    products = np.stack([told.tone * told.by_map, np.square(told.by_map)], axis=2)
    shared, own = np.moveaxis(gaussian(products.astype(np.float32), around, wraps), 2, 0)
    strength = float(own.mean())
    slope = shared / (own + np.float32(_DAMPED * strength))
    there = own > _THERE * strength
    usual = max(float(median(slope[there])), 1e-3) if there.any() else 1.0
    return _Followed(np.asarray(slope / usual, np.float32), usual, there)


def _sure(told: Explained, own: NDArray[np.bool_], usual: float) -> bool:
    """Tell whether a place follows less than usual by more than chance would have it."""
    tone, by_map = told.tone[own], told.by_map[own] * np.float32(usual)
    strength = float(np.square(by_map).sum())
    slope = float((tone * by_map).sum()) / strength
    left = float(np.square(tone - slope * by_map).mean())
    alone = _ALONE * (max(told.tone.shape) / LOOKED_AT) ** 2
    return (1 - slope) * math.sqrt(strength / alone) > _SURE * math.sqrt(left)


def _otherwise(tone: Floats, features: Floats) -> bool:
    """Tell whether the tone of a place follows the map after all, in a way of its own."""
    told = fitted(tone[np.newaxis], features[np.newaxis])
    return told is not None and told.alike > _OTHERWISE


def _parts(
    told: Explained,
    features: Floats,
    limits: _Limits,
    wraps: bool,
    changed: NDArray[np.bool_] | None = None,
) -> list[Part]:
    """Return connected places, on a ring over its edges, that have a clear middle."""
    import cv2

    followed = _followed(told, wraps)
    follows, where = followed.slope, followed.there & (followed.slope < limits.rim)
    where = where if changed is None else where & changed
    rows, columns = follows.shape
    if where.mean() > limits.most:
        return []
    found: list[Part] = []
    left = where.copy()
    while left.any() and len(found) < _MOST_PARTS:
        seed = np.unravel_index(np.argmin(np.where(left, follows, np.inf)), left.shape)
        if follows[seed] > limits.core:
            break
        # With its middle in the middle, a place seldom reaches over the edge.
        shift = (rows // 2 - int(seed[0]), columns // 2 - int(seed[1])) if wraps else (0, 0)
        moved = np.roll(left, shift, (0, 1))
        _, labels = cv2.connectedComponents(moved.astype(np.uint8), connectivity=4)
        own = (
            labels == labels[(int(seed[0]) + shift[0]) % rows, (int(seed[1]) + shift[1]) % columns]
        )
        here = np.roll(own, (-shift[0], -shift[1]), (0, 1))
        left &= ~here
        share = float(own.mean())
        if share < _LEAST_AREA or not _sure(told, here, followed.usual):
            continue
        if _otherwise(told.tone[here], features[here]):
            continue
        corners = _outline(own, shift)
        found.append(Part(corners=corners, share=share, follows=float(follows[here].mean())))
    return sorted(found, key=lambda part: -part.share)


def _outline(own: NDArray[np.bool_], shift: tuple[int, int]) -> tuple[tuple[float, float], ...]:
    """Return the corners of a place's outer rim, with what was moved moved back."""
    import cv2

    rows, columns = own.shape
    lines, _ = cv2.findContours(own.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    longest = max(lines, key=cv2.contourArea)
    tight = 1.0
    while len(line := cv2.approxPolyDP(longest, tight, True)) > _MOST_CORNERS:
        tight *= 1.5
    middle = line.reshape(-1, 2).mean(axis=0) - (shift[1], shift[0])
    back = (-(middle[0] // columns) * columns, -(middle[1] // rows) * rows)
    return tuple(
        (
            round(float((x - shift[1] + back[0] + 0.5) / columns), 4),
            round(float((y - shift[0] + back[1] + 0.5) / rows), 4),
        )
        for x, y in line.reshape(-1, 2)
    )
