"""One budget for all memory that is only held because it may be asked for again.

Whoever holds much (working pictures, the graph, the catalogues' indexes) says here how much it
holds, and keeps within what the others leave; small things that are read again and again are kept
here itself, by :func:`kept`.
"""

from __future__ import annotations

import ctypes
import os
import sys
import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from functools import wraps
from pathlib import Path
from typing import Any, ParamSpec, TypeVar

P = ParamSpec("P")
T = TypeVar("T")

MOST_BY_ITSELF = 1 << 30
"""The budget is a quarter of the machine's memory, and no more than this, unless it is set."""
LEAST = 64 << 20
_SHARE, _SMALL_SHARE = 4, 8
"""One part in so many of the machine's memory is the budget; of that, small things have one."""
_GROUP_LIMIT = Path("/sys/fs/cgroup/memory.max")


class Memory:
    """A budget in bytes, and who uses how much of it.

    Parameters
    ----------
    most : int
    """

    def __init__(self, most: int) -> None:
        self._lock = threading.Lock()
        self._most = most
        self._held: dict[str, int] = {}
        self._small: OrderedDict[Hashable, tuple[Any, int]] = OrderedDict()
        self._small_bytes = 0

    @property
    def most(self) -> int:
        """The budget."""
        return self._most

    def limit(self, most: int) -> None:
        """Set the budget; no less than a few pictures need."""
        with self._lock:
            self._most = max(LEAST, most)
            self._make_room()

    def hold(self, owner: str, size: int) -> None:
        """Say how much an owner holds now; 0 when it lets go."""
        with self._lock:
            if size:
                self._held[owner] = size
            else:
                self._held.pop(owner, None)

    def room_for(self, owner: str) -> int:
        """Return how much an owner may hold, with what all others hold now."""
        with self._lock:
            others = sum(size for name, size in self._held.items() if name != owner)
            return max(0, self._most - others - self._small_bytes)

    def used(self) -> int:
        """Return how much is held in all."""
        with self._lock:
            return sum(self._held.values()) + self._small_bytes

    def taken(self, key: Hashable) -> Any | None:
        """Return a small thing, or None if it is not kept any more."""
        with self._lock:
            found = self._small.get(key)
            if found is None:
                return None
            self._small.move_to_end(key)
            return found[0]

    def keep(self, key: Hashable, value: Any, size: int) -> None:
        """Keep a small thing; what was not used for longest goes for it."""
        with self._lock:
            old = self._small.pop(key, None)
            self._small_bytes += size - (old[1] if old is not None else 0)
            self._small[key] = (value, size)
            self._make_room()

    def _make_room(self) -> None:
        while self._small and self._small_bytes > self._most // _SMALL_SHARE:
            _, (_, size) = self._small.popitem(last=False)
            self._small_bytes -= size


def of_machine() -> int:
    """Return the bytes of memory that this machine, or this process's share of it, has."""
    found = [_physical()]
    if _GROUP_LIMIT.is_file():
        said = _GROUP_LIMIT.read_text().strip()
        found += [int(said)] if said.isdecimal() else []
    return min(found)


def _physical() -> int:
    if hasattr(os, "sysconf"):
        return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    status = _MemoryStatus(length=ctypes.sizeof(_MemoryStatus))
    ctypes.windll.kernel32.GlobalMemoryStatusEx(ctypes.byref(status))  # type: ignore[attr-defined]
    return int(status.total)


class _MemoryStatus(ctypes.Structure):
    """What Windows says of its memory (MEMORYSTATUSEX)."""

    _fields_ = (
        *(("length", ctypes.c_uint32), ("load", ctypes.c_uint32)),
        *(("total", ctypes.c_uint64), ("rest", ctypes.c_uint64 * 6)),
    )


def default_budget() -> int:
    """Return the budget where none is set."""
    return min(MOST_BY_ITSELF, of_machine() // _SHARE)


MEMORY = Memory(default_budget())
"""This process's budget."""


def kept(size: Callable[P, int]) -> Callable[[Callable[P, T]], Callable[P, T]]:
    """Keep what a function returns by its parameters, within the budget.

    Parameters
    ----------
    size : callable
        About how many bytes the result takes, from the same parameters.
    """

    def decorate(function: Callable[P, T]) -> Callable[P, T]:
        name = f"{function.__module__}.{function.__qualname__}"

        @wraps(function)
        def found(*args: P.args, **kwargs: P.kwargs) -> T:
            key = (name, args, tuple(sorted(kwargs.items())))
            held: T | None = MEMORY.taken(key)
            if held is None:
                held = function(*args, **kwargs)
                MEMORY.keep(key, held, size(*args, **kwargs))
            return held

        return found

    return decorate


def give_back() -> None:
    """Let the C library give what is free back to the system, where it is GNU's.

    It keeps freed memory for itself otherwise, above all in pieces between others.
    """
    if sys.platform == "linux":
        trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
        if trim is not None:
            trim(0)
