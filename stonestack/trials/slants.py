"""Trial of straightening by lines: matters seen at a slant through a lens, and head on."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.raw.slant import corners_seen
from stonestack.core.runtime.parallel import processes
from stonestack.trials.defects import stock
from stonestack.trials.matters import MATTERS
from stonestack.trials.others import OTHERS

LINED = ("wall", "tiles", "planks", "weave", "glazed")
"""Matters with two families of straight lines at right angles."""
_SIZE = (640, 480)
_RAW = (460, 345)
_OF_EACH, _HEAD_ON = 4, 2
_TILT, _TURN, _ROLL, _LENSES, _AWAY = 35.0, 30.0, 8.0, (0.8, 1.6), (0.55, 0.7)


@dataclass(frozen=True)
class Looked:
    """What was made of a picture of a plane.

    Parameters
    ----------
    matter : str
    slanted : bool
        Whether it was seen at a slant.
    leans : float or None
        Degrees by which its axes lean at most when it is straightened; None where no corners were
        found.
    """

    matter: str
    slanted: bool
    leans: float | None


def outcomes(seed: int) -> list[Looked]:
    """Look at all matters head on, and at those with lines at a slant too."""
    asked = [
        (matter, slanted, seed * 100 + n)
        for matter in (*MATTERS, *OTHERS)
        for slanted, count in ((False, _HEAD_ON), (True, _OF_EACH if matter in LINED else 0))
        for n in range(count)
    ]
    with processes(__name__) as pool:
        return list(pool.map(_looked, asked, chunksize=4))


def _looked(asked: tuple[str, bool, int]) -> Looked:
    matter, slanted, seed = asked
    values = np.clip(stock(matter, *_RAW, seed).raw, 0, 1).astype(np.float32)
    if not slanted:
        return Looked(matter, False, leaning(values, np.eye(3)))
    return Looked(matter, True, leaning(*seen_at_a_slant(values, seed)))


def seen_at_a_slant(values: Floats, seed: int) -> tuple[Floats, NDArray[np.float64]]:
    """Look at a plane through a lens from somewhere before it.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        As stored, 0..1; mirrored beyond its edges.
    seed : int
        Of the place.

    Returns
    -------
    tuple of ndarray
        The picture, and the projection from pixels of the plane to its own.
    """
    import cv2

    rng = np.random.default_rng((seed, 5))
    width, height = _SIZE
    a, b, c = np.radians([rng.uniform(-most, most) for most in (_TILT, _TURN, _ROLL)])
    about_x = np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]])
    about_y = np.array([[np.cos(b), 0, np.sin(b)], [0, 1, 0], [-np.sin(b), 0, np.cos(b)]])
    about_z = np.array([[np.cos(c), -np.sin(c), 0], [np.sin(c), np.cos(c), 0], [0, 0, 1]])
    turned = about_z @ about_y @ about_x
    lens = float(rng.uniform(*_LENSES)) * width
    away = lens * float(rng.uniform(*_AWAY))
    camera = np.array([[lens, 0, width / 2], [0, lens, height / 2], [0, 0, 1]])
    high, wide = values.shape[:2]
    unit = width / wide
    plane = np.column_stack([turned[:, 0] * unit, turned[:, 1] * unit, (0, 0, away)])
    middle = np.array([[1, 0, -wide / 2], [0, 1, -high / 2], [0, 0, 1]])
    there = camera @ plane @ middle
    seen = cv2.warpPerspective(
        values, there, _SIZE, flags=cv2.INTER_AREA, borderMode=cv2.BORDER_REFLECT
    )
    return np.asarray(np.clip(seen, 0, 1), np.float32), there


def leaning(values: Floats, there: NDArray[np.float64]) -> float | None:
    """Straighten a picture by its lines and measure how far the plane's axes lean then.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        As stored.
    there : ndarray, float64, shape (3, 3)
        From pixels of the plane to those of the picture.

    Returns
    -------
    float or None
        Degrees, the largest of both axes at the four corners; None where nothing was found.
    """
    import cv2

    found = corners_seen(colour.seen(Picture(colour.to_linear(values), Space.LINEAR)))
    if found is None:
        return None
    height, width = values.shape[:2]
    square = np.array([(0, 0), (1, 0), (1, 1), (0, 1)], np.float32)
    corners = np.array(found, np.float32) * (width, height)
    straight = cv2.getPerspectiveTransform(corners.astype(np.float32), square) @ there
    places = cv2.perspectiveTransform(square[np.newaxis].astype(float), np.linalg.inv(straight))[0]
    worst = 0.0
    for axis in np.eye(2):
        ends = np.stack([places, places + axis], axis=1)
        x, y = np.diff(cv2.perspectiveTransform(ends, straight), axis=1)[:, 0].T
        along, across = (x, y) if axis[0] else (y, x)
        worst = max(worst, float(np.degrees(np.arctan2(np.abs(across), np.abs(along))).max()))
    return worst


def table(told: Sequence[Looked]) -> Iterator[str]:
    """Return the lines that sum a trial up."""
    head_on = [look for look in told if not look.slanted]
    wrong = sum(look.leans is not None for look in head_on)
    yield f"head on: {wrong} of {len(head_on)} told to be seen at a slant"
    for matter in LINED:
        slanted = [look for look in told if look.slanted and look.matter == matter]
        leans = [look.leans for look in slanted if look.leans is not None]
        far = f", leaning {np.median(leans):.1f} degrees, at most {max(leans):.1f}" if leans else ""
        yield f"{matter:8} {len(leans)} of {len(slanted)} straightened{far}"
