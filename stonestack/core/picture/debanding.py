"""Heights of eight bits without their terraces: as smooth as their levels allow.

A stored level says that the height lies within half a level of it. Of all heights that do, a
smooth one is sought: it is blurred and put back into those bounds by turns, from broad to fine
(projections onto convex sets: D. C. Youla and H. Webb, "Image Restoration by the Method of
Convex Projections", IEEE Transactions on Medical Imaging 1, 1982). Rounded to eight bits it is
what was stored, texel by texel.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.runtime.parallel import over_bands

Mode = Literal["wrap", "nearest"]
_LEVELS = 255
_WIDTHS = (65, 33, 17, 9, 5, 3)
"""Of the box whose threefold mean is a blur, in texels."""
_TURNS = 2
_AROUND = 5
"""Side of the square in which it is asked whether a texel lies on a terrace."""
_SOME, _MOST = 0.25, 0.6
"""Share of its neighbours that have its level: where none is moved, and all the way."""
_INSIDE = 0.499
"""Half a level, a little less, so that rounding gives the stored level again."""


def debanded(picture: Picture) -> Picture:
    """Return a grey picture of eight bits with its terraces evened out.

    Parameters
    ----------
    picture : Picture
        Plain numbers, one channel, each a 255th. What is finer, or no data, stays as it is.

    Returns
    -------
    Picture
        Of sixteen bits; within half a 255th of what it was.
    """
    if picture.space is not Space.DATA or picture.bits > 8:
        return picture
    stored = np.asarray(picture.body[..., 0] * _LEVELS, np.float32)
    least, most = stored - np.float32(_INSIDE), stored + np.float32(_INSIDE)
    mode: Mode = "wrap" if picture.wraps else "nearest"
    found = stored
    for width in _WIDTHS:
        if 2 * width > min(stored.shape):
            continue
        for _ in range(_TURNS):
            found = np.clip(_blurred(found, width, mode), least, most)
    found = stored + _on_terraces(stored, mode) * (found - stored)
    body = np.clip(found / np.float32(_LEVELS), 0, 1).astype(np.float32)
    return replace(picture.with_body(body[..., np.newaxis]), bits=16)


def _on_terraces(stored: Floats, mode: Mode) -> Floats:
    """Return 1 where most of a texel's neighbours have its level; detail of its own has none."""
    from scipy import ndimage

    levels = np.rint(stored)
    same = np.zeros_like(stored)
    for axis in (0, 1):
        beside = ndimage.correlate1d(levels, [1, 0, 0], axis=axis, mode=mode) == levels
        same += beside
        same += ndimage.correlate1d(levels, [0, 0, 1], axis=axis, mode=mode) == levels
    share = ndimage.uniform_filter(same / 4, _AROUND, mode=mode)
    return np.asarray(np.clip((share - _SOME) / (_MOST - _SOME), 0, 1), np.float32)


def _blurred(values: Floats, width: int, mode: Mode) -> Floats:
    """Blur by the mean of a box, three times, each axis in bands side by side."""
    from scipy import ndimage

    out = values
    for _ in range(2):
        given = np.ascontiguousarray(out.T)
        made = np.empty_like(given)

        def band(start: int, stop: int, given: Floats = given, made: Floats = made) -> None:
            part = given[start:stop]
            for _ in range(3):
                part = ndimage.uniform_filter1d(part, width, axis=1, mode=mode)
            made[start:stop] = part

        over_bands(band, len(given))
        out = made
    return out
