"""``stone-stack bench catalogue``: reading a game folder beside plainly reading and hashing it."""

from __future__ import annotations

import hashlib
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from stonestack.core.files import codecs
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.codecs import dds
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.resize import resample
from stonestack.services.game import cataloguing, finding, games
from stonestack.services.game.finding import Query
from stonestack.services.jobs import silent
from stonestack.services.workspace import Workspace
from stonestack.store.place import VARIABLE, DataFolder

_THINGS = ("floor", "wall", "rib", "pane", "bed", "door", "sill", "path", "awning", "basin")
_LARGE = 2 << 30


def bench_catalogue(files: int, large: bool) -> None:
    """Generate a folder, read it plainly and as a catalogue, in one run, and print the times."""
    with tempfile.TemporaryDirectory() as holder:
        root = Path(holder) / "game"
        _generate(root, files, large)
        ws = Workspace(DataFolder(Path(holder) / "data"))
        try:
            _measure(ws, root, files)
        finally:
            ws.close()
        _measure_commands(ws.data.root, root)


def _measure(ws: Workspace, root: Path, files: int) -> None:
    game = games.register(ws, root)
    plain = _timed(lambda: _plainly(root))
    first = _timed(lambda: cataloguing.catalogue(ws, game.id, silent()))
    second = _timed(lambda: cataloguing.catalogue(ws, game.id, silent()))
    thorough = _timed(lambda: cataloguing.catalogue(ws, game.id, silent(), thorough=True))
    words = ("_n", "floor", "wall _c 12", "basin half", "nothing at all")
    searches = [
        min(
            _timed(lambda w=word: finding.search(ws, game.id, Query(words=w)))  # type: ignore[misc]
            for _ in range(3)
        )
        for word in words
    ]
    print(f"{files} files")
    print(f"  plain reading and hashing   {plain:8.2f} s")
    print(f"  first catalogue             {first:8.2f} s   {first / plain:5.1f} times plain")
    print(f"  second look, nothing new    {second:8.2f} s")
    print(f"  thorough look               {thorough:8.2f} s   {thorough / plain:5.1f} times plain")
    for word, took in zip(words, searches, strict=True):
        print(f"  search “{word}”".ljust(30) + f"{took * 1000:8.1f} ms")


def _measure_commands(data: Path, root: Path) -> None:
    """Time the commands that a user types, as whole programs."""
    environment = {**os.environ, VARIABLE: str(data)}
    for words in (("catalogue", str(root)), ("find", str(root), "floor")):
        command = [sys.executable, "-m", "stonestack.cli.main", *words]
        took = min(
            _timed(
                lambda c=command: subprocess.run(  # type: ignore[misc]
                    c, env=environment, stdout=subprocess.DEVNULL, check=True
                )
            )
            for _ in range(3)
        )
        print(f"  stone-stack {words[0]}".ljust(30) + f"{took:8.2f} s")


def _timed(work: Callable[[], object]) -> float:
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


def _plainly(root: Path) -> None:
    for folder, _, names in os.walk(root):
        for name in names:
            with (Path(folder) / name).open("rb") as file:
                hashlib.file_digest(file, "sha256")


def _generate(root: Path, files: int, large: bool) -> None:
    """Write files of about three kilobytes, each with content of its own."""
    rng = np.random.default_rng(5)
    suffixes = ("_c", "_n", "_s", "_c_half")
    for number in range(files):
        thing = f"{_THINGS[number % 10]}_{number // 40:05}"
        suffix = suffixes[number // 10 % 4]
        path = root / f"part{number // 1000:03}" / f"{thing}{suffix}.dds"
        if number % 1000 == 0:
            path.parent.mkdir(parents=True)
            grid = rng.random((9, 9, 3), dtype=np.float32)
            pixels = resample(grid, 64, 64, "lanczos", True)
            picture = Picture(np.clip(pixels, 0, 1), Space.LINEAR, wraps=True)
            base = bytearray(dds.write(codecs.compress(picture, BlockFormat.BC1)))
        data = bytearray(base)
        data[148:1172] = rng.bytes(1024)
        path.write_bytes(data)
    if large:
        with (root / "films.pak").open("wb") as file:
            file.truncate(_LARGE)
