"""Spread independent bands of work over the machine's cores.

Compiled kernels release the interpreter lock, so plain threads use every core. Each band
writes its own part of the output: the result does not depend on the number of threads.
"""

from __future__ import annotations

import itertools
import os
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache

_NAME = "band"


@cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(max_workers=cores(), thread_name_prefix=_NAME)


def cores() -> int:
    """Return how many cores long work may use."""
    return max(1, os.cpu_count() or 1)


def over_bands(work: Callable[[int, int], None], count: int, least: int = 1) -> None:
    """Call ``work(start, stop)`` over ``range(count)`` in bands, one band a core.

    Parameters
    ----------
    work : callable
        Takes a half-open range and writes that part of its output. Inside a band, a call
        of this function stays on the band's own thread.
    count : int
        Number of rows, blocks or other units.
    least : int
        Fewest units worth a thread of their own.
    """
    bands = max(1, min(cores(), count // max(1, least)))
    if bands == 1 or threading.current_thread().name.startswith(_NAME):
        work(0, count)
        return
    edges = [count * i // bands for i in range(bands + 1)]
    futures = [_pool().submit(work, a, b) for a, b in itertools.pairwise(edges)]
    for future in futures:
        future.result()
