"""Straight lines that run together: a matter that was seen at a slant, and corners that lie on it.

Lines that are parallel on a plane meet in one point of its picture, and the points of all
directions of the plane lie on one line, which straightening sends to infinity (R. Hartley and A.
Zisserman, "Multiple View Geometry in Computer Vision", 2nd edition 2004, sections 8.6 and 2.7).
The point of each of two families of lines is looked for among all by how many edges point to it
(S. Barnard, "Interpreting perspective images", Artificial Intelligence 21, 1983), each edge given
by the structure tensor (J. Bigun and G. Granlund, "Optimal Orientation Detection of Linear
Symmetry", ICCV 1987).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats
from stonestack.core.picture.resize import at_most

_SIDE = 384
_FINE, _AROUND = 1.2, 2.5
"""Pixels over which edges are smoothed, and over which they are one line."""
_PAD = 8
"""Pixels of the rim that are left out: beyond it nothing is known."""
_MOST_EDGES, _FEWEST, _AT_FIRST = 9000, 200, 4
"""Of how many edges each so manieth is looked at until it is known about where lines meet."""
_RIM = (_PAD + 0.5) / (_SIDE / 2)
_NARROWER = 0.98
"""By how much less is taken of a plane that ends within the picture."""
_STRONG, _CLEAR = 0.7, 0.25
"""Share of edges that are weaker than a full one, and the least part of that which counts."""
_COHERENT = 0.6
"""How much of a place runs one way, of all that changes there, for it to be the edge of a line."""
_WITHIN = math.radians(3.8)
"""How far an edge may be off its line, in radians, to count at all."""
_LEANS = np.radians(np.arange(-24.0, 24.1, 1.5))
_MEETS = np.arange(-0.9, 0.91, 0.06)
"""One over the distance at which lines meet, in halves of the longer side."""
_LEAST_EDGES = 0.05
"""Share of all edges that each of two families has to have."""
_LINED = 0.15
"""Share of a family's edges that have to point to where it meets; by chance it is 0.09."""
_RUNS_TOGETHER, _BETTER = 0.06, 1.12
"""How near lines have to meet, and how many times as many edges have to point there as would run
side by side."""
_SURELY_BETTER = 1.03
"""How many times as many have to, for what they are held to meet in at all."""
_THIRD_WAY, _OFF = 0.1, math.radians(12)
"""Share of edges that may run one way off both families, where the plane is straightened: of
hexagons three families run, and no two of them at right angles."""
_NEAREST = 0.3
"""How far off a part of the plane may be, as a share of how near its middle is."""
_GRID = 48
_LEAST_SHARE = 0.2
"""Of the picture, that corners have to hold."""


@dataclass(frozen=True)
class Family:
    """Lines that are parallel on the plane.

    Parameters
    ----------
    point : ndarray, float64, shape (3,)
        Where they meet, homogeneous; from the middle of the picture, in halves of its longer side.
        The first two have length 1 and say how they run through the middle.
    runs_together : bool
        Whether they surely meet there, and do not run side by side.
    """

    point: NDArray[np.float64]
    runs_together: bool


@dataclass(frozen=True)
class Slant:
    """How a plane was seen.

    Parameters
    ----------
    across, down : Family
        Lines that run nearly across and nearly down.
    around : ndarray, float64, shape (corners, 2)
        Convex polygon around what is seen of it; from the middle of the picture, in halves of its
        longer side.
    """

    across: Family
    down: Family
    around: NDArray[np.float64]


def slant_of(values: Floats) -> Slant | None:
    """Look for straight lines that run together.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        A picture as the eye weighs it.

    Returns
    -------
    Slant or None
        None where too few lines are straight, or they run side by side.
    """
    edges = _edges(at_most(values, _SIDE).mean(axis=2, dtype=np.float32))
    if len(edges.weights) < _FEWEST:
        return None
    roll = _roll(edges)
    across, down = (_family(edges, roll + turned) for turned in (0.0, math.pi / 2))
    if across is None or down is None or not (across.runs_together or down.runs_together):
        return None
    slant = Slant(across, down, _around(edges, values.shape[1] / values.shape[0]))
    return slant if _third_way(slant, edges) <= _THIRD_WAY else None


def corners_seen(values: Floats) -> tuple[tuple[float, float], ...] | None:
    """Return corners on a picture's lines, as :func:`corners_on` does; None where it has no slant.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        As the eye weighs it.
    """
    slant = slant_of(values)
    return None if slant is None else corners_on(slant, values.shape[1], values.shape[0])


def corners_on(slant: Slant, width: int, height: int) -> tuple[tuple[float, float], ...] | None:
    """Return the largest quadrilateral whose sides run along both families of lines.

    Parameters
    ----------
    slant : Slant
    width, height : int
        Of the picture, in pixels.

    Returns
    -------
    tuple of four (x, y), or None
        Corners as shares of the sides: top left, top right, bottom right, bottom left. None where
        none would hold a fair part of the picture.
    """
    import cv2

    half = max(width, height) / 2
    straight = _straightening(slant)
    rim = _near_part(slant.around, straight[2])
    if len(rim) < 3:
        return None
    flat = cv2.perspectiveTransform(rim[np.newaxis], straight)[0]
    best: tuple[float, NDArray[np.float64]] | None = None
    rows = np.linspace(float(flat[:, 1].min()), float(flat[:, 1].max()), _GRID + 2)[1:-1]
    chords = [_chord(flat, float(y)) for y in rows]
    back = np.linalg.inv(straight)
    for n, top in enumerate(rows):
        for m in range(n + 1, len(rows)):
            left = max(chords[n][0], chords[m][0])
            right = min(chords[n][1], chords[m][1])
            if right <= left:
                continue
            box = np.array([(left, top), (right, top), (right, rows[m]), (left, rows[m])])
            seen = cv2.perspectiveTransform(box[np.newaxis], back)[0]
            area = _area(seen) * half * half
            if best is None or area > best[0]:
                best = (area, seen)
    if best is None or best[0] < _LEAST_SHARE * width * height:
        return None
    places = best[1] * half / (width, height) + 0.5
    return tuple((float(x), float(y)) for x, y in np.clip(places, 0, 1))


@dataclass(frozen=True)
class _Edges:
    """Edges of lines.

    Parameters
    ----------
    places : ndarray, float32, shape (edges, 2)
        From the middle of the picture, in halves of its longer side.
    runs : ndarray, float32, shape (edges, 2)
        Unit vectors along them.
    weights : ndarray, float32, shape (edges,)
        How clear each is, 0..1.
    """

    places: Floats
    runs: Floats
    weights: Floats

    def some(self, which: NDArray[np.bool_] | slice) -> _Edges:
        """Return some of them."""
        return _Edges(self.places[which], self.runs[which], self.weights[which])

    def pointing(
        self, leans: NDArray[np.float64], meets: NDArray[np.float64]
    ) -> NDArray[np.float64]:
        """Return the share that points to each place, shape (leans, meets)."""
        x, y = self.places.T
        across = np.stack([-self.runs[:, 1], self.runs[:, 0]])
        nearer = meets[:, np.newaxis].astype(np.float32)
        towards = nearer * (across[0] * x + across[1] * y)
        from_x, from_y = nearer * x, nearer * y
        shares = np.empty((len(leans), len(meets)))
        for n, lean in enumerate(leans):
            run = np.array([math.cos(lean), math.sin(lean)], np.float32)
            length = np.square(run[0] - from_x) + np.square(run[1] - from_y)
            off = np.square(run @ across - towards) / np.maximum(length, np.float32(1e-9))
            shares[n] = _near_0(off) @ self.weights
        return np.asarray(shares / self.weights.sum())


def _near_0(squared: Floats) -> Floats:
    """Return the weight of directions that are off by so much, squared: J. Tukey's biweight."""
    return np.asarray(np.square(np.maximum(1 - squared * np.float32(1 / _WITHIN**2), 0)))


def _edges(light: Floats) -> _Edges:
    """Return the edges of a picture, in no order."""
    import cv2

    soft = cv2.GaussianBlur(light, (0, 0), _FINE)
    gx, gy = (cv2.Sobel(soft, cv2.CV_32F, dx, dy) for dx, dy in ((1, 0), (0, 1)))
    xx, yy, xy = (cv2.GaussianBlur(g, (0, 0), _AROUND) for g in (gx * gx, gy * gy, gx * gy))
    inner = slice(_PAD, -_PAD)
    xx, yy, xy = (g[inner, inner] for g in (xx, yy, xy))
    apart, both = np.hypot(xx - yy, 2 * xy), xx + yy
    clear = np.sqrt(apart) * (apart > _COHERENT * both)
    # One strong edge is no more a line than a weak one.
    clear = np.minimum(clear / max(_quantile_above_0(clear), 1e-12), 1)
    rows, columns = np.nonzero(clear > _CLEAR)
    order = np.random.default_rng(0).permutation(len(rows))[:_MOST_EDGES]
    rows, columns = rows[order], columns[order]
    across = 0.5 * np.arctan2(2 * xy[rows, columns], (xx - yy)[rows, columns])
    height, width = light.shape
    places = np.stack([columns - clear.shape[1] / 2, rows - clear.shape[0] / 2], axis=1) + 0.5
    runs = np.stack([-np.sin(across), np.cos(across)], axis=1)
    return _Edges(
        np.asarray(places / (max(width, height) / 2), np.float32),
        np.asarray(runs, np.float32),
        np.asarray(clear[rows, columns], np.float32),
    )


def _around(edges: _Edges, ratio: float) -> NDArray[np.float64]:
    """Return a convex polygon around edges, in a picture of these proportions.

    A ground that a plane lies on is no part of it; the picture's rim, which is not looked at, is.
    """
    import cv2

    hull = cv2.convexHull(edges.places.astype(np.float32))[:, 0].astype(np.float64)
    most = np.array([min(1.0, ratio), min(1.0, 1 / ratio)])
    return np.where(np.abs(hull) > most - _RIM, np.sign(hull) * most, hull * _NARROWER)


def _quantile_above_0(values: Floats) -> float:
    above = values[values > 0]
    return float(np.quantile(above, _STRONG)) if len(above) else 0.0


def _roll(edges: _Edges) -> float:
    """Return by what angle lines that cross at right angles are turned, in radians."""
    angles = np.arctan2(edges.runs[:, 1], edges.runs[:, 0])
    return float(np.angle((edges.weights * np.exp(4j * angles)).sum()) / 4)


def _family(edges: _Edges, axis: float) -> Family | None:
    """Return where the lines meet that run within 45 degrees of an axis; None if few are lines."""
    along = np.abs(edges.runs @ (math.cos(axis), math.sin(axis)))
    mine = edges.some(along > math.sqrt(0.5))
    if mine.weights.sum() < _LEAST_EDGES * edges.weights.sum():
        return None
    some, leans, meets = mine.some(slice(None, None, _AT_FIRST)), axis + _LEANS, _MEETS
    lean = meet = lined = 0.0
    for _ in range(3):
        shares = some.pointing(leans, meets)
        n, m = np.unravel_index(int(shares.argmax()), shares.shape)
        lean, meet, lined = float(leans[n]), float(meets[m]), float(shares[n, m])
        leans = lean + np.linspace(-1, 1, 7) * (leans[1] - leans[0])
        meets = meet + np.linspace(-1, 1, 7) * (meets[1] - meets[0])
        some = mine
    if lined < _LINED:
        return None
    finer = axis + np.linspace(_LEANS[0], _LEANS[-1], 3 * len(_LEANS))
    parallel = mine.pointing(finer, np.zeros(1))[:, 0]
    better = lined / float(parallel.max())
    if better < _SURELY_BETTER:
        lean, meet = float(finer[parallel.argmax()]), 0.0
    together = abs(meet) >= _RUNS_TOGETHER and better >= _BETTER
    return Family(np.array([math.cos(lean), math.sin(lean), meet]), together)


def _third_way(slant: Slant, edges: _Edges) -> float:
    """Return the largest share of edges that run one way, off both families, once straightened."""
    import cv2

    ends = np.stack([edges.places + by * edges.runs for by in (-1e-3, 1e-3)], axis=1)
    straight = cv2.perspectiveTransform(ends, _straightening(slant))
    x, y = (straight[:, 1] - straight[:, 0]).T
    angles = np.arctan2(y, x)
    ways = np.concatenate([np.arange(_OFF, math.pi / 2 - _OFF, 0.02) + n for n in (0, math.pi / 2)])
    off = (angles - ways[:, np.newaxis] + math.pi / 2) % math.pi - math.pi / 2
    weights = edges.weights
    shares = _near_0(np.square(off / 2)) @ weights / weights.sum()
    return float(shares.max())


def _straightening(slant: Slant) -> NDArray[np.float64]:
    """Return the projection that makes one family run across and the other down."""
    across, down = slant.across.point, slant.down.point
    vanishing = np.cross(across, down)
    projected = np.eye(3)
    projected[2] = vanishing / vanishing[2]
    turned = np.eye(3)
    turned[:2, :2] = np.linalg.inv(np.stack([across[:2], down[:2]], axis=1))
    return turned @ projected


def _near_part(polygon: NDArray[np.float64], nearness: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return what of a polygon is near enough, as I. Sutherland and G. Hodgman clip (1974)."""
    near = polygon @ nearness[:2] + nearness[2] - _NEAREST
    kept = []
    for n, (here, before) in enumerate(zip(near, np.roll(near, 1), strict=True)):
        if (here > 0) != (before > 0):
            kept.append(polygon[n] + (polygon[n - 1] - polygon[n]) * here / (here - before))
        if here > 0:
            kept.append(polygon[n])
    return np.array(kept).reshape(-1, 2)


def _chord(polygon: NDArray[np.float64], y: float) -> tuple[float, float]:
    """Return between which columns a row runs through a convex polygon."""
    at = []
    for (ax, ay), (bx, by) in zip(polygon, np.roll(polygon, -1, axis=0), strict=True):
        if (ay - y) * (by - y) <= 0 and ay != by:
            at.append(float(ax + (bx - ax) * (y - ay) / (by - ay)))
    return min(at), max(at)


def _area(corners: NDArray[np.float64]) -> float:
    x, y = corners.T
    return abs(float(x @ np.roll(y, -1) - y @ np.roll(x, -1))) / 2
