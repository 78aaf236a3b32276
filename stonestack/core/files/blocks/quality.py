"""How hard an encoder searches, and which errors count."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from stonestack.core.picture.image import Picture, Space


class Quality(StrEnum):
    """How much time an encoder takes; the same three for all formats."""

    FAST = "fast"
    """While something is dragged: one good guess for each block."""
    STANDARD = "standard"
    """The usual one: several beginnings, each refined."""
    BEST = "best"
    """For the last build: little is left to be found."""


QUALITIES: dict[Quality, tuple[str, str]] = {
    Quality.FAST: ("Fast", "One good guess for each block: for trying things"),
    Quality.STANDARD: ("Standard", "Several beginnings for each block, each refined"),
    Quality.BEST: ("Best", "Searched until little is left to be found: for the last build"),
}
"""What each quality is called, and a line about it."""


@dataclass(frozen=True)
class Metric:
    """Which errors count, and how much.

    Parameters
    ----------
    red, green, blue, alpha : float
        Weight of each channel's squared error, in stored (sRGB-encoded or plain) numbers.
    clear : bool
        Whether the colour of fully transparent texels counts nothing.
    limits : float
        Weight of the error of texels whose alpha, or only channel, is 0 or full.
    holes : bool
        Whether alpha is kept as holes where a format knows no more (BC1).
    angles : bool
        Whether red and green are x and y of unit vectors, whose angle counts (BC5).
    """

    red: float = 1.0
    green: float = 1.0
    blue: float = 1.0
    alpha: float = 1.0
    clear: bool = False
    limits: float = 1.0
    holes: bool = False
    angles: bool = False


PLAIN = Metric()
"""Plain squared error of every stored number."""
SEEN = Metric(red=0.9, green=1.2, blue=0.9)
"""Colour: green carries most of the brightness that is seen. Stronger weights gain little more
there and lose much in hue (docs/performance.md)."""
CUT = Metric(red=0.9, green=1.2, blue=0.9, alpha=1.0, clear=True, limits=1024.0, holes=True)
"""Colour with alpha: what is clear has no colour, and clear and opaque stay exactly so."""
TURNED = Metric(angles=True)
"""Normals: what an error turns the vector by."""
MASK = Metric(limits=1024.0)
"""Masks whose 0 and 255 mean absent and whole: both stay exactly so."""


def metric_of(picture: Picture) -> Metric:
    """Return which errors count in a picture: by what its numbers mean."""
    if picture.space is Space.LINEAR:
        return CUT if picture.alpha else SEEN
    return TURNED if picture.space is Space.VECTOR else PLAIN
