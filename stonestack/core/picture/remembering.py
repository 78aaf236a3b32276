"""What was found of a picture a moment ago: so that a control that does not touch it stays quick.

What is remembered follows from the numbers alone that it was found of, so remembering changes no
result.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

import numpy as np
import xxhash

from stonestack.core.picture.image import Floats

T = TypeVar("T")
_LOOK = 3 * 1100 * 1100
"""Most numbers of a picture that is a look at a map, and not the map."""


class Remembered(Generic[T]):
    """The latest findings of one kind, by the numbers that they were found of.

    Parameters
    ----------
    most : int
        How many are kept; they should be small.
    """

    def __init__(self, most: int = 16) -> None:
        self._most = most
        self._known: OrderedDict[Hashable, T] = OrderedDict()
        self._at_work: dict[Hashable, threading.Lock] = {}
        self._lock = threading.Lock()

    def of_look(self, values: Floats, *also: Hashable, work: Callable[[], T]) -> T:
        """Return what ``work`` finds, remembered for looks only: a whole map takes much room."""
        return self.of(values, *also, work=work) if values.size <= _LOOK else work()

    def of(self, values: Floats, *also: Hashable, work: Callable[[], T]) -> T:
        """Return what ``work`` finds of values and of what else it depends on.

        Whoever asks while another finds it out waits for that. Bands of work that others wait for
        must not ask.
        """
        flat = np.ascontiguousarray(values)
        key = (xxhash.xxh3_128_digest(flat.data), flat.shape, *also)
        with self._lock:
            if key in self._known:
                return self._again(key)
            at_work = self._at_work.setdefault(key, threading.Lock())
        with at_work:
            with self._lock:
                if key in self._known:
                    return self._again(key)
            try:
                found = work()
                with self._lock:
                    self._known[key] = found
                    while len(self._known) > self._most:
                        self._known.popitem(last=False)
            finally:
                # Who waits after a failure holds this lock still, and tries anew.
                with self._lock:
                    self._at_work.pop(key, None)
        return found

    def _again(self, key: Hashable) -> T:
        self._known.move_to_end(key)
        return self._known[key]
