"""How hard BC7's encoder searches, and what it goes by."""

from __future__ import annotations

from typing import Any, NamedTuple


class Tier(NamedTuple):
    """How hard is searched.

    Parameters
    ----------
    rounds, every, polish, settle
        Of each candidate; see :func:`.bc7_lines.fit`.
    kept : int
        Partitions of the best estimates that are tried.
    triple : int
        1 for mode 0, 2 for mode 2 too.
    margin : float
        Share of the error so far that an estimate may reach.
    apart : int
        1 for modes 4 and 5 where alpha varies; 2 for mode 5 everywhere, 3 for both.
    last_every, last_polish, last_settle
        Likewise, of what wins.
    floor : float
        Error of a block up to which no partition is tried.
    """

    rounds: int
    every: bool
    polish: int
    kept: int
    triple: int
    margin: float
    apart: int
    settle: bool
    last_every: bool
    last_polish: int
    last_settle: bool
    floor: float


class Search(NamedTuple):
    """All that the encoding of a picture's blocks goes by.

    Parameters
    ----------
    texels : ndarray, uint32, shape (height, width)
        Red in the lowest byte; sides are multiples of four.
    clear : float32
        How much the colour of texels of alpha 0 counts.
    extreme : float32
        How much an alpha of 0 or 255 counts, where others count 1.
    weights : ndarray, float32, shape (4,)
        How much each channel's squared error counts.
    tier : Tier
    starts : ndarray, float32, shape (count, 3)
        Beginnings of each line; see :func:`.bc7_lines.fit`.
    matches : ndarray, uint8, shape (256, 2)
        Ends of seven bits whose second place is exactly a value.
    modes, parts, anchors : ndarray
        The tables of :mod:`.partitions`.
    """

    texels: Any
    clear: Any
    extreme: Any
    weights: Any
    tier: Tier
    starts: Any
    matches: Any
    modes: Any
    parts: Any
    anchors: Any
