"""What a surface is made of, guessed from its name and its colour.

A name that says it counts for more than any look: a picture alone tells wood from grass, but
seldom stone from plaster, and says so by a low confidence. Evidence is added up as logarithms of
odds, each clue's weight by how many of a hundred pictures of a matter have it, about.
"""

from __future__ import annotations

import math

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from stonestack.core.catalogue.filenames import parts
from stonestack.core.picture import perceptual
from stonestack.core.picture.image import Picture
from stonestack.core.picture.measures.ramps import ramp
from stonestack.core.picture.resize import limited
from stonestack.core.steps.derive.height import flatness
from stonestack.core.steps.derive.joints import joints_of
from stonestack.core.steps.derive.lighting import axis_of
from stonestack.core.tables.matters import MATTERS, Matter
from stonestack.core.tile.period import find_lattice

_SIDE = 256
_ALONG = 0.15
"""How far a step of a lattice may lean to be called straight."""
_SIX = (1.6, 1.9)
"""How much farther up than across the next of six-sided tiles lies, about: the root of three."""
_BY_NAME = 4.0
"""Logarithm of the odds that a name's word gives its matter."""
_CLUES: dict[str, dict[Matter, float]] = {
    "green": {Matter.PLANTS: 3.0, Matter.GLASS: 0.6, Matter.RUSTED_METAL: 0.3},
    "jointed": {Matter.BRICK: 1.2, Matter.CERAMIC: 1.0, Matter.STONE: 0.8, Matter.WOOD: -0.5},
    "courses": {Matter.BRICK: 1.5, Matter.CERAMIC: 0.5},
    "boards": {Matter.WOOD: 4.0, Matter.STONE: -0.8},
    "bond": {Matter.BRICK: 3.0, Matter.STONE: 0.5},
    "squares": {Matter.CERAMIC: 3.0, Matter.STONE: 0.8},
    "threads": {Matter.CLOTH: 4.0},
    "grained": {Matter.WOOD: 2.4, Matter.PLANTS: 0.6, Matter.METAL: 0.4},
    "red": {Matter.BRICK: 1.8, Matter.RUSTED_METAL: 0.8, Matter.CERAMIC: 0.3},
    "brown": {Matter.WOOD: 1.2, Matter.EARTH: 1.2, Matter.LEATHER: 1.0, Matter.RUSTED_METAL: 0.4},
    "two hues": {Matter.RUSTED_METAL: 1.6, Matter.CERAMIC: 0.5},
    "pale": {Matter.PLASTER: 1.6, Matter.CERAMIC: 0.4, Matter.SKIN: 0.4},
    "dark": {Matter.EARTH: 0.6, Matter.METAL: 0.6, Matter.LEATHER: 0.6},
    "grey": {Matter.STONE: 1.2, Matter.METAL: 0.8, Matter.PLASTER: 0.6},
    "rough": {Matter.EARTH: 0.8, Matter.STONE: 0.6, Matter.PLANTS: 0.4, Matter.GLASS: -1.0},
    "smooth": {Matter.PLASTER: 1.0, Matter.METAL: 0.8, Matter.GLASS: 0.6, Matter.SKIN: 0.6},
    "printed": {Matter.CERAMIC: 1.2, Matter.CLOTH: 0.8},
}
"""What speaks for a matter, in logarithms of odds; for the others nothing."""


class MatterGuess(BaseModel):
    """What a surface is taken to be made of."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    matter: Matter
    sure: float = Field(ge=0, le=1)
    why: str = Field("", max_length=120)


def guess_matter(picture: Picture, name: str = "") -> MatterGuess:
    """Guess what a surface is made of.

    Parameters
    ----------
    picture : Picture
        Its linear colour.
    name : str
        Of its file or of the surface.

    Returns
    -------
    MatterGuess
        The likeliest matter, how sure that is, and what spoke for it.
    """
    look = _clues(limited(picture, _SIDE))
    said = _named(name)
    odds = dict.fromkeys(MATTERS, 0.0)
    for clue, strength in look.items():
        for matter, weight in _CLUES[clue].items():
            odds[matter] += weight * strength
    for matter in said.values():
        odds[matter] += _BY_NAME
    best = max(odds, key=odds.__getitem__)
    total = sum(math.exp(value) for value in odds.values())
    sure = math.exp(odds[best]) / total
    words = [word for word, matter in said.items() if matter is best]
    seen = [c for c, s in look.items() if s > 0.5 and _CLUES[c].get(best, 0) > 0.3]
    why = f"its name says “{words[0]}”" if words else ", ".join(seen[:3]) or "nothing speaks for it"
    return MatterGuess(matter=best, sure=round(sure, 2), why=why)


def _named(name: str) -> dict[str, Matter]:
    """Return the matters that a name's words mean; of two of one matter the last counts."""
    known = {word: matter for matter, info in MATTERS.items() for word in info.words.split()}
    words = parts(name).stem.replace("-", "_").split("_") if name else []
    found = [word.rstrip("0123456789").casefold() for word in words]
    matters = {known[word]: word for word in found if word in known}
    # Rusted iron is rusted metal, and a tiled wall is tile.
    if Matter.RUSTED_METAL in matters:
        matters.pop(Matter.METAL, None)
    if len(matters) > 1:
        for vague in (Matter.PLASTER, Matter.EARTH):
            if matters.get(vague) in ("wall", "bed", "path", "paint", "painted", "ground"):
                matters.pop(vague)
    return {word: matter for matter, word in matters.items()}


def _clues(picture: Picture) -> dict[str, float]:
    """Return what of a picture speaks for a matter, each 0 to 1."""
    lab = perceptual.to_lab(picture.body)
    light, a, b = (lab[..., k] for k in range(3))
    chroma = np.hypot(a, b)
    hue = np.degrees(np.arctan2(b, a)) % 360
    coloured = chroma > 0.035
    mean = float(light.mean())
    tone = np.log(np.maximum(picture.body.mean(axis=2), 0.01)).astype(np.float32)
    joints = joints_of(tone, picture.wraps)
    _, one_way = axis_of(tone, picture.wraps)
    jointed = joints.sure if joints is not None else 0.0
    spread = float(tone.std())
    fine = float(np.abs(np.diff(tone, axis=1)).mean() + np.abs(np.diff(tone, axis=0)).mean())
    share = float(coloured.mean())
    return {
        "green": _share(coloured & (hue > 105) & (hue < 165), 0.3, 0.7),
        "jointed": jointed,
        "courses": jointed * ramp(one_way, 0.1, 0.3) * ramp(-one_way, -0.8, -0.6),
        "boards": jointed * ramp(one_way, 0.7, 0.85),
        **_recurring(picture),
        "grained": (1 - jointed) * ramp(one_way, 0.5, 0.8),
        "red": _share(coloured & ((hue > 20) & (hue < 52)) & (chroma > 0.06), 0.35, 0.7),
        "brown": _share(coloured & (hue > 45) & (hue < 85) & (light < 0.7), 0.4, 0.8),
        "two hues": ramp(float(chroma.std()), 0.035, 0.06) * ramp(share, 0.1, 0.25),
        "pale": ramp(mean, 0.72, 0.85),
        "dark": ramp(-mean, -0.45, -0.3),
        "grey": ramp(-share, -0.4, -0.1),
        "rough": ramp(fine, 0.12, 0.25),
        "smooth": ramp(-fine, -0.06, -0.03) * ramp(-spread, -0.4, -0.2),
        "printed": ramp(-flatness(tone, picture.wraps), -0.11, -0.06),
    }


def _recurring(picture: Picture) -> dict[str, float]:
    """Return what the lattice of a structure speaks for: courses in bond, squares, threads."""
    found = find_lattice(picture)
    if found is None or found.second is None:
        return {}
    side = max(picture.width, picture.height)
    first, second = (sorted((abs(x), abs(y))) for x, y in (found.first, found.second))
    threads = ramp(-max(first[1], second[1]) / side, -1 / 8, -1 / 13)
    if max(first[0] / first[1], second[0] / second[1]) < _ALONG:
        return {"threads": threads, "squares": 1 - threads}
    (across, up), (other, too) = ((abs(x), abs(y)) for x, y in (found.first, found.second))
    if up < _ALONG * across or too < _ALONG * other:
        # Steps along a course and to the next: the same as two to the next, left and right.
        across, up = (other, too) if up < _ALONG * across else (across, up)
    six = _SIX[0] < up / max(across, 1e-6) < _SIX[1]
    return {"threads": threads, "squares" if six else "bond": 1 - threads}


def _share(
    where: np.ndarray[tuple[int, ...], np.dtype[np.bool_]], least: float, most: float
) -> float:
    return ramp(float(where.mean()), least, most)
