"""How far what a map says of a relief explains what a colour shows of it.

A relief is seen in a colour by the light that it receives: by its slope towards a lamp, by how deep
it lies, by how it bends (P. Kube and A. Pentland, "On the Imaging of Fractal Surfaces", IEEE TPAMI
10 (1988), for the slopes; M. Langer and S. Zucker, "Shape-from-Shading on a Cloudy Day", J. Optical
Society of America A 11 (1994), for the depth), and by the matter that changes where something ends.
So its tone is held against these together, by least squares over the whole tile: what light it was
need not be known.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from stonestack.core.picture.filters import gaussian
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.measures.quantiles import quantiles
from stonestack.core.picture.resize import resize
from stonestack.core.steps.derive.integrating import integrated
from stonestack.core.steps.derive.slopes import slopes_from

LOOKED_AT = 384
"""Longest side at which maps are held against each other."""
_FINE, _BROAD = 1.0, 6.0
"""Standard deviations, in 384ths of the longer side, between which structure is looked for."""
_FLOOR = np.float32(0.01)
_STEEPEST = np.float32(4.0)
_CLIPPED = 3.0
_UNUSUAL = 1.5
_RIDGE = 1e-3
_LEAST = 1e-5


@dataclass(frozen=True)
class Explained:
    """What of a tone a map explains.

    Parameters
    ----------
    tone, by_map : ndarray, float32, shape (height, width)
        What the colour shows, and what of it follows from the map.
    alike : float
        Their correlation, 0..1.
    """

    tone: Floats
    by_map: Floats
    alike: float


def looked_at(picture: Picture) -> tuple[int, int]:
    """Return the width and height at which a picture is looked at."""
    share = min(1.0, LOOKED_AT / max(picture.width, picture.height))
    return max(1, round(picture.width * share)), max(1, round(picture.height * share))


def explained(colour: Picture, other: Picture) -> Explained | None:
    """Return what of a colour's tone another map explains; None where either has no structure.

    Parameters
    ----------
    colour : Picture
        Linear colour.
    other : Picture
        Normals, or data, of the same part; of any size.
    """
    size = looked_at(colour)
    return fitted(tone_of(resize(colour, *size)), features_of(resize(other, *size)))


def fitted(tone: Floats, features: Floats) -> Explained | None:
    """Return what of a tone features explain, by least squares; None where there is nothing."""
    flat = features.reshape(-1, features.shape[2]).astype(np.float64)
    spread = flat.std(axis=0)
    used = spread > _LEAST
    if not used.any() or float(tone.std()) < _LEAST:
        return None
    columns = np.clip(flat[:, used] / spread[used], -_CLIPPED, _CLIPPED)
    tone = usual_only(tone)
    target = tone.ravel().astype(np.float64)
    product = columns.T @ columns
    product += _RIDGE * len(target) * np.eye(product.shape[0])
    by_map = columns @ np.linalg.solve(product, columns.T @ target)
    if by_map.std() < _LEAST * tone.std():
        return None
    alike = float(np.corrcoef(by_map, target)[0, 1])
    followed = usual_only(by_map.reshape(tone.shape).astype(np.float32))
    return Explained(tone, followed, max(0.0, alike))


def usual_only(values: Floats) -> Floats:
    """Return values without what is far stronger than nearly all: the rim of a stain or a sign."""
    most = np.float32(_UNUSUAL * float(quantiles(np.abs(values), (0.9,))[0]))
    return np.asarray(np.clip(values, -most, most), np.float32) if most > 0 else values


def tone_of(colour: Picture) -> Floats:
    """Return the structure of a colour's light, in ratios, shape (height, width)."""
    light = colour.body.mean(axis=2, keepdims=True, dtype=np.float32)
    return _structure(np.log(light + _FLOOR), colour.wraps)[..., 0]


def features_of(other: Picture) -> Floats:
    """Return what of a map may show in a colour, shape (height, width, n)."""
    wraps = other.wraps
    if other.space is Space.VECTOR:
        right, up = (np.clip(s, -_STEEPEST, _STEEPEST) for s in slopes_from(other.body))
        values = integrated(right, up, wraps)
    else:
        values = other.body.mean(axis=2, dtype=np.float32)
        right, up = _change(values, 1, wraps), _change(values, 0, wraps)
    soft = gaussian(values[..., np.newaxis], _sigma(_FINE, values), wraps)[..., 0]
    bend = sum(_change(_change(soft, axis, wraps), axis, wraps) for axis in (0, 1))
    parts = np.stack([values, right, up, np.asarray(bend, np.float32), np.hypot(right, up)], axis=2)
    return _structure(np.asarray(parts, np.float32), wraps)


def _structure(values: Floats, wraps: bool) -> Floats:
    plane = values[..., 0]
    fine = gaussian(values, _sigma(_FINE, plane), wraps)
    return np.asarray(fine - gaussian(values, _sigma(_BROAD, plane), wraps), np.float32)


def _sigma(of_384: float, plane: Floats) -> float:
    return of_384 * float(max(plane.shape)) / LOOKED_AT


def _change(values: Floats, axis: int, wraps: bool) -> Floats:
    if wraps:
        return np.asarray((np.roll(values, -1, axis) - np.roll(values, 1, axis)) / 2, np.float32)
    return np.asarray(np.gradient(values, axis=axis), np.float32)
