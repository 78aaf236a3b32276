"""What a person types into a field of a request."""

from __future__ import annotations

from typing import Annotated

from pydantic import AfterValidator, StringConstraints


def _without_zero(text: str) -> str:
    if "\0" in text:
        raise ValueError("a path has no zero character in it")
    return text


Place = Annotated[str, StringConstraints(max_length=1000), AfterValidator(_without_zero)]
"""The path of a file or folder; no system takes one with a zero character in it."""
