"""Trial of finding by look: pictures of a place, asked for in many guises, and some not in it."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np

from stonestack.core.picture import colour
from stonestack.core.picture.image import Bytes
from stonestack.demo.paint import Canvas
from stonestack.services.game import alike, cataloguing, games
from stonestack.services.jobs import silent
from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder
from stonestack.trials.matters import MATTERS, drawn

_EACH = 4
"""Pictures of each matter in the place, and as many that are not in it."""
_SIZES = (256, 384, 512)
ABSENT = "not there"
Guise = Callable[[Bytes, np.random.Generator], Bytes]
"""Makes what is asked for of a picture, uint8, shape (height, width, 3)."""


def _scaled(texels: Bytes, share: float) -> Bytes:
    height, width = (max(16, round(side * share)) for side in texels.shape[:2])
    return np.asarray(cv2.resize(texels, (width, height), interpolation=cv2.INTER_AREA), np.uint8)


def _toned(texels: Bytes, rng: np.random.Generator) -> Bytes:
    gains = rng.uniform(0.8, 1.2) * rng.uniform(0.95, 1.05, 3)
    return np.clip(texels * gains, 0, 255).astype(np.uint8)


def _part(texels: Bytes, rng: np.random.Generator, area: float) -> Bytes:
    height, width = (round(side * area**0.5) for side in texels.shape[:2])
    top = int(rng.integers(0, texels.shape[0] - height + 1))
    left = int(rng.integers(0, texels.shape[1] - width + 1))
    return np.ascontiguousarray(texels[top : top + height, left : left + width])


GUISES: dict[str, Guise] = {
    "half as large": lambda texels, _: _scaled(texels, 0.5),
    "toned": _toned,
    "mirrored": lambda texels, _: np.ascontiguousarray(texels[:, ::-1]),
    "upside down": lambda texels, _: np.ascontiguousarray(texels[::-1]),
    "mirrored, toned, 70 %": lambda texels, rng: _scaled(_toned(texels[:, ::-1], rng), 0.7),
    "a quarter": lambda texels, rng: _part(texels, rng, 1 / 4),
    "a sixth, half as large": lambda texels, rng: _scaled(_part(texels, rng, 1 / 6), 0.5),
    "a quarter, mirrored": lambda texels, rng: np.ascontiguousarray(
        _part(texels, rng, 1 / 4)[:, ::-1]
    ),
}


@dataclass(frozen=True)
class Asked:
    """What came when a picture was asked for.

    Parameters
    ----------
    matter, guise : str
        The guise is :data:`ABSENT` where the picture is not in the place.
    place : int or None
        Which in the list the right one was, from 0; None where it was not in it.
    listed : int
        How many came.
    """

    matter: str
    guise: str
    place: int | None
    listed: int


def outcomes(seed: int) -> list[Asked]:
    """Put pictures of every matter into a place, and ask for them and for others."""
    with tempfile.TemporaryDirectory() as holder:
        root = Path(holder) / "place"
        root.mkdir()
        ws = Workspace(DataFolder(Path(holder) / "data"))
        try:
            return list(_asked(ws, root, seed))
        finally:
            ws.close()


def _asked(ws: Workspace, root: Path, seed: int) -> Iterator[Asked]:
    pictures = {
        (matter, number): _picture(matter, number, seed)
        for matter in MATTERS
        for number in range(2 * _EACH)
    }
    held = {key: texels for key, texels in pictures.items() if key[1] < _EACH}
    for (matter, number), texels in held.items():
        (root / _name(matter, number)).write_bytes(_png(texels))
    place = games.register(ws, root).id
    cataloguing.catalogue(ws, place, silent())
    rng = np.random.default_rng((seed, 8300))
    for (matter, number), texels in pictures.items():
        there = (matter, number) in held
        for guise, make in GUISES.items() if there else ((ABSENT, lambda texels, _: texels),):
            found = alike.like(ws, [place], _jpeg(make(texels, rng)), silent())
            names = [entry.path for entry in found]
            right = _name(matter, number)
            yield Asked(
                *(matter, guise), names.index(right) if right in names else None, len(names)
            )


def _picture(matter: str, number: int, seed: int) -> Bytes:
    rng = np.random.default_rng((seed, number, 8301))
    width, height = (int(side) for side in rng.choice(_SIZES, 2))
    canvas = Canvas(width, height, seed * 1000 + number, wraps=True)
    return colour.to_bytes(drawn(matter, canvas))


def _name(matter: str, number: int) -> str:
    return f"{matter}_{number}.png"


def _png(texels: Bytes) -> bytes:
    return bytes(cv2.imencode(".png", texels[..., ::-1])[1])


def _jpeg(texels: Bytes) -> bytes:
    return bytes(cv2.imencode(".jpg", texels[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 85])[1])


def table(told: Sequence[Asked]) -> Iterator[str]:
    """Return the lines that sum a trial up."""
    for guise in dict.fromkeys(asked.guise for asked in told):
        rows = [asked for asked in told if asked.guise == guise]
        if guise == ABSENT:
            some = sum(row.listed > 0 for row in rows)
            yield f"{guise:24} {some:3} of {len(rows)} gave a list all the same"
            continue
        first, near = (
            sum(row.place is not None and row.place < most for row in rows) for most in (1, 3)
        )
        yield f"{guise:24} {first:3} of {len(rows)} came first, {near} among the first three"
