"""The process is killed at random moments; run as a program of its own by :mod:`.test_faults`.

It forks, so it must be a process without threads of its own.
"""

from __future__ import annotations

import gzip
import json
import os
import random
import shutil
import signal
import sqlite3
import sys
import tempfile
import time
import unittest
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any, ClassVar
from unittest.mock import patch

from sqlalchemy import Engine, event
from sqlmodel import col, select

from stonestack.core import codecs, edits
from stonestack.core.deliveries import Delivery
from stonestack.core.document import SourceOrigin
from stonestack.core.roles import Role
from stonestack.samplegame import updating
from stonestack.services import (
    building,
    deliveries,
    keeping,
    planning,
    projects,
    putting,
    returning,
    shelf,
    sources,
    surfaces,
)
from stonestack.services.deliveries import DeliveryView
from stonestack.services.jobs import silent
from stonestack.services.starting import started
from stonestack.services.workspace import Workspace
from stonestack.store import disk, journal
from stonestack.store.place import DataFolder
from stonestack.store.tables import BuildRow, EntryRow
from tests.games import catalogued, colour_dds, hashes, replacement, small_game
from tests.readers.samples import tarred, zipped
from tests.sizes import times
from tests.support import raw_picture

MOMENTS = times(500, 20)
DELIVERED = times(500, 28)
BROUGHT = times(500, 12)
PART = os.environ.get("STONE_STOPS", "0/1")
"""Which of how many parts of the moments are tried here."""


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


PATHS = ("tex/floor_c.dds", "menu/page_floor.dds", "pack/hall.hold/a/floor_c.dds")


@unittest.skipUnless(hasattr(os, "fork"), "needs fork")
class HardStops(unittest.TestCase):
    """The process is killed; the next start finishes or undoes the whole.

    All work is done in forked children, so that this process never has threads of its own.
    """

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name)
        # What children would each load anew is loaded here; nothing of it starts a thread.
        codecs.read_texture(colour_dds(1, 16)).texels()
        Workspace(DataFolder(self.root / "warm")).close()
        self.assertEqual(in_child(self.prepare), 0)

    def data(self, root: Path) -> DataFolder:
        return DataFolder(root / "data")

    def prepare(self) -> None:
        ws = started(self.data(self.root))
        game = small_game(self.root / "game")
        game_id = catalogued(ws, game)
        # Contents are made once; what is tried many times is the change of the folder.
        wanted = [replacement(ws, game_id, "tex/floor_c.dds")]
        plan, contents = planning.plan(ws, game_id, wanted)
        chosen = {x.entry_id: contents[x.entry_id] for x in plan.lines if x.ticked}
        (self.root / "old").write_text(json.dumps(hashes(game)))
        for entry_id, content in chosen.items():
            (self.root / f"new-{entry_id}").write_bytes(content)
        ws.close()

    def contents(self) -> dict[int, bytes]:
        return {int(p.name.removeprefix("new-")): p.read_bytes() for p in self.root.glob("new-*")}

    def change(self, root: Path, restore: bool, dies: int | None) -> None:
        ws = started(self.data(root))
        with ws.session() as session:
            row = session.connection().exec_driver_sql("SELECT id FROM game").one()
        act: Callable[[], object] = (
            (lambda: returning.restore(ws, row[0], None, silent()))
            if restore
            else (lambda: putting.place(ws, row[0], self.contents(), silent()))
        )
        if dies is None:
            act()
        else:
            dying = Dying(dies)
            dying.watch(ws.engine)
            with disk.using(dying):
                act()
        ws.close()

    def check(self, root: Path, old: dict[str, str], new: dict[str, str]) -> None:
        """In a child: start again, then every file is old or new, all alike, nothing left."""
        ws = started(self.data(root))
        now = hashes(root / "game")
        assert now in (old, new), {n: h for n, h in now.items() if h not in (old[n], new[n])}
        assert journal.unfinished(ws.data.journal) == []
        with ws.session() as session:
            game_id = session.connection().exec_driver_sql("SELECT id FROM game").one()[0]
        found = keeping.verify(ws, game_id)
        assert found.safe_whole
        assert found.all_in_place, found
        if now == new:
            assert {p.path for p in found.placed} == set(PATHS)
            returning.restore(ws, game_id, None, silent())
            assert hashes(root / "game") == old
        ws.close()

    def test_every_file_is_old_or_new_after_a_hard_stop_at_any_of_200_moments(self) -> None:
        old = json.loads((self.root / "old").read_text())
        self.rehomed(self.root / "whole")
        began = time.monotonic()
        self.assertEqual(in_child(lambda: self.change(self.root / "whole", False, None)), 0)
        took = time.monotonic() - began
        new = hashes(self.root / "whole" / "game")
        ended = {"killed": 0, "done": 0}
        part, parts = map(int, PART.split("/"))
        moments = range(MOMENTS * part // parts, MOMENTS * (part + 1) // parts)
        for moment in moments:
            rng = random.Random(20 + moment)
            restore = moment % 2 == 1
            source = self.root / "whole" if restore else None
            place = self.root / "try"
            self.rehomed(place, source)
            if moment % 4 < 2:
                dies = rng.randrange(0, 140)
                status = in_child(lambda: self.change(place, restore, dies))  # noqa: B023
            else:
                delay = rng.uniform(0.2, 1.0) * took
                status = in_child(lambda: self.change(place, restore, None), delay)  # noqa: B023
            ended["killed" if status else "done"] += 1
            with self.subTest(moment=moment, restore=restore):
                self.assertEqual(in_child(lambda: self.check(place, old, new)), 0)  # noqa: B023
            shutil.rmtree(place)
        self.assertGreater(ended["killed"], len(moments) // 3)

    def rehomed(self, place: Path, source: Path | None = None) -> None:
        """Copy game and data folder, and let the copied data point to the copied game."""
        base = source or self.root
        shutil.copytree(base / "game", place / "game", copy_function=shutil.copy2)
        shutil.copytree(base / "data", place / "data")
        with sqlite3.connect(place / "data" / "stonestack.sqlite3") as database:
            database.execute("UPDATE game SET root = ?", (str(place / "game"),))
        database.close()


@unittest.skipUnless(hasattr(os, "fork"), "needs fork")
class Deliveries(unittest.TestCase):
    """Build, install and take out are killed at any operation of the disk or the database."""

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name)
        Workspace(DataFolder(self.root / "warm")).close()
        self.assertEqual(in_child(self.prepare), 0)

    def prepare(self) -> None:
        """Make a project with two builds, the first of them in the game."""
        base = self.root / "base"
        game = base / "game"
        (game / "base").mkdir(parents=True)
        (game / "room.json").write_text("{}")
        (game / "base" / "own.txt").write_text("the game's own")
        ws = started(DataFolder(base / "data"))
        project = projects.create(ws, "Room", game)
        brought = sources.bring(ws, project.id, "wall.png", raw_picture(64, 64))
        surface = surfaces.create(ws, project.id, "Wall", "wall")
        begin = edits.SetOrigin(map=Role.COLOUR, origin=brought.origin)
        surface = surfaces.edit(ws, surface.id, surface.revision, begin)
        document = Delivery(title="First", name="first", target="saltglass", surfaces=(surface.id,))
        delivery = deliveries.create(ws, project.id, document)
        deliveries.deliver(ws, delivery.id, silent())
        surfaces.edit(ws, surface.id, surface.revision, edits.Rename(title="Other wall"))
        building.build(ws, delivery.id, silent())
        ws.close()

    def opened(self, place: Path) -> tuple[Workspace, DeliveryView]:
        """Open a copy of the data, which points to the copied game."""
        data = DataFolder(place / "data")
        with sqlite3.connect(data.database) as database:
            for table, column in (("revision", "body"), ("game", "root")):
                database.execute(
                    f"UPDATE {table} SET {column} = replace({column}, ?, ?)",
                    (str(self.root / "base"), str(place)),
                )
        database.close()
        ws = started(data)
        [project] = projects.listed(ws)
        [view] = deliveries.listed(ws, project.id)
        return ws, view

    ACTIONS: ClassVar[dict[str, Callable[[Workspace, str], object]]] = {
        "build": lambda ws, it: building.build(ws, it, silent()),
        "install": lambda ws, it: deliveries.install(ws, it, silent()),
        "take out": lambda ws, it: deliveries.withdraw(ws, it, silent()),
    }

    def act(self, place: Path, action: str, dies: int) -> None:
        ws, view = self.opened(place)
        dying = Dying(dies)
        dying.watch(ws.engine)
        with disk.using(dying):
            self.ACTIONS[action](ws, view.id)
        ws.close()

    def agrees(self, ws: Workspace, place: Path) -> DeliveryView:
        """See that game, builds and database say the same, and that all of it is whole."""
        [project] = projects.listed(ws)
        [view] = deliveries.listed(ws, project.id)
        assert journal.unfinished(ws.data.journal) == []
        with ws.session() as session:
            rows = session.exec(select(BuildRow).order_by(col(BuildRow.number))).all()
        assert [row.number for row in rows] == list(range(1, len(rows) + 1))
        folders = {f"{view.id}/{p.name}" for p in (ws.data.builds / view.id).iterdir()}
        assert folders == {row.folder for row in rows}
        order = json.loads((place / "game" / "deliveries.json").read_text())["order"]
        inside = [row for row in rows if row.installed is not None]
        assert len(order) == len(inside) <= 1, (order, inside)
        for entry, row in zip(order, inside, strict=True):
            there = place / "game" / "deliveries" / entry["folder"]
            built = ws.data.builds / row.folder
            assert hashes(there) == hashes(built)
        return view

    def check(self, place: Path, action: str) -> None:
        """In a child: all agrees; what was stopped can be done again; and then be taken back."""
        ws, _ = self.opened(place)
        view = self.agrees(ws, place)
        self.ACTIONS[action](ws, view.id)
        again = self.agrees(ws, place)
        assert again.in_game == (action != "take out")
        deliveries.install(ws, view.id, silent())
        assert self.agrees(ws, place).builds[0].installed
        deliveries.withdraw(ws, view.id, silent())
        assert not self.agrees(ws, place).in_game
        left = {n for n in hashes(place / "game") if n != "deliveries.json"}
        assert left == {"room.json", "base/own.txt"}, left
        ws.close()

    def test_game_builds_and_database_agree_after_a_hard_stop_at_any_operation(self) -> None:
        part, parts = map(int, PART.split("/"))
        killed = 0
        moments = range(DELIVERED * part // parts, DELIVERED * (part + 1) // parts)
        for moment in moments:
            action = list(self.ACTIONS)[moment % len(self.ACTIONS)]
            dies = random.Random(70 + moment).randrange(0, 130)
            place = self.root / "try"
            shutil.copytree(self.root / "base", place, copy_function=shutil.copy2)
            killed += in_child(lambda: self.act(place, action, dies)) != 0  # noqa: B023
            with self.subTest(moment=moment, action=action, dies=dies):
                self.assertEqual(in_child(lambda: self.check(place, action)), 0)  # noqa: B023
            shutil.rmtree(place)
        self.assertGreater(killed, len(moments) // 3)


@unittest.skipUnless(hasattr(os, "fork"), "needs fork")
class ComingIn(unittest.TestCase):
    """Bringing in an archive is killed at any operation of the disk or the database."""

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name)
        Workspace(DataFolder(self.root / "warm")).close()
        self.assertEqual(in_child(self.prepare), 0)

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
        part, parts = map(int, PART.split("/"))
        moments = range(BROUGHT * part // parts, BROUGHT * (part + 1) // parts)
        killed = 0
        for moment in moments:
            dies = random.Random(500 + moment).randrange(0, 110)
            place = self.root / "try"
            shutil.copytree(self.root / "base", place, copy_function=shutil.copy2)
            killed += in_child(lambda: self.act(place, dies)) != 0  # noqa: B023
            with self.subTest(moment=moment, dies=dies):
                self.assertEqual(in_child(lambda: self.check(place)), 0)  # noqa: B023
            shutil.rmtree(place)
        self.assertGreater(killed, len(moments) // 3)


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
        for dies in range(40):
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
        self.assertGreater(stopped, 10)


if __name__ == "__main__":
    unittest.main()
