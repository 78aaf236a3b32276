"""Balance broad light: take the slow fall-off of a lamp or window out of a picture."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.image import Floats, Picture, Space, premultiplied
from stonestack.core.resize import resample
from stonestack.core.stepkind import StepKind, StepParams

_GRID = 96
_ORDER = 3
_FLOOR = np.float32(1e-3)


class BalanceLight(StepParams):
    """Parameters of :func:`balance_light`."""

    kind: Literal["balance_light"] = "balance_light"
    amount: float = Field(
        1.0, ge=0, le=1, multiple_of=0.01, title="Amount", description="1 takes it all out"
    )


def light_field(picture: Picture) -> Floats:
    """Estimate the broad light as a smooth factor around one.

    A polynomial of third order in x and y is fitted by least squares to the logarithm of
    brightness, on a grid of at most 96 samples a side: light multiplies, so in the
    logarithm it adds, and so few terms can follow a lamp but not an ornament. One field
    serves all channels, so that patches of another tint keep theirs.

    Parameters
    ----------
    picture : Picture
        Linear light or data.

    Returns
    -------
    ndarray, float32, shape (height, width, 1)
        Geometric mean 1 over the picture.
    """
    width, height = min(_GRID, picture.width), min(_GRID, picture.height)
    small = resample(premultiplied(picture), width, height, "box", False)
    opacity = small[..., -1] if picture.alpha else np.ones_like(small[..., 0])
    body = (
        small[..., :-1] / np.maximum(opacity, _FLOOR)[..., np.newaxis] if picture.alpha else small
    )
    bright = body.mean(axis=2, dtype=np.float64).reshape(width * height, 1)
    target = np.log(np.maximum(bright, _FLOOR))
    terms = _terms(_steps(width), _steps(height)).reshape(width * height, -1)
    root = np.sqrt(opacity.ravel())[:, np.newaxis]
    found, *_ = np.linalg.lstsq(terms * root, target * root, rcond=None)
    found[0] = 0
    field = (terms @ found).reshape(height, width, -1).astype(np.float32)
    field -= field.mean(axis=(0, 1), keepdims=True)
    # So smooth a field loses nothing on the way up from the grid.
    return resample(np.exp(field), picture.width, picture.height, "lanczos", False)


def _steps(count: int) -> Floats:
    """Return sample positions on -1..1, at the middle of each sample."""
    return ((np.arange(count, dtype=np.float32) + 0.5) * (2 / count) - 1).astype(np.float32)


def _terms(x: Floats, y: Floats) -> Floats:
    """Return all products ``x**i * y**j`` with ``i + j`` up to the order, constant first."""
    powers = [(i, n - i) for n in range(_ORDER + 1) for i in range(n + 1)]
    columns = [np.multiply.outer(y**j, x**i) for i, j in powers]
    return np.stack(columns, axis=-1).astype(np.float32)


def balance_light(picture: Picture, params: BalanceLight) -> Picture:
    """Divide the broad light out of a picture; overall brightness and tint stay."""
    factor = light_field(picture) ** np.float32(params.amount)
    return picture.with_body(np.clip(picture.body / factor, 0, 1))


STEP = StepKind(
    name="balance_light",
    title="Balance light",
    hint="Takes out the broad light of a lamp or window",
    params=BalanceLight,
    version=1,
    apply=balance_light,
    spaces=frozenset({Space.LINEAR, Space.DATA}),
    summary=lambda p: f"{p.amount * 100:.0f} %",
)
