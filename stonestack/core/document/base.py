"""What all documents share: frozen models, ids, and names that a game can look up."""

from __future__ import annotations

import secrets
from typing import Annotated, Any, TypeVar

from pydantic import BaseModel, ConfigDict, Field, JsonValue

from stonestack.core.runtime.errors import BadRequest
from stonestack.core.tables.naming import check_code_name, check_file_name

Id = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")]
"""What names a thing inside a document, for as long as it is there."""
Hash = Annotated[str, Field(pattern="^[0-9a-f]{64}$")]
"""The content hash of a kept file."""


IN_SCHEMA: dict[str, JsonValue] = {"default": ""}
"""Beside a generated id: so that descriptions say that it is always there."""


def new_id() -> str:
    """Return a short random id."""
    return secrets.token_hex(5)


class Document(BaseModel):
    """Base of all that is stored: immutable, and nothing unknown in it."""

    model_config = ConfigDict(frozen=True, extra="forbid")


M = TypeVar("M", bound=Document)


def rebuilt(model: M, **changes: Any) -> M:
    """Return a validated copy with some fields changed."""
    return type(model).model_validate({**dict(model), **changes})


def checked_file_name(name: str) -> str:
    """Check a name as :func:`check_file_name` does, in the way that a model's validator must."""
    try:
        return check_file_name(name)
    except BadRequest as error:
        raise ValueError(f"{error.message} {error.fix}") from error


def checked_name(name: str) -> str:
    """Check a name as :func:`check_code_name` does, in the way that a model's validator must."""
    try:
        return check_code_name(name)
    except BadRequest as error:
        raise ValueError(str(error)) from error
