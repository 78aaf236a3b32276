"""Rings of matters on which nothing was set: trials of how far what was set on others holds.

They share nothing with those of ``matters.py``: chips and blotches without grain, tiles that
differ more from one another than from their joints, scratches, threads.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats

Other = Callable[[int, int, Generator], Floats]
"""Draws a ring of so many columns and rows: tones, shape (height, width), about 0..1."""

_SQUARE = 320**2
_RELAXED = 2


def other(name: str, width: int, height: int, rng: Generator) -> Floats:
    """Return a ring in two tints of its own, stored values 0..1, shape (height, width, 3)."""
    tones = np.clip(OTHERS[name](width, height, rng), 0, 1)[..., np.newaxis]
    dark, light = rng.uniform(0.02, 0.15, 3), rng.uniform(0.75, 1, 3)
    return np.asarray(dark + (light - dark) * tones, np.float32)


def noise(width: int, height: int, rng: Generator, slope: float, most: float = 0.35) -> Floats:
    """Return waves of all directions, whose amplitude falls by a power; deviation 1."""
    return _waves(width, height, rng, slope, most, 1.0)


def _waves(
    width: int, height: int, rng: Generator, slope: float, most: float, along: float
) -> Floats:
    down, across = np.fft.fftfreq(height)[:, np.newaxis], np.fft.rfftfreq(width)
    count = np.hypot(down * along, across / along)
    count[0, 0] = 1
    share = count**-slope * np.exp(-np.square(count / most))
    share[0, 0] = 0
    waves = np.fft.rfft2(rng.standard_normal((height, width))) * share
    ring = np.fft.irfft2(waves, s=(height, width))
    return np.asarray(ring / ring.std(), np.float32)


def blotches(width: int, height: int, rng: Generator) -> Floats:
    """Patches of four tones, which vary in size and in how many edges they have."""
    tones = np.full((height, width), 0.3, np.float32)
    for tone in (0.42, 0.24, 0.55):
        tones[noise(width, height, rng, 0.5, 0.03) > 0.55] = tone
    return tones + np.float32(0.02) * noise(width, height, rng, 0.2)


def pied(width: int, height: int, rng: Generator) -> Floats:
    """Winding spots of one size, light on dark."""
    down, across = np.fft.fftfreq(height)[:, np.newaxis], np.fft.rfftfreq(width)
    band = np.exp(-np.square((np.hypot(down, across) - 0.05) / 0.015))
    waves = np.fft.rfft2(rng.standard_normal((height, width))) * band
    ring = np.fft.irfft2(waves, s=(height, width))
    light = 0.5 + 0.35 * np.tanh(3 * ring / ring.std())
    return np.asarray(light + 0.03 * noise(width, height, rng, 0.4), np.float32)


def brushed(width: int, height: int, rng: Generator) -> Floats:
    """Long fine strokes across."""
    strokes = _waves(width, height, rng, 0.5, 0.35, 0.2)
    return 0.55 + 0.07 * strokes + 0.02 * noise(width, height, rng, 0)


def corrugated(width: int, height: int, rng: Generator) -> Floats:
    """Even waves across."""
    count = max(6, round(width / 22))
    wave = np.sin(2 * np.pi * count * np.arange(width) / width)
    return np.asarray(0.5 + 0.2 * wave + 0.05 * noise(width, height, rng, 0.9), np.float32)


def _about(
    width: int, height: int, rng: Generator, count: int, reach: int
) -> Iterator[tuple[tuple[NDArray[np.int64], ...], Floats, Floats]]:
    """Yield what lies about places anywhere on the ring: where, and how far across and down."""
    near = np.arange(-reach, reach + 1)
    for _ in range(round(count * width * height / _SQUARE)):
        x, y = rng.uniform(0, width), rng.uniform(0, height)
        columns, rows = near + int(x), near + int(y)
        across, down = np.broadcast_arrays(columns - x, (rows - y)[:, np.newaxis])
        where = np.ix_(rows % height, columns % width)
        yield where, across.astype(np.float32), down.astype(np.float32)


def chips(width: int, height: int, rng: Generator) -> Floats:
    """A pale ground with chips of stone of any size and tone."""
    values = np.full((height, width), 0.8, np.float32)
    for where, x, y in _about(width, height, rng, 170, 24):
        size, inside = rng.uniform(3, 11), np.ones(x.shape, bool)
        for turn in rng.uniform(0, 2 * np.pi, 5):
            inside &= x * np.cos(turn) + y * np.sin(turn) < size * rng.uniform(0.6, 1)
        inside &= np.hypot(x, y) < 2 * size
        values[where] = np.where(inside, rng.uniform(0.2, 0.6), values[where])
    return values + np.float32(0.015) * noise(width, height, rng, 0.3)


def scratched(width: int, height: int, rng: Generator) -> Floats:
    """Light scratches of all directions."""
    values = 0.45 + 0.05 * noise(width, height, rng, 1)
    for where, x, y in _about(width, height, rng, 60, 54):
        turn, half, depth = rng.uniform(0, np.pi), rng.uniform(10, 50), rng.uniform(0.05, 0.2)
        along, aside = x * np.cos(turn) + y * np.sin(turn), y * np.cos(turn) - x * np.sin(turn)
        values[where] += depth * np.exp(-np.square(aside)) * (np.abs(along) < half)
    return np.asarray(values, np.float32)


def pitted(width: int, height: int, rng: Generator) -> Floats:
    """Even grey with small dark pits."""
    values = 0.6 + 0.04 * noise(width, height, rng, 1.1) + 0.02 * noise(width, height, rng, 0)
    for where, x, y in _about(width, height, rng, 50, 12):
        values[where] -= 0.25 * np.exp(-np.square(np.hypot(x, y) / rng.uniform(1, 3.5)))
    return np.asarray(values, np.float32)


def paving(width: int, height: int, rng: Generator) -> Floats:
    """Large flat stones of any shape, each of a tone of its own."""
    return _stones(width, height, rng, 60, 3)


def pebbles(width: int, height: int, rng: Generator) -> Floats:
    """Small round stones, close together."""
    return _stones(width, height, rng, 260, 5)


def _stones(width: int, height: int, rng: Generator, count: int, joint: float) -> Floats:
    from scipy.spatial import KDTree

    sides = np.array([width, height], np.float64)
    points = rng.random((round(count * width * height / _SQUARE), 2)) * sides
    down, across = np.mgrid[:height, :width]
    grid = np.stack([across.reshape(-1), down.reshape(-1)], axis=1)
    for _ in range(_RELAXED):
        nearest = KDTree(points, boxsize=sides).query(grid)[1]
        away = (grid - points[nearest] + sides / 2) % sides - sides / 2
        of = np.maximum(np.bincount(nearest, minlength=len(points)), 1)
        mean = [np.bincount(nearest, part, len(points)) / of for part in away.T]
        points = (points + np.stack(mean, axis=1)) % sides
        # What lies a rounding before nought comes out as a whole side.
        points[points >= sides] = 0
    found = KDTree(points, boxsize=sides).query(grid, k=2)
    apart, nearest = np.asarray(found[0]), np.asarray(found[1])
    edge = np.clip((apart[:, 1] - apart[:, 0]) / joint, 0, 1).reshape(height, width)
    tones = rng.normal(0, 0.1, (len(points),))[nearest[:, 0]].reshape(height, width)
    light = 0.5 + tones + 0.07 * noise(width, height, rng, 0.8)
    return np.asarray(light * (0.35 + 0.65 * edge), np.float32)


def glazed(width: int, height: int, rng: Generator) -> Floats:
    """Smooth square tiles of unlike tones, with pale joints."""
    counts = max(4, round(width / 50)), max(4, round(height / 50))
    down, across = np.mgrid[:height, :width]
    x, y = across * counts[0] / width, down * counts[1] / height
    edge = np.minimum(0.5 - np.abs(x % 1 - 0.5), 0.5 - np.abs(y % 1 - 0.5))
    tones = rng.normal(0, 0.05, counts[::-1])[y.astype(int), x.astype(int)]
    light = 0.45 + tones + 0.04 * noise(width, height, rng, 1.2)
    share = np.clip(edge / 0.03 - 0.5, 0, 1)
    joint = 0.85 * (1 + 0.05 * noise(width, height, rng, 0))
    return np.asarray(light * share + joint * (1 - share), np.float32)


def knit(width: int, height: int, rng: Generator) -> Floats:
    """Rows of loops."""
    counts = max(8, round(width / 16)), max(8, round(height / 14))
    down, across = np.mgrid[:height, :width]
    aside = np.abs((across * counts[0] / width) % 1 - 0.5)
    fall = (down * counts[1] / height + aside) % 1
    loop = np.sin(np.pi * fall) * np.sqrt(np.clip(1 - np.square((aside - 0.25) / 0.25), 0, 1))
    return np.asarray(0.15 + 0.7 * loop + 0.08 * noise(width, height, rng, 0.5), np.float32)


def scales(width: int, height: int, rng: Generator) -> Floats:
    """Rows of round tiles, half a tile apart, each of a tone of its own."""
    across, rows = max(6, round(width / 36)), 2 * max(3, round(height / 56))
    down, right = np.mgrid[:height, :width]
    row, fall = down * rows // height, (down * rows / height) % 1
    tones = rng.normal(0, 0.06, (rows, across))

    def tone_of(of: NDArray[np.int64]) -> NDArray[np.float64]:
        place = (right * across / width + 0.5 * (of % 2)) // 1
        return np.asarray(tones[of, place.astype(np.int64) % across])

    aside = (right * across / width + 0.5 * (row % 2)) % 1 - 0.5
    inside = fall - 1 + 0.9 * np.sqrt(np.clip(1 - np.square(2 * aside), 0, 1)) < 0
    light = np.where(inside, 0.62 + tone_of(row) - 0.15 * fall, 0.35 + tone_of((row - 1) % rows))
    return np.asarray(light + 0.08 * noise(width, height, rng, 0.8), np.float32)


OTHERS: dict[str, Other] = {
    "blotches": blotches,
    "pied": pied,
    "brushed": brushed,
    "corrugated": corrugated,
    "chips": chips,
    "scratched": scratched,
    "pitted": pitted,
    "paving": paving,
    "pebbles": pebbles,
    "glazed": glazed,
    "knit": knit,
    "scales": scales,
}
OTHERS_STRUCTURED = frozenset({"glazed", "knit", "scales"})
"""Those that recur on a lattice."""
