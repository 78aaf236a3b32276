"""What a picture looks like, in a few bytes: for finding it again, and for telling its role.

The hash keeps the signs of the low frequencies of a discrete cosine transform of lightness
(C. Zauner, "Implementation and Benchmarking of Perceptual Image Hash Functions", 2010, section
3.2.1), 16 by 16 of them instead of 8 by 8, so that it tells apart surfaces of one kind.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from functools import cache

import numpy as np
from numpy.typing import NDArray

from stonestack.core.catalogue import look_numbers
from stonestack.core.catalogue.laid import Laid, laid
from stonestack.core.picture.image import Bytes, Floats
from stonestack.core.picture.measures.quantiles import median

SIDE = 32
_LOW = 16
HASH_BYTES = _LOW * _LOW // 8
_COLOURED = 2.0
"""Mean difference of the channels, of 255, from which on a picture has colour."""
_APART, _HARDLY = 0.3, 0.5
"""How little the channels of packed greys agree, surely and perhaps."""
_STILL, _LIVELY = 1.0, 6.0
"""Spreads of channels, of 255: one stays as it is, another does not."""
_NIGHT, _GLOW = 0.6, 0.25
"""Share of a glow that is black, and of the rest of it that shines."""
_PALE = 0.25
"""Share of a map of occlusion that is white, of a middle one that is nearly."""
_FINE, _MIDDLE = 0.3, 10.0
"""Of a map of fine grooves: share of its spread that is broad; how far its mean is from 128."""
_WIDE = 0.04
"""Share of a map that fills its range that is near black, and near white."""
_DIM = 100.0
"""Mean, of 255, below which a grey is dark on the whole."""
_BROAD = 8
_UNIT = 0.85
_ROUGHLY_UNIT = 0.45
_PARTLY_UNIT = 0.15
"""A bluish picture has as many by chance; a name may then say that they are normals."""
_FLAT = 1.5
"""Standard deviation, of 255, below which a picture has nothing to know it by."""


class Appearance(StrEnum):
    """What pictures look like, as far as pixels tell roles apart."""

    NORMAL = "normal"
    """Unit vectors around blue."""
    COLOUR = "colour"
    PACKED = "packed"
    """Three channels that do not go together."""
    GLOW = "glow"
    """Black, with parts that shine."""
    MASK = "mask"
    """Grey, nearly all of it black or white."""
    PALE = "pale"
    """Grey, white with darker hollows."""
    FINE = "fine"
    """Grey, details only round the middle."""
    WIDE = "wide"
    """Grey, from nearly black to nearly white."""
    DIM = "dim"
    """Grey, dark on the whole."""
    DEEP = "deep"
    """Grey in more than eight bits."""
    GREY = "grey"


_COLOURED_KINDS = frozenset({Appearance.COLOUR, Appearance.PACKED, Appearance.GLOW})
GREYS = frozenset(Appearance) - _COLOURED_KINDS - {Appearance.NORMAL}
KIN: dict[Appearance, frozenset[Appearance]] = {
    appearance: (GREYS if appearance in GREYS else _COLOURED_KINDS) - {appearance}
    for appearance in Appearance
}
"""For which others each may have been taken; nothing looks like normals by chance."""


@dataclass(frozen=True)
class Look:
    """What was seen.

    Parameters
    ----------
    appearance : Appearance
        The kind of picture that it looks like.
    sure : float
        How sure, 0..1.
    seen : str
        Why, in words.
    icon : float
        How much it looks like an icon rather than a wrapped surface, -1..1.
    icon_seen : str
        Why, in words.
    laid : Laid
        How it is laid out.
    laid_seen : str
        Why, in words; empty for one whole.
    flat : bool
        Nothing to see.
    hash : bytes
        :data:`HASH_BYTES` bytes.
    tones : bytes
        Mean colours of four by four parts, RGB.
    """

    appearance: Appearance
    sure: float
    seen: str
    icon: float
    icon_seen: str
    laid: Laid
    laid_seen: str
    flat: bool
    hash: bytes
    tones: bytes


def look(texels: Bytes, channels: int = 4, unit: float | None = None, deep: bool = False) -> Look:
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
    deep : bool
        Whether it is stored in more than eight bits.
    """
    from stonestack.core.catalogue import look_kernels

    texels = _only_read(texels)
    appearance, sure, seen = _appearance(texels, channels, unit, deep)
    icon, icon_seen = _icon(texels)
    lies, lies_seen = laid(texels)
    light = np.empty(texels.shape[:2], np.float32)
    tones = np.empty((4, 4, 3), np.float32)
    # What is not seen is no part of the look.
    spread = look_kernels.lightness(texels, channels == 4 and appearance not in GREYS, light, tones)
    return Look(
        appearance=appearance,
        sure=sure,
        seen=seen,
        icon=icon,
        icon_seen=icon_seen,
        laid=lies,
        laid_seen=lies_seen,
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


def _only_read(texels: Bytes) -> Bytes:
    """Return a view that is not written to: kernels are compiled for those alone."""
    view = np.ascontiguousarray(texels).view()
    view.flags.writeable = False
    return view


def _appearance(
    texels: Bytes, channels: int, unit: float | None, deep: bool
) -> tuple[Appearance, float, str]:
    from stonestack.core.catalogue import look_kernels

    told = np.empty(look_numbers.COUNTED, np.float64)
    look_kernels.channels(texels, told)
    if channels == 2:
        if told[look_numbers.INSIDE_DISC] > 0.97:
            return Appearance.NORMAL, 0.99, "two channels that are directions"
        return Appearance.PACKED, 0.6, "two channels that are no directions"
    if channels == 1 or told[look_numbers.SPREAD] < _COLOURED:
        return _grey(texels, told, deep)
    if unit is None:
        unit = float(told[look_numbers.UNIT])
    if unit > _UNIT and around_blue(told):
        return Appearance.NORMAL, 0.995, "unit vectors around blue"
    if unit > _ROUGHLY_UNIT and around_blue(told):
        return Appearance.NORMAL, 0.98, "vectors around blue, about of unit length"
    if unit > _PARTLY_UNIT and around_blue(told):
        return Appearance.NORMAL, 0.3, "around blue, some of unit length"
    return _coloured(texels, told)


def _grey(texels: Bytes, told: NDArray[np.float64], deep: bool) -> tuple[Appearance, float, str]:
    """Tell what a grey is like: its range and how broad its shapes are say a little of its role."""
    dark, bright = told[look_numbers.DARK], told[look_numbers.BRIGHT]
    if dark + bright > 0.8 and min(dark, bright) > 0.05:
        return Appearance.MASK, 0.8, "grey, nearly all of it black or white"
    if deep:
        return Appearance.DEEP, 0.9, "grey in more than eight bits"
    values = texels[..., :1].astype(np.float32)
    mean, spread = float(values.mean()), float(values.std())
    if bright > _PALE and told[look_numbers.WHITE] > 0.4 and mean < float(median(values)):
        return Appearance.PALE, 0.8, "grey, white with darker hollows"
    small = area(values, *(max(1, side // _BROAD) for side in values.shape[1::-1]))
    if abs(mean - 128) < _MIDDLE and float(small.std()) < _FINE * spread:
        return Appearance.FINE, 0.7, "grey, fine details round the middle"
    if min(dark, bright) > _WIDE:
        return Appearance.WIDE, 0.7, "grey, from black to white"
    if mean < _DIM:
        return Appearance.DIM, 0.7, "grey, dark on the whole"
    return Appearance.GREY, 0.7, "all channels alike"


def _coloured(texels: Bytes, told: NDArray[np.float64]) -> tuple[Appearance, float, str]:
    from stonestack.core.catalogue import look_kernels

    black = told[look_numbers.BLACK]
    if black > _NIGHT and told[look_numbers.SHINING] > _GLOW * (1 - black):
        return Appearance.GLOW, 0.95, "black, with parts that shine"
    pairs = np.empty(3, np.float64)
    look_kernels.together(texels, pairs)
    if pairs[look_numbers.LIVELIEST] > _LIVELY:
        if pairs[look_numbers.STILLEST] < _STILL:
            return Appearance.PACKED, 0.9, "one channel stays the same while another does not"
        if pairs[look_numbers.AGREEMENT] < _APART:
            return Appearance.PACKED, 0.97, "three channels that do not go together"
        if pairs[look_numbers.AGREEMENT] < _HARDLY:
            return Appearance.PACKED, 0.5, "three channels that hardly go together"
    return Appearance.COLOUR, 0.95, "three channels that differ"


def around_blue(told: NDArray[np.float64]) -> bool:
    """Tell whether texels point at the viewer on the whole, as a map of normals does."""
    aside = max(abs(told[look_numbers.MEAN_X]), abs(told[look_numbers.MEAN_Y]))
    return bool(told[look_numbers.MEAN_Z] > 0.3 and aside < 0.25)


def bluish(texels: Bytes) -> bool:
    """Tell whether a small picture may be one of normals, averaged: worth a look at full size."""
    from stonestack.core.catalogue import look_kernels

    told = np.empty(look_numbers.COUNTED, np.float64)
    look_kernels.channels(_only_read(texels), told)
    return told[look_numbers.SPREAD] >= _COLOURED and around_blue(told)


def _icon(texels: Bytes) -> tuple[float, str]:
    """Return how much a picture looks like an icon, and why."""
    from stonestack.core.catalogue import look_kernels

    height, width = texels.shape[:2]
    if min(height, width) < 8:
        return 0.0, "too small to tell"
    told = np.empty(6, np.float64)
    across, down = np.empty(width - 1, np.float64), np.empty(height - 1, np.float64)
    look_kernels.edges(texels, told, across, down)
    if told[look_numbers.RIM_CLEAR] > 0.9 and told[look_numbers.MIDDLE_SOLID] > 0.3:
        return 0.9, "a clear rim around it"
    whole = told[look_numbers.WHOLE_SPREAD]
    if whole > 12 and told[look_numbers.RIM_SPREAD] < 0.12 * whole:
        return 0.7, "one plain colour around it"
    worst = max(
        _unusual(told[look_numbers.STEP_ACROSS], across),
        _unusual(told[look_numbers.STEP_DOWN], down),
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
