"""Copy one place of a map to another: as it is, or with its tone fitted to where it comes.

Source of the fitting: P. Pérez, M. Gangnet and A. Blake, "Poisson Image Editing", ACM Trans.
Graphics 22 (2003), section 2: the harmonic field that makes up the difference at the rim.
"""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.image import Floats, Picture, Space, premultiplied
from stonestack.core.tile.patches import disc_fitted
from stonestack.core.tile.ways import as_seen, from_seen


class Borrow(StepParams):
    """Parameters of :func:`borrow`; places are shares of the sides, sizes of the width."""

    kind: Literal["borrow"] = "borrow"
    shape: Literal["round", "straight"] = Field(
        "round", title="Shape", description="A disc, or a part with straight sides"
    )
    fit: bool = Field(
        True, title="Fit its tone", description="It takes the tone around where it comes to"
    )
    x: float = Field(0.5, ge=-1, le=2, multiple_of=0.0001, title="To, across", description="Middle")
    y: float = Field(0.5, ge=-1, le=2, multiple_of=0.0001, title="To, down", description="Middle")
    from_x: float = Field(
        0.25, ge=-1, le=2, multiple_of=0.0001, title="From, across", description="Middle"
    )
    from_y: float = Field(
        0.25, ge=-1, le=2, multiple_of=0.0001, title="From, down", description="Middle"
    )
    width: float = Field(
        0.12, ge=0.005, le=1, multiple_of=0.0001, title="Width", description="Share of the map's"
    )
    height: float = Field(
        0.12, ge=0.005, le=1, multiple_of=0.0001, title="Height", description="Share of the width"
    )
    soft: float = Field(
        0.2, ge=0, le=1, multiple_of=0.01, title="Soft", description="Share that fades at its rim"
    )


def borrow(picture: Picture, params: Borrow) -> Picture:
    """Lay one place of a picture on another; on a tile both may reach over the edges."""
    values = as_seen(premultiplied(picture), picture)
    height, width = values.shape[:2]
    half_x, half_y = params.width * width / 2, params.height * width / 2
    if params.shape == "round" and params.fit:
        half_x = half_y = min(half_x, half_y)
    middle = np.array([params.y * height, params.x * width])
    way = np.round(np.array([params.from_y * height, params.from_x * width]) - middle)
    rows = _reached(middle[0], half_y, height, picture.wraps)
    columns = _reached(middle[1], half_x, width, picture.wraps)
    if len(rows) < 2 or len(columns) < 2:
        return picture
    here = np.ix_(_inside(rows, height, picture.wraps), _inside(columns, width, picture.wraps))
    there = np.ix_(
        _inside(rows + int(way[0]), height, picture.wraps),
        _inside(columns + int(way[1]), width, picture.wraps),
    )
    old, new = values[here], values[there]
    down = (rows + 0.5 - middle[0])[:, np.newaxis] / half_y
    across = (columns + 0.5 - middle[1]) / half_x
    if params.fit and params.shape == "round":
        new = disc_fitted(
            old, new, (middle[0] - rows[0] - 0.5, middle[1] - columns[0] - 0.5), half_x
        )
    elif params.fit:
        new = _rectangle_fitted(old, new)
    out = values.copy()
    share = _share(down, across, params, min(half_x, half_y))[..., np.newaxis]
    out[here] = old + (new - old) * share
    return from_seen(out, picture)


def _reached(middle: float, half: float, side: int, wraps: bool) -> NDArray[np.int64]:
    places = np.arange(math.floor(middle - half) - 1, math.ceil(middle + half) + 1)
    if wraps:
        return places[:side] if len(places) > side else places
    return places[(places >= 0) & (places < side)]


def _inside(places: NDArray[np.int64], side: int, wraps: bool) -> NDArray[np.int64]:
    return places % side if wraps else np.clip(places, 0, side - 1)


def _share(down: Floats, across: Floats, params: Borrow, half: float) -> Floats:
    """Return how much of what is copied is taken at each texel, 0..1."""
    away = (
        np.hypot(down, across)
        if params.shape == "round"
        else np.maximum(np.abs(down), np.abs(across))
    )
    rim = max(params.soft, 1 / max(half, 1))
    t = np.clip((1 - away) / rim + (0.5 if params.soft == 0 else 0), 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)


def _rectangle_fitted(here: Floats, there: Floats) -> Floats:
    """Return what is copied with the harmonic field that makes up the difference at its rim."""
    from scipy import fft

    rows, columns = here.shape[0] - 2, here.shape[1] - 2
    if rows < 1 or columns < 1:
        return here
    apart = (here - there).astype(np.float64)
    source = np.zeros((rows, columns, here.shape[2]))
    source[0] += apart[0, 1:-1]
    source[-1] += apart[-1, 1:-1]
    source[:, 0] += apart[1:-1, 0]
    source[:, -1] += apart[1:-1, -1]
    waves = fft.dstn(source, type=1, axes=(0, 1))
    share_y = 2 - 2 * np.cos(np.pi * np.arange(1, rows + 1) / (rows + 1))
    share_x = 2 - 2 * np.cos(np.pi * np.arange(1, columns + 1) / (columns + 1))
    waves /= (share_y[:, np.newaxis] + share_x)[..., np.newaxis]
    field = apart
    field[1:-1, 1:-1] = fft.idstn(waves, type=1, axes=(0, 1))
    return np.asarray(there + field, np.float32)


STEP = StepKind(
    name="borrow",
    title="Copy from elsewhere",
    hint="One place of the map laid on another, with its tone fitted or as it is",
    params=Borrow,
    version=1,
    apply=borrow,
    spaces=frozenset({Space.LINEAR, Space.DATA, Space.VECTOR}),
    group=Group.PLACE,
    summary=lambda p: f"{p.width * 100:.0f} %",
)
