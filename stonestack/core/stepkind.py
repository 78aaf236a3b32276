"""What a step is: a parameter model, a pure function and its words for the screen."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, ConfigDict

from stonestack.core.image import Picture
from stonestack.core.roles import Role


class StepParams(BaseModel):
    """Base of every step's parameters; ``kind`` names the step.

    A field's ``title``, ``description`` and limits are the words and limits of its control.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    enabled: bool = True


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
    """

    name: str
    title: str
    hint: str
    params: type[StepParams]
    version: int
    apply: Callable[[Picture, Any], Picture]
    roles: frozenset[Role]
    summary: Callable[[Any], str]
