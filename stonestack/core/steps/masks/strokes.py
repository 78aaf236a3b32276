"""Strokes of a soft round marker, or of a hard nib of whole texels, kept as strokes.

Those of the marker are the same at any resolution; those of a nib lie on whole texels of any.
"""

from __future__ import annotations

import itertools
import json
import math
import threading
from collections import OrderedDict
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from stonestack.core.kinds.mask import MaskKind, MaskShape
from stonestack.core.kinds.references import StrokesRef
from stonestack.core.picture.image import Floats
from stonestack.core.picture.swatches import Swatch
from stonestack.core.runtime import memory
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.runtime.readers import reader

Place = NDArray[np.float64]
Texels = tuple[NDArray[np.int64], NDArray[np.int64]]

_MOST_BYTES = 8 << 20
_MOST_POINTS = 200_000


class StrokePoint(BaseModel):
    """Where the marker was, in shares of the sides, and how hard it was pressed."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    x: float = Field(ge=-2, le=3)
    y: float = Field(ge=-2, le=3)
    pressure: float = Field(1.0, ge=0, le=1)


class Stroke(BaseModel):
    """One stroke of the marker, or of a hard nib.

    Parameters
    ----------
    size : float
        Width of the marker, a share of the map's width.
    soft : float
        Share of its radius over which it fades.
    takes : bool
        Whether it takes away.
    nib : int, optional
        Side of a hard square nib, in texels; it takes the marker's place.
    colour : str, optional
        What it is drawn in, where it is drawn in colours; a mask has none.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    size: float = Field(0.01, ge=0.001, le=1)
    soft: float = Field(0.0, ge=0, le=1)
    takes: bool = False
    nib: int | None = Field(None, ge=1, le=16)
    colour: Swatch | None = None
    points: tuple[StrokePoint, ...] = Field(min_length=1, max_length=20_000)


class Drawing(BaseModel):
    """Strokes in the order in which they were drawn, as they are kept."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    version: Literal[1] = 1
    strokes: tuple[Stroke, ...] = Field((), max_length=5_000)


@reader("strokes")
def read(data: bytes) -> Drawing:
    """Read kept strokes.

    Raises
    ------
    BadRequest
        If these are no strokes, or too many.
    """
    wrong = BadRequest(
        "no-strokes", "These strokes cannot be read.", "Draw them again, or take the mask out."
    )
    if len(data) > _MOST_BYTES:
        raise wrong
    try:
        drawing = _parsed(data)
    except ValidationError as error:
        raise wrong from error
    if sum(len(stroke.points) for stroke in drawing.strokes) > _MOST_POINTS:
        raise wrong
    return drawing


@memory.kept(lambda data: 20 * len(data))
def _parsed(data: bytes) -> Drawing:
    return Drawing.model_validate_json(data)


_END = b'],"version":1}'
"""What follows the last stroke."""


def kept(drawing: Drawing) -> bytes:
    """Return strokes as they are kept; equal strokes are equal bytes."""
    strokes = b",".join(_stroke(stroke) for stroke in drawing.strokes)
    return b'{"strokes":[' + strokes + _END


def grown(data: bytes, stroke: Stroke) -> tuple[bytes, int]:
    """Return kept strokes with one more, and how many bytes of those before these begin with."""
    keeps = len(data) - len(_END)
    first = data[:keeps].endswith(b"[")
    return data[:keeps] + (b"" if first else b",") + _stroke(stroke) + _END, keeps


def _stroke(stroke: Stroke) -> bytes:
    content = stroke.model_dump(exclude_none=True)
    return json.dumps(content, separators=(",", ":"), sort_keys=True).encode()


class Strokes(MaskShape):
    """Parameters of :func:`draw`."""

    kind: Literal["strokes"] = "strokes"
    strokes: StrokesRef = Field(title="Strokes", description="Drawn in the flat view")


def draw(_params: Strokes, width: int, height: int, wraps: bool, data: bytes) -> Floats:
    """Draw the strokes one after another; within a stroke nothing is laid on twice.

    What was drawn last is remembered: a further stroke is drawn on it.
    """
    strokes = read(data).strokes
    done, out = _LATEST.begun(strokes, (height, width, wraps))
    room = np.zeros((height, width), np.float32)
    for stroke in strokes[done:]:
        if stroke.nib is not None:
            out[texels(stroke, width, height, wraps)] = 0 if stroke.takes else 1
            continue
        cover, here = _covered(stroke, wraps, room)
        before = out[here]
        out[here] = before * (1 - cover) if stroke.takes else before + cover * (1 - before)
    _LATEST.drawn(strokes, (height, width, wraps), out)
    return out


class _Latest:
    """What was drawn last at a few sizes: the strokes, and what they cover."""

    _MOST, _TEXELS = 4, 2048 * 2048

    def __init__(self) -> None:
        self._known: OrderedDict[tuple[int, int, bool], tuple[tuple[Stroke, ...], Floats]]
        self._known = OrderedDict()
        self._lock = threading.Lock()

    def begun(self, strokes: tuple[Stroke, ...], size: tuple[int, int, bool]) -> tuple[int, Floats]:
        """Return how many strokes are drawn already, and those drawn, to be drawn on."""
        with self._lock:
            before, values = self._known.get(size, ((), None))
        if values is None or strokes[: len(before)] != before:
            return 0, np.zeros(size[:2], np.float32)
        return len(before), values.copy()

    def drawn(
        self, strokes: tuple[Stroke, ...], size: tuple[int, int, bool], values: Floats
    ) -> None:
        """Remember what was drawn."""
        if values.size > self._TEXELS:
            return
        with self._lock:
            self._known[size] = (strokes, values.copy())
            self._known.move_to_end(size)
            while len(self._known) > self._MOST:
                self._known.popitem(last=False)


_LATEST = _Latest()


def texels(stroke: Stroke, width: int, height: int, wraps: bool) -> Texels:
    """Return the rows and columns that a hard nib covers, each whole, on its way.

    Between two places it goes the straight way, a texel at a time along the longer side. What
    would lie outside of a map that does not wrap is left out.

    Raises
    ------
    ValueError
        If the stroke is one of the soft marker.
    """
    if stroke.nib is None:
        raise ValueError("a stroke of the marker has no whole texels")
    at = np.array([(p.y * height, p.x * width) for p in stroke.points])
    # A nib of an even side reaches one texel farther to the right and down.
    first = np.floor(at).astype(np.int64) - (stroke.nib - 1) // 2
    ways = [first[:1]]
    for one, other in itertools.pairwise(first):
        steps = int(np.abs(other - one).max())
        t = np.arange(1, steps + 1)[:, np.newaxis] / max(steps, 1)
        ways.append(np.round(one + (other - one) * t).astype(np.int64))
    corners = np.unique(np.concatenate(ways), axis=0)
    down, across = np.mgrid[: stroke.nib, : stroke.nib]
    rows = (corners[:, :1] + down.ravel()).ravel()
    columns = (corners[:, 1:] + across.ravel()).ravel()
    if wraps:
        return rows % height, columns % width
    there = (rows >= 0) & (rows < height) & (columns >= 0) & (columns < width)
    return rows[there], columns[there]


def covered(stroke: Stroke, width: int, height: int, wraps: bool) -> Texels:
    """Return the rows and columns of the texels that a stroke covers by half or more."""
    if stroke.nib is not None:
        return texels(stroke, width, height, wraps)
    cover, here = _covered(stroke, wraps, np.zeros((height, width), np.float32))
    down, across = np.nonzero(cover >= 0.5)
    return here[0].ravel()[down], here[1].ravel()[across]


def _covered(stroke: Stroke, wraps: bool, room: Floats) -> tuple[Floats, Texels]:
    """Return how far one stroke covers each texel that it comes near: the most that any part does.

    Parameters
    ----------
    room : ndarray, float32, shape (height, width)
        Nought everywhere, before and after.

    Returns
    -------
    cover : ndarray, float32, shape (rows, columns)
    here : tuple of ndarray
        Those rows and columns of the map, so that they pick such a part of it.
    """
    height, width = room.shape
    rows, columns = np.zeros(height, np.bool_), np.zeros(width, np.bool_)
    points = [*stroke.points, stroke.points[-1]] if len(stroke.points) == 1 else stroke.points
    scale = np.array([width, height], np.float64)
    for one, other in itertools.pairwise(points):
        start, end = (np.array([p.x, p.y]) * scale for p in (one, other))
        radii = [max(0.35, stroke.size * width / 2 * p.pressure) for p in (one, other)]
        reach = max(radii) + 1
        low, high = np.minimum(start, end) - reach, np.maximum(start, end) + reach
        for shift in _shifts(low, high, scale, wraps):
            part = _segment(room, start + shift, end + shift, radii, stroke.soft)
            rows[part[0]], columns[part[1]] = True, True
    here = np.flatnonzero(rows)[:, np.newaxis], np.flatnonzero(columns)[np.newaxis]
    cover = room[here]
    room[here] = 0
    return cover, here


def _shifts(low: Place, high: Place, scale: Place, wraps: bool) -> list[Place]:
    """Return by what a part of the plane is moved so that it comes to lie on the map."""
    if not wraps:
        return [np.zeros(2)]
    steps = [
        range(math.ceil((-b) / s), math.floor((s - a) / s) + 1)
        for a, b, s in zip(low, high, scale, strict=True)
    ]
    return [np.array([x, y]) * scale for x in steps[0] for y in steps[1]]


def _segment(
    out: Floats, start: Place, end: Place, radii: list[float], soft: float
) -> tuple[slice, slice]:
    """Lay one part of a stroke, between two places, where it covers more than what is there.

    Return the rows and columns that it comes near.
    """
    reach = max(radii) + 1
    height, width = out.shape
    left, top = np.floor(np.minimum(start, end) - reach).astype(int)
    right, bottom = np.ceil(np.maximum(start, end) + reach).astype(int)
    left, top, right, bottom = max(left, 0), max(top, 0), min(right, width), min(bottom, height)
    if left >= right or top >= bottom:
        return slice(0), slice(0)
    x = np.arange(left, right) + 0.5 - start[0]
    y = (np.arange(top, bottom) + 0.5 - start[1])[:, np.newaxis]
    way = end - start
    length = float(way @ way)
    along = (
        np.clip((x * way[0] + y * way[1]) / length, 0, 1) if length > 0 else np.zeros_like(x + y)
    )
    away = np.hypot(x - along * way[0], y - along * way[1])
    radius = radii[0] + (radii[1] - radii[0]) * along
    # All of the rim lies inside, so that the marker is no wider than it says.
    rim = radius * soft
    t = np.clip((radius - rim / 2 - away) / np.maximum(rim, 1) + 0.5, 0, 1)
    cover = np.where(rim > 1, t * t * (3 - 2 * t), t).astype(np.float32)
    part = out[top:bottom, left:right]
    np.maximum(part, cover, out=part)
    return slice(top, bottom), slice(left, right)


MASK = MaskKind(
    name="strokes",
    title="Marker",
    hint="Drawn by hand in the flat view with a soft round marker",
    params=Strokes,
    version=1,
    draw=draw,
)
