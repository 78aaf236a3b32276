"""Bringing in, and the sample game's update, killed at any operation; run by :mod:`.test_faults`.

It forks, so it must be a process without threads of its own.
"""

from __future__ import annotations

import gzip
import os
import random
import shutil
import sys
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest.mock import patch

from sqlmodel import select

from stonestack.core.document import SourceOrigin
from stonestack.samplegame import updating
from stonestack.services.documents import projects
from stonestack.services.game import shelf, sources
from stonestack.services.jobs import silent
from stonestack.services.starting import started
from stonestack.services.workspace import Workspace
from stonestack.store import disk
from stonestack.store.place import DataFolder
from stonestack.store.tables import EntryRow
from tests.readers.samples import tarred, zipped
from tests.services.dying import Dying, Prepared, in_child, part_of
from tests.sizes import times
from tests.support import raw_picture

BROUGHT = times(500, 4)


@unittest.skipUnless(hasattr(os, "fork"), "needs fork")
class ComingIn(Prepared):
    """Bringing in an archive is killed at any operation of the disk or the database."""

    def prepare(self) -> None:
        ws = started(DataFolder(self.root / "base"))
        project = projects.create(ws, "Raw", None)
        sources.bring(ws, project.id, "one.png", raw_picture(40, 32, 1))
        ws.close()

    def bring(self, ws: Workspace) -> None:
        [project] = projects.listed(ws)
        files = {f"{n}.png": raw_picture(40, 32, seed) for n, seed in (("one", 1), ("two", 2))}
        packed = zipped({**files, "three.png": raw_picture(32, 40, 3)})
        sources.bring_archive(ws, project.id, "all.zip", packed, silent())

    def act(self, place: Path, dies: int) -> None:
        ws = started(DataFolder(place))
        dying = Dying(dies)
        dying.watch(ws.engine)
        with disk.using(dying):
            self.bring(ws)
        (self.root / "operations").write_text(str(dies - dying.left))
        ws.close()

    def check(self, place: Path) -> None:
        """In a child: each kept file is named, and what was stopped can be done again."""
        ws = started(DataFolder(place))
        [project] = projects.listed(ws)
        before = {view.name for view in self.whole(ws, project.id)}
        assert before <= {"one.png", "two.png", "three.png"}, before
        self.bring(ws)
        again = [view.name for view in self.whole(ws, project.id)]
        assert sorted(again) == ["one.png", "three.png", "two.png"], again
        ws.close()

    def whole(self, ws: Workspace, project_id: str) -> list[SourceOrigin]:
        listed = [view.origin for view in sources.listed(ws, project_id)]
        kept = {p.name for p in ws.data.files.glob("*/*") if not p.name.startswith(disk.PREFIX)}
        assert kept == {origin.sha256 for origin in listed}, (kept, listed)
        assert all(ws.files.whole(digest) for digest in kept)
        assert not [n for n in ws.data.coming.glob("*") if not n.name.startswith("lock")]
        shelf_id = shelf.catalogue(ws, project_id)
        with ws.session() as session:
            query = select(EntryRow.path).where(EntryRow.game_id == shelf_id)
            assert sorted(session.exec(query)) == sorted(o.name for o in listed)
        return listed

    def test_each_kept_file_is_named_after_a_hard_stop_at_any_operation(self) -> None:
        self.assertFalse(self.tried(lambda place: self.act(place, 1 << 30), self.check))
        operations = int((self.root / "operations").read_text())
        moments = part_of(BROUGHT)
        killed = 0
        for moment in moments:
            dies = random.Random(500 + moment).randrange(operations)
            with self.subTest(moment=moment, dies=dies):
                killed += self.tried(lambda place: self.act(place, dies), self.check)  # noqa: B023
        self.assertEqual(killed, len(moments))


@unittest.skipUnless(hasattr(os, "fork"), "needs fork")
class GameUpdates(unittest.TestCase):
    """The sample game's own update is killed at any operation of the disk."""

    NAMES = ("base/a.dds", "base/b.dds", "base/new/c.dds")

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.game = Path(holder.name) / "game"
        (self.game / "base").mkdir(parents=True)
        for name in self.NAMES[:2]:
            (self.game / name).write_bytes(b"old")
        packed = gzip.compress(tarred(dict.fromkeys(self.NAMES, b"new")))
        (self.game / updating.UPDATE).write_bytes(packed)

    def state(self, game: Path) -> set[str]:
        return {(game / n).read_text() if (game / n).exists() else "old" for n in self.NAMES}

    def killed(self, game: Path, dies: int) -> None:
        left = dies

        def dying(real: Callable[..., Any]) -> Callable[..., Any]:
            def instead(*words: Any, **more: Any) -> Any:
                nonlocal left
                left -= 1
                if left < 0:
                    os._exit(9)
                return real(*words, **more)

            return instead

        with (
            patch.object(Path, "replace", dying(Path.replace)),
            patch.object(Path, "unlink", dying(Path.unlink)),
            patch.object(os, "fsync", dying(os.fsync)),
            patch.object(os, "open", dying(os.open)),
        ):
            updating.update(game)

    def test_a_game_is_of_one_version_after_a_hard_stop_at_each_operation(self) -> None:
        stopped = 0
        for dies in part_of(40):
            game = self.game.with_name(f"try{dies}")
            shutil.copytree(self.game, game)
            stopped += in_child(lambda: self.killed(game, dies)) != 0  # noqa: B023
            updating.finish(game)
            with self.subTest(dies=dies):
                self.assertEqual(len(self.state(game)), 1)
                self.assertEqual(list(game.rglob(".saltglass-new-*")), [])
                self.assertFalse((game / updating.PENDING).exists())
                updating.update(game)
                self.assertEqual(self.state(game), {"new"})
        self.assertGreater(stopped, len(part_of(40)) // 4)


def main() -> None:
    """Run them; end with 1 if one failed."""
    unittest.main(__name__, argv=[__name__], testRunner=unittest.TextTestRunner(sys.stdout))


if __name__ == "__main__":
    main()
