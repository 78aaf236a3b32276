"""All that is measured of a tile, in one place, and how bad its worst fault is."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import at_most
from stonestack.core.tile.faults.judging import Fault, judged
from stonestack.core.tile.period import Lattice, find_lattice_of_parts
from stonestack.core.tile.repetition import repetition_of
from stonestack.core.tile.seam import seam_score_of
from stonestack.core.tile.structure import structure_of
from stonestack.core.tile.ways import LEAST_SIDE

_MIRROR_SIDE = 128
_ALIKE = 0.9
_FLAT = 1e-4
GOES_ON = 0.6
"""Structure from which on it goes on over the joins; true rings have 0.8 and more."""


class CulpritView(BaseModel):
    """A spot that makes the eye see the grid; places and sizes as shares of the sides."""

    x: float
    y: float
    radius: float
    strength: float
    words: str


class Way(BaseModel):
    """A step that leads to the same again, in pixels."""

    x: float
    y: float


class PeriodView(BaseModel):
    """How a structure recurs, by one step or two."""

    steps: list[Way]
    strength: float


class TileScores(BaseModel):
    """What is measured of a tile.

    ``x``, ``y`` and ``repetition`` are 1.0 where nothing shows; ``structure`` is 1.0 where what
    recurs goes on over the joins, or nothing does; drift is the change of tone from one side to
    the other, in percent. ``fault`` says how bad the worst fault is that there is anywhere: 0
    nothing to see, 1 just noticeable, 2 clear, 3 seen at once, 5 useless; ``faults`` names those
    that are sure, the worst first.
    """

    x: float
    y: float
    detail: float
    structure: float
    repetition: float
    spots: float
    broad: float
    culprits: list[CulpritView]
    drift_x: float
    drift_y: float
    mirrored: bool
    period: PeriodView | None = None
    fault: float = 0.0
    faults: list[Fault] = []


_FAULTLESS = TileScores(
    x=1,
    y=1,
    detail=1,
    structure=1,
    repetition=1,
    spots=1,
    broad=0,
    culprits=[],
    drift_x=0,
    drift_y=0,
    mirrored=False,
)
"""Of a picture in which there is nothing to see."""


def tile_scores(picture: Picture) -> TileScores | None:
    """Measure a tile; None where it is too small for that.

    Parameters
    ----------
    picture : Picture
        Any space; taken as a ring both ways.
    """
    if min(picture.width, picture.height) < LEAST_SIDE:
        return None
    values = colour.seen(picture)
    if float(values.max() - values.min()) < _FLAT:
        return _FAULTLESS.model_copy()
    lattice = find_lattice_of_parts(values)
    seam, again = seam_score_of(values), repetition_of(values, lattice)
    found = judged(values, lattice, again)
    small = at_most(values, _MIRROR_SIDE).mean(axis=2, dtype=np.float32)
    return TileScores(
        x=seam.x,
        y=seam.y,
        detail=seam.detail,
        structure=min(structure_of(values, lattice)),
        repetition=again.value,
        spots=again.spots,
        broad=again.broad,
        culprits=[
            CulpritView(
                x=c.x,
                y=c.y,
                radius=c.radius,
                strength=c.strength,
                # Directions are neither light nor dark.
                words="single" if picture.space is Space.VECTOR else c.words,
            )
            for c in again.culprits
        ],
        drift_x=_drift(small),
        drift_y=_drift(small.T),
        mirrored=_mirrored(small) or _mirrored(small.T),
        period=_period(lattice),
        fault=found.fault,
        faults=found.faults,
    )


def _period(found: Lattice | None) -> PeriodView | None:
    if found is None:
        return None
    steps = [found.first] + ([found.second] if found.second is not None else [])
    return PeriodView(steps=[Way(x=x, y=y) for x, y in steps], strength=found.strength)


def _drift(light: Floats) -> float:
    """Return by how many percent the right third is lighter than the left."""
    third = max(1, light.shape[1] // 3)
    left, right = float(light[:, :third].mean()), float(light[:, -third:].mean())
    return 100 * (right - left) / max((left + right) / 2, 1e-3)


def _mirrored(light: Floats) -> bool:
    """Tell whether a picture is its own mirror image about its edge."""
    if float(light.std()) < 1e-4:
        return False
    # How alike it is to its mirror image, about each column in turn.
    waves = np.fft.rfft(light - light.mean(), axis=1)
    turned = np.fft.rfft(light[:, ::-1] - light.mean(), axis=1)
    alike = np.fft.irfft(waves * np.conj(turned), n=light.shape[1], axis=1).sum(axis=0)
    alike /= np.square(light - light.mean()).sum()
    # A pattern with a mirror axis of its own is alike about many places; only what is alike
    # nowhere else was made so.
    others = alike[light.shape[1] // 8 : light.shape[1] * 7 // 8 : 3]
    return bool(alike[0] > _ALIKE and others.max() < _ALIKE)
