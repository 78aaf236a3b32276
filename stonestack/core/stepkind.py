"""What a step is: a parameter model, a pure function and its words for the screen."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, ConfigDict

from stonestack.core.image import Picture
from stonestack.core.resize import limited
from stonestack.core.roles import Role


class StepParams(BaseModel):
    """Base of every step's parameters; ``kind`` names the step.

    A field's ``title``, ``description`` and limits are the words and limits of its control.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    enabled: bool = True


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
        ``(picture, params) -> picture``; pure.
    roles : frozenset of Role
        Maps whose recipe may hold it.
    summary : callable
        A few words with its main numbers, for the course sheet.
    geometry : Geometry, optional
        For steps that move texels; other maps of the surface follow them.
    family : str
        Steps of one family are different ways to the same end: one is chosen.
    """

    name: str
    title: str
    hint: str
    params: type[StepParams]
    version: int
    apply: Callable[[Picture, Any], Picture]
    roles: frozenset[Role]
    summary: Callable[[Any], str]
    geometry: Geometry | None = None
    family: str = ""


def alone(geometry: Geometry) -> Callable[[Picture, Any], Picture]:
    """Return the step as a function of one picture that is its own guide."""

    def apply(picture: Picture, params: Any) -> Picture:
        solution = geometry.solve(limited(picture, SOLVED_AT), params)
        return geometry.lay(picture, picture, solution, params)

    return apply
