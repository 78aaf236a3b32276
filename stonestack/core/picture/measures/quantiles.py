"""Medians and other quantiles, by sorting: of what is small this takes a fraction of selecting."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats


def median(values: NDArray[Any], axis: int | None = None) -> Floats:
    """Return the median, float32, along an axis, which stays with length 1, or of all.

    Parameters
    ----------
    values : ndarray of numbers, none of them NaN
        At least one along the axis.
    axis : int, optional
        Where it is left out, the result has shape ().
    """
    middle = quantiles(values, (0.5,), axis)
    return middle[0] if axis is None else np.expand_dims(middle[0], axis)


def quantiles(
    values: NDArray[Any], shares: Sequence[float] | NDArray[np.float64], axis: int | None = None
) -> Floats:
    """Return the values below which such shares of the numbers lie, between two in proportion.

    Parameters
    ----------
    values : ndarray of numbers, none of them NaN
        At least one along the axis.
    shares : sequence of float
        0 for the least, 0.5 for the median, 1 for the largest.
    axis : int, optional
        Along which they are taken; over all where it is left out.

    Returns
    -------
    ndarray, float32
        Shape (shares,) and that of the values without the axis.
    """
    ordered = np.sort(values, axis=axis)
    if axis is not None:
        ordered = np.moveaxis(ordered, axis, 0)
    places = np.asarray(shares, np.float64) * (len(ordered) - 1)
    below = np.floor(places).astype(np.intp)
    part = (places - below).reshape(-1, *[1] * (ordered.ndim - 1))
    low, high = ordered[below], ordered[np.minimum(below + 1, len(ordered) - 1)]
    return np.asarray(low + (high - low.astype(np.float64)) * part, np.float32)
