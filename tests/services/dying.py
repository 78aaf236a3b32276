"""A process that is killed at any of its operations, for tests that fork."""

from __future__ import annotations

import os
import shutil
import signal
import sys
import tempfile
import time
import unittest
from collections.abc import Callable, Iterable
from pathlib import Path

from sqlalchemy import Engine, event

from stonestack.core.files import codecs
from stonestack.services.workspace import Workspace
from stonestack.store import disk
from stonestack.store.place import DataFolder
from tests.games import colour_dds

PART = "STONE_STOPS"
"""Says which of how many parts of the moments are tried in a process."""


def part_of(moments: int) -> range:
    """Return the moments that are tried in this process."""
    part, parts = map(int, os.environ.get(PART, "0/1").split("/"))
    return range(part, moments, parts)


class Dying(disk.Disk):
    """A disk on which the process ends, hard, at one of its operations, in the middle of it."""

    def __init__(self, after: int) -> None:
        self.left = after

    def _step(self, half: Callable[[], object] | None = None) -> None:
        self.left -= 1
        if self.left < 0:
            if half is not None:
                half()
            os._exit(9)

    def write(self, path: Path, pieces: Iterable[bytes]) -> None:
        whole = b"".join(pieces)
        self._step(lambda: path.write_bytes(whole[: len(whole) // 2]))
        super().write(path, [whole])
        self._step()

    def rename(self, source: Path, target: Path) -> None:
        self._step()
        super().rename(source, target)

    def unlink(self, path: Path) -> None:
        self._step()
        super().unlink(path)

    def link(self, source: Path, second: Path) -> None:
        self._step()
        super().link(source, second)

    def flush_folder(self, folder: Path) -> None:
        self._step()
        super().flush_folder(folder)

    def append(self, path: Path, line: bytes) -> None:
        self._step(lambda: path.open("ab").write(line[: len(line) // 2]))
        super().append(path, line)

    def make_folders(self, folder: Path) -> None:
        self._step()
        super().make_folders(folder)

    def remove_folder(self, folder: Path) -> None:
        self._step()
        super().remove_folder(folder)

    def watch(self, engine: Engine) -> None:
        """End at operations of the database as well."""
        event.listen(engine, "before_cursor_execute", lambda *_: self._step())
        event.listen(engine, "commit", lambda *_: self._step())


def in_child(work: Callable[[], None], kill_after: float | None = None) -> int:
    """Run work in a forked process; return how it ended, 0 for well."""
    sys.stdout.flush()
    child = os.fork()
    if child == 0:
        code = 1
        try:
            work()
            code = 0
        finally:
            os._exit(code)
    if kill_after is not None:
        time.sleep(kill_after)
        os.kill(child, signal.SIGKILL)
    _, status = os.waitpid(child, 0)
    return status


class Prepared(unittest.TestCase):
    """What a child has prepared below a folder of its own; each try works on a copy.

    All work is done in forked children, so that this process never has threads of its own.
    """

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name)
        # What children would each load anew is loaded here; nothing of it starts a thread.
        Workspace(DataFolder(self.root / "warm")).close()
        codecs.read_texture(colour_dds(1, 16)).texels()
        self.assertEqual(in_child(self.prepare), 0)

    def prepare(self) -> None:
        """Make what is copied for each try, in ``root / "base"``."""
        raise NotImplementedError

    def tried(self, act: Callable[[Path], None], check: Callable[[Path], None]) -> bool:
        """Let a copy be worked on, killed or not, and then checked; tell whether it was killed."""
        place = self.root / "try"
        shutil.copytree(self.root / "base", place, copy_function=shutil.copy2)
        killed = in_child(lambda: act(place)) != 0
        self.assertEqual(in_child(lambda: check(place)), 0)
        shutil.rmtree(place)
        return killed
