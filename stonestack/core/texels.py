"""Between working pictures and stored 8-bit texels, by role."""

from __future__ import annotations

import numpy as np

from stonestack.core import colour
from stonestack.core.image import Bytes, Floats, Picture, Space


def to_texels(picture: Picture) -> Bytes:
    """Store a picture in 8 bits a channel.

    Linear colour is sRGB-encoded; vectors go from -1..1 to 0..255, with 0 at 127.5; data
    is scaled as it is. One-channel data is repeated in red, green and blue.

    Returns
    -------
    ndarray, uint8, shape (height, width, 4)
        Alpha is 255 where the picture has none.
    """
    if picture.space is Space.LINEAR:
        body = colour.linear_to_bytes(picture.body)
    elif picture.space is Space.VECTOR:
        body = colour.to_bytes(picture.body * np.float32(0.5) + np.float32(0.5))
    else:
        body = colour.to_bytes(picture.body)
    texels = np.full((picture.height, picture.width, 4), 255, np.uint8)
    texels[..., :3] = body
    if picture.opacity is not None:
        texels[..., 3:] = colour.to_bytes(picture.opacity)
    return texels


def from_texels(texels: Bytes, space: Space) -> Picture:
    """Read stored texels back as a working picture; the inverse of :func:`to_texels`.

    Parameters
    ----------
    texels : ndarray, uint8, shape (height, width, 1 to 4)
        Two channels are the x and y of a unit vector.
    space : Space
        What they mean.
    """
    channels = texels.shape[2]
    if space is Space.VECTOR:
        return Picture(unit_vectors(texels), space)
    if channels == 2:
        texels = texels[..., :1]
        channels = 1
    alpha = channels == 4 and bool((texels[..., 3] < 255).any())
    body = texels[..., :3] if channels >= 3 else texels[..., :1]
    if space is Space.LINEAR:
        if channels == 1:
            body = np.repeat(body, 3, axis=2)
        values = colour.bytes_to_linear(body)
    else:
        values = body.astype(np.float32) / np.float32(255)
        if channels >= 3:
            values = values.mean(axis=2, keepdims=True, dtype=np.float32)
    if alpha:
        opacity = texels[..., 3:].astype(np.float32) / np.float32(255)
        values = np.concatenate([values, opacity], axis=2)
    return Picture(np.ascontiguousarray(values, dtype=np.float32), space, alpha=alpha)


def unit_vectors(texels: Bytes) -> Floats:
    """Read stored texels as unit vectors.

    Parameters
    ----------
    texels : ndarray, uint8, shape (height, width, 1 to 4)
        With two channels z is rebuilt from unit length; with more it is read, and the
        vector is brought to unit length.

    Returns
    -------
    ndarray, float32, shape (height, width, 3)
    """
    if texels.shape[2] == 1:
        texels = np.concatenate([texels, np.full_like(texels, 128)], axis=2)
    scaled = texels[..., :3].astype(np.float32) * np.float32(2 / 255) - np.float32(1)
    if texels.shape[2] == 2:
        flat = np.sum(np.square(scaled), axis=2, keepdims=True)
        z = np.sqrt(np.maximum(np.float32(1) - flat, np.float32(0)))
        scaled = np.concatenate([scaled, z], axis=2)
    return normalised(scaled)


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
