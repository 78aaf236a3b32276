"""The demo, drawn once for all tests that need it; each works on a copy of its own."""

from __future__ import annotations

import atexit
import os
import shutil
import tempfile
from functools import cache
from pathlib import Path

from stonestack.demo.project import ensure
from stonestack.services.game import alike
from stonestack.services.jobs import silent
from stonestack.services.making.warming import warm
from stonestack.store.place import DataFolder
from tests.support import moved

SHARED = "STONE_STACK_TEST_DEMO"
"""Names a folder in which the demo is drawn already, for tests in several processes."""
DATA = "data-demo"
"""Where the demo lies below a data folder called ``data``."""

SHRUNK = 4
"""How many times smaller raw pictures are in tests: what is computed of them takes a quarter."""


def draw(folder: Path, shrunk: int = SHRUNK) -> None:
    """Draw the demo in a folder, and prepare its pictures and what parts are found by."""
    ws = ensure(DataFolder(folder / DATA), shrunk)
    warm(ws, silent())
    for place in alike.unmarked(ws):
        alike.marked(ws, *place)
    ws.close()


@cache
def _drawn(shrunk: int) -> Path:
    if (shared := os.environ.get(SHARED)) and shrunk == SHRUNK:
        return Path(shared)
    folder = Path(tempfile.mkdtemp())
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    draw(folder, shrunk)
    return folder


def copied(shrunk: int = SHRUNK) -> Path:
    """Return a new folder with the demo in it, as it is first drawn."""
    drawn, folder = _drawn(shrunk), Path(tempfile.mkdtemp())
    shutil.copytree(drawn, folder, dirs_exist_ok=True)
    moved(DataFolder(folder / DATA), drawn, folder)
    return folder
