"""A layer of colour on any map: as colour, as plain numbers, or standing out of its normals."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from stonestack.core.picture import colour
from stonestack.core.picture.filters import gaussian
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.texels import normalised

_EDGE = 0.15
"""Per cent of the width over which an edge of what is stamped rises."""
_BROAD = 2.0
"""Per cent of the width: light that is broader than this is taken over, detail is not."""
_LEAST = 1e-3


def stamped(map_: Picture, layer: Picture, depth: float) -> Picture:
    """Return a layer of colour with straight alpha as a layer of a map.

    Parameters
    ----------
    map_ : Picture
        What it is laid over.
    layer : Picture
        Linear light with alpha, of the map's size.
    depth : float
        On vectors: how far it stands out, in per cent of the width; below zero it is sunk in.
    """
    opacity = layer.opacity
    assert opacity is not None
    if map_.space is Space.LINEAR:
        return layer
    if map_.space is Space.DATA:
        grey = colour.to_srgb(layer.body).mean(axis=2, keepdims=True, dtype=np.float32)
        grey = np.repeat(grey, map_.body.shape[2], axis=2)
        pixels = np.ascontiguousarray(np.concatenate([grey, opacity], axis=2))
        return replace(layer, pixels=pixels, space=Space.DATA)
    vectors = raised(map_, opacity[..., 0], depth)
    touched = gaussian(opacity, 2 * _EDGE / 100 * map_.width + 1, map_.wraps)
    cover = np.ascontiguousarray((touched > _LEAST).astype(np.float32))
    return Picture(np.concatenate([vectors, cover], axis=2), Space.VECTOR, True, map_.wraps)


def raised(normals: Picture, shape: Floats, depth: float) -> Floats:
    """Return normals with a shape standing out of them, green up.

    Slopes add: relief on relief is the sum of two heights.

    Parameters
    ----------
    normals : Picture
        Unit vectors.
    shape : ndarray, float32, shape (height, width)
        0..1: where it stands out in full.
    depth : float
        Per cent of the width.
    """
    soft = gaussian(shape[..., np.newaxis], _EDGE / 100 * normals.width + 0.5, normals.wraps)
    height = soft[..., 0] * np.float32(depth / 100 * normals.width)
    around = np.pad(height, 1, mode="wrap" if normals.wraps else "edge")
    along = (around[1:-1, 2:] - around[1:-1, :-2]) / 2
    down = (around[2:, 1:-1] - around[:-2, 1:-1]) / 2
    z = np.maximum(normals.body[..., 2], np.float32(0.05))
    slope_x = normals.body[..., 0] / z - along
    slope_y = normals.body[..., 1] / z + down
    return normalised(np.stack([slope_x, slope_y, np.ones_like(slope_x)], axis=2))


def fitted_to_light(map_: Picture, layer: Picture, share: float) -> Picture:
    """Return a layer with light and shade of what lies beneath, relative to their mean."""
    if share <= 0 or map_.space is not Space.LINEAR:
        return layer
    light = colour.luminance(map_.body)
    broad = gaussian(light, _BROAD / 100 * map_.width, map_.wraps)
    factor = np.maximum(broad / max(float(broad.mean()), 1e-4), np.float32(1e-3))
    return layer.with_body(np.clip(layer.body * factor ** np.float32(share), 0, 1))
