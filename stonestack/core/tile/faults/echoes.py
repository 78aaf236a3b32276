"""What is there twice: cloned patches, ghosts of the whole, mirror images.

The tile is whitened and correlated with itself: an echo shows as a peak away from the middle, as
in the cepstrum (B. Bogert, M. Healy and J. Tukey, "The Quefrency Alanysis of Time Series for
Echoes", 1963), a mirror image as a peak of the correlation with the turned picture. What recurs
on a lattice has a spectrum of lines, which are clipped, so that only what else recurs is left.
Distances at which only small parts are there again are found by votes (:mod:`.twins`).
Where a peak comes from is read from the local correlation at that distance.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.filters import bordered
from stonestack.core.picture.image import Floats
from stonestack.core.picture.measures.quantiles import median
from stonestack.core.picture.resize import at_most
from stonestack.core.tile.faults.evidence import Evidence
from stonestack.core.tile.faults.twins import twin_distances
from stonestack.core.tile.period import Lattice

_SIDE = 1024
_SMOOTH = 2.0
_CLIP = 4.0
_ROUNDING = 4 / 12 / 255**2
_MOST_OUT = 1.2
_NEAREST = 0.02
_LEAST_SIGMAS = 4.3
_MOST_TRIED = 20
_SAME = 0.88
_SURELY = 0.2
_SAME_GRAIN = 0.6
_EXACT, _GRAIN = 0.95, 1.0
"""How alike the grain of a copy is, and how far grain stands out, in its usual size."""
_A_STEP = 2.0
"""Pixels within which a distance is a step of the structure: what is alike there is no copy."""
_FINE, _PAD, _FAR_OUT = 1.5, 8, 2.5
_WINDOW = 26
_CELLS = 8
"""Cells of the coarser grid from the middle of a square to its edge."""
_RECURS = 0.35
_BESIDE = 0.04
_BESIDE_ALONG = 4
_SHARP = 0.6
_GHOST = 0.06
_GHOST_SIGMAS = 8.0
_LEAP = 0.08
"""Of the side: long grain is like itself nearer than that."""
_MIRROR = 0.3
_ALONE = 0.6
_STRUCTURED = 0.3


def echo_evidence(values: Floats, lattice: Lattice | None) -> list[Evidence]:
    """Look for copies, ghosts and mirror axes.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        A ring, as the eye weighs it.
    lattice : Lattice or None
        What recurs by it is no copy.
    """
    height, width = values.shape[:2]
    light = at_most(values, _SIDE).mean(axis=2, dtype=np.float32)
    scale = width / light.shape[1]
    white, spectrum = _whitened(light, scale > 1)
    if not white.any():
        return []
    found = _mirrors(spectrum, width, height)
    if not found:
        found = _repeats(white, light, spectrum, scale, lattice)
    return found


def _whitened(light: Floats, softened: bool) -> tuple[Floats, NDArray[np.complex64]]:
    """Return a ring whose spectrum is flat but for chance, with spread 1, and that spectrum."""
    import cv2
    from scipy import fft

    waves = fft.fft2(light - light.mean(), workers=-1)
    power = np.square(np.abs(waves)) + np.float32(1e-9)
    around = bordered(np.log(power), 8, True)
    smooth = np.exp(cv2.GaussianBlur(around, (0, 0), _SMOOTH)[8:-8, 8:-8])
    ratio = np.minimum(power / smooth, _CLIP)
    # Waves that are weaker than rounding to eight bits say nothing.
    rounding = light.size * _ROUNDING
    waves = waves * np.sqrt(ratio / power * (smooth / (smooth + rounding)))
    if softened:
        # Shrunk pictures of equal parts are alike in their broader waves only.
        rows = np.fft.fftfreq(light.shape[0])[:, np.newaxis]
        columns = np.fft.fftfreq(light.shape[1])[np.newaxis]
        waves = waves * np.exp(-(rows**2 + columns**2) / (2 * 0.16**2))
    waves = waves.astype(np.complex64)
    white = fft.ifft2(waves, workers=-1).real
    spread = max(float(white.std()), 1e-12)
    # What stands out most would decide alone whether two places are alike.
    even = np.clip(white / spread, -_MOST_OUT, _MOST_OUT)
    return np.asarray(even, np.float32), np.asarray(waves / spread, np.complex64)


def _mirrors(spectrum: NDArray[np.complex64], width: int, height: int) -> list[Evidence]:
    from scipy import fft

    rows, columns = spectrum.shape
    found = []
    for axis in (1, 0):
        # Turned over, a real ring's spectrum has the frequencies of that axis negated.
        turned = np.roll(np.flip(spectrum, axis=axis), 1, axis=axis)
        alike = fft.ifft2(spectrum * np.conj(turned), workers=-1).real
        line = (alike[0] if axis == 1 else alike[:, 0]) / (rows * columns)
        best = int(np.argmax(line))
        others = line.copy()
        others[np.arange(best - 3, best + 4) % len(line)] = -1
        if line[best] > _MIRROR and others.max() < _ALONE * line[best]:
            at = (best + 1) / 2 / len(line) % 0.5
            if axis == 1:
                box = (at * width - 1, 0.0, 2.0, float(height))
            else:
                box = (0.0, at * height - 1, float(width), 2.0)
            found.append(
                Evidence("mirror", box, float(line[best]) / _MIRROR - 1, float(line[best]))
            )
    return found


def _repeats(
    white: Floats,
    light: Floats,
    spectrum: NDArray[np.complex64],
    scale: float,
    lattice: Lattice | None,
) -> list[Evidence]:
    from scipy import fft

    height, width = white.shape
    alike = fft.ifft2(np.square(np.abs(spectrum)), workers=-1).real
    again = np.asarray(alike / alike[0, 0], np.float32)
    down = np.minimum(np.arange(height), height - np.arange(height))[:, np.newaxis]
    across = np.minimum(np.arange(width), width - np.arange(width))[np.newaxis]
    far = np.hypot(down, across) > max(6, _NEAREST * min(height, width))
    spread = 1.4826 * float(median(np.abs(again[far]))) + 1e-9
    left = np.where(far, again, np.float32(-1))
    left[height // 2 + 1 :] = -1
    steps = _of_the_structure(lattice, scale, width, height)
    ring = _Ring(white)
    twins = _twins(ring, light, scale, steps)
    found = [echo for _, _, echoes in twins for echo in echoes]
    for x, y, _ in twins:
        _leave_out(left, x, y)
    for _ in range(_MOST_TRIED):
        y, x = (int(v) for v in np.unravel_index(int(np.argmax(left)), left.shape))
        sigmas = float(left[y, x]) / spread
        if sigmas < _LEAST_SIGMAS:
            break
        _leave_out(left, x, y)
        near = max(3.0, _NEAREST * min(width, height))
        if _again(again, x, y) > _RECURS * sigmas * spread and (
            sigmas > _GHOST_SIGMAS
            or (steps is not None and _near(steps, x, y, width, height, near))
        ):
            continue
        found += [
            echo
            for echo in _told(ring, x, y, sigmas, scale)
            if echo.kind == "copy" or _stands_alone(again, x, y)
        ]
    return found


def _leave_out(left: Floats, x: int, y: int) -> None:
    left[max(0, y - 3) : y + 4, max(0, x - 3) : x + 4] = -1


def _twins(
    ring: _Ring, light: Floats, scale: float, steps: NDArray[np.float64] | None
) -> list[tuple[int, int, list[Evidence]]]:
    """Look for patches that are lost in the correlation of the whole; give how far they lie too."""
    height, width = light.shape
    detail = _detail(light)
    # What stands out is much the same wherever a structure recurs; the grain between it is not.
    grain = _Ring(np.where(np.abs(detail) < _GRAIN, detail, np.float32(0)))
    found = []
    for x, y in twin_distances(detail, max(6, _NEAREST * min(light.shape))):
        if steps is not None and _near(steps, x, y, width, height, _A_STEP):
            continue
        alike = grain.alike(x, y)
        most = float(alike.max())
        if most < _SAME_GRAIN or float(median(alike)) > _SAME / 2:
            continue
        if most > _EXACT:
            excess = (min(most, 1.0) - _EXACT) / (1 - _EXACT) + _SURELY
            copies = _both(grain, alike, x, y, scale, excess)
        else:
            copies = _told(ring, x, y, 0.0, scale)
        if copies:
            found.append((x, y, copies))
    return found


def _detail(light: Floats) -> Floats:
    """Return what is finer than a few texels, in its usual size; no farther is looked than that."""
    import cv2

    around = bordered(light, _PAD, True)
    fine = (around - cv2.GaussianBlur(around, (0, 0), _FINE))[_PAD:-_PAD, _PAD:-_PAD]
    usual = max(float(np.abs(fine).mean()) * math.sqrt(math.pi / 2), 1e-12)
    return np.asarray(np.clip(fine / usual, -_FAR_OUT, _FAR_OUT), np.float32)


def _again(alike: Floats, x: int, y: int) -> float:
    """Return how alike the ring is at twice a distance: a structure goes on, an echo does not."""
    rows = np.arange(2 * y - 2, 2 * y + 3) % alike.shape[0]
    columns = np.arange(2 * x - 2, 2 * x + 3) % alike.shape[1]
    return float(alike[np.ix_(rows, columns)].max())


def _stands_alone(alike: Floats, x: int, y: int) -> bool:
    """Tell whether a ring is much less like itself a little nearer and farther the same way."""
    height, width = alike.shape
    dx, dy = (x - width if x > width / 2 else x), (y - height if y > height / 2 else y)
    distance = float(np.hypot(dx, dy))
    beside = [
        abs(float(alike[round(dy * share) % height, round(dx * share) % width]))
        for share in np.concatenate([np.arange(0.5, 1, 0.05), np.arange(1.05, 1.5, 0.05)])
        if abs(share - 1) * distance >= _BESIDE_ALONG
    ]
    return max(beside, default=0.0) < _SHARP * float(alike[y, x])


def _told(ring: _Ring, x: int, y: int, sigmas: float, scale: float) -> list[Evidence]:
    """Tell a ghost from a copy by where the ring is like itself a step away."""
    height, width = ring.white.shape
    alike = ring.alike(x, y)
    middle, most = float(median(alike)), float(alike.max())
    copied = most > _SAME and middle < _SAME / 2
    leap = np.hypot(min(x, width - x), min(y, height - y)) / min(width, height)
    if not copied and not (middle > _GHOST and sigmas > _GHOST_SIGMAS and leap > _LEAP):
        return []
    row, column = ring.place(int(np.argmax(alike)))
    # Along a joint or a grain all is alike at every distance: no echo.
    away = max(4, round(_BESIDE * min(height, width)))
    for dx, dy in ((away, 0), (-away, 0), (0, away), (0, -away)):
        if copied and ring.alike_at(row, column, x + dx, y + dy) > _SHARP * most:
            return []
        if not copied and float(median(ring.alike(x + dx, y + dy))) > _SHARP * middle:
            return []
    # Joints stand out most, and cross alike at many places; grain tells places apart.
    if copied and ring.alike_at(row, column, x, y, _MOST_OUT) < _SAME_GRAIN:
        return []
    if not copied:
        whole = (0.0, 0.0, width * scale, height * scale)
        return [Evidence("ghost", whole, middle / _GHOST - 1, middle)]
    excess = (most - _SAME) / (1 - _SAME) + _SURELY
    return _both(ring, alike, x, y, scale, excess)


def _both(
    ring: _Ring, alike: Floats, x: int, y: int, scale: float, excess: float
) -> list[Evidence]:
    """Return the two places that are most alike a step apart, each as a copy."""
    height, width = ring.white.shape
    row, column = ring.place(int(np.argmax(alike)))
    side = min(ring.side_of(alike > 0.5 * float(alike.max())), 0.5 * min(width, height))
    return [
        Evidence(
            "copy",
            ((cx - side / 2) * scale, (cy - side / 2) * scale, side * scale, side * scale),
            excess,
            side / min(width, height),
        )
        for cx, cy in ((column, row), ((column + x) % width, (row + y) % height))
    ]


class _Ring:
    """A whitened ring, and how like it is to itself a step away, place by place.

    Means are taken over squares; they vary slowly, and so are taken on a coarser grid.
    """

    def __init__(self, white: Floats) -> None:
        self.white = white
        height, width = white.shape
        self._reach: int = max(8, round(min(white.shape) / _WINDOW))
        self._coarse: int = max(1, self._reach // _CELLS)
        self._cells = (height // self._coarse, width // self._coarse)
        self._energy = self._means(np.square(white))

    def _means(self, values: Floats) -> Floats:
        """Return means over squares about each cell of the grid."""
        import cv2

        if self._coarse > 1:
            values = cv2.resize(values, self._cells[::-1], interpolation=cv2.INTER_AREA)  # type: ignore[assignment]
        reach = round(self._reach / self._coarse)
        around = bordered(values, reach, True)
        soft = cv2.blur(around, (2 * reach + 1,) * 2)
        return np.asarray(soft[reach:-reach, reach:-reach], np.float32)

    def alike(self, x: int, y: int) -> Floats:
        """Return the local correlation with what lies a step away, for each cell."""
        product = self.white * np.roll(self.white, (-y, -x), axis=(0, 1))
        down, across = (
            -round(step * cells / side)
            for step, cells, side in zip((y, x), self._cells, self.white.shape, strict=True)
        )
        energy = self._energy * np.roll(self._energy, (down, across), axis=(0, 1))
        return np.asarray(self._means(product) / np.sqrt(np.maximum(energy, 1e-6)), np.float32)

    def place(self, cell: int) -> tuple[int, int]:
        """Return row and column of the pixel in the middle of a cell."""
        at = np.unravel_index(cell, self._cells)
        row, column = (
            int((int(i) + 0.5) * side / cells)
            for i, cells, side in zip(at, self._cells, self.white.shape, strict=True)
        )
        return row, column

    def side_of(self, cells: NDArray[np.bool_]) -> float:
        """Return the side of a square as large as so many cells, in pixels."""
        return float(np.sqrt(cells.sum())) * self._coarse

    def alike_at(self, row: int, column: int, x: int, y: int, below: float | None = None) -> float:
        """Return the correlation of one place with another a step away.

        Parameters
        ----------
        below : float, optional
            Where it is given, only what stands out less than this is compared.
        """
        one, other = (self._square(row + dy, column + dx, below) for dy, dx in ((0, 0), (y, x)))
        energy = max(float(np.square(one).mean() * np.square(other).mean()), 1e-6)
        return float((one * other).mean() / np.float32(math.sqrt(energy)))

    def _square(self, row: int, column: int, below: float | None) -> Floats:
        height, width = self.white.shape
        around = np.arange(-self._reach, self._reach + 1)
        square = self.white[np.ix_((row + around) % height, (column + around) % width)]
        return square if below is None else np.where(np.abs(square) < below, square, np.float32(0))


def _of_the_structure(
    lattice: Lattice | None, scale: float, width: int, height: int
) -> NDArray[np.float64] | None:
    """Return the distances at which a structure recurs, in pixels of the shrunk ring."""
    if lattice is None or lattice.strength < _STRUCTURED:
        return None
    a = np.array(lattice.first) / scale
    b = np.array(lattice.second or (0.0, 0.0)) / scale
    most = max(1, round(max(width, height) / max(4.0, float(np.hypot(*a)))))
    n, m = np.meshgrid(np.arange(-most, most + 1), np.arange(-most, most + 1))
    return np.asarray(n[..., np.newaxis] * a + m[..., np.newaxis] * b).reshape(-1, 2)


def _near(
    steps: NDArray[np.float64], x: int, y: int, width: int, height: int, within: float
) -> bool:
    """Tell whether a distance on the ring is one of those, within so many pixels."""
    dx = (steps[:, 0] - x + width / 2) % width - width / 2
    dy = (steps[:, 1] - y + height / 2) % height - height / 2
    return bool(np.hypot(dx, dy).min() < within)
