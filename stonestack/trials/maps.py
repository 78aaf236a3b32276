"""Trial of what is derived from a picture: scenes of a seed, lit four ways, against their truth."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.runtime.parallel import processes
from stonestack.core.steps.derive.height import HeightFromColour, height_from_colour
from stonestack.core.steps.derive.normal import NormalFromHeight, normal_from_height
from stonestack.core.steps.derive.shine import SpecularFromColour, specular_from_colour
from stonestack.core.steps.derive.slopes import slopes_of
from stonestack.trials import scenes

PERIODS = (32.0, 8.0, 4.0, 3.0, 2.5)
"""Texels of the waves that kernels are tried on."""
WORSE = 1.005
"""From this ratio on normals are called worse than flat ones."""


@dataclass(frozen=True)
class Outcome:
    """What was made of one picture.

    Parameters
    ----------
    ground, light : str
    alike : float
        Correlation of the heights with the true ones; 0 for a print.
    joints : float
        How much lower joints lie than the rest, in spreads of the height; 0 where there are none.
    off, flat : float
        Mean angle of the usual normals to the true ones, and of a flat map, in degrees.
    lit : float
        Correlation of the specular map with the light that was received, in size.
    """

    ground: str
    light: str
    alike: float
    joints: float
    off: float
    flat: float
    lit: float

    @property
    def is_print(self) -> bool:
        """Whether it shows what is flat."""
        return self.ground.startswith("print")


def outcomes(seed: int, side: int = scenes.SIDE) -> list[Outcome]:
    """Draw each ground of a seed under each light, and make heights, normals and specular of it."""
    tasks = [(ground, seed, side) for ground in scenes.GROUNDS]
    with processes(__name__) as pool:
        return [outcome for told in pool.map(_told, tasks) for outcome in told]


def _told(task: tuple[str, int, int]) -> list[Outcome]:
    ground, seed, side = task
    scene = scenes.scene(ground, seed, side)
    return [
        outcome(ground, name, scene, light, seed) for name, light in scenes.lights(seed).items()
    ]


def outcome(ground: str, name: str, scene: scenes.Scene, light: scenes.Light, seed: int) -> Outcome:
    """Make maps of one picture, and hold them against the scene."""
    stored = scenes.photograph(scene, light, seed)
    picture = Picture(colour.bytes_to_linear(stored), Space.LINEAR, wraps=True)
    height = height_from_colour(picture, HeightFromColour())
    made = normal_from_height(height, NormalFromHeight()).pixels
    shine = specular_from_colour(picture, SpecularFromColour()).pixels[..., 0]
    true = scenes.normals(scene.height)
    level = np.broadcast_to(np.array([0, 0, 1], np.float32), true.shape)
    values = height.pixels[..., 0]
    received = scenes.received(scene.height, light)
    return Outcome(
        ground,
        name,
        _alike(values, scene.height),
        0.0 if scene.joints is None else _lower(values, scene.joints),
        _apart(made, true),
        _apart(level, true),
        abs(_alike(shine, received)),
    )


def kernels() -> dict[str, dict[float, float]]:
    """Return how much of a wave's slope each kernel gives, by its period in texels."""
    at = np.arange(480, dtype=np.float32)
    found: dict[str, dict[float, float]] = {}
    for kernel in ("fine", "plain", "soft"):
        found[kernel] = {}
        for period in PERIODS:
            wave = np.sin(2 * np.pi * at / period).astype(np.float32)
            right, _ = slopes_of(np.tile(wave, (16, 1)), kernel, True)
            true = 2 * np.pi / period * np.cos(2 * np.pi * at / period)
            found[kernel][period] = float(right[8] @ true / (true @ true))
    return found


def _alike(one: Floats, two: Floats) -> float:
    if one.std() < 1e-6 or two.std() < 1e-6:
        return 0.0
    return float(np.corrcoef(one.ravel(), two.ravel())[0, 1])


def _lower(values: Floats, joints: Floats) -> float:
    inside, spread = joints > 0.5, max(float(values.std()), 1e-6)
    return float(values[~inside].mean() - values[inside].mean()) / spread


def _apart(one: Floats, two: Floats) -> float:
    return float(np.degrees(np.arccos(np.clip((one * two).sum(axis=2), -1, 1))).mean())


def table(told: Sequence[Outcome]) -> Iterator[str]:
    """Return the lines that sum a trial up."""
    names = list(dict.fromkeys(o.light for o in told))
    yield f"{'':22}" + "".join(f"{name:>22}" for name in names)
    yield f"{'height, normals/flat':22}" + f"{'':>22}" * len(names)
    for ground in dict.fromkeys(o.ground for o in told):
        own = {o.light: o for o in told if o.ground == ground}
        cells = "".join(f"{_cell(own[name]):>22}" for name in names)
        yield f"{ground:22}{cells}"
    for name in names:
        yield _summary(name, [o for o in told if o.light == name])
    jointed = [o for o in told if o.joints]
    deep = sum(o.joints > 0.5 for o in jointed)
    yield f"Joints lie deep: {deep} of {len(jointed)}"
    shine = [o.lit for o in told if not o.is_print]
    yield f"Specular and the light received: mean correlation {np.mean(shine):.2f}"
    for kernel, shares in kernels().items():
        waves = ", ".join(f"{period:g}: {100 * share:.0f} %" for period, share in shares.items())
        yield f"Slopes by {kernel}, of waves of so many texels: {waves}"


def _cell(one: Outcome) -> str:
    if one.is_print:
        return f"{one.off:.1f}°"
    return f"{one.alike:5.2f} {one.off:5.1f}/{one.flat:4.1f}"


def _summary(name: str, told: Sequence[Outcome]) -> str:
    relief = [o for o in told if not o.is_print]
    alike = [o.alike for o in relief]
    worse = sum(o.off > o.flat * WORSE for o in relief)
    prints = [o.off for o in told if o.is_print]
    return (
        f"{name}: height alike {np.mean(alike):.2f} (median {np.median(alike):.2f}), upside down "
        f"{sum(a < 0 for a in alike)} of {len(alike)}; normals "
        f"{np.mean([o.off / o.flat for o in relief]):.2f} of flat, worse {worse}; prints "
        f"{np.mean(prints):.1f}°"
    )
