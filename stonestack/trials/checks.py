"""Trial of the checks that can be wrong: green, old relief, place and lamp, on scenes of a seed.

What is changed in a picture is drawn from the seed: where, how large, of which form, and what comes
there. Nothing of it is known to the checks.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stonestack.core.judge.checks.accord import accord, facing
from stonestack.core.judge.checks.old_relief import Part
from stonestack.core.picture import colour
from stonestack.core.picture.filters import gaussian
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.normals import Green, green_of
from stonestack.core.runtime.parallel import processes
from stonestack.core.steps.relief_light import ReliefLight, lamp_of, without_relief_light
from stonestack.trials import scenes

SURE = 0.8
_STRENGTHS = (1.0, 0.3, 0.1)
_NEAR = 0.3
"""Overlap from which on a place counts as found."""
EDITS = ("another part", "a plain fill", "another matter", "a blur")
SOUND = ("as it is", "a stain", "a sign", "detail normals", "half as steep")


@dataclass(frozen=True)
class Tried:
    """One thing that was tried.

    Parameters
    ----------
    what : str
    right : bool
        Whether it was told as it is.
    overlap : float
        Of a place that was found with the true one, 0..1.
    """

    what: str
    right: bool
    overlap: float = 0.0


def tried(seed: int, side: int = scenes.SIDE) -> list[Tried]:
    """Draw each ground of a seed under each light, and try the checks on it."""
    grounds = list(scenes.GROUNDS)
    tasks = [(ground, seed, side) for ground in grounds]
    with processes(__name__) as pool:
        return [one for told in pool.map(_told, tasks) for one in told]


def _told(task: tuple[str, int, int]) -> list[Tried]:
    return told_of(*task)


def told_of(ground: str, seed: int, side: int) -> list[Tried]:
    """Draw one ground of a seed under each light, and try the checks on it."""
    number = list(scenes.GROUNDS).index(ground)
    rng = np.random.default_rng((seed, number))
    scene = scenes.scene(ground, seed, side)
    found = list(_lamps(scene, seed))
    if scene.is_print:
        return found
    found += _greens(scene)
    reliefs = [name for name in scenes.GROUNDS if not name.startswith("print")]
    other = scenes.scene(reliefs[(number + int(rng.integers(1, 13))) % len(reliefs)], seed, side)
    for light in scenes.lights(seed).values():
        picture, beside = (_photograph(one, light, seed) for one in (scene, other))
        found += _reliefs(scene, picture, beside, rng)
    return found


def _photograph(scene: scenes.Scene, light: scenes.Light, seed: int) -> Floats:
    return colour.bytes_to_linear(scenes.photograph(scene, light, seed))


def _greens(scene: scenes.Scene) -> Iterator[Tried]:
    """Try the direction of green on what a file of 8 bits holds, right and wrong way round."""
    true = scenes.normals(scene.height)
    span = float(np.ptp(scene.height))
    height = Picture(
        ((scene.height - scene.height.min()) / span)[..., np.newaxis].astype(np.float32),
        Space.DATA,
        wraps=True,
    )
    for strength in _STRENGTHS:
        for green in Green:
            sign = 1 if green is Green.UP else -1
            vectors = stored(_unit(true * np.array([strength, strength * sign, 1], np.float32)))
            told, sure = green_of(vectors)
            wrong = told is Green.DOWN and sure >= SURE
            name = "green, wrong way" if green is Green.DOWN else "green, right way"
            yield Tried(name, wrong == (green is Green.DOWN))
            up = facing(height, _picture(vectors, Space.VECTOR)).up
            yield Tried(f"{name}, by height", (up < -0.3) == (green is Green.DOWN))


def stored(vectors: Floats) -> Floats:
    """Return vectors as 8 bits keep them."""
    levels = np.round((vectors * 0.5 + 0.5) * np.float32(255))
    return _unit(np.asarray(levels / np.float32(255) * 2 - 1, np.float32))


def _unit(vectors: Floats) -> Floats:
    length = np.linalg.norm(vectors, axis=2, keepdims=True)
    return np.asarray(vectors / length, np.float32)


def _reliefs(
    scene: scenes.Scene, picture: Floats, beside: Floats, rng: np.random.Generator
) -> Iterator[Tried]:
    true = scenes.normals(scene.height)
    normals = _picture(stored(true), Space.VECTOR)
    before = _picture(picture, Space.LINEAR)
    rows, columns = picture.shape[:2]
    for name, shown, carried in _sound(picture, true, rng):
        told = accord(shown, carried)
        yield Tried(f"sound: {name}", not told.parts and told.moved is None)
    where = _somewhere(rng, rows)
    for name, changed in _edits(picture, beside, where, rng):
        now = _picture(changed, Space.LINEAR)
        for known in (False, True):
            told = accord(now, normals, before if known else None)
            overlap = _overlap(told.parts, where > 0.5)
            words = "known" if known else "not known"
            yield Tried(f"{name}, before {words}", overlap > _NEAR, overlap)
    shift = (int(rng.integers(15, rows - 15)), int(rng.integers(15, columns - 15)))
    moved = _picture(np.roll(stored(true), shift, (0, 1)), Space.VECTOR)
    yield Tried("moved", accord(before, moved).moved is not None)


def _sound(
    picture: Floats, true: Floats, rng: np.random.Generator
) -> Iterator[tuple[str, Picture, Picture]]:
    rows = picture.shape[0]
    stain = 1 - 0.6 * gaussian(_somewhere(rng, rows)[..., np.newaxis], 6.0, True)
    sign = 1 - 0.55 * _somewhere(rng, rows)[..., np.newaxis]
    fine = rng.standard_normal((rows, rows, 1)).astype(np.float32)
    grain = scenes.normals((gaussian(fine, 2.0, True)[..., 0] * 3).astype(np.float32))
    both = _unit(true / true[..., 2:] + grain / grain[..., 2:] * np.array([1, 1, 0], np.float32))
    half = _unit(true * np.array([0.5, 0.5, 1], np.float32))
    pairs = (
        (picture, true),
        (picture * stain, true),
        (picture * sign, true),
        (picture, both),
        (picture, half),
    )
    for name, (shown, carried) in zip(SOUND, pairs, strict=True):
        yield name, _picture(shown, Space.LINEAR), _picture(stored(carried), Space.VECTOR)


def _edits(
    picture: Floats, beside: Floats, where: Floats, rng: np.random.Generator
) -> Iterator[tuple[str, Floats]]:
    side, share = picture.shape[0], where[..., np.newaxis]
    shift = tuple(int(v) for v in rng.integers(side // 6, side - side // 6, 2))
    usual = (picture * share).sum(axis=(0, 1)) / share.sum()
    grain = 1 + 0.02 * rng.standard_normal((side, side, 1)).astype(np.float32)
    there = (
        np.roll(picture, shift, (0, 1)),
        usual * grain,
        beside,
        gaussian(picture, side / 32, True),
    )
    for name, new in zip(EDITS, there, strict=True):
        yield name, np.asarray(picture * (1 - share) + new * share, np.float32)


def _somewhere(rng: np.random.Generator, side: int) -> Floats:
    """Return a place with a soft rim: round or with corners, anywhere on a ring."""
    at = rng.integers(0, side, 2)
    wide, high = rng.uniform(0.07, 0.2, 2) * side
    y, x = np.mgrid[:side, :side]
    dy, dx = ((v - a + side / 2) % side - side / 2 for v, a in zip((y, x), at, strict=True))
    if rng.uniform() < 0.5:
        inside = (1 - np.hypot(dx / wide, dy / high)) * min(wide, high)
    else:
        inside = np.minimum(wide - np.abs(dx), high - np.abs(dy))
    return np.asarray(np.clip(inside / 4 + 0.5, 0, 1), np.float32)


def _overlap(parts: Sequence[Part], true: NDArray[np.bool_]) -> float:
    import cv2

    rows, columns = true.shape
    drawn = np.zeros(true.shape, np.uint8)
    for part in parts:
        corners = np.array(part.corners) * (columns, rows) - 0.5
        for across in (-columns, 0, columns):
            for down in (-rows, 0, rows):
                moved = np.rint(corners + np.array([across, down])).astype(np.int32)
                cv2.fillPoly(drawn, [moved], (1,))
    found = drawn.astype(np.bool_)
    return float((found & true).sum() / max(1, (found | true).sum()))


def _lamps(scene: scenes.Scene, seed: int) -> Iterator[Tried]:
    for name, light in scenes.lights(seed).items():
        picture = _picture(_photograph(scene, light, seed), Space.LINEAR)
        lamp = lamp_of(picture)
        if name == "overcast" or scene.is_print:
            yield Tried("no lamp", lamp is None)
            continue
        if lamp is None:
            yield Tried("lamp told", False)
            continue
        off = abs((lamp - light.azimuth + 180) % 360 - 180)
        yield Tried("lamp told", off < 45)
        yield Tried("lamp told on the right side, where it is told", off < 90)
        taken = without_relief_light(picture, ReliefLight(light="given", azimuth=round(lamp)))
        albedo = np.log(scene.albedo.mean(axis=2) + 0.01)
        far, near = (_apart(one, albedo) for one in (picture, taken))
        yield Tried("lamp taken out: nearer to the albedo", near < far, near / far)


def _apart(picture: Picture, albedo: Floats) -> float:
    apart = np.log(picture.body.mean(axis=2) + 0.01) - albedo
    return float(apart.std())


def _picture(values: Floats, space: Space) -> Picture:
    return Picture(np.ascontiguousarray(values, np.float32), space, wraps=True)


def table(told: Sequence[Tried]) -> Iterator[str]:
    """Return the lines that sum a trial up."""
    count, right = Counter(one.what for one in told), Counter(o.what for o in told if o.right)
    for what in dict.fromkeys(one.what for one in told):
        overlaps = [one.overlap for one in told if one.what == what]
        more = f"   {np.mean(overlaps):.2f}" if any(overlaps) else ""
        yield f"{what:48} {right[what]:4} of {count[what]:4}{more}"
