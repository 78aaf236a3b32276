"""Try every registered reader on spoilt files: ``python -m tests.readers.fuzz COUNT [SEED]``.

Prints what was found. Each file can be made again from the reader's name, the seed and its number.
"""

from __future__ import annotations

import importlib
import pkgutil
import random
import resource
import sys
import time
import traceback
from collections import Counter
from dataclasses import dataclass, field

import stonestack.core
import stonestack.services
from stonestack.core.runtime.errors import StoneError
from stonestack.core.runtime.parallel import processes
from stonestack.core.runtime.readers import READERS
from tests.readers.samples import samples
from tests.readers.spoiling import spoilt

MUCH = 256 << 20
"""Bytes that one small file may take at most in the process that reads it."""
SLOW = 10.0
"""Seconds after which one small file counts as a fault."""


def peak() -> int:
    """Return the most that this process has held so far, in bytes."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss << 10


@dataclass
class Found:
    """What came of one reader's files."""

    name: str
    read: int = 0
    refused: Counter[str] = field(default_factory=Counter)
    faults: list[str] = field(default_factory=list)
    slowest: float = 0.0


def everything() -> dict[str, object]:
    """Return all readers, after everything that may register one was loaded."""
    for package in (stonestack.core, stonestack.services):
        for module in pkgutil.walk_packages(package.__path__, f"{package.__name__}."):
            if not module.name.endswith("codecs.reader"):
                importlib.import_module(module.name)
    return dict(READERS)


def file(name: str, seed: int, number: int) -> bytes:
    """Return one spoilt file."""
    rng = random.Random(f"{name} {seed} {number}")
    # A new reader gets files of all kinds until it has some of its own.
    good = samples().get(name) or samples()["file"]
    return spoilt(rng.choice(good), rng, good)


def tried(name: str, seed: int, first: int, count: int) -> Found:
    """Try one reader on some files."""
    everything()
    found, held = Found(name), peak()
    for number in range(first, first + count):
        data = file(name, seed, number)
        began = time.monotonic()
        try:
            READERS[name](data)
            found.read += 1
        except StoneError as error:
            found.refused[error.code] += 1
            if not (error.message and error.fix):
                found.faults.append(f"{name} {seed} {number}: {error.code} says nothing")
        except Exception:
            where = traceback.format_exc().strip().splitlines()
            found.faults.append(f"{name} {seed} {number}: {where[-1]}\n{where[-3]}")
        took = time.monotonic() - began
        before, held = held, peak()
        if held - before > MUCH:
            found.faults.append(f"{name} {seed} {number}: took {(held - before) >> 20} MB")
        found.slowest = max(found.slowest, took)
        if took > SLOW:
            found.faults.append(f"{name} {seed} {number}: took {took:.1f} s")
    return found


def main() -> int:
    """Try all readers and print what was found."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 20_000
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    names = sorted(everything())
    each = -(-count // len(names))
    faults = 0
    with processes("tests.readers.spoiling", 2) as pool:
        for found in pool.map(tried, names, *([v] * len(names) for v in (seed, 0, each))):
            refused = sum(found.refused.values())
            print(f"{found.name:20} {found.read:6} read, {refused:6} refused, ", end="")
            print(f"{len(found.faults)} faults, slowest {found.slowest:.2f} s", flush=True)
            print(f"{'':20} {dict(found.refused.most_common(8))}")
            for fault in found.faults[:20]:
                print(f"    {fault}")
            faults += len(found.faults)
    print(f"{each * len(names)} files, seed {seed}: {faults} faults")
    return min(1, faults)


if __name__ == "__main__":
    sys.exit(main())
