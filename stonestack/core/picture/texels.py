"""Stored texels: the one home of how working pictures become 8- or 16-bit numbers, and back.

Stored texels are ``uint8`` or ``uint16`` arrays of shape (height, width, channels), sRGB-encoded
where they are colour. A full value is 255 or 65535.
"""

from __future__ import annotations

from enum import StrEnum
from typing import Any, Literal, overload

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture import colour
from stonestack.core.picture.image import Bytes, Floats, Picture, Space

Texels = NDArray[np.unsignedinteger[Any]]
"""Stored numbers of either depth."""


_UNIT_WITHIN, _UNIT_SHARE = 0.03, 0.9
"""How far from 1 lengths of stored unit vectors lie, and how many of them are unit vectors."""


def full(texels: Texels) -> int:
    """Return the largest number that texels of this depth can hold."""
    return 65535 if texels.dtype == np.uint16 else 255


def at_depth(texels: Texels, bits: int) -> Texels:
    """Return stored texels at another depth, rounded to nearest; 8 bits come back exactly."""
    if bits == 8:
        return eight(texels)
    if texels.dtype == np.uint16:
        return texels
    return np.asarray(texels.astype(np.uint16) * np.uint16(257), np.uint16)


def eight(texels: Texels) -> Bytes:
    """Return stored texels in 8 bits, rounded to nearest."""
    if texels.dtype == np.uint8:
        return np.asarray(texels, np.uint8)
    return np.asarray((texels.astype(np.uint32) * 255 + 32767) // 65535, np.uint8)


def shrunk(texels: NDArray[Any], step: int, alpha: bool) -> NDArray[Any]:
    """Average squares of stored texels; those at the right and bottom edge may be cut.

    Parameters
    ----------
    texels : ndarray, uint8, uint16 or float32 in 0..1, shape (height, width, channels)
    step : int
        Side of the squares.
    alpha : bool
        Whether the last channel is alpha, by which the others are weighted.

    Returns
    -------
    ndarray
        Of the same depth; each side is divided by ``step`` and rounded up.
    """
    whole = texels.dtype.kind == "u"
    top = np.float32(full(texels) if whole else 1)
    means: Floats = np.asarray(texels / top, np.float32)
    if alpha:
        means[..., :-1] *= means[..., -1:]
    for axis in (0, 1):
        starts = np.arange(0, means.shape[axis], step)
        counts = np.diff([*starts, means.shape[axis]]).astype(np.float32)
        sums = np.add.reduceat(means, starts, axis=axis)
        spread = counts[:, np.newaxis, np.newaxis] if axis == 0 else counts[:, np.newaxis]
        means = np.asarray(sums / spread, np.float32)
    if alpha:
        means[..., :-1] /= np.maximum(means[..., -1:], np.float32(1e-9))
    return np.asarray(np.rint(means * top), texels.dtype) if whole else means


def depth(texels: Texels) -> int:
    """Return the bits a channel of stored texels: 8 or 16."""
    return 16 if texels.dtype == np.uint16 else 8


def quantised(values: Floats, bits: int) -> Texels:
    """Round 0..1 to stored numbers; no transfer function."""
    if bits == 8:
        return colour.to_bytes(values)
    return np.asarray(np.rint(np.clip(values, 0, 1) * np.float32(65535)), np.uint16)


def scaled(texels: Texels) -> Floats:
    """Return stored numbers as 0..1; no transfer function."""
    return np.asarray(texels, np.float32) / np.float32(full(texels))


@overload
def to_texels(picture: Picture) -> Bytes: ...


@overload
def to_texels(picture: Picture, bits: Literal[8]) -> Bytes: ...


@overload
def to_texels(picture: Picture, bits: int) -> Texels: ...


def to_texels(picture: Picture, bits: int = 8) -> Texels:
    """Store a picture in 8 or 16 bits a channel.

    Linear colour is sRGB-encoded; vectors go from -1..1 to the whole range, with 0 at its middle;
    data is scaled as it is. One-channel data is repeated in red, green and blue.

    Returns
    -------
    ndarray, uint8 or uint16, shape (height, width, 4)
        Alpha is full where the picture has none.
    """
    kind = np.uint8 if bits == 8 else np.uint16
    texels: Texels = np.full((picture.height, picture.width, 4), np.iinfo(kind).max, kind)
    if picture.space is Space.LINEAR and bits == 8:
        colour.encode_into(picture.body, texels[..., :3])
    elif picture.space is Space.LINEAR:
        texels[..., :3] = quantised(colour.to_srgb(picture.body), bits)
    elif picture.space is Space.VECTOR:
        texels[..., :3] = quantised(picture.body * np.float32(0.5) + np.float32(0.5), bits)
    else:
        texels[..., :3] = quantised(picture.body, bits)
    if picture.opacity is not None:
        texels[..., 3:] = quantised(picture.opacity, bits)
    return texels


def from_texels(texels: Texels, space: Space) -> Picture:
    """Read stored texels back as a working picture; the inverse of :func:`to_texels`.

    Parameters
    ----------
    texels : ndarray, uint8 or uint16, shape (height, width, 1 to 4)
        Two channels are the x and y of a unit vector.
    space : Space
        What they mean.
    """
    channels = texels.shape[2]
    bits = 16 if texels.dtype == np.uint16 else 8
    if space is Space.VECTOR:
        return Picture(unit_vectors(texels), space, bits=bits)
    if channels == 2:
        texels = texels[..., :1]
        channels = 1
    alpha = channels == 4 and bool((texels[..., 3] < full(texels)).any())
    body = texels[..., :3] if channels >= 3 else texels[..., :1]
    if space is Space.LINEAR:
        if channels == 1:
            body = np.repeat(body, 3, axis=2)
        shallow = body.dtype == np.uint8
        values = colour.bytes_to_linear(eight(body)) if shallow else colour.to_linear(scaled(body))
    else:
        values = scaled(body)
        if channels >= 3:
            values = values.mean(axis=2, keepdims=True, dtype=np.float32)
    if alpha:
        values = np.concatenate([values, scaled(texels[..., 3:])], axis=2)
    pixels = np.ascontiguousarray(values, dtype=np.float32)
    return Picture(pixels, space, alpha=alpha, bits=bits)


def signed_texels(picture: Picture) -> NDArray[np.int8]:
    """Store a picture in signed bytes, -127 to 127: vectors as they are, data from -1 to 1.

    Returns
    -------
    ndarray, int8, shape (height, width, 4)
    """
    out = np.full((picture.height, picture.width, 4), 127, np.int8)
    if picture.space is Space.VECTOR:
        body = picture.body
    else:
        plain = colour.to_srgb(picture.body) if picture.space is Space.LINEAR else picture.body
        body = plain * np.float32(2) - np.float32(1)
    out[..., :3] = np.rint(np.clip(body, -1, 1) * np.float32(127)).astype(np.int8)
    return out


def from_signed(stored: NDArray[np.int8], space: Space) -> Picture:
    """Read signed bytes back as a working picture; the inverse of :func:`signed_texels`.

    Parameters
    ----------
    stored : ndarray, int8, shape (height, width, 1 or 2)
    """
    values = np.asarray(np.maximum(stored, -127) / np.float32(127), np.float32)
    if space is Space.VECTOR:
        if values.shape[2] == 1:
            values = np.concatenate([values, np.zeros_like(values)], axis=2)
        return Picture(_with_z(values), space)
    return from_texels(unsigned(stored), space)


def unsigned(stored: NDArray[np.int8]) -> Bytes:
    """Return signed bytes as bytes from 0 to 255, for what only looks at them."""
    wide = np.maximum(stored, -127).astype(np.int16) + 127
    return np.asarray((wide * 255 + 127) // 254, np.uint8)


def halves_of(picture: Picture) -> NDArray[np.float16]:
    """Store a picture in half precision: linear light, vectors and data as they are.

    Returns
    -------
    ndarray, float16, shape (height, width, 4)
    """
    out = np.ones((picture.height, picture.width, 4), np.float16)
    most = np.float32(np.finfo(np.float16).max)
    out[..., :3] = np.clip(picture.body, -most, most)
    if picture.opacity is not None:
        out[..., 3:] = picture.opacity
    return out


def from_halves(stored: NDArray[np.float16], space: Space) -> Picture:
    """Read half precision back as a working picture; the inverse of :func:`halves_of`.

    Parameters
    ----------
    stored : ndarray, float16, shape (height, width, 4)
        What is no number becomes 0.
    """
    values = np.nan_to_num(np.asarray(stored, np.float32), nan=0.0)
    if space is Space.VECTOR:
        return Picture(normalised(values[..., :3]), space, bits=16)
    body = values[..., :3]
    if space is Space.DATA:
        body = body.mean(axis=2, keepdims=True, dtype=np.float32)
    alpha = np.clip(values[..., 3:], 0, 1)
    if (alpha < 1).any():
        return Picture(np.concatenate([body, alpha], axis=2), space, alpha=True, bits=16)
    return Picture(np.ascontiguousarray(body), space, bits=16)


def lit(stored: NDArray[np.float16]) -> Bytes:
    """Return half precision as bytes, for what only looks at it: clipped, and sRGB-encoded."""
    values = np.nan_to_num(np.asarray(stored, np.float32), nan=0.0)
    out: Bytes = np.empty(stored.shape, np.uint8)
    out[..., :3] = quantised(colour.to_srgb(np.clip(values[..., :3], 0, 1)), 8)
    out[..., 3:] = quantised(values[..., 3:], 8)
    return out


def _with_z(flat: Floats) -> Floats:
    """Return unit vectors from their x and y."""
    square = np.sum(np.square(flat), axis=2, keepdims=True)
    z = np.sqrt(np.maximum(np.float32(1) - square, np.float32(0)))
    return normalised(np.concatenate([flat, z], axis=2))


def unit_vectors(texels: Texels) -> Floats:
    """Read stored texels as unit vectors.

    Parameters
    ----------
    texels : ndarray, uint8 or uint16, shape (height, width, 1 to 4)
        With two channels z is rebuilt from unit length; with more it is read, and the
        vector is brought to unit length.

    Returns
    -------
    ndarray, float32, shape (height, width, 3)
    """
    if texels.shape[2] == 1:
        texels = np.concatenate([texels, np.full_like(texels, (full(texels) + 1) // 2)], axis=2)
    vectors = texels[..., :3].astype(np.float32) * np.float32(2 / full(texels)) - np.float32(1)
    if texels.shape[2] == 2:
        return _with_z(vectors)
    return normalised(vectors)


def vectors_as_stored(texels: Texels) -> Picture:
    """Read stored texels of three channels or more as vectors of the length that they have."""
    vectors = scaled(texels[..., :3]) * np.float32(2) - np.float32(1)
    bits = depth(texels)
    return Picture(np.ascontiguousarray(vectors), Space.VECTOR, bits=bits)


def normalised(vectors: Floats) -> Floats:
    """Bring vectors to unit length; those of no length face straight up.

    Parameters
    ----------
    vectors : ndarray, float32, shape (height, width, 3)
    """
    length = np.linalg.norm(vectors, axis=2, keepdims=True)
    up = np.array([0, 0, 1], dtype=np.float32)
    unit = np.where(length > 1e-6, vectors / np.maximum(length, 1e-6), up)
    return unit.astype(np.float32)


def are_unit_length(vectors: Floats) -> bool:
    """Tell whether vectors are of unit length, but for how coarsely they are stored.

    Parameters
    ----------
    vectors : ndarray, float32, shape (height, width, 3)
    """
    length = np.linalg.norm(vectors, axis=2)
    return float(np.mean(np.abs(length - 1) < _UNIT_WITHIN)) > _UNIT_SHARE


class Channel(StrEnum):
    """A channel of a map, as it is stored."""

    RED = "red"
    GREEN = "green"
    BLUE = "blue"


def numbers_of(picture: Picture, channel: Channel = Channel.RED) -> Floats:
    """Return a channel as it is stored, 0..1, shape (height, width)."""
    place = min(list(Channel).index(channel), picture.body.shape[2] - 1)
    one = picture.body[..., place]
    if picture.space is Space.LINEAR:
        return colour.to_srgb(one)
    return np.asarray(one * 0.5 + 0.5 if picture.space is Space.VECTOR else one, np.float32)
