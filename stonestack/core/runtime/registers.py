"""Registers and the unions of what they hold: both have to name the same."""

from __future__ import annotations

from typing import Annotated, Any, get_args, get_origin


def models_of(union: Any) -> set[type]:
    """Return the models that a union names, be it annotated, or a single model."""
    if get_origin(union) is Annotated:
        union = get_args(union)[0]
    return set(get_args(union)) or {union}


def must_agree(what: str, registered: set[type[Any]], union: Any) -> None:
    """Refuse to start where a kind is registered and not listed, or the other way.

    It would else be refused only when somebody uses it.

    Raises
    ------
    TypeError
        If they differ.
    """
    apart = registered ^ models_of(union)
    if apart:
        names = ", ".join(sorted(model.__name__ for model in apart))
        raise TypeError(f"The register of {what} and the list of their parameters differ: {names}.")
