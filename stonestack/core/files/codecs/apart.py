"""Decode pictures in a process of their own, with a limit on memory and time.

Decoders of image files are large programs of other people, written for speed. A file can be made
so that one of them takes all memory, never ends, or breaks down. Here it does so in a process that
is ended then, and the file is refused with words. *Stop* works at any time.

Small pictures of plain kinds, whose work is bounded by their header, are decoded at once.
"""

from __future__ import annotations

import atexit
import contextlib
import json
import os
import subprocess
import sys
import tempfile
import threading
import time
from dataclasses import asdict, dataclass
from io import BufferedReader
from pathlib import Path
from typing import Any

import numpy as np

from stonestack.core.files.codecs import headers
from stonestack.core.files.codecs import imagefiles as decoding
from stonestack.core.files.codecs.headers import Input, PictureFacts
from stonestack.core.files.codecs.imagefiles import Numbers, Wanted, upright
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.runtime import stopping
from stonestack.core.runtime.errors import BadFile

_PLAIN = {FileKind.PNG, FileKind.BMP, FileKind.TGA}
_SMALL_BYTES, _SMALL_PIXELS = 4 << 20, 4 << 20
_LARGE_BYTES = 32 << 20
_PNG_DEPTH_AT = 24
_IDLE = max(2, os.cpu_count() or 2)
"""Readers that are kept for the next file."""
_LOOKED_AFTER = 0.05
_STARTING = 60.0
"""Seconds that a reader may take to start, beside those for the header."""
_PIECE = 1 << 20
_FRUGAL = {
    "OPENBLAS_NUM_THREADS": "1",
    "OMP_NUM_THREADS": "1",
    # Let what is freed go back to the system at once, where the C library is GNU's.
    "MALLOC_MMAP_THRESHOLD_": str(1 << 20),
    "MALLOC_TRIM_THRESHOLD_": str(16 << 20),
}


@dataclass(frozen=True)
class Decoded:
    """A picture as it is stored, upright.

    Parameters
    ----------
    facts : PictureFacts
        Of the whole picture, also where it was shrunk.
    numbers : ndarray, uint8, uint16 or float32 in 0..1, shape (height, width, 1 to 4)
    alpha : bool
        Whether the last channel is straight alpha.
    opaque : bool
        Whether no texel of the whole picture is clear.
    grey : bool
        Whether red, green and blue are the same all over the whole picture.
    unit : float
        Which share of its texels are unit vectors, before it was shrunk.
    span : (float, float)
        The range of stored floating-point or wide numbers that is 0..1 here.
    """

    facts: PictureFacts
    numbers: Numbers
    alpha: bool
    opaque: bool
    grey: bool
    unit: float
    span: tuple[float, float]


def header(data: bytes, kind: FileKind) -> PictureFacts:
    """Read the header of an image file.

    Raises
    ------
    BadFile
        If it is damaged, claims more pixels than are taken in, or takes too much to read.
    """
    if _plain(data, kind):
        return headers.header(Input(data), kind)
    return _asked(data, kind, None)[0]


def decoded(data: bytes, kind: FileKind, wanted: Wanted | None = None) -> Decoded:
    """Decode an image file.

    Raises
    ------
    BadFile
        If it is damaged, too large, or takes more memory or time than its size gives reason for.
    Cancelled
        If whoever asked for it does not want it any more.
    """
    wanted = wanted or Wanted()
    if _plain(data, kind):
        facts = headers.header(Input(data), kind)
        if facts.width * facts.height <= _SMALL_PIXELS:
            return _here(data, kind, wanted, facts)
    facts, found = _asked(data, kind, wanted)
    assert found is not None
    return found


def _plain(data: bytes, kind: FileKind) -> bool:
    """Tell whether a file's work is bounded by its header: small, and not for OpenCV to decode."""
    deep = kind is FileKind.PNG and data[_PNG_DEPTH_AT : _PNG_DEPTH_AT + 1] == b"\x10"
    return kind in _PLAIN and len(data) <= _SMALL_BYTES and not deep


def _here(data: bytes, kind: FileKind, wanted: Wanted, facts: PictureFacts) -> Decoded:
    with headers.untrusted():
        bands = decoding.decode(Input(data), kind, wanted, facts)
        parts = list(bands.each)
        numbers = parts[0] if len(parts) == 1 else np.concatenate(parts)
    numbers = np.ascontiguousarray(upright(numbers, bands.turned))
    seen = bands.seen
    return Decoded(facts, numbers, bands.alpha, seen.opaque, seen.grey, seen.unit_share, seen.span)


class _Reader:
    """A process that decodes, and what it says."""

    def __init__(self) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", __name__.replace("apart", "reader")],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            env={**os.environ, **_FRUGAL},
        )
        self.started = time.monotonic()

    def ask(self, file: Input, kind: FileKind, wanted: Wanted | None) -> _Answer:
        """Begin to ask; the answer fills while it is waited for."""
        question = {
            "kind": kind.value,
            "bytes": len(file.data),
            "path": file.path,
            "wanted": asdict(wanted) if wanted is not None else None,
        }
        answer = _Answer()
        line = json.dumps(question).encode() + b"\n"
        threading.Thread(
            target=self._converse, args=(line, file.data, answer, wanted is not None), daemon=True
        ).start()
        return answer

    def _converse(self, line: bytes, data: bytes, answer: _Answer, pixels: bool) -> None:
        try:
            assert self._process.stdin is not None and self._process.stdout is not None
            self._process.stdin.write(line)
            self._process.stdin.write(data)
            self._process.stdin.flush()
            answer.fill(self._process.stdout, pixels)  # type: ignore[arg-type]
        except (OSError, ValueError):
            return  # It has broken down, or was ended; an answer that is not whole tells so.
        finally:
            answer.over.set()

    def waits(self) -> bool:
        """Tell whether it is there for the next file."""
        return self._process.poll() is None

    def end(self) -> None:
        """End the process, whatever it does."""
        self._process.kill()
        self._process.wait()
        for pipe in (self._process.stdin, self._process.stdout):
            assert pipe is not None
            with contextlib.suppress(OSError):
                pipe.close()


class _Answer:
    """What a reader has said so far."""

    def __init__(self) -> None:
        self.over = threading.Event()
        self.since, self.seconds = time.monotonic(), headers.HEADER.seconds
        self.whole = False
        """Whether all was said, so that the reader waits for the next file."""
        self.facts: PictureFacts | None = None
        self.found: Decoded | None = None
        self.error: BadFile | None = None

    def fill(self, said: BufferedReader, pixels: bool) -> None:
        """Read the answer as it comes.

        Raises
        ------
        ValueError
            If it breaks off.
        """
        self._fill(said, pixels)
        self.whole = True

    def _fill(self, said: BufferedReader, pixels: bool) -> None:
        first = self._line(said)
        if first is None:
            return
        icc = said.read(first["header"]["icc"])
        facts = PictureFacts(**first["header"] | {"icc": icc})
        self.since, self.seconds = time.monotonic(), first["seconds"]
        form = self._line(said) if pixels else None
        if form is not None:
            numbers = self._pixels(said, form["shape"], form["dtype"], form["turned"])
            seen = self._line(said)
            if seen is not None:
                seen["span"] = tuple(seen["span"])
                self.found = Decoded(facts, numbers, form["alpha"], **seen)
        self.facts = facts

    def _line(self, said: BufferedReader) -> dict[str, Any] | None:
        """Return a line, or None if it is an error, which is kept."""
        found: dict[str, Any] = json.loads(said.readline())
        if "error" in found:
            self.error = BadFile(*found["error"])
            return None
        return found

    def _pixels(
        self, said: BufferedReader, shape: tuple[int, int, int], dtype: str, turned: int
    ) -> Numbers:
        height, width, channels = shape
        stored = (width, height, channels) if turned >= 5 else (height, width, channels)
        numbers = np.empty(stored, dtype)
        left = numbers.reshape(-1).view(np.uint8).data
        while left:
            got = said.readinto(left[:_PIECE])
            if not got:
                raise ValueError("the reader ended before its pixels")
            left = left[got:]
        return np.ascontiguousarray(upright(numbers, turned))


_idle: list[_Reader] = []
_lock = threading.Lock()


def ready() -> None:
    """Start a reader before the first file comes."""
    _give_back(_taken())


def _taken() -> _Reader:
    """Return a reader that waits, or a new one."""
    while True:
        with _lock:
            reader = _idle.pop() if _idle else None
        if reader is None:
            return _Reader()
        if reader.waits():
            return reader
        reader.end()


def _give_back(reader: _Reader) -> None:
    with _lock:
        kept = len(_idle) < _IDLE
        if kept:
            _idle.append(reader)
    if not kept:
        reader.end()


def _end_all() -> None:
    with _lock:
        ended = [*_idle]
        _idle.clear()
    for reader in ended:
        reader.end()


def _forget() -> None:
    """Let a process that was forked have readers of its own."""
    global _lock
    _lock = threading.Lock()
    _idle.clear()


atexit.register(_end_all)
if hasattr(os, "register_at_fork"):
    os.register_at_fork(after_in_child=_forget)


def _asked(
    data: bytes, kind: FileKind, wanted: Wanted | None
) -> tuple[PictureFacts, Decoded | None]:
    """Ask a reader; a large file is handed over on disk, so that it is not held twice."""
    if len(data) <= _LARGE_BYTES:
        return _answer_for(Input(data), kind, wanted)
    handle, path = tempfile.mkstemp(prefix="stone-stack-")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
        return _answer_for(Input(path=path), kind, wanted)
    finally:
        Path(path).unlink(missing_ok=True)


def _answer_for(
    file: Input, kind: FileKind, wanted: Wanted | None
) -> tuple[PictureFacts, Decoded | None]:
    # One that has waited may have been ended by the system; the file is not to blame for that.
    for take in (_taken, _Reader):
        reader = take()
        try:
            answer = _waited(reader, file, kind, wanted)
        except BaseException:
            reader.end()
            raise
        if answer.whole:
            _give_back(reader)
            break
        reader.end()
    if answer.error is not None:
        raise answer.error
    if not answer.whole or answer.facts is None:
        raise BadFile(
            "reader-broke-down",
            "The file makes its reader break down.",
            "Open it in an image editor and save it again as a plain picture.",
        )
    return answer.facts, answer.found


def _waited(reader: _Reader, file: Input, kind: FileKind, wanted: Wanted | None) -> _Answer:
    """Wait for an answer, as long as it is wanted and within its time."""
    answer = reader.ask(file, kind, wanted)
    answer.since = max(answer.since, reader.started + _STARTING)
    while not answer.over.wait(_LOOKED_AFTER):
        stopping.check()
        if time.monotonic() > answer.since + answer.seconds:
            raise BadFile(
                "too-slow",
                f"Reading the file takes longer than {answer.seconds:.0f} seconds.",
                "Open it in an image editor and save it again as a plain picture.",
            )
    return answer
