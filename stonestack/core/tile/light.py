"""Balance broad light: take the slow fall-off of a lamp or window out of a picture.

Light multiplies, so in the logarithm it adds. What a lamp can do there is smooth: nearly all of it
lies in a few polynomials of low order. What a matter does by itself is about as strong in the next
higher orders, and in the same mixture of channels. Only what goes well beyond that is taken for
light; how many orders are is chosen as in C. Mallows, "Some Comments on Cp", Technometrics 15
(1973).
"""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.image import Floats, Picture, Space, premultiplied
from stonestack.core.picture.resize import resample

_GRID = 96
_ORDER = 6
"""Highest order that a lamp's light is given."""
_HIGHEST = 10
"""Highest order by which the matter's own variation is judged."""
_FLOOR = np.float32(1e-3)
_SOLID = 0.05
_DOUBT = 1.7
"""How much stronger than the matter's own a variation has to be before any of it is light."""
_MOST_TINT = 0.5
"""How much the light's tint may change, against its strength."""
_LEAST_NOISE = 1e-6
Matrix = NDArray[np.float64]


class BalanceLight(StepParams):
    """Parameters of :func:`balance_light`."""

    kind: Literal["balance_light"] = "balance_light"
    amount: float = Field(
        1.0, ge=0, le=1, multiple_of=0.01, title="Amount", description="1 takes it all out"
    )


def light_field(picture: Picture) -> Floats:
    """Estimate the broad light as a smooth factor around one.

    Parameters
    ----------
    picture : Picture
        Linear light or data.

    Returns
    -------
    ndarray, float32, shape (height, width, channels of the body)
        Geometric mean 1 over the picture in each channel. Channels differ as far as the light's
        own tint changes.
    """
    width, height = min(_GRID, picture.width), min(_GRID, picture.height)
    small = resample(premultiplied(picture), width, height, "box", False)
    opacity = small[..., -1] if picture.alpha else np.ones_like(small[..., 0])
    body = (
        small[..., :-1] / np.maximum(opacity, _FLOOR)[..., np.newaxis] if picture.alpha else small
    )
    logs = np.log(np.maximum(body, _FLOOR)).astype(np.float64)
    powers, terms = _terms(width, height)
    logs = _filled(logs, opacity > _SOLID, terms)
    found = terms.T @ logs.reshape(width * height, -1)
    orders = powers.sum(axis=1)
    noise = _own_variation(found, powers, width * height)
    found *= _is_light(found, noise, orders)[:, np.newaxis]
    shared = np.broadcast_to(found.mean(axis=1, keepdims=True), found.shape)
    if np.linalg.norm(found - shared) > _MOST_TINT * np.linalg.norm(shared):
        # No lamp brightens one channel and dims another: that is the matter's own colour.
        found = np.array(shared)
    field = (terms @ found).reshape(logs.shape).astype(np.float32)
    field -= field.mean(axis=(0, 1), keepdims=True)
    # So smooth a field loses nothing on the way up from the grid.
    return resample(np.exp(field), picture.width, picture.height, "lanczos", False)


@lru_cache(maxsize=8)
def _terms(width: int, height: int) -> tuple[NDArray[np.int64], Matrix]:
    """Return polynomials in x and y, each of length one and upright on the others.

    Grids of one size share them.

    Returns
    -------
    powers : ndarray, shape (terms, 2)
        Of x and of y; the constant comes first.
    terms : ndarray, shape (width * height, terms)
    """
    powers = [(n - j, j) for n in range(_HIGHEST + 1) for j in range(n + 1)]
    kept = [(i, j) for i, j in powers if i < width and j < height]
    along_x, along_y = _upright(width), _upright(height)
    # Of two variables they are products of those of one: all of lower order lie among them.
    columns = [np.multiply.outer(along_y[:, j], along_x[:, i]).ravel() for i, j in kept]
    shared = np.array(kept), np.stack(columns, axis=1)
    for array in shared:
        array.flags.writeable = False
    return shared


def _upright(count: int) -> Matrix:
    """Return polynomials at so many even places, each of length one and upright on those before.

    Returns
    -------
    ndarray, shape (count, orders)
    """
    places = np.linspace(-1, 1, count) if count > 1 else np.zeros(1)
    found, _ = np.linalg.qr(np.polynomial.legendre.legvander(places, min(_HIGHEST, count - 1)))
    return np.asarray(found, np.float64)


def _filled(logs: Matrix, solid: NDArray[np.bool_], terms: Matrix) -> Matrix:
    """Put what a smooth field leads one to expect where a picture is clear."""
    if solid.all() or not solid.any():
        return logs
    flat, kept = logs.reshape(-1, logs.shape[2]), solid.ravel()
    found, *_ = np.linalg.lstsq(terms[kept, :3], flat[kept], rcond=None)
    filled = np.where(kept[:, np.newaxis], flat, terms[:, :3] @ found)
    return np.asarray(filled.reshape(logs.shape))


def _own_variation(found: Matrix, powers: NDArray[np.int64], pixels: int) -> Matrix:
    """Return the covariance over channels that the matter explains, for each term.

    What varies along x alone, along y alone and both ways is judged apart, since grain runs one
    way.

    Parameters
    ----------
    found : ndarray, shape (terms, channels)
        Coefficients of the logarithm.
    powers : ndarray, shape (terms, 2)
    """
    i, j = powers.T
    high = i + j > _ORDER
    noise = np.zeros((len(found), found.shape[1], found.shape[1]))
    for kind, near in ((j == 0, j <= 1), (i == 0, i <= 1), ((i > 0) & (j > 0), (i > 1) & (j > 1))):
        judged = found[high & near]
        if len(judged):
            noise[kind] = judged.T @ judged / len(judged)
    return noise + np.eye(found.shape[1]) * _LEAST_NOISE * pixels


def _is_light(found: Matrix, noise: Matrix, orders: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Tell which terms are light: all up to the order that has most beyond the matter's own."""
    solved = np.linalg.solve(noise, found[..., np.newaxis])[..., 0]
    excess = (found * solved).sum(axis=1) - _DOUBT * found.shape[1]
    within = [(orders > 0) & (orders <= last) for last in range(_ORDER + 1)]
    return max(within, key=lambda terms: float(excess[terms].sum()))


def balance_light(picture: Picture, params: BalanceLight) -> Picture:
    """Divide the broad light out of a picture; overall brightness and tint stay."""
    factor = light_field(picture) ** np.float32(params.amount)
    return picture.with_body(np.clip(picture.body / factor, 0, 1))


STEP = StepKind(
    name="balance_light",
    title="Balance light",
    hint="Takes out the broad light of a lamp or window",
    params=BalanceLight,
    version=2,
    apply=balance_light,
    spaces=frozenset({Space.LINEAR, Space.DATA}),
    group=Group.TILE,
    summary=lambda p: f"{p.amount * 100:.0f} %",
)
