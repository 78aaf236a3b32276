"""What a kind of mask is: a parameter model and the function that draws it at any resolution."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict, Field

from stonestack.core.kinds.references import Reference, StrokesRef, count_of
from stonestack.core.picture.image import Floats


class MaskShape(BaseModel):
    """Base of every mask's parameters; ``kind`` names it. Places are shares of the sides."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class BoxShape(MaskShape):
    """Base of masks that lie in a box with sides to drag; it may reach over the edges of a tile."""

    x: float = Field(
        0.25, ge=-1, le=1, multiple_of=0.0001, title="Left", description="Share of the width"
    )
    y: float = Field(
        0.25, ge=-1, le=1, multiple_of=0.0001, title="Top", description="Share of the height"
    )
    width: float = Field(
        0.5, ge=0.005, le=1, multiple_of=0.0001, title="Width", description="Share of the width"
    )
    height: float = Field(
        0.5, ge=0.005, le=1, multiple_of=0.0001, title="Height", description="Share of the height"
    )
    soft: float = Field(
        0.02,
        ge=0,
        le=0.5,
        multiple_of=0.001,
        title="Soft edge",
        description="Width of the edge, a share of the shorter side",
    )


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
        ``(params, width, height, wraps, *read) -> ndarray, float32, shape (height, width)``, 0..1;
        pure. What is read are pictures of that size for its references to maps and masks, then
        bytes for those to kept strokes, in the order of their fields.
    edged : bool
        Whether it is a form with an edge, which is hard where texels are whole.
    """

    name: str
    title: str
    hint: str
    params: type[MaskShape]
    version: int
    draw: Callable[..., Floats]
    edged: bool = False

    @property
    def reads(self) -> int:
        """How many pictures it reads."""
        return count_of(self.params, Reference) - self.blobs

    @property
    def blobs(self) -> int:
        """How many kept files it reads."""
        return count_of(self.params, StrokesRef)
