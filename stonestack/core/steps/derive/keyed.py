"""What is keyed out of a colour: alpha by a colour or from the rim, and what shines by itself."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import perceptual, swatches
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.tables.roles import Role


class ColourKey(StepParams):
    """Which colours are meant; shared by what keys one out."""

    colour: swatches.Swatch = Field("#00b040", title="Colour", description="About this one")
    tolerance: float = Field(
        0.12,
        ge=0,
        le=0.8,
        multiple_of=0.005,
        title="Tolerance",
        description="How far off it may be",
    )
    soft: float = Field(
        0.06, ge=0, le=0.4, multiple_of=0.005, title="Soft", description="From all to nothing"
    )
    shade: float = Field(
        0.5,
        ge=0,
        le=1,
        multiple_of=0.05,
        title="Shade counts",
        description="At 0 light and shadow of one colour are alike",
    )


class AlphaFromKey(ColourKey):
    """Parameters of :func:`alpha_from_key`."""

    kind: Literal["alpha_from_key"] = "alpha_from_key"
    only_outside: bool = Field(
        False,
        title="Only from the rim",
        description="Opens what hangs together with the picture's rim; the colour stays inside",
    )
    invert: bool = Field(False, title="Turn round", description="The colour stays, the rest opens")


def alpha_from_key(picture: Picture, params: AlphaFromKey) -> Picture:
    """Open what is of one colour, by its distance in OKLab.

    Returns
    -------
    Picture
        Data: 0 open, 1 solid.
    """
    keyed = _keyed(picture, params)
    if params.only_outside:
        keyed = np.where(_from_rim(keyed > 0), keyed, np.float32(0))
    values = keyed if params.invert else 1 - keyed
    return _data(values, picture)


class EmissiveFromColour(ColourKey):
    """Parameters of :func:`emissive_from_colour`."""

    kind: Literal["emissive_from_colour"] = "emissive_from_colour"
    colour: swatches.Swatch = Field("#ffd27a", title="Colour", description="What shines")
    least: float = Field(
        0.5,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="Least light",
        description="What is darker, as it is stored, does not shine",
    )
    strength: float = Field(
        1.0, ge=0, le=4, multiple_of=0.05, title="Strength", description="Times its own light"
    )


def emissive_from_colour(picture: Picture, params: EmissiveFromColour) -> Picture:
    """Return the light of what is of one colour and light enough; the rest is black.

    Returns
    -------
    Picture
        Linear colour.
    """
    from stonestack.core.picture import colour

    light = colour.lightness(picture.body)[..., 0]
    reach = np.float32(0.1)
    bright = np.clip((light - np.float32(params.least)) / reach + np.float32(0.5), 0, 1)
    share = _keyed(picture, params) * bright * np.float32(params.strength)
    body = np.clip(picture.body * share[..., np.newaxis], 0, 1)
    return Picture(body.astype(np.float32), Space.LINEAR, wraps=picture.wraps)


def _keyed(picture: Picture, params: ColourKey) -> Floats:
    lab = perceptual.to_lab(picture.body)
    old = perceptual.to_lab(swatches.linear(params.colour))
    return perceptual.selected(lab, old, params.tolerance, params.soft, params.shade)


def _from_rim(where: np.ndarray[tuple[int, ...], np.dtype[np.bool_]]) -> Floats:
    """Return the parts of a mask that reach the picture's rim."""
    import cv2

    _, parts = cv2.connectedComponents(where.astype(np.uint8), connectivity=4)
    numbers = np.asarray(parts)
    rim = np.concatenate([numbers[0], numbers[-1], numbers[:, 0], numbers[:, -1]])
    return np.asarray(np.isin(numbers, np.unique(rim[rim > 0])))


def _data(values: Floats, picture: Picture) -> Picture:
    solid = np.ascontiguousarray(values, np.float32)[..., np.newaxis]
    return Picture(solid, Space.DATA, wraps=picture.wraps)


ALPHA = StepKind(
    name="alpha_from_key",
    title="Alpha from a colour",
    hint="Opens what is of one colour, everywhere or from the rim",
    params=AlphaFromKey,
    version=1,
    apply=alpha_from_key,
    spaces=frozenset({Space.LINEAR}),
    makes=frozenset({Role.ALPHA}),
    group=Group.MAKE,
    summary=lambda p: p.colour,
)
EMISSIVE = StepKind(
    name="emissive_from_colour",
    title="Emissive from colour",
    hint="What is of one colour and light shines by itself",
    params=EmissiveFromColour,
    version=1,
    apply=emissive_from_colour,
    spaces=frozenset({Space.LINEAR}),
    makes=frozenset({Role.EMISSIVE}),
    group=Group.MAKE,
    summary=lambda p: p.colour,
)
