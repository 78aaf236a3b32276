"""Fields as waves: filters that are given by what they do to each frequency.

Where a picture wraps its waves are exact. Where it does not, it is continued by its mirror image
for a part of its sides, so that no step at the rim rings inwards.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.filters import bordered
from stonestack.core.picture.image import Floats
from stonestack.core.runtime.parallel import cores

Complex = NDArray[np.complex64]
Response = Callable[[Floats, Floats], NDArray[np.complex64] | Floats]
"""From cycles a texel to the right, shape (1, columns), and up, shape (rows, 1), to a factor."""

_RIM = 8
"""Part of the longer side, one in so many, by which a picture that does not wrap is continued."""


def shaped(values: Floats, response: Response, wraps: bool) -> Floats:
    """Return a field with each of its waves multiplied by a factor.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width)
    response : callable
        The factor of a wave; real, or complex where it is moved. It has to be that of a real
        filter: its conjugate for the opposite wave.
    wraps : bool
        Whether the field is a ring both ways.
    """
    (out,) = all_shaped(values, (response,), wraps)
    return out


def all_shaped(values: Floats, responses: tuple[Response, ...], wraps: bool) -> tuple[Floats, ...]:
    """Return a field shaped in several ways; its waves are found once."""
    from scipy import fft

    rim = 0 if wraps else max(8, max(values.shape) // _RIM)
    around = bordered(values[..., np.newaxis], rim, False)[..., 0] if rim else values
    waves = fft.rfft2(around, workers=cores())
    right, up = frequencies(around.shape)
    out = []
    for response in responses:
        there = fft.irfft2(waves * response(right, up), s=around.shape, workers=cores())
        rows, columns = (slice(rim, n - rim) for n in around.shape)
        out.append(np.ascontiguousarray(there[rows, columns], np.float32))
    return tuple(out)


def frequencies(shape: tuple[int, ...]) -> tuple[Floats, Floats]:
    """Return the frequencies of a field's half plane of waves, in cycles a texel.

    Returns
    -------
    right : ndarray, float32, shape (1, width // 2 + 1)
    up : ndarray, float32, shape (height, 1)
        Against the rows, as the y of normals.
    """
    right = np.fft.rfftfreq(shape[1]).astype(np.float32)[np.newaxis]
    up = -np.fft.fftfreq(shape[0]).astype(np.float32)[:, np.newaxis]
    return right, up


def length_of(right: Floats, up: Floats) -> Floats:
    """Return how many cycles a texel each wave has along its own way; 1 for the mean."""
    length = np.asarray(np.hypot(right, up), np.float32)
    length[0, 0] = 1
    return length
