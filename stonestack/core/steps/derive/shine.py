"""Specular, gloss and roughness from colour.

How much a matter reflects, and how tightly, is a property of the matter and not of the light that
fell on it. So both start from one level for all of the surface, and vary only by what of the
picture is no light: by hue, which neither shade nor lamp changes, and by the relief that is read
from it. What is hollow holds dirt and reflects less; what is rough at a finer scale than texels are
looked at spreads its reflections (M. Toksvig, "Mipmapping Normal Maps", J. Graphics Tools 10
(2005): by how much the normals around a texel differ).
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.filters import gaussian, radius_of
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.remembering import Remembered
from stonestack.core.picture.resize import limited, resample
from stonestack.core.runtime.parallel import texelwise
from stonestack.core.steps.derive.cavity import bend_of
from stonestack.core.steps.derive.height import ReliefFromColour, relief_of
from stonestack.core.steps.derive.slopes import slopes_of
from stonestack.core.tables.roles import Role

_READ_AT = 1024
"""Longest side at which relief is read here: hollows and roughness are broader than a texel."""
_HOLLOW_RADIUS = 0.4
_HOLLOW_GAIN = np.float32(2.5)
_ROUGH_RADIUS = 0.6
_ROUGH_GAIN = np.float32(4.0)
_HUE_SPREAD = np.float32(0.25)
_FLOOR = np.float32(0.02)
_KNOWN: Remembered[Floats] = Remembered(4)


class Reflecting(StepParams):
    """How a level of reflection is read from a colour."""

    invert: bool = Field(
        False, title="Dull parts shine", description="Turns what varies by hue round"
    )
    low: float = Field(
        0.02, ge=0, le=1, multiple_of=0.005, title="Least", description="Level of the dullest part"
    )
    high: float = Field(
        0.08,
        ge=0,
        le=1,
        multiple_of=0.005,
        title="Most",
        description="Level of the shiniest part",
    )
    contrast: float = Field(
        1.0,
        ge=0,
        le=4,
        multiple_of=0.05,
        title="By hue",
        description="How much parts of stronger hue differ from grey ones; 0 not at all",
    )
    hollows: float = Field(
        0.6,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="Duller in hollows",
        description="Dirt and shade there",
    )


class SpecularFromColour(Reflecting):
    """Parameters of :func:`specular_from_colour`."""

    kind: Literal["specular_from_colour"] = "specular_from_colour"


def specular_from_colour(picture: Picture, params: Reflecting) -> Picture:
    """Return a level of reflection that follows the matter, and not the light on it.

    Parameters
    ----------
    picture : Picture
        Linear colour.

    Returns
    -------
    Picture
        Data between ``low`` and ``high``: their middle for a grey, level face.
    """
    shift = _by_hue(picture) * np.float32(-params.contrast if params.invert else params.contrast)
    hollow = _hollows(picture) if params.hollows > 0 else np.zeros_like(shift)
    low, span = np.float32(params.low), np.float32(params.high - params.low)

    def level(rows: Floats, deep: Floats) -> Floats:
        t = np.clip(np.float32(0.5) + np.float32(0.5) * np.tanh(rows), 0, 1)
        return np.asarray(low + span * t * (1 - deep * np.float32(params.hollows)), np.float32)

    return _data(texelwise(level, shift, hollow), picture)


class Spreading(StepParams):
    """What spreads reflections; shared by gloss and roughness."""

    level: float = Field(
        0.5, ge=0, le=1, multiple_of=0.01, title="Level", description="Of a smooth, level face"
    )
    rough: float = Field(
        0.5,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="By fine relief",
        description="How much fine relief spreads reflections",
    )
    hue: float = Field(
        0.2,
        ge=-1,
        le=1,
        multiple_of=0.01,
        title="By hue",
        description="Above 0 parts of stronger hue spread reflections more, below 0 less",
    )


class GlossFromColour(Spreading):
    """Parameters of :func:`gloss_from_colour`."""

    kind: Literal["gloss_from_colour"] = "gloss_from_colour"
    level: float = Field(
        0.4,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="Level",
        description="Of a smooth, level face; 1 is a mirror",
    )


def gloss_from_colour(picture: Picture, params: Spreading) -> Picture:
    """Return gloss, 0..1: a level, less where the relief is rough."""
    return _data(_gloss(picture, params.level, params), picture)


class RoughnessFromColour(Spreading):
    """Parameters of :func:`roughness_from_colour`."""

    kind: Literal["roughness_from_colour"] = "roughness_from_colour"
    level: float = Field(
        0.6,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="Level",
        description="Of a smooth, level face; 0 is a mirror",
    )


def roughness_from_colour(picture: Picture, params: Spreading) -> Picture:
    """Return roughness, 0..1: a level, more where the relief is rough."""
    return _data(1 - _gloss(picture, 1 - params.level, params), picture)


def _gloss(picture: Picture, level: float, params: Spreading) -> Floats:
    none = np.zeros(picture.pixels.shape[:2], np.float32)
    rough, hue = np.float32(params.rough), np.float32(params.hue)
    spread = _roughness(picture) if rough > 0 else none
    shift = _by_hue(picture) if hue else none

    def gloss(spread: Floats, shift: Floats) -> Floats:
        by_hue = 1 - hue * np.tanh(shift)
        own = np.float32(level) * (1 - rough * spread) * by_hue
        return np.asarray(np.clip(own, 0, 1), np.float32)

    return texelwise(gloss, spread, shift)


def _by_hue(picture: Picture) -> Floats:
    """Return how much stronger or weaker each texel's hue is than usual, around 0.

    Hue is taken as the spread of the logarithms of the channels, which light in one colour leaves
    as it is.
    """

    def strength(rows: Floats) -> Floats:
        logs = np.log(rows + _FLOOR)
        return np.asarray(logs.max(axis=2) - logs.min(axis=2), np.float32)

    def by_hue() -> Floats:
        found = texelwise(strength, picture.body)
        usual = np.float32(found.mean(dtype=np.float64))
        return texelwise(lambda rows: (rows - usual) / (usual + _HUE_SPREAD), found)

    return _KNOWN.of_look(picture.body, "hue", work=by_hue)


def _hollows(picture: Picture) -> Floats:
    def deep(small: Picture) -> Floats:
        relief = relief_of(small, ReliefFromColour())
        slopes = slopes_of(relief, "plain", small.wraps)
        bend = bend_of(*slopes, radius_of(_HOLLOW_RADIUS, small), small.wraps)
        return np.asarray(np.tanh(np.maximum(-bend * _HOLLOW_GAIN, 0)), np.float32)

    def hollows() -> Floats:
        return _as_large(deep(limited(picture, _READ_AT)), picture)

    return _KNOWN.of_look(picture.body, "hollows", picture.wraps, work=hollows)


def _roughness(picture: Picture) -> Floats:
    def rough(small: Picture) -> Floats:
        relief = relief_of(small, ReliefFromColour())
        right, up = slopes_of(relief, "plain", small.wraps)
        energy = (np.square(right) + np.square(up))[..., np.newaxis]
        around = gaussian(energy, radius_of(_ROUGH_RADIUS, small), small.wraps)[..., 0]
        return np.asarray(np.tanh(_ROUGH_GAIN * np.maximum(around, 0)), np.float32)

    def roughness() -> Floats:
        return _as_large(rough(limited(picture, _READ_AT)), picture)

    return _KNOWN.of_look(picture.body, "roughness", picture.wraps, work=roughness)


def _as_large(values: Floats, picture: Picture) -> Floats:
    """Return a smooth field at a picture's own size."""
    if values.shape == picture.pixels.shape[:2]:
        return values
    size = (picture.width, picture.height)
    return resample(values[..., np.newaxis], *size, "mitchell", picture.wraps)[..., 0]


def _data(values: Floats, picture: Picture) -> Picture:
    return Picture(values[..., np.newaxis], Space.DATA, wraps=picture.wraps)


SPECULAR = StepKind(
    name="specular_from_colour",
    title="Specular from colour",
    hint="A level of reflection, by hue and hollows and not by light",
    params=SpecularFromColour,
    version=2,
    apply=specular_from_colour,
    spaces=frozenset({Space.LINEAR}),
    makes=frozenset({Role.SPECULAR}),
    group=Group.MAKE,
    summary=lambda p: f"{p.low:.2f}–{p.high:.2f}",
)
GLOSS = StepKind(
    name="gloss_from_colour",
    title="Gloss from colour",
    hint="A level of gloss, less where it is rough",
    params=GlossFromColour,
    version=1,
    apply=gloss_from_colour,
    spaces=frozenset({Space.LINEAR}),
    makes=frozenset({Role.GLOSS}),
    group=Group.MAKE,
    summary=lambda p: f"about {p.level:.2f}",
)
ROUGHNESS = StepKind(
    name="roughness_from_colour",
    title="Roughness from colour",
    hint="A level of roughness, more where it is rough",
    params=RoughnessFromColour,
    version=1,
    apply=roughness_from_colour,
    spaces=frozenset({Space.LINEAR}),
    makes=frozenset({Role.ROUGHNESS}),
    group=Group.MAKE,
    summary=lambda p: f"about {p.level:.2f}",
)
