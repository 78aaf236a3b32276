"""What makes the eye see the grid when a tile is repeated: single spots, and broad light.

Spots are sought as outliers from the tile's own variety, as in saliency by difference of
Gaussians (L. Itti, C. Koch and E. Niebur, "A Model of Saliency-Based Visual Attention for Rapid
Scene Analysis", IEEE TPAMI 20 (1998), section II); how far the largest of so many places lies
out by chance is that of a Gaussian field (M. Leadbetter, G. Lindgren and H. Rootzén, "Extremes
and Related Properties of Random Sequences and Processes", 1983, section 1.5).
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture import colour
from stonestack.core.picture.filters import bordered
from stonestack.core.picture.image import Floats, Picture
from stonestack.core.picture.measures.quantiles import median, quantiles
from stonestack.core.picture.resize import at_most
from stonestack.core.tile.period import Lattice, highest

_SIDE = 192
_SIZES = (3, 5, 8, 12, 18)
"""Standard deviations of the spots that are looked for, at that side."""
_SURROUND = 3
_VISIBLE = 0.004
"""A contrast, on the stored scale, that is just not seen over a whole spot."""
_CHANCE = 1.15
"""Outliers by less than this many times what chance gives are no culprits."""
_GROWTH = 2.0
_MANY = 8
_ALIKE = 0.6
_MOST = 12
_FIRST = 1.9
_OTHERS = (3.0, 9.0)
_BROAD_ALLOWED = 2.0
_BROAD_VISIBLE = 0.006
_OPPONENT = np.array([[0.2126, 0.7152, 0.0722], [0.5, -0.5, 0.0], [0.25, 0.25, -0.5]], np.float32).T
"""To lightness, red against green, and yellow against blue."""
_WORDS = (("lighter", "darker"), ("redder", "greener"), ("yellower", "bluer"))


@dataclass(frozen=True)
class Culprit:
    """A spot that stands out.

    Parameters
    ----------
    x, y : float
        Its middle, as shares of width and height.
    radius : float
        As a share of the longer side.
    strength : float
        How far it stands out, in what chance gives.
    words : str
        In which way.
    first : float
        Its radius before it was made to cover others.
    """

    x: float
    y: float
    radius: float
    strength: float
    words: str
    first: float = 0.0


@dataclass(frozen=True)
class Repetition:
    """How easily the grid is seen.

    Parameters
    ----------
    spots : float
        How far the worst spot stands out against what chance gives; about 1 for none.
    broad : float
        The broadest waves of light against finer ones; below 1 for none.
    culprits : tuple of Culprit
        The worst first.
    """

    spots: float
    broad: float
    culprits: tuple[Culprit, ...]

    @property
    def value(self) -> float:
        """One number: 1 means that nothing stands out, more that the grid shows."""
        return max(1.0, self.spots / _CHANCE, self.broad)


def repetition(picture: Picture, lattice: Lattice | None = None) -> Repetition:
    """Look for what makes a repeated tile look repeated.

    Parameters
    ----------
    picture : Picture
        Taken as a ring both ways.
    lattice : Lattice, optional
        How its structure recurs: what recurs with it is no culprit.

    Notes
    -----
    At five sizes, lightness and two colour axes are held against their surroundings. The usual
    spread is a median, so that a spot does not hide itself; a spot counts by how many times its
    deviation exceeds the largest that chance gives over so many places.

    Waves that fit once or nearly so into the tile are what remains visible from far away. Their
    largest amplitude is held against twice the mean of waves of three to nine a side.
    """
    return repetition_of(colour.seen(picture), lattice)


def repetition_of(values: Floats, lattice: Lattice | None = None) -> Repetition:
    """Measure values as the eye weighs them, float32, shape (height, width, channels)."""
    field = _field(values)
    shrink = field.shape[1] / values.shape[1]
    steps = [] if lattice is None else [lattice.first, lattice.second]
    ways = [(x * shrink, y * shrink) for x, y in (step for step in steps if step is not None)]
    spots, culprits = _spots(field, ways)
    return Repetition(spots, _broad(field[..., 0]), culprits)


def _field(values: Floats) -> Floats:
    small = at_most(values, _SIDE)
    return small @ _OPPONENT if small.shape[2] == 3 else small


def _spots(field: Floats, ways: list[tuple[float, float]]) -> tuple[float, tuple[Culprit, ...]]:
    from scipy import fft

    height, width, channels = field.shape
    waves = np.asarray(fft.rfft2(field, axes=(0, 1), workers=-1))
    found: list[Culprit] = []
    strongest = 0.0
    for size in _SIZES:
        if 6 * size > min(height, width):
            break
        apart_all = _between(waves, size, _SURROUND * size, width)
        chance = math.sqrt(2 * math.log(max(4.0, height * width / (2 * math.pi * size * size))))
        for channel in range(channels):
            apart = apart_all[..., channel] - median(apart_all[..., channel])
            middle, tail = (float(v) for v in quantiles(np.abs(apart), (0.5, 0.9)))
            spread = math.hypot(max(1.4826 * middle, tail / 1.645), _VISIBLE)
            out = apart / np.float32(spread * chance)
            for peak in _peaks(out, size, channel):
                if peak.strength <= min(strongest, _CHANCE):
                    break
                if not _recurs(out, peak, ways):
                    strongest = max(strongest, peak.strength)
                    if peak.strength > _CHANCE:
                        found.append(peak)
    return strongest, _apart(found, width, height)


def _between(waves: NDArray[np.complexfloating], fine: float, broad: float, width: int) -> Floats:
    """Return the ring of these waves under one Gaussian less that under a broader one.

    Parameters
    ----------
    fine, broad : float
        Standard deviations, in pixels.
    """
    from scipy import fft

    height = waves.shape[0]
    share = np.zeros(waves.shape[:2], np.float32)
    for size, sign in ((fine, 1), (broad, -1)):
        power = -2 * (math.pi * size) ** 2
        down, across = (
            np.exp(power * np.square(waves_of)).astype(np.float32)
            for waves_of in (np.fft.fftfreq(height), np.fft.rfftfreq(width))
        )
        share += sign * np.outer(down, across)
    kept = waves * share[..., np.newaxis]
    return np.asarray(fft.irfft2(kept, s=(height, width), axes=(0, 1), workers=-1), np.float32)


def _peaks(out: Floats, size: int, channel: int) -> Iterator[Culprit]:
    """Yield the local extremes of one field, by how far they stand out from the others.

    What is there many times over belongs to the matter: an extreme counts against the eighth
    of its kind, where that is more than chance gives.
    """
    strength = np.abs(out)
    around = highest(bordered(strength, size, True), 2 * size + 1)[size:-size, size:-size]
    height, width = out.shape
    y, x = np.nonzero(strength == around)
    values, light = strength[y, x], out[y, x] > 0
    for one in (light, ~light):
        ordered = np.sort(values[one])[::-1]
        usual = max(1.0, float(ordered[_MANY - 1])) if len(ordered) >= _MANY else 1.0
        values[one] /= np.float32(usual)
    for n in np.argsort(-values, kind="stable"):
        yield Culprit(
            x=(float(x[n]) + 0.5) / width,
            y=(float(y[n]) + 0.5) / height,
            radius=2 * size / max(width, height),
            strength=float(values[n]),
            words=_WORDS[channel][0 if light[n] else 1],
        )


def _recurs(out: Floats, peak: Culprit, ways: list[tuple[float, float]]) -> bool:
    """Tell whether much the same is there a step of the structure away, either way."""
    height, width = out.shape
    column, row = int(peak.x * width), int(peak.y * height)
    here = float(out[row, column])
    again = 0
    for x, y in ways:
        for sign in (1, -1):
            there = out[(row + round(sign * y)) % height, (column + round(sign * x)) % width]
            again += float(there) * np.sign(here) >= _ALIKE * abs(here)
    return again >= 2


def _apart(found: list[Culprit], width: int, height: int) -> tuple[Culprit, ...]:
    """Make one of those that touch: the strongest, as large as covers them."""
    longest = max(width, height)
    kept: list[Culprit] = []
    for one in sorted(found, key=lambda c: -c.strength):
        for n, other in enumerate(kept):
            away = math.hypot(
                _round_about(one.x - other.x) * width / longest,
                _round_about(one.y - other.y) * height / longest,
            )
            if away < one.radius + other.radius:
                most = _GROWTH * other.first
                kept[n] = replace(other, radius=min(most, max(other.radius, away + one.radius)))
                break
        else:
            if len(kept) < _MOST:
                kept.append(replace(one, first=one.radius))
    return tuple(kept)


def _round_about(distance: float) -> float:
    """Return a distance on the ring of length one, the shorter way."""
    return distance - round(distance)


def _broad(light: Floats) -> float:
    height, width = light.shape
    waves: NDArray[np.float64] = np.abs(np.fft.fft2(light)) * (2 / (height * width))
    rows = np.fft.fftfreq(height, 1 / height)[:, np.newaxis]
    columns = np.fft.fftfreq(width, 1 / width)[np.newaxis, :]
    count = np.hypot(rows, columns)
    first = waves[(count > 0) & (count < _FIRST)].max()
    others = waves[(count >= _OTHERS[0]) & (count < _OTHERS[1])]
    usual = math.sqrt(float(np.square(others).mean()))
    return float(first) / math.hypot(_BROAD_ALLOWED * usual, _BROAD_VISIBLE)
