"""Brushes for the demo pictures: noise, shapes by distance, and light.

Everything works on float32 arrays. Colour is sRGB-encoded 0..1 until light is laid on, and
lies in planes, shape (3, height, width), since brushes work plane by plane.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture import colour
from stonestack.core.picture.image import Bytes, Floats
from stonestack.core.picture.resize import resample


@dataclass(frozen=True)
class Canvas:
    """A drawing area with a seed of its own.

    Parameters
    ----------
    width, height : int
        Pixels.
    seed : int
        Fixes all noise.
    wraps : bool
        Whether noise continues over the edges.
    """

    width: int
    height: int
    seed: int
    wraps: bool = False

    @property
    def x(self) -> Floats:
        """Column positions in pixels, shape (1, width)."""
        return (np.arange(self.width, dtype=np.float32) + np.float32(0.5))[np.newaxis, :]

    @property
    def y(self) -> Floats:
        """Row positions in pixels, shape (height, 1)."""
        return (np.arange(self.height, dtype=np.float32) + np.float32(0.5))[:, np.newaxis]

    def noise(
        self, cell: float, octaves: int = 4, salt: int = 0, stretch: float = 1.0, fall: float = 0.5
    ) -> Floats:
        """Return smooth noise of mean 0 and about unit spread.

        Parameters
        ----------
        cell : float
            Pixels of the broadest feature, across.
        octaves : int
            Each next one is half as broad and ``fall`` times as strong.
        salt : int
            Another salt gives other noise from the same seed.
        stretch : float
            How many times longer features are down than across.
        """
        rng = np.random.default_rng((self.seed, salt))
        total = np.zeros((2, 2, 1), np.float32)
        strength = 1.0
        for octave in range(octaves):
            size = cell / 2**octave
            columns = min(self.width, max(2, round(self.width / size)))
            rows = min(self.height, max(2, round(self.height / size / stretch)))
            grid = rng.standard_normal((rows, columns, 1)).astype(np.float32)
            total = resample(total, columns, rows, "lanczos", self.wraps)
            total = total + grid * np.float32(strength)
            strength *= fall
        total = resample(total, self.width, self.height, "lanczos", self.wraps)
        spread = float(total.std()) or 1.0
        return (total[..., 0] / np.float32(spread)).astype(np.float32)


def step(edge: float, soft: float, values: NDArray[np.floating]) -> Floats:
    """Return 0 below ``edge``, 1 above, with a smooth ramp ``soft`` wide."""
    slope = 1 / max(soft, 1e-6)
    t = values.astype(np.float32, copy=False) * np.float32(slope)
    t += np.float32(0.5 - edge * slope)
    np.clip(t, 0, 1, out=t)
    bend = t * np.float32(-2)
    bend += np.float32(3)
    bend *= t
    bend *= t
    return bend


def fill(distance: Floats, soft: float = 1.2) -> Floats:
    """Return the coverage of a shape from its signed distance in pixels, inside negative."""
    return step(0, soft, -distance)


def mix(below: Floats, above: Floats | tuple[float, float, float], cover: Floats) -> Floats:
    """Lay colour ``above`` over ``below`` where ``cover`` (height, width) says."""
    planes = np.empty_like(below)
    for channel, plane in enumerate(planes):
        top = above[channel]
        np.subtract(top, below[channel], out=plane)
        plane *= cover
        plane += below[channel]
    return planes


def plain(canvas: Canvas, tint: tuple[float, float, float]) -> Floats:
    """Return a picture of one colour."""
    planes = np.empty((3, canvas.height, canvas.width), np.float32)
    planes[:] = np.asarray(tint, np.float32)[:, np.newaxis, np.newaxis]
    return planes


def hexed(code: str) -> tuple[float, float, float]:
    """Return the colour of a code such as ``#2b5d50``."""
    red, green, blue = (int(code[i : i + 2], 16) / 255 for i in (1, 3, 5))
    return red, green, blue


def toned(picture: Floats, by: Floats) -> Floats:
    """Make a picture lighter or darker: ``by`` (height, width) is a factor around 1."""
    return (picture * by).astype(np.float32)


def relief_light(
    height: Floats, strength: float, angle: float = 225.0, wraps: bool = False
) -> Floats:
    """Return a factor around 1 that lights a relief from one side.

    Parameters
    ----------
    height : ndarray, float32, shape (height, width)
        In pixels.
    strength : float
        How strongly slopes show.
    angle : float
        Where the light comes from, in degrees anticlockwise from the right.
    """
    if wraps:
        down = (np.roll(height, -1, 0) - np.roll(height, 1, 0)) / 2
        along = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) / 2
    else:
        down = np.asarray(np.gradient(height, axis=0))
        along = np.asarray(np.gradient(height, axis=1))
    turn = math.radians(angle)
    slope = -(along * math.cos(turn) - down * math.sin(turn))
    factor: Floats = (1 + np.tanh(slope * strength) * np.float32(0.5)).astype(np.float32)
    return factor


def uneven(canvas: Canvas, cx: float, cy: float, dark: float) -> Floats:
    """Return the fall-off of a lamp: 1 at (cx, cy), in shares of the sides, down to ``dark``."""
    dx = canvas.x / canvas.width - np.float32(cx)
    dy = canvas.y / canvas.height - np.float32(cy)
    return (np.float32(dark) + np.float32(1 - dark) / (1 + 2.2 * (dx * dx + dy * dy))).astype(
        np.float32
    )


def photographed(picture: Floats, light: Floats, grain: float, seed: int) -> Bytes:
    """Lay light on in linear space, add sensor grain, and store in 8 bits.

    Parameters
    ----------
    picture : ndarray, float32, shape (3, height, width)
        sRGB-encoded.
    light : ndarray, float32, shape (height, width)
        Factor in linear light.
    grain : float
        Spread of the grain on the stored scale.
    """
    linear = colour.to_linear(np.clip(picture, 0, 1)) * light
    stored = colour.to_srgb(linear)
    rng = np.random.default_rng((seed, 999))
    stored += rng.standard_normal(stored.shape[1:], dtype=np.float32) * np.float32(grain)
    return np.ascontiguousarray(colour.to_bytes(stored).transpose(1, 2, 0))


def cells(canvas: Canvas, count: int, salt: int) -> tuple[Floats, Floats, NDArray[np.int64]]:
    """Return distances to the nearest and second nearest of scattered points, and whose.

    Returns
    -------
    first, second : ndarray, float32, shape (height, width)
        Distances in pixels.
    owner : ndarray, int64, shape (height, width)
        Which point is nearest.
    """
    from scipy.spatial import KDTree

    rng = np.random.default_rng((canvas.seed, salt))
    points = rng.random((count, 2)) * (canvas.width, canvas.height)
    if canvas.wraps:
        shifts = [(i * canvas.width, j * canvas.height) for j in (0, -1, 1) for i in (0, -1, 1)]
        points = np.concatenate([points + shift for shift in shifts])
    # Asked on every second pixel each way and drawn up from there: distances are smooth
    # but for creases, which no brush needs sharper.
    half = Canvas((canvas.width + 1) // 2, (canvas.height + 1) // 2, 0)
    grid = np.stack(np.broadcast_arrays(half.x * 2, half.y * 2), axis=-1).reshape(-1, 2)
    distance, index = KDTree(points).query(grid.astype(np.float32), k=2)
    near = np.asarray(distance, np.float32).reshape(half.height, half.width, 2)
    near = resample(near, half.width * 2, half.height * 2, "lanczos", False)
    nearest = np.asarray(index)[:, 0] % count
    owner = nearest.reshape(half.height, half.width).repeat(2, 0).repeat(2, 1)
    cut = (slice(0, canvas.height), slice(0, canvas.width))
    first, second = near[..., 0][cut], near[..., 1][cut]
    return np.ascontiguousarray(first), np.ascontiguousarray(second), owner[cut].astype(np.int64)
