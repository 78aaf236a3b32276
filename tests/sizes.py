"""How long seeded tests go on: short in every run, at full length in a sweep."""

import os

SWEEP = "STONE_STACK_SWEEP"


def times(full: int, quick: int) -> int:
    """Return how many rounds a seeded test does."""
    return full if os.environ.get(SWEEP) else quick
