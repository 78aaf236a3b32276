"""How long seeded tests go on: short in every run, at full length in a sweep."""

import os
from typing import TypeVar

SWEEP = "STONE_STACK_SWEEP"


Size = TypeVar("Size")


def times(full: Size, quick: Size) -> Size:
    """Return how many rounds a seeded test does, or what it does them on."""
    return full if os.environ.get(SWEEP) else quick
