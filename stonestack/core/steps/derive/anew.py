"""Maps made anew of a colour inside a map that has a file of its own: for parts that changed.

Each is the derivation of the same name as a step, so that a mask can limit it: the rest of the map
stays as it is.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

from pydantic import Field

from stonestack.core.kinds.references import MapRef
from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.resize import resize
from stonestack.core.steps.derive.height import ReliefFromColour, height_from_colour
from stonestack.core.steps.derive.normal import NormalsOfColour, normal_from_colour
from stonestack.core.steps.derive.shine import (
    Reflecting,
    Spreading,
    gloss_from_colour,
    roughness_from_colour,
    specular_from_colour,
)

_COLOUR = Field(title="Colour", description="The map that it is made of")


class NormalAnew(NormalsOfColour):
    """Parameters of :func:`normal_from_colour`, and of which map."""

    kind: Literal["normal_anew"] = "normal_anew"
    colour: MapRef = _COLOUR


class HeightAnew(ReliefFromColour):
    """Parameters of :func:`height_from_colour`, and of which map."""

    kind: Literal["height_anew"] = "height_anew"
    colour: MapRef = _COLOUR


class SpecularAnew(Reflecting):
    """Parameters of :func:`specular_from_colour`, and of which map."""

    kind: Literal["specular_anew"] = "specular_anew"
    colour: MapRef = _COLOUR


class GlossAnew(Spreading):
    """Parameters of :func:`gloss_from_colour`, and of which map."""

    kind: Literal["gloss_anew"] = "gloss_anew"
    colour: MapRef = _COLOUR


class RoughnessAnew(Spreading):
    """Parameters of :func:`roughness_from_colour`, and of which map."""

    kind: Literal["roughness_anew"] = "roughness_anew"
    colour: MapRef = _COLOUR


def _anew(
    title: str, params: type[StepParams], space: Space, derive: Callable[[Picture, Any], Picture]
) -> StepKind:
    def apply(picture: Picture, params: StepParams, colour: Picture) -> Picture:
        made = derive(colour, params)
        return picture.with_body(resize(made, picture.width, picture.height).body)

    return StepKind(
        name=params.model_fields["kind"].default,
        title=f"{title} anew",
        hint=f"{title} made of the colour, here: where the two do not belong together any more",
        params=params,
        version=1,
        apply=apply,
        spaces=frozenset({space}),
        reads_of=frozenset({Space.LINEAR}),
        group=Group.LAY,
        summary=lambda p: f"of {p.colour.map}",
    )


NORMAL = _anew("Normal", NormalAnew, Space.VECTOR, normal_from_colour)
HEIGHT = _anew("Height", HeightAnew, Space.DATA, height_from_colour)
SPECULAR = _anew("Specular", SpecularAnew, Space.DATA, specular_from_colour)
GLOSS = _anew("Gloss", GlossAnew, Space.DATA, gloss_from_colour)
ROUGHNESS = _anew("Roughness", RoughnessAnew, Space.DATA, roughness_from_colour)
