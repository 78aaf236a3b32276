"""How kernels are compiled that work on sixteen blocks side by side, one a lane."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar, cast

import numpy as np
from numba import njit

LANES = 16
"""Blocks that are worked on side by side."""
f = np.float32
i64: Any = np.int64
"""Around a number that is given to a kernel, so that no variant is compiled for it alone."""
_Work = TypeVar("_Work", bound=Callable[..., object])


def kernel(work: _Work) -> _Work:
    """Compile a function when it is first called, and keep its code on disk.

    Loops over lanes become vector instructions where what they have inside is straight: inner
    loops of a fixed small number of turns, and indices that cannot be negative. A loop over lanes
    without any inner loop is unrolled into plain instructions instead, several times slower.
    """
    return _compiled(work, fastmath=True, error_model="numpy")


def exact_kernel(work: _Work) -> _Work:
    """Compile a function likewise, with sums in the order in which they are written.

    For what is compiled while it is used: code that was just compiled and code that was kept
    could otherwise round differently.
    """
    return _compiled(work)


def _compiled(work: _Work, **how: Any) -> _Work:
    # What begins with an underscore is called by kernels alone: it gets no entrance for Python,
    # which would take as long to compile as many a kernel does.
    compile_: Any = njit
    alone = work.__name__.startswith("_")
    compiled = compile_(
        work, nogil=True, cache=True, no_cfunc_wrapper=True, no_cpython_wrapper=alone, **how
    )
    return cast(_Work, compiled)
