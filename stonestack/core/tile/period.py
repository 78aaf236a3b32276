"""The period of a structure, from its autocorrelation: bricks, tiles, weave.

Source: the autocorrelation is the inverse transform of the power spectrum (N. Wiener, "Generalized
Harmonic Analysis", Acta Math. 55 (1930)), here without wrap and made unbiased by the number of
pairs at each distance; the lattice is read from its peaks as in H.-C. Lin, L.-L. Wang and S.-N.
Yang, "Extracting periodicity of a regular texture based on autocorrelation functions", Pattern
Recognition Letters 18 (1997). What is held against itself are tones and, since a joint is often
told by its hue alone and each brick has a tone of its own, how much of a ridge each place is, over
channels that do not depend on one another.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture import colour
from stonestack.core.picture.filters import bordered
from stonestack.core.picture.image import Floats, Picture
from stonestack.core.picture.resize import resample

_SIDE = 512
_LEAST = 0.2
"""Correlation below which nothing recurs."""
_FALLS = 0.07
"""How much correlation falls off in every direction from a place where all recurs."""
_SMALLEST = 5
_REACH = 0.6
"""How far two places may lie apart to be compared, as a share of the side."""
_PEAKS = 28
_AS_GOOD = 0.85
_SLANT = 0.35
"""Sine of the least angle between two steps."""
_FAR = 9
"""Most steps that a lattice is followed in any direction."""
_REFINED = 4
_SURE, _SURE_OF_FEW = 0.25, 0.9
"""Strength that a lattice needs, and how much more for each place fewer at which it is seen."""
_RIDGE = 2.0
"""Width of the ridges that are sought, in pixels."""
_NOISE = 0.006
"""Spread below which a channel holds nothing but noise."""
_MOST = np.float32(3)
_WITHIN = [
    np.array([[d, c], [0, e]], float)
    for d in range(1, 7)
    for e in range(1, 7)
    for c in range(d)
    if 2 <= d * e <= 6
]
"""All ways in which a lattice lies in one with two to six times as many places (C. Hermite)."""


Step = tuple[float, float]
"""In x and y, in pixels."""
Vectors = NDArray[np.float64]


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

    def scaled(self, scale: float) -> Lattice:
        """Return the lattice of the same picture at another size."""
        second = None
        if self.second is not None:
            second = (self.second[0] * scale, self.second[1] * scale)
        return Lattice((self.first[0] * scale, self.first[1] * scale), second, self.strength)


def find_lattice(picture: Picture) -> Lattice | None:
    """Find how a picture's structure recurs; None where it does not.

    Steps are refined by following them as far as the picture goes: the place of the n-th
    recurrence is n times as exact.
    """
    return find_lattice_of(colour.seen(picture))


def find_lattice_of(seen: Floats) -> Lattice | None:
    """Find how values recur that are as the eye weighs them, shape (height, width, channels)."""
    small, scale = _small(seen)
    found = _found([[feature] for feature in (_tones(small), ridges_of(small))])
    return None if found is None else _scaled(found, scale)


def find_lattice_of_parts(seen: Floats) -> Lattice | None:
    """Find how values recur within each of their quarters; if nothing does, over all of them.

    Where the structure is broken somewhere, as in a tile that was badly made, most quarters are
    whole; over the break other steps lead to the same again.
    """
    small, scale = _small(seen)
    features = (_tones(small), ridges_of(small))
    found = _found([_quarters(feature) for feature in features])
    if found is None:
        found = _found([[feature] for feature in features])
    return None if found is None else _scaled(found, scale)


def _small(seen: Floats) -> tuple[Floats, tuple[float, float]]:
    height, width = seen.shape[:2]
    shrink = max(1.0, max(height, width) / _SIDE)
    small = resample(seen, round(width / shrink), round(height / shrink), "box", False)
    return small, (width / small.shape[1], height / small.shape[0])


def _quarters(values: Floats) -> list[Floats]:
    height, width = values.shape[0] // 2, values.shape[1] // 2
    return [values[y : y + height, x : x + width] for y in (0, height) for x in (0, width)]


def _found(features: list[list[Floats]]) -> Lattice | None:
    """Return the lattice of the feature that recurs most; each is given in parts of one size."""
    best: Lattice | None = None
    single: Lattice | None = None
    for parts in features:
        alike = _autocorrelation(parts)
        found = _by_two_steps(alike)
        if found is not None and (best is None or found.strength > best.strength):
            best = found
        if found is None and single is None:
            single = _by_one_step(alike)
    return best or single


def _scaled(lattice: Lattice, scale: tuple[float, float]) -> Lattice:
    def full(step: Step) -> Step:
        return step[0] * scale[0], step[1] * scale[1]

    second = None if lattice.second is None else full(lattice.second)
    return Lattice(full(lattice.first), second, lattice.strength)


def _levelled(values: Floats) -> Floats:
    """Return detail of about the same strength everywhere: broad light would be alike anywhere."""
    detail = values - _broad(values)
    spread = np.sqrt(_broad(np.square(detail))) + 0.05 * float(detail.std()) + np.float32(1e-5)
    return np.asarray(np.clip(detail / spread, -_MOST, _MOST), np.float32)


def _broad(values: Floats) -> Floats:
    """Return a blur over an eighth of the side; so broad that it is found on few pixels."""
    import cv2

    height, width = values.shape
    sigma = max(height, width) / 8
    step = max(1.0, sigma / 4)
    small = (max(4, round(width / step)), max(4, round(height / step)))
    shrunk = cv2.resize(values, small, interpolation=cv2.INTER_AREA)
    blurred = cv2.GaussianBlur(shrunk, (0, 0), sigma / step, borderType=cv2.BORDER_REPLICATE)
    grown = cv2.resize(blurred, (width, height), interpolation=cv2.INTER_LINEAR)
    return np.asarray(grown, np.float32)


def _tones(small: Floats) -> Floats:
    return _levelled(small.mean(axis=2, dtype=np.float32))


def ridges_of(small: Floats) -> Floats:
    """Return how much of a ridge or furrow each place is, of any channel.

    Parameters
    ----------
    small : ndarray, float32, shape (height, width, channels)
        As the eye weighs it.

    Returns
    -------
    ndarray, float32, shape (height, width)
        About as strong everywhere, of mean 0.
    """
    import cv2

    height, width, channels = small.shape
    flat = small.reshape(-1, channels)
    flat = flat - flat.mean(axis=0, dtype=np.float64).astype(np.float32)
    if channels > 1:
        powers, basis = np.linalg.eigh(np.cov(flat.T))
        flat = flat @ (basis / np.sqrt(np.maximum(powers, 0) + _NOISE**2)).astype(np.float32)
    total = np.zeros((height, width), np.float32)
    for channel in flat.T:
        plane = np.ascontiguousarray(channel.reshape(height, width))
        smooth = cv2.GaussianBlur(plane, (0, 0), _RIDGE)
        along, down, both = (
            cv2.Sobel(smooth, cv2.CV_32F, dx, dy) for dx, dy in ((2, 0), (0, 2), (1, 1))
        )
        total += np.sqrt(np.square(along) + np.square(down) + 2 * np.square(both))
    return _levelled(total)


def ridges_of_ring(small: Floats) -> Floats:
    """Return the ridges and furrows of a ring, as :func:`ridges_of`, over its edges too.

    Parameters
    ----------
    small : ndarray, float32, shape (height, width, channels)
        As the eye weighs it.
    """
    pad = max(small.shape[:2]) // 4
    return np.ascontiguousarray(ridges_of(bordered(small, pad, True))[pad:-pad, pad:-pad])


def _autocorrelation(parts: list[Floats]) -> Floats:
    """Return the correlation of pictures with themselves at each distance, -1..1.

    Shape (2 dy + 1, 2 dx + 1) with distance zero in the middle, as far as :data:`_REACH`.
    """
    from scipy import fft

    height, width = parts[0].shape
    size = (fft.next_fast_len(2 * height), fft.next_fast_len(2 * width))
    waves = np.stack([fft.rfft2(part, s=size, workers=-1) for part in parts])
    total = fft.irfft2(np.square(np.abs(waves)).sum(axis=0), s=size, workers=-1)
    dy, dx = int(height * _REACH), int(width * _REACH)
    rolled = np.roll(total, (dy, dx), axis=(0, 1))[: 2 * dy + 1, : 2 * dx + 1]
    down, across = np.abs(np.arange(-dy, dy + 1)), np.abs(np.arange(-dx, dx + 1))
    pairs = np.outer(height - down, width - across)
    energy = sum(float(np.square(part).mean()) for part in parts)
    return np.asarray(rolled / pairs / max(energy, 1e-9), dtype=np.float32)


def _by_two_steps(alike: Floats) -> Lattice | None:
    """Return the finest lattice of those whose places are all nearly as alike as the best."""
    steps = np.array([(dx, dy) for _, dx, dy in sorted(_peaks(alike), reverse=True)[:_PEAKS]])
    if len(steps) < 2:
        return None
    around = highest(alike, 3)
    one, other = np.triu_indices(len(steps), 1)
    pairs = np.stack([steps[one], steps[other]], axis=1)
    area = np.abs(np.linalg.det(pairs))
    wide = area >= _SLANT * np.hypot(*pairs[:, 0].T) * np.hypot(*pairs[:, 1].T)
    pairs, area = pairs[wide], area[wide]
    strength, sure = _strength_of(pairs, around)
    if not sure.any():
        return None
    most = float(strength[sure].max())
    good = np.flatnonzero(sure & (strength >= _AS_GOOD * most))
    best = pairs[good[np.argmin(area[good])]]
    # Followed far, a step has to be exact to be held against its parts.
    exact = np.stack(_fitted(alike, best))
    for _ in range(_REFINED):
        finer = _finer(exact, around, _AS_GOOD * most)
        if finer is None:
            break
        exact = np.stack(_fitted(alike, finer))
    # Where all places of it lie on one line, two steps cannot be told.
    if abs(float(np.linalg.det(exact))) < _SMALLEST**2 / 2:
        return None
    first, second = _shortest(exact[0], exact[1])
    if math.hypot(*first) < _SMALLEST:
        return None
    return Lattice(first, second, min(1.0, most))


def _finer(pair: Vectors, around: Floats, least: float) -> Vectors | None:
    """Return a lattice that holds this one and more places, and is as strong, if there is one."""
    parts = np.array([np.linalg.solve(whole, pair) for whole in _WITHIN])
    finer = parts[np.hypot(parts[..., 0], parts[..., 1]).min(axis=1) >= _SMALLEST]
    if len(finer) == 0:
        return None
    strength, _ = _strength_of(finer, around)
    best = int(np.argmax(strength))
    return np.asarray(finer[best]) if strength[best] >= least else None


def _strength_of(pairs: Vectors, around: Floats) -> tuple[Vectors, NDArray[np.bool_]]:
    """Return how alike the places of lattices are, and of which that is sure.

    Sums of an odd and of an even number of steps have to be alike each for themselves: where only
    every second course is, the lattice is coarser.

    Parameters
    ----------
    pairs : ndarray, shape (lattices, 2, 2)
        Two steps each.
    around : ndarray, float32
        Correlation at each distance, the largest within a pixel.
    """
    counts = np.arange(-_FAR, _FAR + 1)
    n, m = (each.ravel() for each in np.meshgrid(counts, counts))
    half = (m > 0) | ((m == 0) & (n > 0))
    sums = np.stack([n[half], m[half]], axis=1)
    middle = np.array([around.shape[1] // 2, around.shape[0] // 2])
    x, y = np.rint(sums @ pairs + middle).astype(int).transpose(2, 0, 1)
    inside = (x >= 0) & (x < around.shape[1]) & (y >= 0) & (y < around.shape[0])
    values = np.where(inside, around[y * inside, x * inside], 0)
    parities = sums[:, 0] % 2 + 2 * (sums[:, 1] % 2)
    strength = np.full(len(pairs), np.inf)
    for parity in (1, 2, 3):
        mine = inside & (parities == parity)
        count = mine.sum(axis=1)
        mean = (values * mine).sum(axis=1) / np.maximum(count, 1)
        strength = np.minimum(strength, np.where(count > 0, mean, np.inf))
    strength = np.where(np.isfinite(strength), strength, 0)
    seen = np.maximum(inside.sum(axis=1), 1)
    return strength, strength >= _SURE + _SURE_OF_FEW / seen


def _fitted(alike: Floats, pair: Vectors) -> tuple[Vectors, Vectors]:
    """Return two steps as all places of their lattice give them, from the nearest outwards."""
    middle = np.array([alike.shape[1] // 2, alike.shape[0] // 2])
    basis = pair
    for reach in (1, 2, 4, _FAR):
        counts = np.arange(-reach, reach + 1)
        rows, found, weights = [], [], []
        for n in counts:
            for m in counts[counts >= 0]:
                if m == 0 and n <= 0:
                    continue
                place = n * basis[0] + m * basis[1] + middle
                top = _summit_near(alike, place)
                if top is not None:
                    rows.append((n, m))
                    found.append((top[0] - middle[0], top[1] - middle[1]))
                    weights.append(top[2])
        if len({abs(n) for n, _ in rows}) < 2 or len({m for _, m in rows}) < 2:
            continue
        root = np.sqrt(np.array(weights))[:, np.newaxis]
        basis, *_ = np.linalg.lstsq(np.array(rows) * root, np.array(found) * root, rcond=None)
    return basis[0], basis[1]


def _summit_near(alike: Floats, place: Vectors) -> tuple[float, float, float] | None:
    """Return the place and height of the maximum within two pixels of a place, if there is one."""
    left, top = round(float(place[0])) - 2, round(float(place[1])) - 2
    window = alike[max(0, top) : top + 5, max(0, left) : left + 5]
    if window.shape != (5, 5):
        return None
    row, column = np.unravel_index(int(np.argmax(window)), window.shape)
    height = float(window[row, column])
    if row in (0, 4) or column in (0, 4) or height < _LEAST:
        return None
    x, y = _refined(alike, left + int(column), top + int(row))
    return x, y, height


def _shortest(a: Vectors, b: Vectors) -> tuple[Step, Step]:
    """Return the two shortest steps of a lattice, each downwards or to the right (C. F. Gauss)."""
    if np.dot(a, a) > np.dot(b, b):
        a, b = b, a
    for _ in range(_FAR):
        b = b - round(float(np.dot(a, b) / np.dot(a, a))) * a
        if np.dot(b, b) >= np.dot(a, a) - 1e-9:
            break
        a, b = b, a

    def downwards(step: Vectors) -> Step:
        x, y = float(step[0]), float(step[1])
        return (-x, -y) if y < -0.5 or (abs(y) <= 0.5 and x < 0) else (x, y)

    return downwards(a), downwards(b)


def _by_one_step(alike: Floats) -> Lattice | None:
    """Return what recurs along one axis alone, as stripes and courses do."""
    tops = _along_one_axis(alike)
    if not tops:
        return None
    best = max(strength for strength, _, _ in tops)
    shortest = min(
        (t for t in tops if t[0] >= _AS_GOOD * best), key=lambda t: math.hypot(t[1], t[2])
    )
    step = _followed(alike, (shortest[1], shortest[2]))
    middle = (alike.shape[0] // 2, alike.shape[1] // 2)
    count = min(
        int(middle[1] / abs(step[0])) if abs(step[0]) > 1 else _FAR,
        int(middle[0] / abs(step[1])) if abs(step[1]) > 1 else _FAR,
    )
    rows, columns = (
        np.rint(middle[axis] + step[1 - axis] * np.arange(1, count + 1)).astype(int)
        for axis in (0, 1)
    )
    inside = (rows < alike.shape[0] - 1) & (columns < alike.shape[1] - 1)
    around = [
        alike[y - 1 : y + 2, x - 1 : x + 2].max()
        for y, x in zip(rows[inside], columns[inside], strict=True)
    ]
    strength = float(np.mean(around)) if around else 0.0
    if strength < _SURE + _SURE_OF_FEW / max(1, count):
        return None
    return Lattice(step, None, strength)


def _peaks(alike: Floats) -> list[tuple[float, float, float]]:
    """Return strength and distance, in x and y, of the local maxima of one half."""
    middle = (alike.shape[0] // 2, alike.shape[1] // 2)
    reach = 2 * (_SMALLEST // 2) + 1
    summit = alike == highest(alike, reach)
    # A recurrence rises out of its surroundings; a mere decay from the middle does not.
    around = -highest(-alike, 4 * reach + 1)
    summit &= (alike > _LEAST) & (alike - around > _LEAST)
    y, x = np.nonzero(summit)
    dy, dx = y - middle[0], x - middle[1]
    distance = np.hypot(dx, dy)
    half = (distance >= _SMALLEST) & ((dy > 0) | ((dy == 0) & (dx >= 0)))
    y, x, distance = y[half], x[half], distance[half]
    found = []
    for n in np.flatnonzero(_least_fall(alike, x, y, distance) >= _FALLS):
        px, py = _refined(alike, int(x[n]), int(y[n]))
        found.append((float(alike[y[n], x[n]]), px - middle[1], py - middle[0]))
    return found


def highest(values: Floats, side: int) -> Floats:
    """Return the highest value within a square of ``side`` pixels, an odd number, around each."""
    import cv2

    return np.asarray(cv2.dilate(values, np.ones((side, side), np.uint8)), np.float32)


def _least_fall(
    alike: Floats, x: NDArray[np.intp], y: NDArray[np.intp], distance: Vectors
) -> Vectors:
    """Return how much correlation falls a little way off, in the direction where it falls least.

    Along a joint or a stripe it does not fall: that is no recurrence.
    """
    reach = np.maximum(3.0, 0.3 * distance)[:, np.newaxis]
    turns = np.arange(16) * (math.pi / 8)
    rows = np.rint(y[:, np.newaxis] + reach * np.sin(turns)).astype(int)
    columns = np.rint(x[:, np.newaxis] + reach * np.cos(turns)).astype(int)
    inside = (rows >= 0) & (rows < alike.shape[0]) & (columns >= 0) & (columns < alike.shape[1])
    around = np.where(inside, alike[rows * inside, columns * inside], -np.inf).max(axis=1)
    return np.where(inside.any(axis=1), alike[y, x] - around, 0.0)


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
