"""Defects of known kind, place and size, laid into sound tiles; and how bad each is.

A grade says how bad a person finds the tile when it is repeated over a wall: 0 nothing shows, 1
just noticeable, 2 clear, 3 the first thing seen, 5 the tile is useless. Grades were written
before the scores were tried on them, and are not to be changed to agree with the scores.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.random import Generator

from stonestack.core.picture.image import Floats
from stonestack.demo.paint import Canvas
from stonestack.trials.matters import STRUCTURED, drawn
from stonestack.trials.others import OTHERS, OTHERS_STRUCTURED, other

Box = tuple[int, int, int, int]
"""Left, top, width and height in pixels."""


@dataclass(frozen=True)
class Laid:
    """A tile with a defect.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, 3)
        As stored, 0..1.
    box : Box or None
        Where the defect is; None where it is everywhere.
    """

    values: Floats
    box: Box | None = None


@dataclass(frozen=True)
class Stock:
    """What a defect is made of: a ring, another, and a larger raw picture of the same matter."""

    matter: str
    ring: Floats
    other: Floats
    raw: Floats
    rng: Generator

    @property
    def width(self) -> int:
        """Pixels across."""
        return int(self.ring.shape[1])

    @property
    def height(self) -> int:
        """Pixels down."""
        return int(self.ring.shape[0])


Defect = Callable[[Stock], Laid]


@dataclass(frozen=True)
class Graded:
    """A defect by name, the kinds under which it is rightly found, and its grade."""

    name: str
    kinds: frozenset[str]
    grade: float
    make: Defect
    only: frozenset[str] | None = None
    """Matters on which it means something; None for all."""


def stock(matter: str, width: int, height: int, seed: int) -> Stock:
    """Draw what defects are made of."""
    rng = np.random.default_rng((seed, 4242))
    if matter in OTHERS:
        return _other_stock(matter, width, height, rng)
    roll = (int(rng.integers(height)), int(rng.integers(width)))
    ring = np.roll(drawn(matter, Canvas(width, height, seed, True)), roll, axis=(0, 1))
    # The same tints and counts of bricks come from the seed, so only the place differs.
    away = (height // 2 + height // 7, width // 2 + width // 9)
    other = np.roll(ring, away, axis=(0, 1))[:, ::-1]
    raw = drawn(matter, Canvas(round(width * 1.4), round(height * 1.4), seed, False))
    return Stock(matter, ring, np.ascontiguousarray(other), raw, rng)


def _other_stock(matter: str, width: int, height: int, rng: Generator) -> Stock:
    ring = other(matter, width, height, rng)
    away = np.roll(ring, (height // 2 + height // 7, width // 2 + width // 9), axis=(0, 1))
    # A part of a larger ring is no ring.
    larger = other(matter, round(width * 1.8), round(height * 1.8), rng)
    raw = np.ascontiguousarray(larger[: round(height * 1.4), : round(width * 1.4)])
    return Stock(matter, ring, np.ascontiguousarray(away[:, ::-1]), raw, rng)


def _turned(make: Defect) -> Defect:
    """Lay a defect that runs down along x instead, every other time."""

    def either(given: Stock) -> Laid:
        if given.rng.random() < 0.5:
            return make(given)
        ring, other, raw = (
            np.ascontiguousarray(v.transpose(1, 0, 2)) for v in (given.ring, given.other, given.raw)
        )
        laid = make(Stock(given.matter, ring, other, raw, given.rng))
        x, y, w, h = laid.box or (0, 0, 0, 0)
        values = np.ascontiguousarray(laid.values.transpose(1, 0, 2))
        return Laid(values, (y, x, h, w) if laid.box else None)

    return either


def _column(given: Stock, half: int = 0) -> int:
    """Return a column anywhere but near the wrap, most of the time."""
    return int(
        given.rng.integers(
            max(half + 2, given.width // 10), given.width - max(half + 2, given.width // 10)
        )
    )


def cut_off(given: Stock) -> Laid:
    """A raw picture that does not tile, rolled: its hard seam is inside."""
    x = _column(given)
    values = given.raw[: given.height, : given.width]
    # The other pair of edges is not the trial's matter: faded away from the ring below.
    return Laid(_closed(np.roll(values, x, axis=1)), (x - 1, 0, 2, given.height))


def _closed(values: Floats) -> Floats:
    """Even the step between bottom and top edge out over the height, so that it shows little."""
    step = values[:1] - values[-1:]
    share = np.linspace(-0.5, 0.5, values.shape[0], dtype=np.float32)[:, np.newaxis, np.newaxis]
    return np.asarray(values + step * share, np.float32)


def halves(given: Stock) -> Laid:
    """Another part of the matter set in between two hard seams."""
    x = _column(given)
    wide = given.width // 3
    values = given.ring.copy()
    where = np.arange(x, x + wide) % given.width
    values[:, where] = given.other[:, where]
    return Laid(values, (x - 1, 0, 2, given.height))


def pasted(given: Stock) -> Laid:
    """A square of another part, with hard edges."""
    side = min(given.width, given.height) // 3
    x, y = (int(given.rng.integers(4, n - side - 4)) for n in (given.width, given.height))
    values = given.ring.copy()
    values[y : y + side, x : x + side] = given.other[y : y + side, x : x + side]
    return Laid(values, (x, y, side, side))


def toned(amount: float) -> Defect:
    """Part of the tile in another tone, with hard edges."""

    def make(given: Stock) -> Laid:
        x = _column(given)
        where = np.arange(x, x + given.width // 2) % given.width
        values = given.ring.copy()
        values[:, where] *= np.float32(1 + amount)
        return Laid(values, (x - 1, 0, 2, given.height))

    return make


def ramp(amount: float) -> Defect:
    """Tone that drifts from one side to the other, and steps back."""

    def make(given: Stock) -> Laid:
        x = _column(given)
        slope = np.linspace(1 - amount / 2, 1 + amount / 2, given.width, dtype=np.float32)
        return Laid(
            given.ring * np.roll(slope, x)[np.newaxis, :, np.newaxis], (x - 1, 0, 2, given.height)
        )

    return make


def lined(contrast: float, wide: int = 1) -> Defect:
    """A thin line, lighter or darker, all the way."""

    def make(given: Stock) -> Laid:
        x = _column(given)
        values = given.ring.copy()
        sign = 1 if values.mean() < 0.5 else -1
        values[:, x : x + wide] += np.float32(sign * contrast)
        return Laid(values, (x, 0, wide, given.height))

    return make


def blurred(sigma: float, share: float = 0.08) -> Defect:
    """A band that is blurred."""

    def make(given: Stock) -> Laid:
        from scipy.ndimage import gaussian_filter

        half = max(4, round(given.width * share / 2))
        x = _column(given, half)
        soft = gaussian_filter(given.ring, (sigma, sigma, 0), mode="wrap")
        away = np.abs(np.arange(given.width) - x)
        cover = np.clip((half - away) / 3 + 0.5, 0, 1).astype(np.float32)[np.newaxis, :, np.newaxis]
        return Laid(given.ring + (soft - given.ring) * cover, (x - half, 0, 2 * half, given.height))

    return make


def faded(share: float) -> Defect:
    """A raw picture made to tile by fading one edge into the other, then cut elsewhere."""

    def make(given: Stock) -> Laid:
        over = round(given.width * share)
        fade = np.linspace(0, 1, over, dtype=np.float32)[np.newaxis, :, np.newaxis]
        raw = given.raw[: given.height]
        band = raw[:, given.width : given.width + over] * (1 - fade) + raw[:, :over] * fade
        values = np.concatenate([band, raw[:, over : given.width]], axis=1)
        x = int(given.rng.integers(0, given.width - over))
        return Laid(_closed(np.roll(values, x, axis=1)), (x, 0, over, given.height))

    return make


def cloned(times: int, share: float) -> Defect:
    """A round patch with a soft rim, laid down again at other places."""

    def make(given: Stock) -> Laid:
        side = round(min(given.width, given.height) * share)
        values = given.ring.copy()
        taken = int(given.rng.integers(given.height)), int(given.rng.integers(given.width))
        patch = np.roll(given.ring, (-taken[0], -taken[1]), axis=(0, 1))[:side, :side]
        y, x = np.mgrid[0:side, 0:side] - (side - 1) / 2
        cover = np.clip((side / 2 - np.hypot(x, y)) / 3, 0, 1).astype(np.float32)[..., np.newaxis]
        box = (taken[1], taken[0], side, side)
        for _ in range(times):
            at = (
                int(given.rng.integers(given.height - side)),
                int(given.rng.integers(given.width - side)),
            )
            part = values[at[0] : at[0] + side, at[1] : at[1] + side]
            part += (patch - part) * cover
            box = (at[1], at[0], side, side)
        return Laid(values, box)

    return make


def ghosted(*weights: float) -> Defect:
    """Shifted copies of the whole laid over it, thinly."""

    def make(given: Stock) -> Laid:
        total = np.zeros_like(given.ring)
        for n, weight in enumerate(weights):
            shift = (
                (0, 0)
                if n == 0
                else tuple(int(s * given.rng.uniform(0.08, 0.45)) for s in given.ring.shape[:2])
            )
            total += np.roll(given.ring, shift, axis=(0, 1)) * np.float32(weight)
        return Laid(total)

    return make


def mirrored(axes: int) -> Defect:
    """A half or a quarter, turned over to fill the rest; cut elsewhere."""

    def make(given: Stock) -> Laid:
        wide, high = given.width // 2, given.height // 2
        half = given.raw[: given.height, :wide]
        values = np.concatenate([half, half[:, ::-1]], axis=1)
        if axes == 2:
            values = np.concatenate([values[:high], values[:high][::-1]], axis=0)
        else:
            values = _closed(values)
        roll = tuple(int(given.rng.integers(s)) for s in values.shape[:2])
        return Laid(np.roll(values, roll, axis=(0, 1)))

    return make


def lit(amount: float) -> Defect:
    """Broad light that meets at the edges: one bright and one dark side in each repeat."""

    def make(given: Stock) -> Laid:
        y, x = np.mgrid[0 : given.height, 0 : given.width].astype(np.float32)
        phase = given.rng.uniform(0, 2 * np.pi, 2)
        wave = np.sin(2 * np.pi * x / given.width + phase[0]) + np.sin(
            2 * np.pi * y / given.height + phase[1]
        )
        return Laid(
            given.ring * (1 + np.float32(amount / 2) * wave.astype(np.float32)[..., np.newaxis])
        )

    return make


def spotted(contrast: float, share: float = 0.05, tint: bool = False) -> Defect:
    """One soft spot, lighter or darker than all else, or of another tint."""

    def make(given: Stock) -> Laid:
        radius = share * min(given.width, given.height)
        cx, cy = (
            given.rng.uniform(0.2, 0.8) * given.width,
            given.rng.uniform(0.2, 0.8) * given.height,
        )
        y, x = np.mgrid[0 : given.height, 0 : given.width].astype(np.float32)
        bump = np.clip(1.5 - np.hypot(x - cx, y - cy) / radius, 0, 1)[..., np.newaxis]
        sign = 1 if given.ring.mean() < 0.5 else -1
        way = np.array([1, -0.5, -0.5] if tint else [sign] * 3, np.float32)
        reach = 1.5 * radius
        box = (int(cx - reach), int(cy - reach), int(2 * reach), int(2 * reach))
        return Laid(given.ring + bump.astype(np.float32) * way * np.float32(contrast), box)

    return make


def misbonded(share: float) -> Defect:
    """A structure whose steps do not fit: a strip of a part of a step is missing."""

    def make(given: Stock) -> Laid:
        x = _column(given)
        from stonestack.core.tile.period import find_lattice_of

        found = find_lattice_of(given.ring)
        steps = [found.first, found.second] if found else []
        across = [abs(s[0]) for s in steps if s is not None and abs(s[0]) > 6]
        step = min(across) if across else given.width / 5
        lost = max(3, round(step * share))
        values = np.concatenate([given.ring[:, :x], given.ring[:, x + lost :]], axis=1)
        return Laid(values, (x - 2, 0, 4, given.height))

    return make


def sound(given: Stock) -> Laid:
    """The ring as it is."""
    return Laid(given.ring)


def _kinds(*names: str) -> frozenset[str]:
    return frozenset(names)


_SEAM, _TONE = _kinds("seam", "tone", "line"), _kinds("tone", "seam", "light")

GRADED: tuple[Graded, ...] = (
    Graded("sound", frozenset(), 0, sound),
    Graded("cut off", _SEAM | {"bond"}, 3, _turned(cut_off)),
    Graded("another part between", _SEAM | {"bond"}, 2.5, _turned(halves)),
    Graded("pasted square", _SEAM | {"bond", "copy"}, 2, pasted),
    Graded("tone 3 %", _TONE, 0.7, _turned(toned(0.03))),
    Graded("tone 10 %", _TONE, 2, _turned(toned(0.1))),
    Graded("tone 25 %", _TONE, 3.5, _turned(toned(0.25))),
    Graded("ramp 6 %", _TONE, 1, _turned(ramp(0.06))),
    Graded("ramp 20 %", _TONE, 2.7, _turned(ramp(0.2))),
    Graded("ramp 50 %", _TONE, 4.5, _turned(ramp(0.5))),
    Graded("line 0.04", _kinds("line", "seam"), 1, _turned(lined(0.04))),
    Graded("line 0.1", _kinds("line", "seam"), 2, _turned(lined(0.1))),
    Graded("line 0.25", _kinds("line", "seam"), 3, _turned(lined(0.25, 2))),
    Graded("blur 1", _kinds("blur", "fade"), 1, _turned(blurred(1.0))),
    Graded("blur 3", _kinds("blur", "fade"), 2, _turned(blurred(3.0))),
    Graded("broad blur 4", _kinds("blur", "fade"), 2.5, _turned(blurred(4.0, 0.2))),
    Graded("fade 6 %", _kinds("fade", "blur", "ghost"), 1, _turned(faded(0.06))),
    Graded("fade 15 %", _kinds("fade", "blur", "ghost"), 2, _turned(faded(0.15))),
    Graded("fade 30 %", _kinds("fade", "blur", "ghost"), 2.2, _turned(faded(0.3))),
    Graded("cloned once", _kinds("copy"), 1, cloned(1, 0.15)),
    Graded("cloned five times", _kinds("copy"), 2.5, cloned(5, 0.15)),
    Graded("large clone", _kinds("copy"), 2, cloned(2, 0.3)),
    Graded("ghost 30 %", _kinds("ghost", "copy"), 1.3, ghosted(0.7, 0.3)),
    Graded("ghost of two", _kinds("ghost", "copy"), 2, ghosted(0.5, 0.5)),
    Graded("ghost of three", _kinds("ghost", "copy"), 2.5, ghosted(0.34, 0.33, 0.33)),
    Graded("mirrored once", _kinds("mirror"), 2.5, _turned(mirrored(1))),
    Graded("mirrored twice", _kinds("mirror"), 2.7, mirrored(2)),
    Graded("light 4 %", _kinds("light", "tone"), 0.7, lit(0.04)),
    Graded("light 10 %", _kinds("light", "tone"), 1.7, lit(0.1)),
    Graded("light 25 %", _kinds("light", "tone"), 3.3, lit(0.25)),
    Graded("light 60 %", _kinds("light", "tone"), 5, lit(0.6)),
    Graded("spot 0.1", _kinds("spot"), 1, spotted(0.1)),
    Graded("spot 0.25", _kinds("spot"), 2.5, spotted(0.25)),
    Graded("tinted spot 0.2", _kinds("spot"), 2, spotted(0.2, 0.06, True)),
    Graded("spot 0.5", _kinds("spot"), 3.5, spotted(0.5, 0.06)),
    Graded(
        "bond off by a third",
        _kinds("bond", "seam"),
        2.5,
        _turned(misbonded(0.33)),
        STRUCTURED | OTHERS_STRUCTURED,
    ),
)
"""Each defect, with the kinds under which it is rightly found."""
