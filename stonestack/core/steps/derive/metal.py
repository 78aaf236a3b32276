"""Between the two ways of saying what a surface reflects: specular colours, and metalness.

Source of the relation: Khronos Group, glTF 2.0 extension KHR_materials_pbrSpecularGlossiness,
section "Appendix: Conversions": colour and specular of a matter that is metal to a share follow
from its base colour; solved backwards, the share is a root of a quadratic.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.references import MapRef
from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import resize
from stonestack.core.runtime.parallel import texelwise
from stonestack.core.tables.roles import Role

DIELECTRIC = np.float32(0.04)
"""What any matter that is no metal reflects of light that falls straight on it, about."""
_LEAST = np.float32(1e-6)
_ALL = frozenset({Space.LINEAR, Space.DATA})


class MetalnessFromSpecular(StepParams):
    """Parameters of :func:`metalness_from_specular`."""

    kind: Literal["metalness_from_specular"] = "metalness_from_specular"
    specular: MapRef = Field(title="Specular", description="What the colour reflects beside it")


def metalness_from_specular(
    picture: Picture, _params: MetalnessFromSpecular, specular: Picture
) -> Picture:
    """Return how much of each texel is metal, of its colour and specular."""
    metal = texelwise(_share, picture.body, _numbers(specular, picture))
    return Picture(metal, Space.DATA, wraps=picture.wraps)


class BaseColour(StepParams):
    """Parameters of :func:`base_colour`."""

    kind: Literal["base_colour"] = "base_colour"
    specular: MapRef = Field(title="Specular", description="What the colour reflects beside it")


def base_colour(picture: Picture, _params: BaseColour, specular: Picture) -> Picture:
    """Return the one colour of a matter, of its colour beside metal and its specular."""

    def base(own: Floats, shine: Floats) -> Floats:
        metal = _share(own, shine)
        by_own = own * (1 - shine.max(axis=2, keepdims=True))
        by_own /= np.maximum((1 - metal) * (1 - DIELECTRIC), _LEAST)
        by_shine = (shine - DIELECTRIC * (1 - metal)) / np.maximum(metal, _LEAST)
        weight = np.square(metal)
        return np.asarray(np.clip(by_own * (1 - weight) + by_shine * weight, 0, 1), np.float32)

    return picture.with_body(texelwise(base, picture.body, _numbers(specular, picture)))


class SpecularFromMetalness(StepParams):
    """Parameters of :func:`specular_from_metalness`."""

    kind: Literal["specular_from_metalness"] = "specular_from_metalness"
    metalness: MapRef = Field(title="Metalness", description="Where the colour is metal's own")


def specular_from_metalness(
    picture: Picture, _params: SpecularFromMetalness, metalness: Picture
) -> Picture:
    """Return the level of reflection of a base colour that is metal to a share."""

    def level(base: Floats, metal: Floats) -> Floats:
        reflected = DIELECTRIC * (1 - metal) + base * metal
        return colour.luminance(reflected)

    values = texelwise(level, picture.body, _numbers(metalness, picture))
    return Picture(values, Space.DATA, wraps=picture.wraps)


class ColourBesideMetal(StepParams):
    """Parameters of :func:`colour_beside_metal`."""

    kind: Literal["colour_beside_metal"] = "colour_beside_metal"
    metalness: MapRef = Field(title="Metalness", description="Where the colour is metal's own")


def colour_beside_metal(
    picture: Picture, _params: ColourBesideMetal, metalness: Picture
) -> Picture:
    """Return what a base colour scatters: that of metal goes over into its reflection."""

    def beside(base: Floats, metal: Floats) -> Floats:
        reflected = DIELECTRIC * (1 - metal) + base * metal
        scattered = base * (1 - DIELECTRIC) * (1 - metal)
        left = np.maximum(1 - reflected.max(axis=2, keepdims=True), _LEAST)
        return np.asarray(scattered / left, np.float32)

    body = texelwise(beside, picture.body, _numbers(metalness, picture))
    return picture.with_body(np.clip(body, 0, 1))


def _share(own: Floats, shine: Floats) -> Floats:
    """Return the share of metal at which colour and specular are those of one base colour."""
    light, mirrored = _perceived(own), _perceived(shine)
    left = 1 - shine.max(axis=2, keepdims=True)
    half = light * left / (1 - DIELECTRIC) + mirrored - 2 * DIELECTRIC
    square = np.square(half) - 4 * DIELECTRIC * (DIELECTRIC - mirrored)
    metal = (-half + np.sqrt(np.maximum(square, 0))) / (2 * DIELECTRIC)
    return np.asarray(np.where(mirrored < DIELECTRIC, 0, np.clip(metal, 0, 1)), np.float32)


def _perceived(values: Floats) -> Floats:
    weights = np.array([0.299, 0.587, 0.114], np.float32)
    return np.asarray(
        np.sqrt(np.square(values) @ weights)[..., np.newaxis] if values.shape[2] == 3 else values,
        np.float32,
    )


def _numbers(other: Picture, like: Picture) -> Floats:
    return np.ascontiguousarray(resize(other, like.width, like.height).body)


METALNESS = StepKind(
    name="metalness_from_specular",
    title="Metalness from specular",
    hint="Where colour and specular can only be metal's",
    params=MetalnessFromSpecular,
    version=1,
    apply=metalness_from_specular,
    spaces=frozenset({Space.LINEAR}),
    reads_of=_ALL,
    makes=frozenset({Role.METALNESS}),
    group=Group.MAKE,
    summary=lambda _: "colour and specular",
)
SPECULAR = StepKind(
    name="specular_from_metalness",
    title="Specular from metalness",
    hint="What a base colour reflects, by how much of it is metal",
    params=SpecularFromMetalness,
    version=1,
    apply=specular_from_metalness,
    spaces=frozenset({Space.LINEAR}),
    reads_of=_ALL,
    makes=frozenset({Role.SPECULAR}),
    group=Group.MAKE,
    summary=lambda _: "colour and metalness",
)
BASE = StepKind(
    name="base_colour",
    title="Base colour of specular",
    hint="One colour for metal and the rest, of colour and specular",
    params=BaseColour,
    version=1,
    apply=base_colour,
    spaces=frozenset({Space.LINEAR}),
    reads_of=_ALL,
    group=Group.CHANNELS,
    summary=lambda _: "with specular",
)
BESIDE = StepKind(
    name="colour_beside_metal",
    title="Colour beside metal",
    hint="What is left of a base colour where metal is taken out",
    params=ColourBesideMetal,
    version=1,
    apply=colour_beside_metal,
    spaces=frozenset({Space.LINEAR}),
    reads_of=_ALL,
    group=Group.CHANNELS,
    summary=lambda _: "without metal",
)
