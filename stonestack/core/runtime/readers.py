"""The register of all that reads bytes from outside.

Whatever reads a file that somebody else has made is put here by :func:`reader`, and promises one
thing: it returns, or raises a :class:`~stonestack.core.runtime.errors.StoneError`, in bounded
memory and time, whatever the bytes. A seeded fuzzer tries all that is registered.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator
from functools import partial
from typing import Any, TypeVar

Function = TypeVar("Function", bound=Callable[..., Any])

READERS: dict[str, Callable[[bytes], Any]] = {}
"""By name, from the bytes to whatever is made of them."""


def reader(
    name: str, /, takes: str = "data", made: Callable[[bytes], Any] = bytes, **others: Any
) -> Callable[[Function], Function]:
    """Register a function that reads bytes from outside.

    Parameters
    ----------
    name : str
        What it reads, in a word or two.
    takes : str
        Its parameter that the bytes come by.
    made : callable
        What is made of the bytes for it.
    **others : Any
        What its other parameters are when it is tried.

    Raises
    ------
    ValueError
        If the name is taken.
    """

    def register(function: Function) -> Function:
        if name in READERS:
            raise ValueError(f"two readers are called {name}")
        called = partial(function, **others)

        def tried(data: bytes) -> Any:
            found = called(**{takes: made(data)})
            return deque(found, maxlen=0) if isinstance(found, Iterator) else found

        READERS[name] = tried
        return function

    return register
