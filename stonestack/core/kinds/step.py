"""What a step is: a parameter model, a pure function and its words for the screen."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from types import UnionType
from typing import Any, get_args, get_origin

from pydantic import BaseModel, ConfigDict

from stonestack.core.kinds.references import Reference, StrokesRef, count_of, is_reference
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.resize import THINNEST, limited
from stonestack.core.tables.roles import ROLES, Role


class StepParams(BaseModel):
    """Base of every step's parameters; ``kind`` names the step.

    A field's ``title``, ``description`` and limits are the words and limits of its control. A field
    that is a reference is something else that the step reads.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")


class Group(StrEnum):
    """What a step is for: the headings under which steps are offered, in their order."""

    TILE = "Tile"
    TONE = "Light and tone"
    COLOUR = "Colour"
    DETAIL = "Detail"
    FILL = "Fill"
    LAY = "Lay over"
    PLACE = "A place"
    CHANNELS = "Channels"
    TEXELS = "Texels"
    MAKE = "Make of another map"


@dataclass(frozen=True)
class Geometry:
    """How a step moves texels: found once on a guide, then laid alike on every map.

    Parameters
    ----------
    solve : callable
        ``(guide, params) -> solution``; the guide is the colour, at most
        :data:`SOLVED_AT` pixels long, so that a passing look and the result share one
        solution.
    lay : callable
        ``(picture, guide, solution, params) -> picture``; the guide has about the picture's
        resolution. It may refine the solution by the guide, never by the picture.
    """

    solve: Callable[[Picture, Any], Any]
    lay: Callable[[Picture, Picture, Any, Any], Picture]


SOLVED_AT = 512
"""Longest side at which geometry is found."""


@dataclass(frozen=True)
class StepKind:
    """One kind of step.

    Parameters
    ----------
    name : str
        The value of ``kind`` in stored recipes; never changes.
    title : str
        Its name on screen.
    hint : str
        One line on what it does.
    params : type of StepParams
        Its parameters.
    version : int
        Raised whenever the same input and parameters give another result, so that kept
        results are not used again.
    apply : callable
        ``(picture, params, *read) -> picture``; pure. What is read are the pictures that its
        references to maps, masks and files name, then bytes for those to kept strokes, in the
        order of their fields.
    spaces : frozenset of Space
        What the numbers of a picture may mean that it works on.
    reads_of : frozenset of Space, optional
        What those of other maps may mean that it reads; the same where it is not said.
    makes : frozenset of Role
        For derivations: the roles of maps that it makes of another one, whose numbers mean the
        same. It needs another map, so it is no step for a map that has a file of its own.
    over : bool
        Whether its result is a layer: where that is clear, what was before comes through.
    summary : callable
        A few words with its main numbers, for the course sheet.
    geometry : Geometry, optional
        For steps that move texels; other maps of the surface follow them.
    family : str
        Steps of one family are different ways to the same end: one is chosen.
    group : Group
        The heading under which it is offered.
    """

    name: str
    title: str
    hint: str
    params: type[StepParams]
    version: int
    apply: Callable[..., Picture]
    spaces: frozenset[Space]
    summary: Callable[[Any], str]
    geometry: Geometry | None = None
    family: str = ""
    makes: frozenset[Role] = frozenset()
    over: bool = False
    reads_of: frozenset[Space] | None = None
    group: Group = Group.TONE

    @property
    def reads(self) -> int:
        """How many other pictures it always reads."""
        return count_of(self.params, Reference) - self.blobs

    @property
    def blobs(self) -> int:
        """How many kept files it reads."""
        return count_of(self.params, StrokesRef)

    @property
    def may_read(self) -> bool:
        """Whether it reads further pictures where they are named."""
        return any(
            is_reference(option)
            for field in self.params.model_fields.values()
            if get_origin(field.annotation) is UnionType
            for option in get_args(field.annotation)
        )

    @property
    def mixes(self) -> bool:
        """Whether its result can be mixed with what was before: same texels, same meaning."""
        return self.geometry is None and not self.makes

    def can_read(self, role: Role) -> bool:
        """Tell whether it can read another map of a role."""
        return ROLES[role].space in (self.spaces if self.reads_of is None else self.reads_of)

    def gives(self, space: Space) -> Space:
        """Return what the numbers of its result mean."""
        return ROLES[next(iter(self.makes))].space if self.makes else space

    def suits(self, role: Role) -> bool:
        """Tell whether a map of a role may have it."""
        return role in self.makes if self.makes else ROLES[role].space in self.spaces


def alone(geometry: Geometry) -> Callable[[Picture, Any], Picture]:
    """Return the step as a function of one picture that is its own guide."""

    def apply(picture: Picture, params: Any) -> Picture:
        solution = geometry.solve(limited(picture, SOLVED_AT, THINNEST), params)
        return geometry.lay(picture, picture, solution, params)

    return apply
