"""Make a picture tile by cutting along the boundary of least error.

Sources: the cut is that of A. Efros and W. Freeman, "Image Quilting for Texture Synthesis
and Transfer", SIGGRAPH 2001, section 2.1; the two bands, the lower blended widely and the
upper narrowly, follow P. Burt and E. Adelson, "A Multiresolution Spline With Application
to Image Mosaics", ACM Trans. Graphics 2 (1983).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core import colour
from stonestack.core.errors import BadRequest
from stonestack.core.image import Floats, Picture, Space, premultiplied, straightened
from stonestack.core.resize import resample
from stonestack.core.roles import Role
from stonestack.core.stepkind import StepKind, StepParams
from stonestack.core.texels import normalised

_SEARCH_SIDE = 256
_LEAST_SHARE = 0.08
_KEEP = 0.8
"""How much a lost share of the picture counts against a better match."""
_BROAD = 3
"""Samples of the lower band across an overlap."""
_TONE = 1.25
"""Most that tone is evened out at a join; a larger difference is not light but matter."""
_NEARLY = 0.035
"""How far sides that count as equal may differ."""
_ROOM = 1.5
"""Most that a side is longer than what is kept of it; the rest is cropped beforehand."""


class MakeTile(StepParams):
    """Parameters of :func:`make_tile`."""

    kind: Literal["make_tile"] = "make_tile"
    axes: Literal["both", "x", "y"] = Field(
        "both", title="Joins", description="Which edges are made to meet"
    )
    shape: Literal["square", "found"] = Field(
        "square",
        title="Proportions",
        description="Equal sides fit a square texture without stretch",
    )
    most: float = Field(
        0.4,
        ge=0.1,
        le=0.6,
        multiple_of=0.01,
        title="Give up at most",
        description="Share of each side that the search for the best join may use up",
    )
    feather: float = Field(
        2.0,
        ge=0,
        le=10,
        multiple_of=0.5,
        title="Feather",
        description="Softness of the cut, in thousandths of the longer side",
    )


def make_tile(picture: Picture, params: MakeTile) -> Picture:
    """Make a picture continue over its edges.

    On each axis the picture is laid over itself at the offset where both match best; within
    the overlap one copy changes to the other along the path of least difference. Broad tone
    is blended over the whole overlap, so that no step of tone remains; detail is switched
    at the path within a narrow feather, so that nothing is blurred. The second cut runs
    on a ring, so that the corners meet too.

    Parameters
    ----------
    picture : Picture
        Any space; at least 16 pixels each way.

    Returns
    -------
    Picture
        Smaller by the overlaps, marked as wrapping.

    Raises
    ------
    BadRequest
        If the picture is too small to be overlapped.
    """
    if min(picture.width, picture.height) < 16:
        raise BadRequest(
            "too-small-to-tile",
            f"{picture.width} × {picture.height} pixels leave no room for a cut.",
            "Start from a larger picture, at least 16 pixels each way.",
        )
    feather = params.feather / 1000 * max(picture.width, picture.height)
    pixels = premultiplied(picture)
    widths = _widths(_as_seen(pixels, picture), params)
    closed = False
    if widths.x is not None:
        pixels = _join(pixels, picture, widths.x, feather, closed)
        closed = True
    if widths.y is not None:
        turned = np.ascontiguousarray(pixels.transpose(1, 0, 2))
        turned = _join(turned, picture, widths.y, feather, closed)
        pixels = np.ascontiguousarray(turned.transpose(1, 0, 2))
    if picture.space is Space.VECTOR:
        return picture.with_pixels(normalised(pixels)).tiling()
    result = straightened(np.clip(pixels, 0, 1), picture)
    return result.tiling()


@dataclass(frozen=True)
class _Widths:
    """What is kept of each side; None where that axis is not joined."""

    x: int | None
    y: int | None


def _widths(seen: Floats, params: MakeTile) -> _Widths:
    """Choose what is kept of each side: the shorter side freely, the longer to match it."""
    turned = np.ascontiguousarray(seen.transpose(1, 0, 2))
    if params.axes == "x":
        return _Widths(best_width(seen, params.most), None)
    if params.axes == "y":
        return _Widths(None, best_width(turned, params.most))
    if params.shape == "found":
        return _Widths(best_width(seen, params.most), best_width(turned, params.most))
    wide = seen.shape[1] >= seen.shape[0]
    short, long = (turned, seen) if wide else (seen, turned)
    kept = best_width(short, params.most)
    matched = width_near(long, kept)
    return _Widths(matched, kept) if wide else _Widths(kept, matched)


def best_width(seen: Floats, most: float) -> int:
    """Return the width at which a picture laid over itself matches best.

    Parameters
    ----------
    seen : ndarray, float32, shape (height, width, channels)
        Values as the eye weighs them.
    most : float
        Share of the width that may be given up.

    Notes
    -----
    The mean difference in the overlap, against the mean difference of unrelated places, plus
    a price for the share that is lost. A structure with a period shows itself as a sharp
    minimum at a whole number of periods. Searched coarsely, then refined in pixels.
    """
    width = seen.shape[1]
    least = max(4, round(width * _LEAST_SHARE))
    return _search(seen, round(width * (1 - most)), width - least, _KEEP)


def width_near(seen: Floats, wanted: int) -> int:
    """Return the width near ``wanted`` at which a picture laid over itself matches best.

    The picture is at least as wide as ``wanted``; where it is much wider, its middle is used.
    """
    seen = _middle(seen, wanted)
    low, high = round(wanted * (1 - _NEARLY)), round(wanted * (1 + _NEARLY))
    high = min(high, seen.shape[1] - 4)
    return _search(seen, min(low, high), high, 0.0)


def _search(seen: Floats, low: int, high: int, price: float) -> int:
    """Return the width from ``low`` to ``high`` with the least badness."""
    height, width = seen.shape[:2]
    shrink = max(1.0, max(height, width) / _SEARCH_SIDE)
    small = resample(seen, round(width / shrink), round(height / shrink), "box", False)
    small_width = small.shape[1]
    unrelated = float(np.abs(small - np.roll(small, small_width // 3, axis=1)).mean()) + 1e-6

    def badness(picture: Floats, kept: int) -> float:
        total = picture.shape[1]
        apart = float(np.abs(picture[:, : total - kept] - picture[:, kept:]).mean())
        return float(apart / unrelated + price * (1 - kept / total))

    ratio = small_width / width
    first, last = round(low * ratio), min(round(high * ratio), small_width - 1)
    coarse = min(range(min(first, last), last + 1), key=lambda kept: badness(small, kept)) / ratio
    reach = int(np.ceil(shrink)) + 1
    low, high = max(low, round(coarse) - reach), min(high, round(coarse) + reach)
    sampled = seen[:: max(1, height // _SEARCH_SIDE)]
    return min(range(min(low, high), high + 1), key=lambda kept: badness(sampled, kept))


def _middle(pixels: Floats, kept: int) -> Floats:
    """Crop columns evenly where far more are there than a join of ``kept`` can use."""
    width = pixels.shape[1]
    room = min(width, round(kept * _ROOM))
    start = (width - room) // 2
    return pixels[:, start : start + room]


def _join(pixels: Floats, like: Picture, kept: int, feather: float, closed: bool) -> Floats:
    """Make premultiplied pixels continue from the right edge to the left, ``kept`` wide."""
    from stonestack.core.tile.cutpath import least_path

    pixels = _middle(pixels, kept)
    overlap = pixels.shape[1] - kept
    margin = min(int(np.ceil(feather)) + 1, (overlap - 1) // 2)
    left, right = _as_seen(pixels[:, :overlap], like), _as_seen(pixels[:, kept:], like)
    cost = _cost(left, right, closed)
    cost[:, :margin] = cost[:, overlap - margin :] = np.float32(1e6)
    path = least_path(cost, closed)

    columns = np.arange(overlap, dtype=np.float32)
    ramp = _smooth((columns + 0.5) / overlap)[np.newaxis, :, np.newaxis]
    reach = max(feather, 0.5)
    switch = _smooth((columns - path[:, np.newaxis] + reach) / (2 * reach))[..., np.newaxis]
    chosen = _between(pixels[:, kept:], pixels[:, :overlap], switch)
    if like.space is not Space.VECTOR:
        broad = _broad(pixels, overlap, closed)
        far, near = broad[:, kept:], broad[:, :overlap]
        chosen = chosen * _evened(_between(far, near, switch), _between(far, near, ramp))
    return np.concatenate([chosen, pixels[:, overlap:kept]], axis=1).astype(np.float32)


def _between(first: Floats, second: Floats, share: Floats) -> Floats:
    return first + (second - first) * share


def _evened(present: Floats, wanted: Floats) -> Floats:
    """Return the factor that brings the broad tone at a join to where a slow change has it.

    One factor for all channels, so that no tint changes, and kept small.
    """
    floor = np.float32(1e-3)
    factor = (wanted.mean(axis=2, keepdims=True) + floor) / (
        present.mean(axis=2, keepdims=True) + floor
    )
    evened: Floats = np.clip(factor, np.float32(1 / _TONE), np.float32(_TONE))
    return evened


def _as_seen(pixels: Floats, like: Picture) -> Floats:
    """Weigh values as the eye does: colour as it is stored, data as it is.

    Eight bits are fine enough to compare by, and come from a table.
    """
    if like.space is not Space.LINEAR:
        return pixels
    body = pixels[..., :-1] if like.alpha else pixels
    seen = colour.linear_to_bytes(body).astype(np.float32) / np.float32(255)
    return np.concatenate([seen, pixels[..., -1:]], axis=2) if like.alpha else seen


def _cost(left: Floats, right: Floats, closed: bool) -> Floats:
    """Return the price of switching at each place: what differs there and around it."""
    from scipy.ndimage import uniform_filter1d

    gap = np.square(left - right).sum(axis=2)
    along = uniform_filter1d(gap, size=5, axis=0, mode="wrap" if closed else "nearest")
    around: Floats = uniform_filter1d(along, size=5, axis=1, mode="nearest").astype(np.float32)
    return around + np.float32(1e-5)


def _broad(pixels: Floats, overlap: int, closed: bool) -> Floats:
    """Return the part of a picture that is slower than the overlap.

    Resampled down and up again with a filter that stops sharply; ``closed`` says that the
    rows are a ring.
    """
    height, width, _ = pixels.shape
    columns = max(4, round(width / overlap * _BROAD))
    rows = max(4, round(height / overlap * _BROAD))
    across = resample(pixels, columns, height, "box", False)
    small = resample(across, columns, rows, "box", closed)
    up = resample(small, columns, height, "lanczos", closed)
    return resample(up, width, height, "lanczos", False)


def _smooth(t: Floats) -> Floats:
    """Return the cubic step from 0 to 1 with level ends."""
    t = np.clip(t, 0, 1)
    return (t * t * (3 - 2 * t)).astype(np.float32)


STEP = StepKind(
    name="make_tile",
    title="Make it tile",
    hint="Joins opposite edges along the path where they differ least",
    params=MakeTile,
    version=1,
    apply=make_tile,
    roles=frozenset(Role),
    summary=lambda p: {"both": "both ways", "x": "left to right", "y": "top to bottom"}[p.axes],
)
