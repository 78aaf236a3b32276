"""The process in which pictures are decoded: ``python -m stonestack.core.files.codecs.reader``.

It is asked over its input and answers over its output, one file after the other. Each question is
a line of JSON and the file; the answer is a line with what the header says, the profile, a line
with the form of the pixels, the pixels, and a line with what they have in common; or at any of
these places a line with an error, after which the process ends if pixels were on their way.

Its memory is limited by the operating system where that can be asked for it: to what the header
may take first, then to what is stated for a picture of the size that the header gives.
"""

from __future__ import annotations

import json
import os
import sys
import threading
import time
from dataclasses import asdict
from typing import Any, BinaryIO

import numpy as np

from stonestack.core.files.codecs import headers
from stonestack.core.files.codecs import imagefiles as decoding
from stonestack.core.files.codecs.headers import Budget, Input
from stonestack.core.files.codecs.imagefiles import Wanted
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.runtime.errors import StoneError

try:
    import resource
except ImportError:  # Windows has no such limit.
    resource = None  # type: ignore[assignment]


_LOOKED_AFTER = 2.0


def main() -> None:
    """Answer until the input ends."""
    answers = os.fdopen(os.dup(1), "wb")
    # What a decoder prints must not get among the answers.
    with open(os.devnull, "wb") as nothing:  # noqa: PTH123
        os.dup2(nothing.fileno(), 1)
    threading.Thread(target=_end_with, args=(os.getppid(),), daemon=True).start()
    questions = sys.stdin.buffer
    while line := questions.readline():
        question = json.loads(line)
        file = Input(questions.read(question["bytes"]), question["path"])
        if len(file.data) < question["bytes"] or not _answered(question, file, answers):
            return
        del file


def _end_with(parent: int) -> None:
    """End when the program that asks has ended, also where its pipe is held by others."""
    while os.getppid() == parent:
        time.sleep(_LOOKED_AFTER)
    os._exit(1)


def _answered(question: dict[str, Any], file: Input, out: BinaryIO) -> bool:
    """Answer a question; tell whether the next may come."""
    kind = FileKind(question["kind"])
    begun = False
    try:
        _limit(headers.HEADER)
        header = headers.header(file, kind)
        budget = headers.budget(header)
        said = asdict(header) | {"icc": len(header.icc)}
        _say(out, {"header": said, "seconds": budget.seconds})
        out.write(header.icc)
        out.flush()
        if question["wanted"] is None:
            return True
        _limit(budget)
        with headers.untrusted():
            bands = decoding.decode(file, kind, Wanted(**question["wanted"]), header)
            first = next(bands.each)
            form = {"shape": bands.shape, "dtype": bands.dtype, "turned": bands.turned}
            _say(out, form | {"alpha": bands.alpha})
            begun = True
            out.write(np.ascontiguousarray(first).data)
            for band in bands.each:
                out.write(np.ascontiguousarray(band).data)
        seen = bands.seen
        _say(
            out,
            {"opaque": seen.opaque, "grey": seen.grey, "unit": seen.unit_share, "span": seen.span},
        )
    except StoneError as error:
        if begun:
            # Whoever reads pixels cannot tell a line from them.
            return False
        _say(out, {"error": [error.code, error.message, error.fix]})
    finally:
        _limit(None)
    return True


def _say(out: BinaryIO, said: dict[str, Any]) -> None:
    out.write(json.dumps(said).encode() + b"\n")
    out.flush()


def _limit(budget: Budget | None) -> None:
    """Let the process take no more memory than it has now and this."""
    if resource is None:
        return
    most = resource.RLIM_INFINITY
    if budget is not None:
        most = _taken() + budget.memory
    _, hard = resource.getrlimit(resource.RLIMIT_AS)
    resource.setrlimit(resource.RLIMIT_AS, (most, hard))


def _taken() -> int:
    """Return the bytes of address space that this process has now."""
    try:
        with open("/proc/self/statm", "rb") as file:  # noqa: PTH123
            return int(file.read().split()[0]) * resource.getpagesize()
    except FileNotFoundError:
        # Where nothing tells, as much as an interpreter with its libraries may have.
        return 2 << 30


if __name__ == "__main__":
    main()
