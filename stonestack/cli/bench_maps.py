"""Try what is derived, and what checks say, on scenes of known height and light.

``stone-stack bench maps`` and ``stone-stack bench checks``.
"""

from __future__ import annotations

import time
from collections.abc import Sequence

from stonestack.trials import checks, maps


def bench_maps(seeds: Sequence[int]) -> None:
    """Print, for each seed, how near heights, normals and specular come to the truth."""
    for seed in seeds:
        started = time.perf_counter()
        told = maps.outcomes(seed)
        print(f"Seed {seed}: {len(told)} pictures")
        for line in maps.table(told):
            print(line)
        print(f"Drawn and derived in {time.perf_counter() - started:.0f} s\n", flush=True)


def bench_checks(seeds: Sequence[int]) -> None:
    """Print, for each seed, how often checks of maps are right, and how near their places lie."""
    for seed in seeds:
        started = time.perf_counter()
        print(f"Seed {seed}")
        for line in checks.table(checks.tried(seed)):
            print(line)
        print(f"Drawn and checked in {time.perf_counter() - started:.0f} s\n", flush=True)
