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
    loops of a fixed small number of turns, and indices that cannot be negative. What begins with
    an underscore is called by kernels alone: it gets no entrance for Python, which would take as
    long to compile as many a kernel does.
    """
    compile_: Any = njit
    compiled = compile_(
        work,
        nogil=True,
        cache=True,
        fastmath=True,
        error_model="numpy",
        no_cfunc_wrapper=True,
        no_cpython_wrapper=work.__name__.startswith("_"),
    )
    return cast(_Work, compiled)
