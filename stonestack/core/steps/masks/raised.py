"""The raised parts of a relief, as its height, its normals or its specular shows them.

Sources: R. T. Frankot and R. Chellappa, "A Method for Enforcing Integrability in Shape from Shading
Algorithms", IEEE Trans. PAMI 10 (1988), section III, for height from slopes; N. Otsu, "A Threshold
Selection Method from Gray-Level Histograms", IEEE Trans. SMC 9 (1979), for where raised begins.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.mask import MaskKind, MaskShape
from stonestack.core.kinds.references import MapRef
from stonestack.core.picture import colour
from stonestack.core.picture.filters import gaussian
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.steps.masks.edges import smooth

_BINS = 256
_STEEPEST = 8.0
"""Slope beyond which a normal that lies almost flat says no more."""


class Raised(MaskShape):
    """Parameters of :func:`raised`."""

    kind: Literal["raised"] = "raised"
    map: MapRef = Field(title="Map", description="A height, normal or specular that shows them")
    level: float = Field(
        0.0,
        ge=-0.5,
        le=0.5,
        multiple_of=0.01,
        title="Level",
        description="0 is found by itself; above it less counts as raised",
    )
    smooth: float = Field(
        0.4,
        ge=0,
        le=5,
        multiple_of=0.05,
        title="Smooth",
        description="Marks smaller than this are passed over; per cent of the width",
    )
    soft: float = Field(
        0.1, ge=0, le=1, multiple_of=0.01, title="Soft", description="From nothing to all"
    )
    sunk: bool = Field(False, title="Sunk parts", description="What lies low instead")


def raised(params: Raised, width: int, _height: int, wraps: bool, other: Picture) -> Floats:
    """Return where a relief stands out, split from the rest where its heights part best."""
    tall = relief(other)
    if params.smooth > 0:
        tall = gaussian(tall[..., np.newaxis], params.smooth / 100 * width, wraps)[..., 0]
    low, high = (float(v) for v in np.percentile(tall, (1, 99)))
    if high - low < 1e-5:
        return np.zeros(tall.shape, np.float32)
    t = np.clip((tall - np.float32(low)) / np.float32(high - low), 0, 1)
    middle = np.float32(parting(t) + params.level)
    reach = np.float32(max(params.soft, 1e-3))
    out = smooth(np.asarray((t - middle) / reach + 0.5, np.float32))
    return 1 - out if params.sunk else out


def relief(picture: Picture) -> Floats:
    """Return how high each texel of a map lies, shape (height, width), of any scale.

    Colour goes by its lightness, normals by the surface that has them.
    """
    if picture.space is Space.VECTOR:
        return _surface_of(picture)
    if picture.space is Space.LINEAR:
        body = picture.body
        return (colour.lightness(body) if body.shape[2] == 3 else colour.to_srgb(body))[..., 0]
    return np.asarray(picture.body.mean(axis=2), np.float32)


def parting(values: Floats) -> float:
    """Return where values, 0..1, part into two groups that differ most; the middle of a gap."""
    counts, edges = np.histogram(values, _BINS, (0, 1))
    below = np.cumsum(counts)[:-1].astype(np.float64)
    above = below[-1] + counts[-1] - below
    centres = (edges[:-1] + edges[1:]) / 2
    sums = np.cumsum(counts * centres)
    with np.errstate(divide="ignore", invalid="ignore"):
        apart = (sums[-1] - sums[:-1]) / above - sums[:-1] / below
    between = np.where((below > 0) & (above > 0), below * above * apart**2, 0.0)
    best = np.flatnonzero(between >= between.max() * (1 - 1e-9))
    return float(edges[1 + round(float(best.mean()))])


def _surface_of(picture: Picture) -> Floats:
    """Return the surface whose normals come nearest to a picture's, on a grid of waves."""
    from scipy import fft

    vectors = picture.body.astype(np.float64)
    facing = np.maximum(vectors[..., 2], 1 / _STEEPEST)
    # Stored up is up the picture, so rows go against it.
    across, down = -vectors[..., 0] / facing, vectors[..., 1] / facing
    if not picture.wraps:
        # Mirrored over its edges it is one period; slopes that lie across a mirror turn round.
        across = np.block([[across, -across[:, ::-1]], [across[::-1], -across[::-1, ::-1]]])
        down = np.block([[down, down[:, ::-1]], [-down[::-1], -down[::-1, ::-1]]])
    rows, columns = across.shape
    v = 2j * np.pi * np.fft.fftfreq(rows)[:, np.newaxis]
    u = 2j * np.pi * np.fft.rfftfreq(columns)
    power = np.abs(u) ** 2 + np.abs(v) ** 2
    power[0, 0] = 1
    waves = (np.conj(u) * fft.rfft2(across) + np.conj(v) * fft.rfft2(down)) / power
    waves[0, 0] = 0
    surface = fft.irfft2(waves, (rows, columns))
    return np.asarray(surface[: picture.height, : picture.width], np.float32)


MASK = MaskKind(
    name="raised",
    title="Raised parts",
    hint="Where the relief of a map stands out",
    params=Raised,
    version=1,
    draw=raised,
)
