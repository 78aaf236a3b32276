"""What steps and masks read besides, declared in their parameter models by typed references."""

from __future__ import annotations

from collections.abc import Iterator
from typing import get_args

from pydantic import BaseModel, ConfigDict, Field


class Reference(BaseModel):
    """Base of all references; a parameter model that holds one reads what it names."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class SourceRef(Reference):
    """A kept file, by its content hash."""

    sha256: str = Field(pattern="^[0-9a-f]{64}$")
    name: str = Field(max_length=255)
    width: int = 0
    height: int = 0


class MapRef(Reference):
    """Another map of the same surface, after its steps."""

    map: str


class MaskRef(Reference):
    """Another mask of the same surface."""

    mask: str


class StrokesRef(Reference):
    """Strokes of a marker, kept as a file by its content hash."""

    sha256: str = Field(pattern="^[0-9a-f]{64}$")
    count: int = Field(0, ge=0)


def is_reference(annotation: object, of: type[Reference] = Reference) -> bool:
    """Tell whether a field's annotation is a reference of a kind."""
    return isinstance(annotation, type) and issubclass(annotation, of)


def count_of(params: type[BaseModel], *of: type[Reference]) -> int:
    """Return how many references of some kinds a parameter model always holds."""
    fields = params.model_fields.values()
    return sum(any(is_reference(f.annotation, kind) for kind in of) for f in fields)


def fields_read(params: type[BaseModel]) -> dict[str, type[Reference]]:
    """Return what the fields of a parameter model refer to, by name; also where it may be left."""
    found: dict[str, type[Reference]] = {}
    for name, field in params.model_fields.items():
        options = get_args(field.annotation) or (field.annotation,)
        for option in options:
            if isinstance(option, type) and issubclass(option, Reference):
                found[name] = option
    return found


def references(params: BaseModel) -> Iterator[tuple[str, Reference]]:
    """Yield the references that parameters hold, with the names of their fields, in order."""
    for name in type(params).model_fields:
        value = getattr(params, name)
        if isinstance(value, Reference):
            yield name, value
