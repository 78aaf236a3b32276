"""Stop long work between its parts, when whoever asked for it does not want it any more."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from stonestack.core.runtime.errors import Cancelled

_asked: ContextVar[Callable[[], bool] | None] = ContextVar("asked", default=None)


@contextmanager
def stoppable(asked: Callable[[], bool]) -> Iterator[None]:
    """Let the work inside be stopped.

    Parameters
    ----------
    asked : callable
        Tells whether to stop; called often, from any thread that does a part of the work.
    """
    token = _asked.set(asked)
    try:
        yield
    finally:
        _asked.reset(token)


def can_stop() -> bool:
    """Tell whether the work at hand can be stopped."""
    return _asked.get() is not None


def check() -> None:
    """Go on, or stop here: long work calls this between its parts.

    Raises
    ------
    Cancelled
        If the work at hand is not wanted any more.
    """
    asked = _asked.get()
    if asked is not None and asked():
        raise Cancelled
