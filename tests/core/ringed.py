"""Rings of matters that are no part of the trials, for faults that were once seen in them."""

import numpy as np
from numpy.random import Generator

from stonestack.core.image import Floats


def noise(width: int, height: int, rng: Generator, slope: float, most: float = 0.35) -> Floats:
    """Return waves of any direction whose amplitude falls with their count, deviation 1."""
    down, across = np.fft.fftfreq(height)[:, np.newaxis], np.fft.rfftfreq(width)
    count = np.hypot(down, across)
    count[0, 0] = 1
    share = count**-slope * np.exp(-np.square(count / most))
    share[0, 0] = 0
    waves = np.fft.rfft2(rng.standard_normal((height, width))) * share
    ring = np.fft.irfft2(waves, s=(height, width))
    return np.asarray(ring / ring.std(), np.float32)


def grey(values: Floats) -> Floats:
    """Return three channels of the same, 0..1."""
    return np.asarray(np.clip(np.stack([values] * 3, axis=-1), 0, 1), np.float32)


def blotches(width: int, height: int, seed: int) -> Floats:
    """Patches of four tones, which vary in size and in how many edges they have."""
    rng = np.random.default_rng(seed)
    tones = np.full((height, width), 0.3, np.float32)
    for tone in (0.42, 0.24, 0.55):
        tones[noise(width, height, rng, 0.5, 0.03) > 0.55] = tone
    return grey(tones + 0.02 * noise(width, height, rng, 0.2))


def chips(width: int, height: int, seed: int) -> Floats:
    """A pale ground with chips of stone of any size and tone."""
    rng = np.random.default_rng(seed)
    down, across = np.mgrid[:height, :width].astype(np.float32)
    values = np.full((height, width), 0.8, np.float32)
    for _ in range(int(170 * width * height / 320**2)):
        x = (across - rng.uniform(0, width) + width / 2) % width - width / 2
        y = (down - rng.uniform(0, height) + height / 2) % height - height / 2
        size, inside = rng.uniform(3, 11), np.ones(values.shape, bool)
        for turn in rng.uniform(0, 2 * np.pi, 5):
            inside &= x * np.cos(turn) + y * np.sin(turn) < size * rng.uniform(0.6, 1)
        values[inside & (np.hypot(x, y) < 2 * size)] = rng.uniform(0.2, 0.6)
    return grey(values + 0.015 * noise(width, height, rng, 0.3))


def scales(width: int, height: int, seed: int) -> Floats:
    """Rows of round tiles, half a tile apart, each of a tone of its own."""
    rng = np.random.default_rng(seed)
    across, rows = max(6, round(width / 36)), 2 * max(3, round(height / 56))
    down, right = np.mgrid[:height, :width]
    row, fall = down * rows // height, (down * rows / height) % 1
    tones = rng.normal(0, 0.06, (rows, across))

    def tone_of(of: Floats) -> Floats:
        place = (right * across / width + 0.5 * (of % 2)) // 1
        return np.asarray(tones[of, place.astype(int) % across])

    aside = (right * across / width + 0.5 * (row % 2)) % 1 - 0.5
    inside = fall - 1 + 0.9 * np.sqrt(np.clip(1 - np.square(2 * aside), 0, 1)) < 0
    light = np.where(inside, 0.62 + tone_of(row) - 0.15 * fall, 0.35 + tone_of((row - 1) % rows))
    return grey(0.15 + 0.55 * (light + 0.08 * noise(width, height, rng, 0.8)))
