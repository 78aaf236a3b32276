"""Another picture, repeated over a map."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats, Picture, Space, premultiplied, straightened
from stonestack.core.picture.resize import resize


def repeated(
    like: Picture, picture: Picture, repeats: float, turn: float, shift: tuple[float, float]
) -> Picture:
    """Return a picture repeated over another's area, as a layer.

    Parameters
    ----------
    like : Picture
        Its size, meaning and whether it wraps are followed. Where it wraps, the pattern's two steps
        go a whole number of times into both sides: the nearest repeats and turn that do.
    repeats : float
        Over the width.
    turn : float
        Degrees clockwise.
    shift : tuple of float
        Across and down, in repeats.
    """
    matrix = _lattice(like, picture, repeats, turn)
    # At the resolution at which it will be seen, so that nothing is skipped.
    texels = like.width / max(float(np.hypot(matrix[0, 0], matrix[0, 1])), 1e-6)
    width = max(1, min(picture.width, round(texels)))
    height = max(1, min(picture.height, round(texels * picture.height / picture.width)))
    small = resize(replace(_as(picture, like), wraps=True), width, height)
    values = premultiplied(small)
    x = (np.arange(like.width) + 0.5) / like.width
    y = ((np.arange(like.height) + 0.5) / like.height)[:, np.newaxis]
    u = matrix[0, 0] * x + matrix[0, 1] * y - shift[0]
    v = matrix[1, 0] * x + matrix[1, 1] * y - shift[1]
    out = _sampled(values, u, v, like.whole)
    return straightened(out, replace(small, wraps=like.wraps))


def _lattice(like: Picture, picture: Picture, repeats: float, turn: float) -> NDArray[np.float64]:
    """Return how many steps of the pattern lie across and down the map, both ways of it."""
    angle = math.radians(turn)
    tall = like.height / like.width
    down = repeats * picture.width / picture.height
    matrix = np.array(
        [
            [repeats * math.cos(angle), repeats * tall * math.sin(angle)],
            [-down * math.sin(angle), down * tall * math.cos(angle)],
        ]
    )
    if not like.wraps:
        return matrix
    whole = np.round(matrix)
    if round(abs(float(np.linalg.det(whole)))) == 0:
        # So few repeats that rounding loses a way: upright, at least one step each.
        whole = np.diag(np.maximum(1, np.round(np.abs(np.diag(matrix)))))
    return np.asarray(whole, np.float64)


def _as(picture: Picture, like: Picture) -> Picture:
    """Return a picture of colour as the numbers of a map: as it is, or its mean."""
    if like.space is Space.LINEAR or picture.space is like.space:
        return picture
    grey = picture.body.mean(axis=2, keepdims=True, dtype=np.float32)
    grey = np.repeat(grey, like.body.shape[2], axis=2)
    pixels = grey if picture.opacity is None else np.concatenate([grey, picture.opacity], axis=2)
    return replace(picture, pixels=np.ascontiguousarray(pixels), space=like.space)


def _sampled(values: Floats, u: NDArray[np.float64], v: NDArray[np.float64], whole: bool) -> Floats:
    """Return a ring both ways at places in shares of its sides: lines between samples, or none."""
    import cv2

    height, width = values.shape[:2]
    if whole:
        rows, columns = (np.floor(v * height) % height, np.floor(u * width) % width)
        taken = values[rows.astype(np.int64), columns.astype(np.int64)]
        return np.asarray(taken, np.float32)
    ring = np.concatenate([values, values[:1]], axis=0)
    ring = np.concatenate([ring, ring[:, :1]], axis=1)
    x = ((u * width - 0.5) % width).astype(np.float32)
    y = ((v * height - 0.5) % height).astype(np.float32)
    out = cv2.remap(ring, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(out, np.float32).reshape(*x.shape, values.shape[2])
