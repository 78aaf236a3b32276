"""Spread independent work over the machine's cores: bands to threads, whole works to processes.

Compiled kernels release the interpreter lock, so plain threads use every core. Each band
writes its own part of the output: the result does not depend on the number of threads.
"""

from __future__ import annotations

import itertools
import multiprocessing
import os
import sys
import threading
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor, wait
from contextvars import copy_context
from functools import cache
from multiprocessing.context import BaseContext
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stonestack.core.runtime import stopping

_NAME = "band"
_FINER = 8
_WORTH = 1 << 16
"""Numbers below which a thread of its own costs more than it saves."""
_EVEN = 64
"""What bands of small units are whole multiples of: a vector instruction and what is left over
after the last may round differently, so they must not depend on the number of bands."""
_NEAR = 1 << 14
"""Texels whose numbers stay in a core's own cache while they are worked on."""


@cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(max_workers=cores(), thread_name_prefix=_NAME)


if hasattr(os, "register_at_fork"):
    # A child that is forked has none of the threads of its parent.
    os.register_at_fork(after_in_child=_pool.cache_clear)


def cores() -> int:
    """Return how many cores long work may use."""
    return max(1, os.cpu_count() or 1)


def rows_worth(numbers: int) -> int:
    """Return how many rows of so many numbers are worth a thread of their own."""
    return max(1, _WORTH // max(1, numbers))


def over_bands(work: Callable[[int, int], None], count: int, least: int = 1) -> None:
    """Call ``work(start, stop)`` over ``range(count)`` in bands, spread over the cores.

    There is one band a core; work that can be stopped is cut finer, and is stopped between bands.

    Parameters
    ----------
    work : callable
        Takes a half-open range and writes that part of its output. Inside a band, a call
        of this function stays on the band's own thread.
    count : int
        Number of rows, blocks or other units.
    least : int
        Fewest units worth a thread of their own.

    Raises
    ------
    Cancelled
        If the work is not wanted any more; no band is at work any longer then.
    """
    most = cores() * (_FINER if stopping.can_stop() else 1)
    bands = max(1, min(most, count // max(1, least)))
    even = _EVEN if least >= _EVEN else 1
    edges = [*(count * i // bands // even * even for i in range(bands)), count]

    def band(start: int, stop: int) -> None:
        stopping.check()
        work(start, stop)

    if bands == 1 or threading.current_thread().name.startswith(_NAME):
        for start, stop in itertools.pairwise(edges):
            band(start, stop)
        return
    futures = [_pool().submit(copy_context().run, band, a, b) for a, b in itertools.pairwise(edges)]
    wait(futures)
    for future in futures:
        future.result()


def texelwise(
    work: Callable[..., NDArray[np.float32]], *arrays: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Return what work makes of arrays, some rows at a time, spread over the cores.

    The result is that of ``work(*arrays)``, where each texel is made of those at its own place
    alone. What lies between is small enough to stay near a core and is never whole in memory.

    Parameters
    ----------
    work : callable
        Takes rows of all arrays, gives as many rows.
    *arrays : ndarray, float32, shape (height, width, ...)
        All of one height and width.
    """
    height, width = arrays[0].shape[:2]
    rows = max(1, _NEAR // max(1, width))
    first = work(*(a[:rows] for a in arrays))
    if rows >= height:
        return np.asarray(first, np.float32)
    out = np.empty((height, *first.shape[1:]), np.float32)
    out[:rows] = first
    blocks = -(-height // rows)

    def some(start: int, stop: int) -> None:
        for block in range(start + 1, stop + 1):
            here: Any = slice(block * rows, (block + 1) * rows)
            out[here] = work(*(a[here] for a in arrays))

    over_bands(some, blocks - 1)
    return out


def process_context(loads: str) -> BaseContext:
    """Return how processes begin: forked from one without threads that has loaded a module.

    Elsewhere than on Linux, where libraries of the system do not bear it, each loads what it needs.

    Parameters
    ----------
    loads : str
        The module's name. Only the first one of a program is loaded ahead.
    """
    if sys.platform != "linux":
        return multiprocessing.get_context("spawn")
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload([loads])
    return context


def processes(loads: str, count: int | None = None) -> ProcessPoolExecutor:
    """Return so many processes for work that holds the interpreter; as many as there are cores.

    Parameters
    ----------
    loads : str
        Name of the module that the work lies in, or of what is slow in that; loaded once for all.
    count : int, optional
    """
    return ProcessPoolExecutor(count or cores(), process_context(loads))
