"""How a picture is laid out: one whole, several pictures on one, or a shape that is cut out."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Bytes, Floats
from stonestack.core.picture.measures.quantiles import quantiles

_CLEAR, _SOLID = 16, 128
_GROUND = 2
"""How far from the ground's colour, of 255, what lies between pictures may be."""
_FEWEST = 4
_DIFFER = 8.0
"""Spread of the pictures' mean colours, of 255, on an opaque ground; like cells are a pattern."""
_RIM = 0.6
_LONG = 7.0
"""Length of an outline beside the root of its area: a disc's is 3.5, a square's 4."""
_GRID = 8
_LINES = (2, 4, 6)
"""Lines of the grid on which pictures of an atlas may end: halves and quarters of the side."""
_OTHER_MATTER, _EDGE = 3.0, 2.0
_LEAST = 32


class Laid(StrEnum):
    """What lies on a picture."""

    WHOLE = "whole"
    SHEET = "sheet"
    """Several pictures that have nothing to do with their neighbours."""
    CARD = "card"
    """Shapes with a long outline, cut out, as leaves are."""


def laid(texels: Bytes) -> tuple[Laid, str]:
    """Tell how a picture is laid out, and why.

    Parameters
    ----------
    texels : ndarray, uint8, shape (height, width, 4)
        Small; about 128 on the longer side.
    """
    height, width = texels.shape[:2]
    if min(height, width) < _LEAST:
        return Laid.WHOLE, ""
    clear: NDArray[np.bool_] = texels[..., 3] < _CLEAR
    if clear.any():
        rows, columns = _spans(~clear)
        if len(rows) * len(columns) >= _FEWEST:
            return Laid.SHEET, f"{len(columns)} by {len(rows)} pictures with clear ground between"
        return _cut_out(texels)
    rgb = texels[..., :3].astype(np.int16)
    apart = (np.abs(rgb - rgb[0, 0]) > _GROUND).any(axis=2)
    rows, columns = _spans(apart)
    if len(rows) * len(columns) >= _FEWEST and _framed(apart):
        means = np.array([rgb[r, c].mean(axis=(0, 1)) for r in rows for c in columns])
        if float(means.std(axis=0).max()) > _DIFFER:
            return Laid.SHEET, f"{len(columns)} by {len(rows)} pictures on plain ground"
    if _parted(texels[..., :3].astype(np.float32)):
        return Laid.SHEET, "its parts end on straight lines and are of other matter"
    return Laid.WHOLE, ""


def _spans(filled: NDArray[np.bool_]) -> tuple[list[slice], list[slice]]:
    """Return the runs of rows and of columns in which anything is filled."""
    return _runs(np.asarray(filled.any(axis=1))), _runs(np.asarray(filled.any(axis=0)))


def _runs(filled: NDArray[np.bool_]) -> list[slice]:
    """Return where runs of filled rows or columns lie."""
    ends = np.flatnonzero(np.diff(np.concatenate([[False], filled, [False]]).astype(np.int8)))
    return [slice(int(a), int(b)) for a, b in zip(ends[::2], ends[1::2], strict=True)]


def _framed(apart: NDArray[np.bool_]) -> bool:
    rim = np.concatenate([apart[0], apart[-1], apart[:, 0], apart[:, -1]])
    return not rim.any()


def _cut_out(texels: Bytes) -> tuple[Laid, str]:
    solid = texels[..., 3] >= _SOLID
    rim = np.concatenate([solid[0], solid[-1], solid[:, 0], solid[:, -1]])
    area = int(solid.sum())
    outline = int((solid[:, 1:] != solid[:, :-1]).sum() + (solid[1:] != solid[:-1]).sum())
    # Steps along pixels are longer than the line by 4 / pi, on the mean over all directions.
    if area and rim.mean() < 1 - _RIM and outline * np.pi / 4 > _LONG * np.sqrt(area):
        return Laid.CARD, "shapes with long outlines, cut out of clear ground"
    return Laid.WHOLE, ""


def _parted(rgb: Floats) -> bool:
    """Tell whether matter changes on a line at halves or quarters, and hardly elsewhere."""
    return any(_changes(view) for view in (rgb, rgb.transpose(1, 0, 2)))


def _changes(rgb: Floats) -> bool:
    rows, columns = (side // _GRID * _GRID for side in rgb.shape[:2])
    cells = rgb[:rows, :columns].reshape(_GRID, rows // _GRID, _GRID, columns // _GRID, 3)
    told = np.concatenate([cells.mean(axis=(1, 3)), cells.std(axis=(1, 3))], axis=2)
    across = np.abs(np.diff(told, axis=1)).max(axis=2)
    within = float(np.mean([across[:, n - 1] for n in range(1, _GRID) if n not in _LINES]))
    steps = np.abs(np.diff(rgb[:rows, :columns], axis=1)).mean(axis=(0, 2))
    typical = float(quantiles(steps, (0.9,))[0])
    return any(
        float(across[:, line - 1].min()) > _OTHER_MATTER * max(1.0, within)
        and float(steps[line * columns // _GRID - 1]) > _EDGE * typical
        for line in _LINES
    )
