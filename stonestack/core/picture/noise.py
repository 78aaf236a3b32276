"""Noise that tiles, and is the same at every resolution.

Source: K. Perlin, "Improving Noise", ACM Trans. Graphics 21 (2002): gradients at the corners of a
lattice, mixed by a fifth-degree step; octaves added as in the same author's "An Image
Synthesizer" (1985).
"""

from __future__ import annotations

import numpy as np

from stonestack.core.picture.image import Floats
from stonestack.core.runtime.parallel import over_bands, rows_worth

_EVEN = 1.6
"""Brings most of the noise to -1..1."""


_FINEST = 1.5
"""Texels of a cell that can just be shown."""


def gradient_noise(
    width: int, height: int, cells: tuple[int, int], octaves: int, seed: int, rough: float = 0.5
) -> Floats:
    """Return noise about zero, most of it within -1..1, that goes on over the edges.

    Parameters
    ----------
    width, height : int
        Texels; only how finely the same noise is drawn.
    cells : tuple of int
        Across and down: its broadest features are about a cell wide.
    octaves : int
        Each has half the size of the one before.
    seed : int
    rough : float
        Weight of each octave, times that of the one before.

    Returns
    -------
    ndarray, float32, shape (height, width)
    """
    from stonestack.core.picture.kernels.gradient_noise import add_noise, corners

    out = np.zeros((height, width), np.float32)
    total, weight = sum(rough ** (2 * n) for n in range(octaves)), 1.0
    for octave in range(octaves):
        across, down = (max(1, c) << octave for c in cells)
        if across * _FINEST > width or down * _FINEST > height:
            break  # Finer than texels can show.
        gradients = corners(across, down, seed * 131 + octave)

        def rows(a: int, b: int, g: Floats = gradients, w: float = weight) -> None:
            add_noise(out, g, w, a, b)

        over_bands(rows, height, rows_worth(width))
        weight *= rough
    return np.asarray(out * np.float32(_EVEN / np.sqrt(total)), np.float32)


def cells_of(size: float, width: int, height: int) -> tuple[int, int]:
    """Return whole cells for features of a size, in per cent of the width."""
    across = max(1, round(100 / size))
    return across, max(1, round(across * height / width))
