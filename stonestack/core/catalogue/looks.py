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

from stonestack.core.image import Bytes, Floats

SIDE = 32
_LOW = 16
HASH_BYTES = _LOW * _LOW // 8
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


def look(texels: Bytes, channels: int = 4) -> Look:
    """Look at a picture.

    Parameters
    ----------
    texels : ndarray, uint8, shape (height, width, 4)
        Stored texels, at any size; about 64 to 256 on the longer side is enough.
    channels : int
        Channels of the stored format: two of blocks are a vector's x and y.
    """
    values = texels.astype(np.float32)
    family, sure, seen = _family(values, channels)
    icon, icon_seen = _icon(values)
    body = values[..., :3]
    if channels == 4 and family == "colour":
        # What is not seen is no part of the look; the ground is a middle grey.
        cover = values[..., 3:] / np.float32(255)
        body = body * cover + np.float32(118) * (1 - cover)
    lightness = body @ np.array([0.299, 0.587, 0.114], np.float32)
    flat = float(body.std(axis=(0, 1)).max()) < _FLAT
    small = area(body, 4, 4)
    return Look(
        family=family,
        sure=sure,
        seen=seen,
        icon=icon,
        icon_seen=icon_seen,
        flat=flat,
        hash=hashed(lightness),
        tones=np.clip(np.rint(small), 0, 255).astype(np.uint8).tobytes(),
    )


def hashed(lightness: Floats) -> bytes:
    """Return the perceptual hash of a picture's lightness, any size."""
    small = area(lightness[..., np.newaxis], SIDE, SIDE)[..., 0]
    basis = _cosines()
    low = basis @ small @ basis.T
    low[0, 0] = 0
    return np.packbits(low > np.median(low)).tobytes()


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


def _family(values: Floats, channels: int) -> tuple[str, float, str]:
    if channels == 2:
        flat = np.square(values[..., :2] * np.float32(2 / 255) - 1).sum(axis=2)
        inside = float((flat <= 1.03).mean())
        if inside > 0.97:
            return "normal", 0.9, "two channels that are directions"
        return "colour", 0.4, "two channels that are no directions"
    red, green, blue = values[..., 0], values[..., 1], values[..., 2]
    spread = float(np.maximum(np.abs(red - green), np.abs(green - blue)).mean())
    if channels == 1 or spread < 2.0:
        ends = float(((red < 24) | (red > 231)).mean())
        both = min(float((red < 24).mean()), float((red > 231).mean()))
        if ends > 0.8 and both > 0.05:
            return "mask", 0.8, "grey, nearly all of it black or white"
        return "grey", 0.8, "all channels alike"
    vectors = values[..., :3] * np.float32(2 / 255) - 1
    lengths = np.sqrt(np.square(vectors).sum(axis=2))
    unit = float((np.abs(lengths - 1) < 0.12).mean())
    if unit > 0.85 and float(vectors[..., 2].mean()) > 0.4:
        middle = float(np.abs(vectors[..., :2].mean(axis=(0, 1))).max())
        if middle < 0.25:
            return "normal", 0.95, "unit vectors around blue"
    return "colour", 0.85, "three channels that differ"


def _icon(values: Floats) -> tuple[float, str]:
    """Return how much a picture looks like an icon, and why."""
    height, width = values.shape[:2]
    if min(height, width) < 8:
        return 0.0, "too small to tell"
    alpha = values[..., 3]
    rim = np.concatenate([alpha[0], alpha[-1], alpha[:, 0], alpha[:, -1]])
    inside = alpha[height // 4 : -height // 4, width // 4 : -width // 4]
    if float((rim < 16).mean()) > 0.9 and float((inside > 128).mean()) > 0.3:
        return 0.9, "a clear rim around it"
    body = values * (alpha[..., np.newaxis] / np.float32(255))
    ring = np.concatenate([body[0], body[-1], body[:, 0], body[:, -1]])
    spread = float(ring.std(axis=0).max())
    whole = float(body.std(axis=(0, 1)).max())
    if whole > 12 and spread < 0.12 * whole:
        return 0.7, "one plain colour around it"
    across = _wrap_step(body)
    down = _wrap_step(body.transpose(1, 0, 2))
    worst = max(across, down)
    if worst < 1.3:
        return -0.8, "its edges meet"
    if worst > 2.2:
        return 0.4, "its edges do not meet"
    return 0.0, "its edges nearly meet"


def _wrap_step(body: Floats) -> float:
    """Return the step across the wrap beside the usual step between columns."""
    step = np.abs(body[:, 0] - body[:, -1]).mean()
    inside = np.abs(np.diff(body, axis=1)).mean(axis=(0, 2))
    # Joints and ribs step inside too, so the larger steps are the measure.
    usual = float(np.percentile(inside, 95)) + 0.5
    return float(step) / usual
