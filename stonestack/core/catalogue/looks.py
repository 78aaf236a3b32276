"""What a picture looks like, in a few bytes: for finding it again, and for telling its role.

The hash keeps the signs of the low frequencies of a discrete cosine transform of lightness
(C. Zauner, "Implementation and Benchmarking of Perceptual Image Hash Functions", 2010, section
3.2.1), 16 by 16 of them instead of 8 by 8, so that it tells apart surfaces of one kind.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from stonestack.core.catalogue import look_kernels
from stonestack.core.image import Bytes, Floats

SIDE = 32
_LOW = 16
HASH_BYTES = _LOW * _LOW // 8
_COLOURED = 2.0
"""Mean difference of the channels, of 255, from which on a picture has colour."""
_UNIT = 0.85
_ROUGHLY_UNIT = 0.45
_FLAT = 1.5
"""Standard deviation, of 255, below which a picture has nothing to know it by."""


@dataclass(frozen=True)
class Look:
    """What was seen.

    Parameters
    ----------
    family : str
        ``normal``, ``colour``, ``grey`` or ``mask``.
    sure : float
        How sure, 0..1.
    seen : str
        Why, in words.
    icon : float
        How much it looks like an icon rather than a wrapped surface, -1..1.
    icon_seen : str
        Why, in words.
    flat : bool
        Nothing to see.
    hash : bytes
        :data:`HASH_BYTES` bytes.
    tones : bytes
        Mean colours of four by four parts, RGB.
    """

    family: str
    sure: float
    seen: str
    icon: float
    icon_seen: str
    flat: bool
    hash: bytes
    tones: bytes


def look(texels: Bytes, channels: int = 4, unit: float | None = None) -> Look:
    """Look at a picture.

    Parameters
    ----------
    texels : ndarray, uint8, shape (height, width, 4)
        Stored texels, at any size; about 64 to 256 on the longer side is enough.
    channels : int
        Channels of the stored format: two of blocks are a vector's x and y.
    unit : float, optional
        Which share of the texels were unit vectors before they were averaged; that of these
        texels where it is not known.
    """
    texels = np.ascontiguousarray(texels)
    family, sure, seen = _family(texels, channels, unit)
    icon, icon_seen = _icon(texels)
    light = np.empty(texels.shape[:2], np.float32)
    tones = np.empty((4, 4, 3), np.float32)
    # What is not seen is no part of the look.
    spread = look_kernels.lightness(texels, channels == 4 and family == "colour", light, tones)
    return Look(
        family=family,
        sure=sure,
        seen=seen,
        icon=icon,
        icon_seen=icon_seen,
        flat=float(spread) < _FLAT,
        hash=hashed(light),
        tones=np.clip(np.rint(tones), 0, 255).astype(np.uint8).tobytes(),
    )


def hashed(lightness: Floats) -> bytes:
    """Return the perceptual hash of a picture's lightness, any size."""
    small = area(lightness[..., np.newaxis], SIDE, SIDE)[..., 0]
    basis = _cosines()
    low = basis @ small @ basis.T
    low[0, 0] = 0
    flat = low.reshape(-1)
    middle = np.partition(flat, len(flat) // 2)[len(flat) // 2]
    return np.packbits(flat > middle).tobytes()


def distances(one: bytes, many: NDArray[np.uint8]) -> NDArray[np.int64]:
    """Return in how many bits each of many hashes, uint8 (count, bytes), differs from one."""
    wide = many.view(np.uint64)
    mine = np.frombuffer(one, np.uint64)
    return np.asarray(np.bitwise_count(wide ^ mine).sum(axis=1), dtype=np.int64)


def area(values: Floats, width: int, height: int) -> Floats:
    """Resample by area to a small size, channels last."""
    rows, columns, channels = values.shape
    down = _weights(rows, height) @ values.reshape(rows, columns * channels)
    across = down.reshape(height, columns, channels).transpose(1, 0, 2).reshape(columns, -1)
    out = _weights(columns, width) @ across
    return np.ascontiguousarray(out.reshape(width, height, channels).transpose(1, 0, 2))


@cache
def _weights(count: int, parts: int) -> Floats:
    """Return how much of each of ``count`` cells lies in each of ``parts`` equal ranges."""
    edges = np.arange(parts + 1) * (count / parts)
    cells = np.arange(count)
    overlap: Floats = np.minimum(edges[1:, None], cells + 1) - np.maximum(edges[:-1, None], cells)
    return np.asarray(np.clip(overlap, 0, None) * (parts / count), dtype=np.float32)


@cache
def _cosines() -> Floats:
    k, n = np.arange(_LOW)[:, None], np.arange(SIDE)[None, :]
    return np.cos(np.pi * (2 * n + 1) * k / (2 * SIDE)).astype(np.float32)


def _family(texels: Bytes, channels: int, unit: float | None) -> tuple[str, float, str]:
    told = np.empty(8, np.float64)
    look_kernels.channels(texels, told)
    if channels == 2:
        if told[look_kernels.INSIDE_DISC] > 0.97:
            return "normal", 0.9, "two channels that are directions"
        return "colour", 0.4, "two channels that are no directions"
    if channels == 1 or told[look_kernels.SPREAD] < _COLOURED:
        dark, bright = told[look_kernels.DARK], told[look_kernels.BRIGHT]
        if dark + bright > 0.8 and min(dark, bright) > 0.05:
            return "mask", 0.8, "grey, nearly all of it black or white"
        return "grey", 0.8, "all channels alike"
    if unit is None:
        unit = float(told[look_kernels.UNIT])
    if unit > _UNIT and around_blue(told):
        return "normal", 0.95, "unit vectors around blue"
    if unit > _ROUGHLY_UNIT and around_blue(told):
        return "normal", 0.7, "vectors around blue, about of unit length"
    return "colour", 0.85, "three channels that differ"


def around_blue(told: NDArray[np.float64]) -> bool:
    """Tell whether texels point at the viewer on the whole, as a map of normals does."""
    aside = max(abs(told[look_kernels.MEAN_X]), abs(told[look_kernels.MEAN_Y]))
    return bool(told[look_kernels.MEAN_Z] > 0.3 and aside < 0.25)


def bluish(texels: Bytes) -> bool:
    """Tell whether a small picture may be one of normals, averaged: worth a look at full size."""
    told = np.empty(8, np.float64)
    look_kernels.channels(np.ascontiguousarray(texels), told)
    return told[look_kernels.SPREAD] >= _COLOURED and around_blue(told)


def _icon(texels: Bytes) -> tuple[float, str]:
    """Return how much a picture looks like an icon, and why."""
    height, width = texels.shape[:2]
    if min(height, width) < 8:
        return 0.0, "too small to tell"
    told = np.empty(6, np.float64)
    across, down = np.empty(width - 1, np.float64), np.empty(height - 1, np.float64)
    look_kernels.edges(texels, told, across, down)
    if told[look_kernels.RIM_CLEAR] > 0.9 and told[look_kernels.MIDDLE_SOLID] > 0.3:
        return 0.9, "a clear rim around it"
    whole = told[look_kernels.WHOLE_SPREAD]
    if whole > 12 and told[look_kernels.RIM_SPREAD] < 0.12 * whole:
        return 0.7, "one plain colour around it"
    worst = max(
        _unusual(told[look_kernels.STEP_ACROSS], across),
        _unusual(told[look_kernels.STEP_DOWN], down),
    )
    if worst < 1.3:
        return -0.8, "its edges meet"
    if worst > 2.2:
        return 0.4, "its edges do not meet"
    return 0.0, "its edges nearly meet"


def _unusual(step: float, inside: NDArray[np.float64]) -> float:
    """Return the step across the wrap beside the larger steps inside.

    Joints and ribs step inside too, so the larger steps are the measure.
    """
    place = int(0.95 * (len(inside) - 1))
    return float(step) / (float(np.partition(inside, place)[place]) + 0.5)
