"""From a measure to a share: how far a clue counts."""

from __future__ import annotations


def ramp(value: float, least: float, whole: float) -> float:
    """Return 0 up to one value, 1 from another on, and a straight line between.

    Parameters
    ----------
    least, whole : float
        ``whole`` is the larger; for what counts the less it is, all three are negated.
    """
    return min(1.0, max(0.0, (value - least) / (whole - least)))
