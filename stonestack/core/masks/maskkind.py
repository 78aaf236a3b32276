"""What a kind of mask is: a parameter model and the function that draws it at any resolution."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, ConfigDict

from stonestack.core.image import Floats


class MaskShape(BaseModel):
    """Base of every mask's parameters; ``kind`` names it. Places are shares of the sides."""

    model_config = ConfigDict(frozen=True, extra="forbid")


@dataclass(frozen=True)
class MaskKind:
    """One kind of mask.

    Parameters
    ----------
    name : str
        The value of ``kind`` in stored recipes; never changes.
    title, hint : str
        Its name on screen, and one line.
    params : type of MaskShape
    version : int
        Raised whenever the same parameters give another mask.
    draw : callable
        ``(params, width, height, wraps) -> ndarray, float32, shape (height, width)``, 0..1; pure.
    """

    name: str
    title: str
    hint: str
    params: type[MaskShape]
    version: int
    draw: Callable[[Any, int, int, bool], Floats]
