"""The process is killed at random moments; run as a program of its own by :mod:`.test_faults`.

It forks, so it must be a process without threads of its own.
"""

from __future__ import annotations

import json
import os
import random
import shutil
import sqlite3
import sys
import time
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import ClassVar

from sqlmodel import col, select

from stonestack.core.document import edits
from stonestack.core.document.deliveries import Delivery
from stonestack.core.tables.roles import Role
from stonestack.services.delivery import building, deliveries
from stonestack.services.delivery.deliveries import DeliveryView
from stonestack.services.documents import projects, surfaces
from stonestack.services.game import sources
from stonestack.services.jobs import silent
from stonestack.services.safe import keeping, planning, putting, returning
from stonestack.services.starting import started
from stonestack.services.workspace import Workspace
from stonestack.store import disk, journal
from stonestack.store.place import DataFolder
from stonestack.store.tables import BuildRow
from tests.games import catalogued, hashes, replacement, small_game
from tests.services.dying import Dying, Prepared, in_child, part_of
from tests.sizes import times
from tests.support import raw_picture

MOMENTS = times(500, 5)
DELIVERED = times(500, 5)
PATHS = ("tex/floor_c.dds", "menu/page_floor.dds", "pack/hall.hold/a/floor_c.dds")


@unittest.skipUnless(hasattr(os, "fork"), "needs fork")
class HardStops(Prepared):
    """The process is killed; the next start finishes or undoes the whole."""

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
        moments = part_of(MOMENTS)
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
class Deliveries(Prepared):
    """Build, install and take out are killed at any operation of the disk or the database."""

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
        killed = 0
        moments = part_of(DELIVERED)
        for moment in moments:
            action = list(self.ACTIONS)[moment % len(self.ACTIONS)]
            dies = random.Random(70 + moment).randrange(0, 130)
            with self.subTest(moment=moment, action=action, dies=dies):
                killed += self.tried(
                    lambda place: self.act(place, action, dies),  # noqa: B023
                    lambda place: self.check(place, action),  # noqa: B023
                )
        self.assertGreater(killed, len(moments) // 3)


def main() -> None:
    """Run them; end with 1 if one failed."""
    unittest.main(__name__, argv=[__name__], testRunner=unittest.TextTestRunner(sys.stdout))


if __name__ == "__main__":
    main()
