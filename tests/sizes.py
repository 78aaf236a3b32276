"""What every run does, and what is left for the sweep."""

import os
from collections.abc import Callable
from typing import Any, TypeVar

SWEEP = "STONE_STACK_SWEEP"
"""Set where seeded tests go on at full length."""
SWEPT = "STONE_STACK_SWEPT"
"""``also``: tests that are left for the sweep run too; ``only``: just they do."""

Size = TypeVar("Size")


def times(full: Size, quick: Size) -> Size:
    """Return how many rounds a seeded test does, or what it does them on."""
    return full if os.environ.get(SWEEP) else quick


def swept(test: Callable[..., None]) -> Callable[..., None]:
    """Leave a slow test for the sweep: what it walks beside is walked in every run.

    Named by itself, ``python -m unittest``, it runs all the same.
    """
    test.__dict__["swept"] = True
    return test


def is_due(test: Any, method: str) -> bool:
    """Tell whether a test is one of this run."""
    left = bool(getattr(getattr(test, method), "swept", False))
    wanted = os.environ.get(SWEPT, "")
    return left if wanted == "only" else (not left or wanted == "also")
