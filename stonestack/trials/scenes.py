"""Scenes of known height, light and albedo: what a map derived from a picture is held against.

Each ground gives a relief in pixels and an albedo, drawn from a seed on a ring; a light is laid on
by what each point sees of the sky and of the sun, with the shadows that it casts. Nothing of it is
shared with the derivations.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from stonestack.core.picture import colour
from stonestack.core.picture.image import Bytes, Floats
from stonestack.demo.paint import Canvas, cells, step

SIDE = 384
_AZIMUTHS = 16
_DISTANCES = (1, 2, 3, 4, 6, 8, 11, 15, 20, 27, 36)
Planes = tuple[Floats, Floats]


@dataclass(frozen=True)
class Scene:
    """What a picture shows.

    Parameters
    ----------
    height : ndarray, float32, shape (rows, columns)
        In pixels, mean 0; all the same for a print.
    albedo : ndarray, float32, shape (rows, columns, 3)
        Linear, 0..1.
    joints : ndarray of bool, shape (rows, columns), or None
        Where joints lie.
    """

    height: Floats
    albedo: Floats
    joints: Floats | None = None

    @property
    def is_print(self) -> bool:
        """Whether it is flat."""
        return float(self.height.std()) < 1e-6


@dataclass(frozen=True)
class Light:
    """How a scene is lit.

    Parameters
    ----------
    azimuth : float
        Where the sun stands, in degrees anticlockwise from the right.
    elevation : float
        Degrees over the plane.
    sky : float
        Share of the light that comes from all of the sky, 0..1.
    """

    azimuth: float = 0.0
    elevation: float = 90.0
    sky: float = 1.0


def _rng(canvas: Canvas, salt: int) -> np.random.Generator:
    return np.random.default_rng((canvas.seed, 7000 + salt))


def _tint(rng: np.random.Generator, least: float, most: float, much: float = 0.15) -> Floats:
    light = rng.uniform(least, most)
    warm = rng.uniform(-0.3, 1.0) * much
    return np.array([light * (1 + warm), light, light * (1 - warm)], np.float32)


def _painted(tint: Floats, by: Floats) -> Floats:
    return np.asarray(tint * np.clip(by, 0.2, 2.0)[..., np.newaxis], np.float32)


def _between(low: Floats, high: Floats, share: Floats) -> Floats:
    t = share[..., np.newaxis]
    return np.asarray(low * (1 - t) + high * t, np.float32)


def _domes(canvas: Canvas, count: int, salt: int) -> tuple[Floats, Floats, float]:
    """Return distance to the rim of each of scattered cells, their owners' chance, and size."""
    first, second, owner = cells(canvas, count, salt)
    chance = np.random.default_rng((canvas.seed, salt)).uniform(0, 1, count).astype(np.float32)
    size = math.sqrt(canvas.width * canvas.height / count)
    return np.clip(second - first, 0, None), chance[owner], size


def _plaster(canvas: Canvas) -> Scene:
    rng = _rng(canvas, 1)
    broad = canvas.noise(rng.uniform(40, 90), 3, 1) * np.float32(rng.uniform(1.5, 4))
    tooth = canvas.noise(rng.uniform(6, 12), 3, 2) * np.float32(rng.uniform(0.3, 0.9))
    clouds = 1 + canvas.noise(120, 2, 3) * np.float32(rng.uniform(0.0, 0.05))
    return Scene(broad + tooth, _painted(_tint(rng, 0.45, 0.75, 0.08), clouds))


def _sand(canvas: Canvas) -> Scene:
    rng = _rng(canvas, 2)
    warp = canvas.noise(80, 3, 1) * np.float32(9)
    waves = round(rng.uniform(7, 13))
    turn = canvas.y / canvas.height * np.float32(2 * math.pi * waves) + warp * np.float32(0.2)
    ripples = (np.sin(turn) + 0.3 * np.sin(2 * turn + 1)) * np.float32(rng.uniform(1.5, 3.5))
    grain = canvas.noise(4, 2, 2) * np.float32(0.25)
    speckle = 1 + canvas.noise(2, 1, 3) * np.float32(0.05)
    return Scene(np.asarray(ripples + grain, np.float32), _painted(_tint(rng, 0.3, 0.5), speckle))


def _gravel(canvas: Canvas) -> Scene:
    rng = _rng(canvas, 3)
    rim, chance, size = _domes(canvas, round(rng.uniform(150, 500)), 58)
    dome = np.sqrt(np.clip(rim / size, 0, 1)) * np.float32(size * rng.uniform(0.25, 0.45))
    own = 0.65 + 0.7 * chance
    rough = canvas.noise(5, 2, 4) * np.float32(0.25)
    return Scene(dome + rough, _painted(_tint(rng, 0.2, 0.4), own))


def _cobbles(canvas: Canvas, pale: bool) -> Scene:
    rng = _rng(canvas, 4)
    rim, chance, size = _domes(canvas, round(rng.uniform(25, 70)), 59)
    inside = step(0.12, 0.12, rim / size)
    dome = np.clip(rim / size, 0, 0.8) * np.float32(size * rng.uniform(0.06, 0.16))
    height = inside * (np.float32(size * 0.08) + dome) + canvas.noise(10, 3, 5) * np.float32(0.5)
    stone = _painted(_tint(rng, 0.15, 0.3), 0.8 + 0.4 * chance + canvas.noise(9, 3, 6) * 0.06)
    tone = _tint(rng, 0.5, 0.7) if pale else _tint(rng, 0.05, 0.1)
    mortar = _painted(tone, 1 + canvas.noise(4, 2, 7) * 0.05)
    return Scene(height, _between(mortar, stone, inside), 1 - inside)


def _bricks(canvas: Canvas, pale: bool) -> Scene:
    rng = _rng(canvas, 5)
    across, down = int(rng.integers(3, 6)), 2 * int(rng.integers(3, 6))
    wide, high = canvas.width / across, canvas.height / down
    y, x = np.broadcast_arrays(canvas.y, canvas.x)
    course = np.floor(y / high).astype(int)
    moved = x + (course % 2) * np.float32(wide / 2)
    column = np.floor(moved / wide).astype(int) % across
    chance = rng.uniform(-1, 1, (down, across)).astype(np.float32)[course % down, column]
    edge = np.minimum(
        np.minimum(moved % wide, wide - moved % wide), np.minimum(y % high, high - y % high)
    ) + canvas.noise(9, 2, 8) * np.float32(0.6)
    joint = float(rng.uniform(2.0, 4.0))
    inside = step(joint, joint * 0.8, edge)
    height = inside * np.float32(rng.uniform(3, 6)) + chance * np.float32(0.5)
    height = height + canvas.noise(12, 3, 9) * np.float32(0.35)
    tint = np.array([0.32, 0.12, 0.08], np.float32) * np.float32(rng.uniform(0.7, 1.3))
    if rng.uniform() < 0.4:
        tint = _tint(rng, 0.15, 0.3)
    face = _painted(tint, 1 + 0.2 * chance + canvas.noise(10, 3, 10) * 0.08)
    tone = _tint(rng, 0.5, 0.7, 0.05) if pale else _tint(rng, 0.04, 0.09)
    mortar = _painted(tone, 1 + canvas.noise(4, 2, 11) * 0.06)
    return Scene(np.asarray(height, np.float32), _between(mortar, face, inside), 1 - inside)


def _tiles(canvas: Canvas, pale: bool) -> Scene:
    rng = _rng(canvas, 6)
    across = int(rng.integers(3, 8))
    side = canvas.width / across
    y, x = np.broadcast_arrays(canvas.y, canvas.x)
    place = np.floor(y / side).astype(int) % across, np.floor(x / side).astype(int) % across
    chance = rng.uniform(-1, 1, (across, across)).astype(np.float32)[place]
    edge = np.minimum(np.minimum(x % side, side - x % side), np.minimum(y % side, side - y % side))
    joint = float(rng.uniform(1.5, 3.0))
    inside = step(joint, joint, edge)
    height = inside * np.float32(rng.uniform(1.5, 3)) + canvas.noise(60, 2, 12) * np.float32(0.08)
    body = _painted(_tint(rng, 0.2, 0.5), 1 + 0.08 * chance + canvas.noise(30, 3, 13) * 0.04)
    tone = _tint(rng, 0.65, 0.8, 0.04) if pale else _tint(rng, 0.04, 0.1)
    return Scene(
        np.asarray(height, np.float32),
        _between(_painted(tone, 1 + canvas.noise(4, 1, 14) * 0.04), body, inside),
        1 - inside,
    )


def _planks(canvas: Canvas) -> Scene:
    rng = _rng(canvas, 7)
    count = int(rng.integers(4, 8))
    wide = canvas.width / count
    board = np.floor(canvas.x / wide).astype(int)
    away = np.minimum(canvas.x % wide, wide - canvas.x % wide)
    full = (canvas.height, canvas.width)
    chance = np.broadcast_to(rng.uniform(-1, 1, count).astype(np.float32)[board], full)
    inside = np.broadcast_to(step(2.5, 2.0, away), full)
    grain = canvas.noise(9, 3, 15, stretch=12)
    height = inside * np.float32(4) + chance * 0.8 + grain * np.float32(rng.uniform(0.2, 0.6))
    streaks = canvas.noise(25, 3, 16, stretch=10)
    wood = _painted(_tint(rng, 0.15, 0.35, 0.4), 1 + 0.15 * chance + 0.1 * streaks + 0.05 * grain)
    gap = _painted(_tint(rng, 0.03, 0.06), np.ones(full, np.float32))
    return Scene(np.asarray(height, np.float32), _between(gap, wood, inside), 1 - inside)


def _weave(canvas: Canvas) -> Scene:
    rng = _rng(canvas, 8)
    threads = 2 * int(rng.integers(8, 18))
    x = np.broadcast_to(
        canvas.x * np.float32(np.pi * threads / canvas.width), (canvas.height, canvas.width)
    )
    y = np.broadcast_to(canvas.y * np.float32(np.pi * threads / canvas.height), x.shape)
    over = np.sin(x) * np.sin(y) > 0
    bow = np.where(over, np.abs(np.sin(x)) * np.abs(np.cos(y / 2)), np.abs(np.sin(y)))
    height = np.sqrt(bow) * np.float32(canvas.width / threads * 0.25)
    own = 1 + canvas.noise(6, 2, 17, stretch=6) * 0.06
    return Scene(np.asarray(height, np.float32), _painted(_tint(rng, 0.2, 0.5), own))


def _rock(canvas: Canvas) -> Scene:
    rng = _rng(canvas, 9)
    ridged = 1 - np.abs(canvas.noise(rng.uniform(50, 90), 5, 18))
    height = ridged * np.float32(rng.uniform(4, 8)) + canvas.noise(30, 4, 19) * np.float32(1.5)
    veins = 1 + canvas.noise(50, 4, 20) * np.float32(0.12)
    return Scene(np.asarray(height, np.float32), _painted(_tint(rng, 0.15, 0.4), veins))


def _pitted(canvas: Canvas) -> Scene:
    """Metal with rust: what is eaten lies deeper, and is darker and redder."""
    rng = _rng(canvas, 10)
    where = canvas.noise(rng.uniform(50, 100), 5, 21, fall=0.6)
    eaten = step(0.4, 0.5, where)
    rough = canvas.noise(6, 3, 22)
    height = -eaten * np.float32(rng.uniform(1.5, 3)) + rough * (0.1 + 0.6 * eaten)
    iron = _painted(_tint(rng, 0.3, 0.5, 0.02), 1 + canvas.noise(40, 3, 23) * 0.05)
    tint = np.array([0.22, 0.08, 0.03], np.float32)
    return Scene(
        np.asarray(height, np.float32), _between(iron, _painted(tint, 1 + 0.15 * rough), eaten)
    )


def _leather(canvas: Canvas) -> Scene:
    rng = _rng(canvas, 11)
    rim, _, size = _domes(canvas, round(rng.uniform(300, 900)), 60)
    pebbles = np.clip(rim / size, 0, 0.35) * np.float32(size * 0.4)
    broad = canvas.noise(70, 2, 24) * np.float32(1.0)
    own = 1 + canvas.noise(90, 3, 25) * np.float32(0.08)
    return Scene(
        np.asarray(pebbles + broad, np.float32), _painted(_tint(rng, 0.05, 0.25, 0.5), own)
    )


def _flat(canvas: Canvas, albedo: Floats) -> Scene:
    return Scene(np.zeros((canvas.height, canvas.width), np.float32), albedo)


def _checks(canvas: Canvas) -> Scene:
    rng = _rng(canvas, 12)
    across = 2 * int(rng.integers(2, 6))
    side = canvas.width / across
    odd = (np.floor(canvas.x / side) + np.floor(canvas.y / side)) % 2
    fleck = 1 + canvas.noise(2, 1, 26) * 0.01
    one, two = _tint(rng, 0.05, 0.2, 0.3), _tint(rng, 0.4, 0.8, 0.1)
    return _flat(canvas, _between(_painted(one, fleck), _painted(two, fleck), odd))


def _blots(canvas: Canvas) -> Scene:
    rng = _rng(canvas, 13)
    where = canvas.noise(rng.uniform(40, 80), 3, 27)
    one, two = _tint(rng, 0.5, 0.8, 0.1), _tint(rng, 0.1, 0.4, 0.4)
    three = np.array([0.4, 0.1, 0.1], np.float32)
    full = np.ones((canvas.height, canvas.width), np.float32)
    body = _between(_painted(one, full), _painted(two, full), step(0.2, 0.02, where))
    other = canvas.noise(rng.uniform(30, 60), 2, 28)
    return _flat(canvas, _between(body, _painted(three, full), step(0.9, 0.02, other)))


def _stripes(canvas: Canvas) -> Scene:
    rng = _rng(canvas, 14)
    count = int(rng.integers(5, 14))
    at = (canvas.x / canvas.width * count) % 1
    share = np.broadcast_to(
        step(0.3, 0.02, at) * (1 - step(0.7, 0.02, at)), (canvas.height, canvas.width)
    )
    fleck = 1 + canvas.noise(3, 2, 29) * 0.02
    one, two = _tint(rng, 0.6, 0.8, 0.1), _tint(rng, 0.1, 0.3, 0.4)
    return _flat(canvas, _between(_painted(one, fleck), _painted(two, fleck), share))


def _dots(canvas: Canvas) -> Scene:
    """Grey dots on grey: only their shape says that they are printed."""
    rng = _rng(canvas, 15)
    count = int(rng.integers(5, 12))
    side = canvas.width / count
    u = (canvas.x % side) / side - 0.5
    v = (canvas.y % side) / side - 0.5
    share = 1 - step(rng.uniform(0.2, 0.35), 0.04, np.hypot(u, v))
    fleck = 1 + canvas.noise(2, 1, 30) * 0.015
    one, two = _tint(rng, 0.5, 0.8, 0.0), _tint(rng, 0.05, 0.2, 0.0)
    return _flat(canvas, _between(_painted(one, fleck), _painted(two, fleck), share))


def _granite(canvas: Canvas) -> Scene:
    """Polished: speckles of minerals in one flat face."""
    rng = _rng(canvas, 16)
    body = _painted(_tint(rng, 0.3, 0.5, 0.1), np.ones((canvas.height, canvas.width), np.float32))
    for n, tint in enumerate(((0.55, 0.5, 0.48), (0.03, 0.03, 0.035), (0.25, 0.14, 0.1))):
        where = canvas.noise(rng.uniform(6, 12), 2, 31 + n)
        body = _between(body, np.asarray(tint, np.float32), step(1.0, 0.3, where) * 0.8)
    return _flat(canvas, body)


GROUNDS: dict[str, Callable[[Canvas], Scene]] = {
    "plaster": _plaster,
    "sand": _sand,
    "gravel": _gravel,
    "cobbles, dark joints": lambda c: _cobbles(c, False),
    "cobbles, pale joints": lambda c: _cobbles(c, True),
    "bricks, dark joints": lambda c: _bricks(c, False),
    "bricks, pale joints": lambda c: _bricks(c, True),
    "tiles, dark joints": lambda c: _tiles(c, False),
    "tiles, pale joints": lambda c: _tiles(c, True),
    "planks": _planks,
    "weave": _weave,
    "rock": _rock,
    "pitted metal": _pitted,
    "leather": _leather,
    "print: checks": _checks,
    "print: blots": _blots,
    "print: stripes": _stripes,
    "print: dots": _dots,
    "print: granite": _granite,
}
"""What is drawn, by name: reliefs first, then what is flat."""


def lights(seed: int) -> dict[str, Light]:
    """Return the lights of a seed, by name."""
    rng = np.random.default_rng((seed, 8000))
    azimuths = rng.uniform(0, 360, 3)
    return {
        "overcast": Light(),
        "side": Light(float(azimuths[0]), float(rng.uniform(35, 50)), 0.35),
        "low side": Light(float(azimuths[1]), float(rng.uniform(20, 32)), 0.25),
        "soft side": Light(float(azimuths[2]), float(rng.uniform(45, 65)), 0.6),
    }


def scene(name: str, seed: int, side: int = SIDE) -> Scene:
    """Draw a ground of a seed; its relief is a little rounded, so that it has slopes everywhere."""
    drawn = GROUNDS[name](Canvas(side, side, seed, True))
    rounded = _rounded(drawn.height)
    return Scene((rounded - rounded.mean()).astype(np.float32), drawn.albedo, drawn.joints)


def photograph(one: Scene, light: Light, seed: int, grain: float = 0.006) -> Bytes:
    """Return a stored picture of a scene, uint8 sRGB, shape (rows, columns, 3)."""
    lit = one.albedo * received(one.height, light)[..., np.newaxis]
    exposed = lit * np.float32(0.85 / max(float(np.percentile(lit, 99.5)), 0.6))
    rng = np.random.default_rng((seed, 9000))
    noise = rng.standard_normal(exposed.shape[:2], dtype=np.float32)[..., np.newaxis]
    return colour.to_bytes(np.clip(colour.to_srgb(exposed) + noise * np.float32(grain), 0, 1))


def received(height: Floats, light: Light) -> Floats:
    """Return the light that each point receives, about 1 for a plain."""
    sky = _seen_of_sky(height)
    if light.sky >= 1:
        return sky
    turn, tilt = math.radians(light.azimuth), math.radians(light.elevation)
    sun = np.array(
        [math.cos(turn) * math.cos(tilt), math.sin(turn) * math.cos(tilt), math.sin(tilt)]
    )
    facing = np.clip(normals(height) @ sun.astype(np.float32), 0, None)
    horizon = _horizon(height, turn, step_=1.0, reach=48)
    shadow = step(0.0, 0.06, tilt - np.arctan(horizon))
    return np.asarray(
        light.sky * sky + (1 - light.sky) * facing * shadow / math.sin(tilt), np.float32
    )


def normals(height: Floats) -> Floats:
    """Return the unit normals of a relief, y up, by its exact derivatives as waves."""
    rows, columns = height.shape
    wave = np.fft.rfft2(height.astype(np.float64))
    u, v = np.fft.rfftfreq(columns), np.fft.fftfreq(rows)[:, np.newaxis]
    along = np.fft.irfft2(wave * 2j * np.pi * u, s=height.shape)
    down = np.fft.irfft2(wave * 2j * np.pi * v, s=height.shape)
    vectors = np.stack([-along, down, np.ones_like(along)], axis=2)
    return np.asarray(vectors / np.linalg.norm(vectors, axis=2, keepdims=True), np.float32)


def _rounded(height: Floats) -> Floats:
    rows, columns = height.shape
    u, v = np.fft.rfftfreq(columns), np.fft.fftfreq(rows)[:, np.newaxis]
    soft = np.exp(-2 * (np.pi * 0.8) ** 2 * (u**2 + v**2))
    return np.asarray(np.fft.irfft2(np.fft.rfft2(height) * soft, s=height.shape), np.float32)


def _seen_of_sky(height: Floats) -> Floats:
    """Return the share of the sky that each point sees, weighted as a matt surface weighs it."""
    total = np.zeros_like(height)
    for n in range(_AZIMUTHS):
        slope = _horizon(height, 2 * math.pi * n / _AZIMUTHS)
        total += 1 / (1 + np.square(np.clip(slope, 0, None)))
    return np.asarray(total / _AZIMUTHS, np.float32)


def _horizon(height: Floats, turn: float, step_: float = 0.0, reach: int = 0) -> Floats:
    """Return the steepest slope up to what stands in a direction, anticlockwise from the right."""
    rows, columns = height.shape
    distances = np.arange(step_, reach, step_) if step_ else np.asarray(_DISTANCES, float)
    pad = math.ceil(float(distances.max())) + 2
    around = np.pad(height, pad, mode="wrap")
    best = np.full_like(height, -np.inf)
    for distance in distances:
        dx, dy = distance * math.cos(turn), -distance * math.sin(turn)
        x, y = math.floor(dx), math.floor(dy)
        fx, fy = np.float32(dx - x), np.float32(dy - y)
        part = around[pad + y : pad + y + rows + 1, pad + x : pad + x + columns + 1]
        across = part[:, :-1] * (1 - fx) + part[:, 1:] * fx
        there = across[:-1] * (1 - fy) + across[1:] * fy
        np.maximum(best, (there - height) / np.float32(distance), out=best)
    return best
