"""Trial of the light that is taken out: planted lamps have to go, the matter's own has to stay."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import resample
from stonestack.core.runtime.parallel import processes
from stonestack.core.tile.light import BalanceLight, balance_light
from stonestack.demo.paint import Canvas
from stonestack.trials.matters import MATTERS, drawn

_SIDE = 400
_GRID = 12
_FLOOR = np.float32(0.004)
Lamp = Callable[[Floats, Floats, np.random.Generator], Floats]
"""From places -1..1 to light, float32, shape (height, width, 3)."""


def _tinted(light: Floats, rng: np.random.Generator, most: float) -> Floats:
    tint = 1 + rng.uniform(-most, most, 3)
    return np.asarray(np.power(light[..., np.newaxis], tint / tint.mean()), np.float32)


def _ramp(x: Floats, y: Floats, rng: np.random.Generator) -> Floats:
    turn, size = rng.uniform(0, 2 * math.pi), rng.uniform(0.15, 0.4)
    return np.asarray(1 + size * (x * math.cos(turn) + y * math.sin(turn)), np.float32)


def _near(x: Floats, y: Floats, rng: np.random.Generator) -> Floats:
    """A lamp near the picture: it falls off with the square of the distance."""
    cx, cy = rng.uniform(-1.2, 1.2, 2)
    far = rng.uniform(1.2, 2.2)
    return np.asarray(far**2 / (far**2 + np.square(x - cx) + np.square(y - cy)), np.float32)


def _spot(x: Floats, y: Floats, rng: np.random.Generator) -> Floats:
    cx, cy = rng.uniform(-0.5, 0.5, 2)
    wide, size = rng.uniform(0.35, 0.7), rng.uniform(0.25, 0.6)
    away = np.square(x - cx) + np.square(y - cy)
    return np.asarray(1 + size * np.exp(-away / (2 * wide**2)), np.float32)


def _plain(lamp: Callable[[Floats, Floats, np.random.Generator], Floats], tint: float) -> Lamp:
    return lambda x, y, rng: _tinted(lamp(x, y, rng), rng, tint)


LAMPS: dict[str, Lamp] = {
    "slope": _plain(_ramp, 0.0),
    "near lamp": _plain(_near, 0.0),
    "tinted slope": _plain(_ramp, 0.35),
    "spot": _plain(_spot, 0.15),
}


@dataclass(frozen=True)
class Outcome:
    """What became of one picture's light.

    Parameters
    ----------
    left : dict
        By lamp, the share of it that is still there.
    lost : float
        Share of the matter's own broad variation that was taken out of the unlit picture.
    own : float
        That variation, as the spread of the logarithm of linear light.
    """

    matter: str
    left: dict[str, float]
    lost: float
    own: float


def outcomes(seed: int) -> list[Outcome]:
    """Light each matter of a seed by each lamp, and balance it."""
    with processes(__name__) as pool:
        return list(pool.map(told, [(matter, seed) for matter in MATTERS]))


def told(task: tuple[str, int]) -> Outcome:
    matter, seed = task
    stored = drawn(matter, Canvas(_SIDE, _SIDE, seed * 100 + 7, False))
    unlit = colour.to_linear(stored)
    y, x = np.mgrid[-1 : 1 : _SIDE * 1j, -1 : 1 : _SIDE * 1j].astype(np.float32)
    left = {}
    even = _balanced(unlit)
    for n, (name, lamp) in enumerate(LAMPS.items()):
        light = lamp(x, y, np.random.default_rng((seed, n, len(matter))))
        light = light / np.exp(np.log(light).mean(axis=(0, 1)))
        lit = unlit * light * np.float32(min(1.0, 0.98 / float((unlit * light).max())))
        apart = _broad(_balanced(lit)) - _broad(even)
        planted = _broad(lit) - _broad(unlit)
        left[name] = abs(float((apart * planted).sum() / np.square(planted).sum()))
    own = _spread(_broad(unlit))
    return Outcome(matter, left, 1 - _spread(_broad(even)) / own, own)


def _balanced(linear: Floats) -> Floats:
    stored = colour.linear_to_bytes(np.clip(linear, 0, 1).astype(np.float32))
    picture = Picture(colour.bytes_to_linear(stored), Space.LINEAR)
    return balance_light(picture, BalanceLight()).pixels


def _broad(linear: Floats) -> Floats:
    logs = np.log(np.maximum(resample(linear, _GRID, _GRID, "box", False), _FLOOR))
    return np.asarray(logs - logs.mean(axis=(0, 1)), np.float32)


def _spread(logs: Floats) -> float:
    return float(np.sqrt(np.square(logs).mean())) + 1e-9


def table(told: Sequence[Outcome]) -> Iterator[str]:
    """Return the lines that sum a trial up."""
    yield f"{'matter':10} {'own':>5} {'lost':>5}  " + "  ".join(f"{name:>12}" for name in LAMPS)
    for o in told:
        shares = "  ".join(f"{100 * o.left[name]:10.0f} %" for name in LAMPS)
        yield f"{o.matter:10} {o.own:5.2f} {100 * o.lost:3.0f} %  {shares}"
    for name in LAMPS:
        yield f"{name}: median {100 * float(np.median([o.left[name] for o in told])):.0f} % left"
    lost = [o.lost for o in told if o.own > 0.03]
    yield f"Own variation lost where there is some: median {100 * float(np.median(lost)):.0f} %"
