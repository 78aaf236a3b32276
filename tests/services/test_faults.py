"""Hard stops at random moments, and power cuts that lose what was not flushed."""

from __future__ import annotations

import os
import random
import tempfile
import unittest
from collections.abc import Iterable
from pathlib import Path

from stonestack.store import disk, journal
from stonestack.store.journal import Change
from tests.forked import Forked
from tests.services import coming_stops, hard_stops
from tests.services.dying import PART
from tests.sizes import times


class HardStops(unittest.TestCase):
    """The process is killed at seeded moments: 54 in every run, 1,540 in a sweep."""

    @unittest.skipUnless(hasattr(os, "fork"), "needs fork")
    def test_every_file_is_old_or_new_after_a_hard_stop_and_the_safe_is_whole(self) -> None:
        count = times(2, 1)  # Each process prepares what it spoils.
        parts = [
            Forked(module.main, given={PART: f"{part}/{count}"})
            for module in (hard_stops, coming_stops)
            for part in range(count)
        ]
        for part in parts:
            code, said = part.end(times(7200, 900))
            self.assertEqual(code, 0, said[-4000:])


class Recorder(disk.Disk):
    """Records what is written, with what was flushed when."""

    def __init__(self) -> None:
        self.log: list[tuple[str, Path, object]] = []

    def write(self, path: Path, pieces: Iterable[bytes]) -> None:
        whole = b"".join(pieces)
        super().write(path, [whole])
        self.log.append(("write", path, whole))

    def rename(self, source: Path, target: Path) -> None:
        super().rename(source, target)
        self.log.append(("rename", source, target))

    def link(self, source: Path, second: Path) -> None:
        super().link(source, second)
        self.log.append(("link", source, second))

    def unlink(self, path: Path) -> None:
        if path.exists():
            self.log.append(("unlink", path, None))
        super().unlink(path)

    def flush_folder(self, folder: Path) -> None:
        super().flush_folder(folder)
        self.log.append(("flush", folder, None))


def power_cut(
    start: dict[Path, bytes], log: list[tuple[str, Path, object]], rng: random.Random
) -> dict[Path, bytes]:
    """Return the files that a power cut may leave after ``log``.

    A file's content is flushed when its write is recorded as done. Changes of names are certain
    once their folder was flushed afterwards; of those that were not, any may be lost, and each
    folder's may reach the disk in any order.
    """
    flushed_at: dict[Path, int] = {}
    for place, (what, path, _) in enumerate(log):
        if what == "flush":
            flushed_at[path] = place
    certain: list[tuple[str, Path, object]] = []
    loose: list[tuple[str, Path, object]] = []
    for place, step in enumerate(log):
        what, path, other = step
        if what == "flush":
            continue
        folder = other.parent if isinstance(other, Path) else path.parent
        sure = flushed_at.get(folder, -1) > place
        (certain if sure else loose).append(step)
    rng.shuffle(loose)
    loose = loose[: rng.randrange(len(loose) + 1)]
    files = dict(start)
    # Steps that were lost stay out; those that came through may do so late and in any order.
    content: dict[Path, bytes] = dict(start)
    for what, path, other in log:
        if what == "write":
            content[path] = other  # type: ignore[assignment]
        elif what in ("rename", "link") and isinstance(other, Path) and path in content:
            content.setdefault(other, content[path])
    for what, path, other in [*certain, *loose]:
        if what == "write":
            files[path] = other  # type: ignore[assignment]
        elif what == "unlink":
            files.pop(path, None)
        elif isinstance(other, Path):
            if path in files:
                files[other] = files[path]
            elif what == "rename" and path in content:
                files[other] = content[path]
            if what == "rename":
                files.pop(path, None)
    return files


class PowerCuts(unittest.TestCase):
    """Recorded writes are replayed with unflushed ones dropped or reordered."""

    def test_each_file_is_old_or_new_and_all_alike_after_the_next_start(self) -> None:
        rng = random.Random(4)
        for _ in range(times(300, 60)):
            with tempfile.TemporaryDirectory() as holder:
                self.once(Path(holder), rng)

    def once(self, root: Path, rng: random.Random) -> None:
        names = ["a.dds", "b.dds", "c/d.hold"]
        old = {root / "game" / n: f"old {n}".encode() for n in names}
        new = {p: b"new" + data for p, data in old.items()}
        for path, data in old.items():
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(data)
        recorder = Recorder()
        changes = [
            (
                Change(path=p, before=disk_hash(data)),
                (lambda p=p: iter([new[p]])),  # type: ignore[misc]
            )
            for p, data in old.items()
        ]
        noted: list[str] = []
        with disk.using(recorder):
            journal.carry_out(root / "journal", changes, "note", lambda _j: noted.append("carried"))
        for path in new:
            self.assertEqual(path.read_bytes(), new[path])
        cut = rng.randrange(len(recorder.log) + 1)
        files = power_cut(old, recorder.log[:cut], rng)
        for path in [p for p in root.rglob("*") if p.is_file()]:
            path.unlink()
        for path, data in files.items():
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(data)
        for left in journal.unfinished(root / "journal"):
            journal.settle(left, lambda _j: noted.append("settled"))
        now = {p: p.read_bytes() for p in old if p.is_file()}
        self.assertIn(now, (old, new))
        self.assertEqual(journal.unfinished(root / "journal"), [])


def disk_hash(data: bytes) -> str:
    """Return a content hash."""
    from stonestack.store.files import sha256

    return sha256(data)


if __name__ == "__main__":
    unittest.main()
