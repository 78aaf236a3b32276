"""Colour: the only home of the sRGB transfer function.

Source: IEC 61966-2-1:1999, sections 5.2 (decoding) and 5.3 (encoding); luminance weights
from ITU-R BT.709-6, item 3.2.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

import numpy as np

from stonestack.core.picture.image import Bytes, Floats, Picture, Space
from stonestack.core.runtime.parallel import over_bands, texelwise

LUMINANCE = np.array([0.2126, 0.7152, 0.0722], dtype=np.float32)
"""Weights of linear red, green and blue in relative luminance (BT.709)."""

STEPS = 1 << 16
"""Even steps from 0 to 1 of tables of tones."""


def to_linear(encoded: Floats) -> Floats:
    """Decode sRGB values to linear light.

    Parameters
    ----------
    encoded : ndarray, float32
        sRGB-encoded values, 0..1, any shape.

    Returns
    -------
    ndarray, float32
        Linear-light values, 0..1, same shape.
    """
    low = encoded / np.float32(12.92)
    high = ((np.maximum(encoded, 0.0) + np.float32(0.055)) / np.float32(1.055)) ** np.float32(2.4)
    return np.where(encoded <= 0.04045, low, high).astype(np.float32)


def to_srgb(linear: Floats) -> Floats:
    """Encode linear light as sRGB; clips to 0..1.

    Parameters
    ----------
    linear : ndarray, float32
        Linear-light values, any shape.

    Returns
    -------
    ndarray, float32
        sRGB-encoded values, 0..1, same shape.
    """
    clipped = np.clip(linear, 0.0, 1.0)
    low = clipped * np.float32(12.92)
    high = np.float32(1.055) * clipped ** np.float32(1 / 2.4) - np.float32(0.055)
    return np.where(clipped <= 0.0031308, low, high).astype(np.float32)


@cache
def _decode_table() -> Floats:
    return to_linear(np.arange(256, dtype=np.float32) / np.float32(255))


@cache
def _encode_table() -> Bytes:
    steps = np.arange(STEPS + 1, dtype=np.float32) / np.float32(STEPS)
    return to_bytes(to_srgb(steps))


def bytes_to_linear(stored: Bytes) -> Floats:
    """Decode 8-bit sRGB to linear float32 by table; exact for each of the 256 values."""
    return _decode_table()[stored]


def linear_to_bytes(linear: Floats) -> Bytes:
    """Encode linear light as 8-bit sRGB, rounded to nearest.

    Notes
    -----
    Goes through a table of 65,537 steps, which is fine enough that every 8-bit value
    comes back from :func:`bytes_to_linear` unchanged (the darkest sRGB step spans 19.9
    table steps).
    """
    out = np.empty(linear.shape, np.uint8)
    encode_into(linear, out)
    return out


def encode_into(linear: Floats, out: Bytes) -> None:
    """Do what :func:`linear_to_bytes` does, into an array whose last axis may be a part of one."""
    from stonestack.core.picture.kernels.srgb import stepped

    count = linear.shape[-1]
    flat = np.ascontiguousarray(linear, dtype=np.float32).reshape(-1, count)
    rows, table = out.reshape(-1, count), _encode_table()
    over_bands(lambda a, b: stepped(flat[a:b], table, rows[a:b]), len(flat), 1 << 15)


def seen(picture: Picture) -> Floats:
    """Return a picture's body on the scale that the eye is even on.

    Returns
    -------
    ndarray, float32, shape (height, width, 1 or 3)
        Colour as it is stored; data and vectors as they are.
    """
    return to_seen(picture.body) if picture.space is Space.LINEAR else picture.body


def to_seen(linear: Floats) -> Floats:
    """Encode as :func:`to_srgb` does: many times faster, off by less than 1e-6."""
    from stonestack.core.picture.kernels.srgb import encoded

    return _each(encoded, linear)


def from_seen(encoded: Floats) -> Floats:
    """Decode as :func:`to_linear` does: many times faster, off by less than 1e-6; clips to 0..1."""
    from stonestack.core.picture.kernels.srgb import decoded

    return _each(decoded, encoded)


def _each(kernel: Callable[[Floats, Floats], None], values: Floats) -> Floats:
    """Return what a kernel makes of each value, over all cores."""
    flat = np.ascontiguousarray(values, dtype=np.float32).reshape(-1)
    out = np.empty_like(flat)
    over_bands(lambda a, b: kernel(flat[a:b], out[a:b]), flat.size, 1 << 15)
    return out.reshape(values.shape)


def by_table(values: Floats, table: Floats) -> Floats:
    """Return values, 0..1, through a table at even steps from 0 to 1, with lines between."""
    from stonestack.core.picture.kernels.srgb import through

    return _each(lambda part, out: through(part, table, out), values)


def by_matrix(values: Floats, matrix: Floats) -> Floats:
    """Return ``matrix @ value`` for each value, shape (height, width, 3), clipped to 0..1."""

    return texelwise(lambda rows: np.clip(rows @ matrix.T, 0, 1), values)


def bent(picture: Picture, table: Floats) -> Floats:
    """Return a picture's body through a table, on the scale that the eye is even on."""
    if picture.space is not Space.LINEAR:
        return by_table(picture.body, table)
    return texelwise(lambda rows: from_seen(by_table(to_seen(rows), table)), picture.body)


def to_bytes(values: Floats) -> Bytes:
    """Quantise 0..1 to 8 bits, rounded to nearest; no transfer function."""
    return (np.clip(values, 0.0, 1.0) * np.float32(255) + np.float32(0.5)).astype(np.uint8)


def luminance(linear: Floats) -> Floats:
    """Return relative luminance of linear colour.

    Parameters
    ----------
    linear : ndarray, float32, shape (height, width, 3)

    Returns
    -------
    ndarray, float32, shape (height, width, 1)
    """
    return (linear @ LUMINANCE)[..., np.newaxis].astype(np.float32)


def lightness(linear: Floats) -> Floats:
    """Return an even scale of perceived lightness, 0..1: luminance, sRGB-encoded.

    Shape (height, width, 3) to (height, width, 1).
    """
    return to_srgb(luminance(linear))
