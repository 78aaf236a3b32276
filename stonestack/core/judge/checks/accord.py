"""How two maps of a surface fit each other: place by place, as a whole, and in their directions."""

from __future__ import annotations

import math

import numpy as np
from pydantic import BaseModel, ConfigDict

from stonestack.core.judge.checks.explained import (
    Explained,
    features_of,
    fitted,
    looked_at,
    tone_of,
)
from stonestack.core.judge.checks.old_relief import Part, old_relief
from stonestack.core.picture.image import Floats, Picture
from stonestack.core.picture.resize import limited, resize
from stonestack.core.steps.derive.slopes import slopes_from, slopes_of

_HELD_AT = 512
_SEEN = 0.3
"""Correlation with the colour, where a map is moved, from which on it is believed."""
_HARDLY = 0.35
"""Share of it that may be there where it lies now."""


class Accord(BaseModel):
    """How a map fits the colour.

    Parameters
    ----------
    alike : float
        Correlation of what it explains of the colour with what the colour shows, 0..1.
    parts : list of Part
        Places where it carries a relief that the colour does not show.
    moved : (float, float) or None
        By how much of the width and height it lies too far right and down, where it fits there.
    """

    model_config = ConfigDict(frozen=True)

    alike: float
    parts: list[Part]
    moved: tuple[float, float] | None = None


class Facing(BaseModel):
    """How normals fit a height: correlations of their slopes to the right, and up, -1..1."""

    model_config = ConfigDict(frozen=True)

    right: float
    up: float


def accord(colour: Picture, other: Picture, before: Picture | None = None) -> Accord:
    """Hold a map against the colour.

    Parameters
    ----------
    colour : Picture
        Linear colour.
    other : Picture
        Normals, or data, of any size.
    before : Picture, optional
        The colour as it was when the map belonged to it.
    """
    size = looked_at(colour)
    tone, features = tone_of(resize(colour, *size)), features_of(resize(other, *size))
    told = fitted(tone, features)
    return Accord(
        alike=0.0 if told is None else told.alike,
        parts=old_relief(colour, other, before),
        moved=None if told is None else _moved(told, features),
    )


def facing(height: Picture, normals: Picture) -> Facing:
    """Hold normals against the slopes of a height map of the same part."""
    small = limited(height, _HELD_AT)
    values = np.ascontiguousarray(small.body.mean(axis=2, dtype=np.float32))
    of_height = slopes_of(values, "soft", small.wraps)
    of_normals = slopes_from(resize(normals, small.width, small.height).body)
    right, up = (_alike(a, b) for a, b in zip(of_height, of_normals, strict=True))
    return Facing(right=right, up=up)


def _alike(one: Floats, other: Floats) -> float:
    if float(one.std()) < 1e-6 or float(other.std()) < 1e-6:
        return 0.0
    return float(np.corrcoef(one.ravel(), other.ravel())[0, 1])


def _moved(told: Explained, features: Floats) -> tuple[float, float] | None:
    """Return where else a map would fit, from its correlation with the tone at every shift.

    Of a pattern that recurs it is one of several places.
    """
    rows, columns, count = features.shape
    flat = features.reshape(-1, count).astype(np.float64)
    strength, turn = np.linalg.eigh(flat.T @ flat / len(flat))
    used = strength > 1e-4 * strength.max()
    apart = (flat @ turn[:, used] / np.sqrt(strength[used])).reshape(rows, columns, -1)
    wave = np.fft.rfft2(told.tone)
    share = np.zeros((rows, columns))
    for n in range(apart.shape[2]):
        own = np.fft.rfft2(apart[..., n])
        share += np.square(np.fft.irfft2(np.conj(wave) * own, s=(rows, columns)))
    share /= (rows * columns) ** 2 * float(np.square(told.tone).mean())
    down, across = (int(v) for v in np.unravel_index(np.argmax(share), share.shape))
    best = float(share[down, across])
    here = share[np.ix_([-1, 0, 1], [-1, 0, 1])].max()
    if math.sqrt(best) < _SEEN or here > _HARDLY * best:
        return None
    moved = (float(_ring(np.array(across), columns)), float(_ring(np.array(down), rows)))
    return (moved[0] / columns, moved[1] / rows)


def _ring(apart: np.ndarray[tuple[int, ...], np.dtype[np.int64]], side: int) -> Floats:
    return np.asarray((apart + side / 2) % side - side / 2, np.float32)
