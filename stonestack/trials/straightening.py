"""Trial of straightening: rectangles seen through lenses, and what proportions come out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from stonestack.core.raw.frame import frame_of, straightened_as

_SIZE = (1600, 1200)
_OFF = 0.5
"""Pixels by which a person sets a corner wrong, standard deviation."""
_LENSES, _TURNS, _ROLL, _RATIOS = (0.7, 2.0), 35.0, 5.0, (0.5, 2.0)


@dataclass(frozen=True)
class Seen:
    """A rectangle that was seen, and what was made of it.

    Parameters
    ----------
    ratio, found : float
        Width to height: its own, and that which came out.
    told : bool
        Whether the corners told the lens.
    """

    ratio: float
    found: float
    told: bool


def outcomes(seed: int, count: int = 400) -> list[Seen]:
    """Look at rectangles from places all over their front, and straighten what is seen."""
    rng = np.random.default_rng((seed, 8200))
    out: list[Seen] = []
    while len(out) < count:
        ratio = float(np.exp(rng.uniform(*np.log(_RATIOS))))
        corners = _corners(ratio, rng)
        if corners is None:
            continue
        places = tuple((float(x), float(y)) for x, y in corners / _SIZE)
        made = straightened_as(frame_of(places), *_SIZE)
        out.append(Seen(ratio, made.ratio, "usual lens" not in made.words))
    return out


def _corners(
    ratio: float, rng: np.random.Generator
) -> np.ndarray[tuple[int, int], np.dtype[np.float64]] | None:
    """Return the corners of a rectangle as a lens shows it; None where they do not fit in."""
    a, b = np.radians(rng.uniform(-_TURNS, _TURNS, 2))
    c = np.radians(rng.uniform(-_ROLL, _ROLL))
    about_x = np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]])
    about_y = np.array([[np.cos(b), 0, np.sin(b)], [0, 1, 0], [-np.sin(b), 0, np.cos(b)]])
    about_z = np.array([[np.cos(c), -np.sin(c), 0], [np.sin(c), np.cos(c), 0], [0, 0, 1]])
    flat = np.array([[-ratio, -1, 0], [ratio, -1, 0], [ratio, 1, 0], [-ratio, 1, 0]]) / 2
    placed = flat @ (about_z @ about_y @ about_x).T
    lens = float(rng.uniform(*_LENSES)) * max(_SIZE)
    placed[:, 2] += rng.uniform(1.2, 2) * lens / max(_SIZE) * 1.3 * max(1.0, ratio)
    placed[:, :2] += rng.uniform(-0.1, 0.1, 2)
    seen = placed[:, :2] / placed[:, 2:] * lens + np.array(_SIZE) / 2
    seen += rng.normal(0, _OFF, seen.shape)
    inside = (seen > 0).all() and (seen < _SIZE).all()
    return seen if inside else None


def table(told: Sequence[Seen]) -> list[str]:
    """Lay out how far proportions were wrong."""
    lines = []
    for known, words in ((True, "corners that tell the lens"), (False, "a usual lens assumed")):
        wrong = [abs(np.log(s.found / s.ratio)) for s in told if s.told is known]
        if wrong:
            middle, most = (100 * float(np.quantile(wrong, q)) for q in (0.5, 0.95))
            off = f"off by {middle:.1f} % in the median, {most:.1f} % at the 95th"
            lines.append(f"{words}: {len(wrong)}, {off}")
    return lines
