"""How much a tile is still like the picture that it was made of, and whether that is matter at all.

Three things are held against one another: how colours are distributed, how much energy each band of
sizes has in each direction, and how strongly the structure recurs, as in D. Heeger and J. Bergen,
"Pyramid-Based Texture Analysis/Synthesis", SIGGRAPH 1995, section 2, without the pyramid's filters.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from stonestack.core.picture.image import Floats
from stonestack.core.picture.measures.quantiles import quantiles
from stonestack.core.picture.resize import at_most, resample
from stonestack.core.tile.period import Lattice, find_lattice_of

_SIDE = 320
_BANDS = 4
_QUANTILES = 33
_FLOOR = 1e-4
_COLOUR_HALVED = 0.06
"""Mean distance of colours, on the stored scale, that halves the likeness."""
_ENERGY_HALVED = 0.35
"""The same for the mean ratio of energies, as a logarithm."""
_STRUCTURED = 0.3
_PARTS = 4
_SCENE = 0.34
_OPPONENT = np.array([[1 / 3, 1 / 3, 1 / 3], [0.5, -0.5, 0], [0.25, 0.25, -0.5]], np.float32).T


@dataclass(frozen=True)
class Character:
    """What a matter is known by, wherever it is cut.

    Parameters
    ----------
    colours : ndarray, float32, shape (33, 3)
        Quantiles of lightness and two opponent colours.
    energies : ndarray, float32, shape (bands, 4)
        Logarithms of the mean squared difference along x, y and both diagonals, finest first.
    lattice : Lattice or None
        How it recurs.
    """

    colours: Floats
    energies: Floats
    lattice: Lattice | None


def character_of(values: Floats) -> Character:
    """Return what a matter is known by.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        As the eye weighs them.
    """
    small = at_most(values, _SIDE)
    three = small if small.shape[2] == 3 else np.repeat(small[..., :1], 3, axis=2)
    shares = np.linspace(0.01, 0.99, _QUANTILES)
    colours = quantiles((three @ _OPPONENT).reshape(-1, 3), shares, axis=0)
    return Character(colours, _energies(three.mean(axis=2)), find_lattice_of(small))


def _energies(light: Floats) -> Floats:
    bands = []
    scale = light[..., np.newaxis]
    for band in range(_BANDS):
        if band:
            height, width = scale.shape[0] // 2, scale.shape[1] // 2
            if min(height, width) < 8:
                break
            scale = resample(scale, width, height, "box", False)
        flat = scale[..., 0]
        steps = (
            np.diff(flat, axis=1),
            np.diff(flat, axis=0),
            flat[1:, 1:] - flat[:-1, :-1],
            flat[1:, :-1] - flat[:-1, 1:],
        )
        bands.append([math.log(float(np.square(step).mean()) + _FLOOR**2) for step in steps])
    return np.asarray(bands, np.float32)


def likeness(source: Character, tile: Character) -> float:
    """Return how like a tile is to its source, 0..1."""
    colour = float(np.abs(source.colours - tile.colours).mean())
    bands = min(len(source.energies), len(tile.energies))
    apart = np.abs(source.energies[:bands] - tile.energies[:bands]) / 2
    alike = 2 ** -(colour / _COLOUR_HALVED) * 2 ** -(float(apart.mean()) / _ENERGY_HALVED)
    return round(float(alike) * _structure_kept(source.lattice, tile.lattice), 3)


def _structure_kept(source: Lattice | None, tile: Lattice | None) -> float:
    if source is None or source.strength < _STRUCTURED:
        return 1.0
    return min(1.0, (tile.strength if tile is not None else 0.1) / source.strength)


def unlike_itself(values: Floats) -> float:
    """Return how much parts of a picture differ from one another, 0 for matter.

    Four by four parts are compared in their colours and in the energy of their details, beside
    what the slope of a lamp explains.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        As the eye weighs them.
    """
    small = at_most(values, _SIDE)
    light = small.mean(axis=2)
    detail = np.hypot(np.diff(light, axis=1)[:-1], np.diff(light, axis=0)[:, :-1])
    tones = small - small.mean(axis=(0, 1))
    spread = math.sqrt(float(np.square(tones).mean())) + 0.01
    means = _without_slope(_parts(small)) / spread
    energies = _without_slope(np.log(_parts(detail[..., np.newaxis]) + 0.002))
    return float(np.sqrt(np.square(means).mean()) * 0.5 + np.sqrt(np.square(energies).mean()) * 0.7)


def is_scene(values: Floats) -> bool:
    """Tell whether a picture shows a scene or an object, and no matter that goes on."""
    return unlike_itself(values) > _SCENE


def _parts(values: Floats) -> Floats:
    return np.asarray(
        [
            [part.mean(axis=(0, 1)) for part in np.array_split(row, _PARTS, axis=1)]
            for row in np.array_split(values, _PARTS, axis=0)
        ],
        np.float32,
    )


def _without_slope(parts: Floats) -> Floats:
    """Take the plane out that fits best: a lamp's fall-off is no difference of the matter."""
    y, x = np.mgrid[0:_PARTS, 0:_PARTS].reshape(2, -1)
    terms = np.stack([np.ones_like(x), x, y], axis=1).astype(np.float64)
    flat = parts.reshape(_PARTS * _PARTS, -1)
    found, *_ = np.linalg.lstsq(terms, flat, rcond=None)
    return np.asarray(flat - terms @ found, np.float32)
