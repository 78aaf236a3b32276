"""Working pictures that memory has no room for: on disk until they are asked for again.

They lie in a folder of this run alone and are gone when it ends; losing one costs only time.
"""

from __future__ import annotations

import contextlib
import logging
import queue
import shutil
import tempfile
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from stonestack.core.kinds.node import Key
from stonestack.core.picture.image import Picture
from stonestack.core.runtime.memory import give_back

_WAITING = 4
"""Pictures that may wait to be written; more are let go, so that memory really gets free."""
_QUIET = 2.0
_LEFT = 24 * 3600.0
_WORTH = 200 << 20
"""Bytes a second: what is made faster than this is made again rather than read."""
log = logging.getLogger(__name__)


@dataclass(frozen=True)
class _Place:
    path: Path
    shape: tuple[int, ...]
    like: Picture
    """The picture without its pixels."""

    @property
    def size(self) -> int:
        return int(np.prod(self.shape)) * 4


class Spill:
    """Pictures on disk by key.

    Parameters
    ----------
    root : Path
        A folder of the cache; what earlier runs left there is deleted, a day after.
    most_bytes : int
        On disk; those put there longest ago go first.
    passes : callable, optional
        Tells of a key whether it was only made for a look that passes: nobody comes back to it.
    """

    def __init__(
        self, root: Path, most_bytes: int, passes: Callable[[Key], bool] = lambda _: False
    ) -> None:
        self._root, self._most_bytes, self._passes = root, most_bytes, passes
        self._folder: Path | None = None
        _sweep(root)
        self._lock = threading.Lock()
        self._places: OrderedDict[Key, _Place] = OrderedDict()
        self._bytes = 0
        self._queue: queue.Queue[tuple[Key, Picture] | None] = queue.Queue(_WAITING)
        self._thread = threading.Thread(target=self._write_all, name="spill", daemon=True)
        self._thread.start()

    def __contains__(self, key: Key) -> bool:
        with self._lock:
            return key in self._places

    def put(self, key: Key, picture: Picture, seconds: float) -> None:
        """Put a picture on disk soon, if it took ``seconds`` to make and that is worth it."""
        if key in self or picture.pixels.nbytes > seconds * _WORTH or self._passes(key):
            return
        with contextlib.suppress(queue.Full):
            self._queue.put_nowait((key, picture))

    def load(self, key: Key) -> Picture | None:
        """Return a picture, or None if it is gone."""
        with self._lock:
            place = self._places.get(key)
        if place is None:
            return None
        try:
            pixels = np.fromfile(place.path, np.float32)
            return place.like.with_pixels(pixels.reshape(place.shape))
        except (FileNotFoundError, ValueError):
            # Somebody emptied the cache, or cut the file short.
            self._forget(key)
            return None

    def close(self) -> None:
        """Write no more, and delete all."""
        self._queue.put(None)
        self._thread.join()
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)

    def _forget(self, key: Key) -> None:
        with self._lock:
            place = self._places.pop(key, None)
            self._bytes -= place.size if place is not None else 0

    def _write_all(self) -> None:
        busy = False
        while True:
            try:
                found = self._queue.get(timeout=_QUIET if busy else None)
            except queue.Empty:
                busy = False
                give_back()
                continue
            if found is None:
                return
            busy = True
            try:
                self._write(*found)
            except OSError as error:
                log.warning("A picture is not kept on disk: %s", error)
            del found

    def _write(self, key: Key, picture: Picture) -> None:
        if key in self:
            return  # It was waiting more than once.
        if self._folder is None:
            self._root.mkdir(parents=True, exist_ok=True)
            self._folder = Path(tempfile.mkdtemp(dir=self._root))
        path = self._folder / f"{key}.f32"
        picture.pixels.tofile(path)
        like = picture.with_pixels(np.zeros((1, 1, picture.pixels.shape[2]), np.float32))
        place = _Place(path, picture.pixels.shape, like)
        with self._lock:
            self._places[key] = place
            self._bytes += place.size
            gone = []
            while self._bytes > self._most_bytes and len(self._places) > 1:
                _, old = self._places.popitem(last=False)
                self._bytes -= old.size
                gone.append(old)
        for old in gone:
            old.path.unlink(missing_ok=True)


def _sweep(root: Path) -> None:
    """Delete what runs left that were stopped hard; no other run may be using it any more."""
    for folder in root.glob("*"):
        with contextlib.suppress(FileNotFoundError):
            if time.time() - folder.stat().st_mtime > _LEFT:
                shutil.rmtree(folder, ignore_errors=True)
