"""What a person types into a field of a request."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

from flask_openapi3.models.file import FileStorage
from pydantic import AfterValidator, StringConstraints

from stonestack.core.runtime.errors import BadRequest


def _without_zero(text: str) -> str:
    if "\0" in text:
        raise ValueError("a path has no zero character in it")
    return text


Place = Annotated[str, StringConstraints(max_length=1000), AfterValidator(_without_zero)]
"""The path of a file or folder; no system takes one with a zero character in it."""


def _is_file(sent: object) -> object:
    if not hasattr(sent, "filename"):
        raise ValueError("a file is due here, and a text was sent")
    return sent


File = Annotated[FileStorage, AfterValidator(_is_file)]
"""A file that is sent; a form may send a text in its place."""


def path_of(text: str) -> Path:
    """Return the path that a person has typed, with ``~`` for the own folder.

    Raises
    ------
    BadRequest
        If it begins with the name of a user who is not there.
    """
    try:
        return Path(text).expanduser()
    except RuntimeError as error:
        raise BadRequest(
            "no-such-user",
            f"{text} begins with a user that this machine does not know.",
            "Type the whole path.",
        ) from error
