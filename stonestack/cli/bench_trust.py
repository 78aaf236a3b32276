"""Try what is measured on pictures with known answers: ``stone-stack bench trust``."""

from __future__ import annotations

import time
from collections.abc import Sequence

from stonestack.trials import faults, labelled, lights, likes, slants, straightening, walls


def bench_trust(seeds: Sequence[int], matters: Sequence[str] = (), every: int = 1) -> None:
    """Print, for each seed, what the scores say of defects, and what ways and light do.

    Parameters
    ----------
    seeds : sequence of int
        Each draws other matters, sizes and places.
    matters : sequence of str
        Faults of these alone; without any, all trials of those on which bounds were set.
    """
    for seed in seeds:
        for larger in (False, True):
            started = time.perf_counter()
            told = faults.outcomes(seed, matters, every, larger)
            print(f"Seed {seed}: faults of {len(told)} {'larger ' if larger else ''}tiles")
            for line in faults.table(told):
                print(line)
            print(f"Drawn and scored in {time.perf_counter() - started:.0f} s\n", flush=True)
        if matters:
            continue
        laid = walls.outcomes(seed)
        print(f"Seed {seed}: tiles of {len(walls.walls(seed))} structures")
        for line in walls.table(laid):
            print(line)
        print(f"Seed {seed}: planted lamps")
        for line in lights.table(lights.outcomes(seed)):
            print(line)
        print(f"Seed {seed}: proportions of rectangles seen at a slant")
        for line in straightening.table(straightening.outcomes(seed)):
            print(line)
        print(f"Seed {seed}: planes seen at a slant, straightened by their lines")
        for line in slants.table(slants.outcomes(seed)):
            print(line)
        print(f"Seed {seed}: files of known role and use")
        for line in labelled.table(labelled.outcomes(seed)):
            print(line)
        for line in labelled.uses_table(labelled.uses(seed)):
            print(line)
        print(f"Seed {seed}: pictures found by their look")
        for line in likes.table(likes.outcomes(seed)):
            print(line)
        print(flush=True)
