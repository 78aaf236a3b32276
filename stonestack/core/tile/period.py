"""The period of a structure, from its autocorrelation: bricks, tiles, weave.

Source: the autocorrelation is the inverse transform of the power spectrum (N. Wiener, "Generalized
Harmonic Analysis", Acta Math. 55 (1930)), here without wrap and made unbiased by the number of
pairs at each distance; the lattice is read from its peaks as in H.-C. Lin, L.-L. Wang and S.-N.
Yang, "Extracting periodicity of a regular texture based on autocorrelation functions", Pattern
Recognition Letters 18 (1997).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from stonestack.core import colour
from stonestack.core.image import Floats, Picture
from stonestack.core.resize import resample

_SIDE = 512
_LEAST = 0.2
"""Correlation below which nothing recurs."""
_NEAR_BEST = 0.8
_FALLS = 0.07
"""How much correlation falls off in every direction from a place where all recurs."""
_SMALLEST = 5
_REACH = 0.6
"""How far two places may lie apart to be compared, as a share of the side."""
_TRIED = 200
_SKEW_PRICE = 8.0
"""How much a frame whose sides are not upright on one another loses by it."""
_LEAN = math.radians(14)
"""How far a frame may lean to hold whole periods."""


@dataclass(frozen=True)
class Lattice:
    """How a structure recurs.

    Parameters
    ----------
    first, second : (float, float)
        Steps in x and y, in pixels, that lead to the same again; the second is None where the
        structure recurs one way only, as stripes do.
    strength : float
        Correlation of the picture with itself a step away, 0..1.
    """

    first: tuple[float, float]
    second: tuple[float, float] | None
    strength: float


def find_lattice(picture: Picture) -> Lattice | None:
    """Find how a picture's structure recurs; None where it does not.

    Steps are refined by following them as far as the picture goes: the place of the n-th
    recurrence is n times as exact.
    """
    return find_lattice_of(colour.seen(picture))


def find_lattice_of(seen: Floats) -> Lattice | None:
    """Find how values recur that are as the eye weighs them, shape (height, width, channels)."""
    values = seen.mean(axis=2, keepdims=True, dtype=np.float32)
    height, width = values.shape[:2]
    shrink = max(1.0, max(height, width) / _SIDE)
    small = resample(values, round(width / shrink), round(height / shrink), "box", False)
    alike = _autocorrelation(small[..., 0])
    peaks = _peaks(alike)
    if not peaks:
        peaks = _along_one_axis(alike)
    if not peaks:
        return None
    best = max(strength for strength, _, _ in peaks)
    # The broadest forms recur nearly as strongly at every multiple; the shortest step is meant.
    strong = sorted(
        (p for p in peaks if p[0] >= _NEAR_BEST * best), key=lambda p: math.hypot(p[1], p[2])
    )
    strength, *start = strong[0]
    first = _followed(alike, (start[0], start[1]))
    second = None
    for _, dx, dy in strong[1:]:
        across = abs(first[0] * dy - first[1] * dx)
        lean = across / (math.hypot(*first) * math.hypot(dx, dy))
        if lean > math.sin(math.radians(25)):
            second = _followed(alike, (dx, dy))
            break

    def full(step: tuple[float, float]) -> tuple[float, float]:
        return step[0] * width / small.shape[1], step[1] * height / small.shape[0]

    return Lattice(full(first), full(second) if second else None, float(strength))


def whole_periods(
    lattice: Lattice, width: int, height: int
) -> tuple[tuple[float, float], ...] | None:
    """Propose a frame that holds whole periods, as large as the picture allows.

    Returns
    -------
    tuple of four (x, y), or None
        Corners as shares of the sides: top left, top right, bottom right, bottom left. None
        where no frame that is nearly upright holds a whole period.
    """
    steps = _combined(lattice, width, height)
    best: tuple[float, tuple[float, float], tuple[float, float]] | None = None
    for u in steps[0]:
        for v in steps[1]:
            box = (abs(u[0]) + abs(v[0]), abs(u[1]) + abs(v[1]))
            if box[0] > width + 0.5 or box[1] > height + 0.5:
                continue
            skew = abs(u[0] * v[0] + u[1] * v[1]) / (math.hypot(*u) * math.hypot(*v))
            worth = abs(u[0] * v[1] - u[1] * v[0]) * (1 - min(1.0, _SKEW_PRICE * skew))
            if worth > 0 and (best is None or worth > best[0]):
                best = (worth, u, v)
    if best is None:
        return None
    _, u, v = best
    corners = []
    for along, down in ((-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5)):
        x = width / 2 + along * u[0] + down * v[0]
        y = height / 2 + along * u[1] + down * v[1]
        corners.append((min(1.0, max(0.0, x / width)), min(1.0, max(0.0, y / height))))
    return tuple(corners)


def _combined(
    lattice: Lattice, width: int, height: int
) -> tuple[list[tuple[float, float]], list[tuple[float, float]]]:
    """Return the sums of steps that lead nearly across, and those that lead nearly down."""
    a, b = lattice.first, lattice.second
    across: list[tuple[float, float]] = []
    down: list[tuple[float, float]] = []
    shortest = max(1.0, min(math.hypot(*a), math.hypot(*b) if b else math.inf))
    most = min(64, math.ceil(max(width, height) / shortest) + 1)
    for i in range(-most, most + 1):
        for j in range(-most, most + 1) if b else (0,):
            x = i * a[0] + (j * b[0] if b else 0)
            y = i * a[1] + (j * b[1] if b else 0)
            if x > 0 and x <= width and abs(math.atan2(y, x)) < _LEAN:
                across.append((x, y))
            if y > 0 and y <= height and abs(math.atan2(x, y)) < _LEAN:
                down.append((x, y))
    if b is None:
        # Stripes: the other way anything goes on.
        if across and not down:
            down = [(0.0, float(height))]
        elif down and not across:
            across = [(float(width), 0.0)]
    return _longest(across), _longest(down)


def _longest(steps: list[tuple[float, float]]) -> list[tuple[float, float]]:
    return sorted(steps, key=lambda step: -math.hypot(*step))[:_TRIED]


def _autocorrelation(light: Floats) -> Floats:
    """Return the correlation of a picture with itself at each distance, -1..1.

    Shape (2 dy + 1, 2 dx + 1) with distance zero in the middle, as far as :data:`_REACH`.
    """
    import cv2
    from scipy import fft

    height, width = light.shape
    # Broad light would be alike with itself at every distance.
    sigma = max(height, width) / 8
    detail = light - cv2.GaussianBlur(light, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
    size = (fft.next_fast_len(2 * height), fft.next_fast_len(2 * width))
    waves = fft.rfft2(detail, s=size, workers=-1)
    total = fft.irfft2(np.square(np.abs(waves)), s=size, workers=-1)
    ones = fft.rfft2(np.ones_like(detail), s=size, workers=-1)
    pairs = fft.irfft2(np.square(np.abs(ones)), s=size, workers=-1)
    alike = total / np.maximum(pairs, 1) / max(float(np.square(detail).mean()), 1e-9)
    dy, dx = int(height * _REACH), int(width * _REACH)
    rolled = np.roll(alike, (dy, dx), axis=(0, 1))
    return np.asarray(rolled[: 2 * dy + 1, : 2 * dx + 1], dtype=np.float32)


def _peaks(alike: Floats) -> list[tuple[float, float, float]]:
    """Return strength and distance, in x and y, of the local maxima of one half."""
    from scipy.ndimage import maximum_filter, minimum_filter

    middle = (alike.shape[0] // 2, alike.shape[1] // 2)
    reach = 2 * (_SMALLEST // 2) + 1
    summit = alike == maximum_filter(alike, reach, mode="nearest")
    # A recurrence rises out of its surroundings; a mere decay from the middle does not.
    around = minimum_filter(alike, 4 * reach + 1, mode="nearest")
    summit &= (alike > _LEAST) & (alike - around > _LEAST)
    found = []
    for y, x in np.argwhere(summit):
        dy, dx = int(y) - middle[0], int(x) - middle[1]
        if math.hypot(dx, dy) < _SMALLEST or dy < 0 or (dy == 0 and dx < 0):
            continue
        if _least_fall(alike, int(x), int(y), math.hypot(dx, dy)) < _FALLS:
            continue
        px, py = _refined(alike, int(x), int(y))
        found.append((float(alike[y, x]), px - middle[1], py - middle[0]))
    return found


def _least_fall(alike: Floats, x: int, y: int, distance: float) -> float:
    """Return how much correlation falls a little way off, in the direction where it falls least.

    Along a joint or a stripe it does not fall: that is no recurrence.
    """
    reach = max(3.0, 0.3 * distance)
    turns = np.arange(16) * (math.pi / 8)
    rows = np.rint(y + reach * np.sin(turns)).astype(int)
    columns = np.rint(x + reach * np.cos(turns)).astype(int)
    inside = (rows >= 0) & (rows < alike.shape[0]) & (columns >= 0) & (columns < alike.shape[1])
    if not inside.any():
        return 0.0
    return float(alike[y, x] - alike[rows[inside], columns[inside]].max())


def _along_one_axis(alike: Floats) -> list[tuple[float, float, float]]:
    """Return what recurs along x or along y alone, as :func:`_peaks` does; the stronger axis."""
    middle = (alike.shape[0] // 2, alike.shape[1] // 2)
    found: list[list[tuple[float, float, float]]] = []
    for axis in (0, 1):
        line = alike[middle[0], middle[1] :] if axis == 0 else alike[middle[0] :, middle[1]]
        tops = [
            n
            for n in range(_SMALLEST, len(line) - 1)
            if line[n] > _LEAST
            and line[n] >= line[n - 1]
            and line[n] > line[n + 1]
            and line[n] - line[:n].min() > _LEAST
        ]
        found.append([])
        for n in tops:
            x, y = (middle[1] + n, middle[0]) if axis == 0 else (middle[1], middle[0] + n)
            px, py = _refined(alike, x, y)
            step = (px - middle[1], 0.0) if axis == 0 else (0.0, py - middle[0])
            found[-1].append((float(line[n]), *step))
    return max(found, key=lambda tops: max((t[0] for t in tops), default=0.0))


def _refined(alike: Floats, x: int, y: int) -> tuple[float, float]:
    """Return the top of the parabola through a maximum and its neighbours on either side."""

    def top(before: float, here: float, after: float) -> float:
        bend = before - 2 * here + after
        return 0.0 if bend >= -1e-9 else max(-0.5, min(0.5, (before - after) / (2 * bend)))

    fx = fy = 0.0
    if 0 < x < alike.shape[1] - 1:
        fx = top(float(alike[y, x - 1]), float(alike[y, x]), float(alike[y, x + 1]))
    if 0 < y < alike.shape[0] - 1:
        fy = top(float(alike[y - 1, x]), float(alike[y, x]), float(alike[y + 1, x]))
    return x + fx, y + fy


def _followed(alike: Floats, step: tuple[float, float]) -> tuple[float, float]:
    """Follow a step outwards and return it as the last recurrence gives it."""
    middle = (alike.shape[0] // 2, alike.shape[1] // 2)
    best = step
    count = 2
    while True:
        x, y = middle[1] + best[0] * count, middle[0] + best[1] * count
        if not (2 <= x < alike.shape[1] - 2 and 2 <= y < alike.shape[0] - 2):
            return best
        left, top = round(x) - 2, round(y) - 2
        window = alike[top : top + 5, left : left + 5]
        row, column = np.unravel_index(int(np.argmax(window)), window.shape)
        if row in (0, 4) or column in (0, 4) or window.max() < _LEAST:
            return best
        px, py = _refined(alike, left + int(column), top + int(row))
        best = ((px - middle[1]) / count, (py - middle[0]) / count)
        count += 1
