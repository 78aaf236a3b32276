"""Tiles with graded defects of known size, and how they rank: written before the scores were.

Each defect is laid into a tile that is a true ring. ``RANKING`` says how bad a person finds the
tile when it is repeated over a wall, from 0 (nothing shows) to 5 (it is the first thing seen).
The scores have to agree with it; it is not to be changed to agree with them.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

import numpy as np
from scipy.ndimage import gaussian_filter

from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from tests.support import noise

SIDE = 320
Defect = Callable[[Floats, Floats], Floats]
"""Takes a tile, and an unlike larger picture of the same matter; values as stored, 0..1."""


def stochastic(side: int, seed: int, wraps: bool) -> Floats:
    """Grit in three sizes of grain."""
    layers = [
        (noise(side, side, seed + n, cell, wraps) - np.float32(0.5)) * np.float32(share)
        for n, (cell, share) in enumerate(((2, 0.12), (5, 0.2), (16, 0.14)))
    ]
    grey = sum(layers).mean(axis=2, keepdims=True)  # type: ignore[union-attr]
    tint = np.array([0.5, 0.45, 0.38], np.float32)
    return np.clip(tint + grey + np.float32(0.25) * sum(layers), 0, 1).astype(np.float32)


def bricks(side: int, seed: int, wraps: bool) -> Floats:
    """Running bond: eight courses of four bricks each a tone of its own, rough, with joints."""
    # A raw picture holds no whole number of bricks.
    wide, high = (SIDE / 4, SIDE / 8) if wraps else (SIDE / 4.3, SIDE / 8.6)
    y, x = np.mgrid[0:side, 0:side].astype(np.float32) + np.float32(0.5)
    course = np.floor(y / high).astype(int)
    shifted = x + (course % 2) * wide / 2
    column = np.floor(shifted / wide).astype(int)
    rows, columns = (8, 4) if wraps else (64, 64)
    tone = np.random.default_rng(seed).uniform(-0.05, 0.05, (rows, columns)).astype(np.float32)
    own = tone[course % rows, column % columns]
    edge = np.minimum(
        np.minimum(shifted % wide, wide - shifted % wide), np.minimum(y % high, high - y % high)
    )
    joint = np.clip((edge - 2.0) / 1.5, 0, 1)[..., np.newaxis]
    rough = stochastic(side, seed, wraps)
    brick = rough * np.float32(0.5) + np.array([0.33, 0.14, 0.1], np.float32) + own[..., np.newaxis]
    mortar = rough * np.float32(0.4) + np.float32(0.4)
    return np.clip(mortar + (brick - mortar) * joint, 0, 1).astype(np.float32)


def weave(side: int, seed: int, wraps: bool) -> Floats:
    """Cloth: threads over and under, sixteen each way, uneven in tone."""
    threads = 16 if wraps else 16.37
    # Pixels have their middles between the threads' edges, else the first row is a dark line.
    places = np.mgrid[0:side, 0:side].astype(np.float32) + np.float32(0.5)
    y, x = places * np.float32(2 * np.pi * threads / SIDE)
    over = np.sin(x) * np.sin(y)
    thread = np.where(over > 0, np.abs(np.sin(x)), np.abs(np.sin(y))) * np.float32(0.25)
    rough = stochastic(side, seed, wraps)
    return np.clip(rough * np.float32(0.6) + thread[..., np.newaxis], 0, 1).astype(np.float32)


BASES: dict[str, Callable[[int, int, bool], Floats]] = {
    "stochastic": stochastic,
    "bricks": bricks,
    "weave": weave,
}


def whole(tile: Floats, _raw: Floats) -> Floats:
    """The tile itself, cut elsewhere."""
    return np.roll(tile, (SIDE // 3, SIDE // 5), axis=(0, 1))


def toned_step(size: float) -> Defect:
    """A slope of tone from the left edge to the right: its step of ``size`` is at the edge."""

    def make(tile: Floats, _raw: Floats) -> Floats:
        slope = np.linspace(-0.5, 0.5, SIDE, dtype=np.float32)[np.newaxis, :, np.newaxis]
        return tile + slope * np.float32(size)

    return make


def blurred(sigma: float, half: int = 12) -> Defect:
    """A band of 2 × ``half`` pixels over the left edge, blurred."""

    def make(tile: Floats, _raw: Floats) -> Floats:
        soft = gaussian_filter(tile, (sigma, sigma, 0), mode="wrap")
        away = np.minimum(np.arange(SIDE), SIDE - 1 - np.arange(SIDE))
        share = np.clip((half - away) / 4, 0, 1).astype(np.float32)[np.newaxis, :, np.newaxis]
        return tile + (soft - tile) * share

    return make


def cross_faded(share: float) -> Defect:
    """A raw picture made to tile by fading one edge into the other over ``share`` of the width."""

    def make(_tile: Floats, raw: Floats) -> Floats:
        overlap = round(SIDE * share)
        fade = np.linspace(0, 1, overlap, dtype=np.float32)[np.newaxis, :, np.newaxis]
        band = raw[:SIDE, SIDE : SIDE + overlap] * (1 - fade) + raw[:SIDE, :overlap] * fade
        faded = np.concatenate([band, raw[:SIDE, overlap:SIDE]], axis=1)
        down = np.linspace(0, 1, overlap, dtype=np.float32)[:, np.newaxis, np.newaxis]
        below = raw[SIDE : SIDE + overlap, :SIDE] * (1 - down) + faded[:overlap] * down
        return np.concatenate([below, faded[overlap:]], axis=0)

    return make


def spot(contrast: float, radius: float = 14) -> Defect:
    """One soft spot that is lighter than all else."""

    def make(tile: Floats, _raw: Floats) -> Floats:
        y, x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
        away = np.hypot(x - SIDE * 0.4, y - SIDE * 0.55)
        bump = np.clip(1.5 - away / radius, 0, 1)[..., np.newaxis]
        return tile + np.float32(contrast) * bump

    return make


def lit(amount: float) -> Defect:
    """Broad light that meets at the edges: one bright and one dark half in each repeat."""

    def make(tile: Floats, _raw: Floats) -> Floats:
        x = np.arange(SIDE, dtype=np.float32) * np.float32(2 * np.pi / SIDE)
        wave = np.cos(x)[np.newaxis, :, np.newaxis] + np.sin(x)[:, np.newaxis, np.newaxis]
        return tile * (1 + np.float32(amount / 2) * wave)

    return make


def mirrored(_tile: Floats, raw: Floats) -> Floats:
    """A quarter, turned over to fill the rest."""
    half = raw[: SIDE // 2, : SIDE // 2]
    wide = np.concatenate([half, half[:, ::-1]], axis=1)
    return np.concatenate([wide, wide[::-1]], axis=0)


def untiled(_tile: Floats, raw: Floats) -> Floats:
    """A raw picture as it is."""
    return raw[:SIDE, :SIDE]


def untiled_in_light(_tile: Floats, raw: Floats) -> Floats:
    """A raw picture as it is, lit from one side."""
    light = np.linspace(0.75, 1.25, SIDE, dtype=np.float32)[np.newaxis, :, np.newaxis]
    return raw[:SIDE, :SIDE] * light


RANKING: tuple[tuple[str, Defect, float], ...] = (
    ("whole", whole, 0),
    ("step 1/255", toned_step(1 / 255), 0),
    ("cross-fade 6 %", cross_faded(0.06), 1),
    ("blur 1.0 px", blurred(1.0), 1),
    ("spot 0.12", spot(0.12), 1),
    ("light 8 %", lit(0.08), 1.5),
    ("cross-fade 20 %", cross_faded(0.2), 2),
    ("blur 3.0 px", blurred(3.0), 2),
    ("step 12/255", toned_step(12 / 255), 2),
    ("spot 0.25", spot(0.25), 2.5),
    ("mirror", mirrored, 2.5),
    ("not tiled", untiled, 3),
    ("step 30/255", toned_step(30 / 255), 3),
    ("light 25 %", lit(0.25), 3.5),
    ("spot 0.5", spot(0.5), 3.5),
    ("not tiled, in light", untiled_in_light, 4.5),
    ("step 80/255", toned_step(80 / 255), 4.5),
    ("light 60 %", lit(0.6), 5),
)
"""Each defect with how bad it is, over all bases."""

FAMILIES: tuple[tuple[str, ...], ...] = (
    ("whole", "step 1/255", "step 12/255", "step 30/255", "step 80/255"),
    ("whole", "blur 1.0 px", "blur 3.0 px"),
    ("whole", "spot 0.12", "spot 0.25", "spot 0.5"),
    ("whole", "light 8 %", "light 25 %", "light 60 %"),
    ("whole", "not tiled", "not tiled, in light"),
)
"""Within one family the order holds strictly, over every base."""


@cache
def made(base: str, defect: str) -> Picture:
    """Return a base with a defect, as a linear picture."""
    tile = BASES[base](SIDE, 3, True)
    raw = BASES[base](round(SIDE * 1.3), 5, False)
    make = next(m for name, m, _ in RANKING if name == defect)
    return Picture(colour.to_linear(np.clip(make(tile, raw), 0, 1)), Space.LINEAR, wraps=True)
