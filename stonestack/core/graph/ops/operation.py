"""What an operation is: its parameters, what it takes and gives, and a pure function."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from pydantic import BaseModel, ConfigDict

from stonestack.core.files.codecs.texture import Texture
from stonestack.core.picture.image import Picture
from stonestack.core.runtime.errors import BadRequest


class Kind(StrEnum):
    """What a node yields."""

    PICTURE = "picture"
    GEOMETRY = "geometry"
    TEXTURE = "texture"
    FILE = "file"


@dataclass(frozen=True)
class Solved:
    """A geometry: how a step moves texels, as it was found on its guide."""

    how: Any


@dataclass(frozen=True)
class File:
    """The bytes of a file, as it leaves or is shown.

    ``made_anew`` is the share of its blocks or texels, 0..1, that is not a game's own.
    """

    data: bytes
    made_anew: float = 1.0


Result = Picture | Texture | Solved | File

KINDS: dict[Kind, type[Picture] | type[Texture] | type[Solved] | type[File]] = {
    Kind.PICTURE: Picture,
    Kind.GEOMETRY: Solved,
    Kind.TEXTURE: Texture,
    Kind.FILE: File,
}


class Nothing(BaseModel):
    """The parameters of an operation that has none."""

    model_config = ConfigDict(frozen=True, extra="forbid")


@dataclass(frozen=True)
class Operation:
    """One kind of unit of work.

    Parameters
    ----------
    name : str
        As it stands in nodes; never changes.
    version : int
        Raised whenever the same parameters and inputs give another result.
    words : str
        What is being done while it runs, for the screen.
    params : type of BaseModel
        Parameters; plain values only.
    takes : tuple of Kind
        Kinds of its inputs, in order.
    gives : Kind
    run : callable
        ``(params, inputs, blobs) -> result``; pure. Inputs are results in order, blobs the bytes
        of kept files in order.
    more : Kind, optional
        Kind of any number of further inputs.
    blobs : int
        How many kept files it reads.
    kept_as : str
        Extension under which its results are kept between starts; empty where making them anew
        costs less.
    """

    name: str
    version: int
    words: str
    params: type[BaseModel]
    takes: tuple[Kind, ...]
    gives: Kind
    run: Callable[[Any, Sequence[Any], Sequence[bytes]], Result]
    more: Kind | None = None
    blobs: int = 0
    kept_as: str = ""

    def fits(self, inputs: int, blobs: int) -> bool:
        """Tell whether a node of this operation may have so many inputs and files."""
        least = len(self.takes)
        return (inputs == least or (self.more is not None and inputs >= least)) and (
            blobs == self.blobs
        )

    def kind_at(self, place: int) -> Kind:
        """Return the kind of an input."""
        if place < len(self.takes):
            return self.takes[place]
        if self.more is None:
            raise BadRequest("too-many-inputs", "More is given than is taken.", "Reload the page.")
        return self.more
