"""A mask as data: a named part of a surface, put together from shapes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

from pydantic import Field, model_validator

from stonestack.core.document.base import IN_SCHEMA, Document, Id, new_id
from stonestack.core.kinds.references import MapRef, MaskRef, Reference, references
from stonestack.core.steps.masks import AnyMask
from stonestack.core.steps.masks.combining import Combine

_MOST_PARTS = 16


class MaskPart(Document):
    """A further part of a mask, and how it comes to those before."""

    id: Id = Field(default_factory=new_id, json_schema_extra=IN_SCHEMA)
    how: Combine = Field(Combine.ADD, title="It", description="Adds, takes away, or what both have")
    shape: AnyMask


class Mask(Document):
    """A named part of a surface, drawn at any resolution, for any step of any map.

    Parameters
    ----------
    on : {"tile", "source"}
        On which it was drawn. One of the source moves with the tile's cut, as every map does.
    """

    id: Id = Field(default_factory=new_id, json_schema_extra=IN_SCHEMA)
    title: str = Field(min_length=1, max_length=60)
    shape: AnyMask
    parts: tuple[MaskPart, ...] = Field((), max_length=_MOST_PARTS)
    grow: float = Field(
        0.0,
        ge=-20,
        le=20,
        multiple_of=0.05,
        title="Grow",
        description="Per cent of the width outwards; below 0 it shrinks",
    )
    feather: float = Field(
        0.0, ge=0, le=20, multiple_of=0.05, title="Feather", description="Per cent of the width"
    )
    inverted: bool = Field(False, title="All but this", description="Everywhere outside of it")
    inside: float = Field(
        1.0, ge=0, le=1, multiple_of=0.01, title="Inside", description="How much counts there"
    )
    outside: float = Field(
        0.0, ge=0, le=1, multiple_of=0.01, title="Outside", description="How much counts there"
    )
    on: Literal["tile", "source"] = "tile"

    @property
    def shapes(self) -> tuple[AnyMask, ...]:
        """The shapes that it is put together from, in order."""
        return (self.shape, *(part.shape for part in self.parts))

    @property
    def reads_maps(self) -> tuple[str, ...]:
        """The ids of the maps that it reads."""
        return tuple(r.map for r in self._read() if isinstance(r, MapRef))

    @property
    def reads_masks(self) -> tuple[str, ...]:
        """The ids of the masks that it reads."""
        return tuple(r.mask for r in self._read() if isinstance(r, MaskRef))

    def _read(self) -> Iterator[Reference]:
        for shape in self.shapes:
            for _, reference in references(shape):
                yield reference

    @model_validator(mode="after")
    def _drawn_where_it_can_be(self) -> Mask:
        if self.on == "source" and (self.reads_maps or self.reads_masks):
            raise ValueError(
                f"{self.title} is made of what the tile shows, so it is drawn on the tile."
            )
        return self
