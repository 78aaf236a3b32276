"""One door to a game folder: races, who holds it, and what may be kept as an original."""

from __future__ import annotations

import errno
import os
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import Event, Thread
from unittest import mock

from stonestack.core.runtime.errors import BadRequest, Conflict
from stonestack.services.game import cataloguing, games
from stonestack.services.jobs import silent
from stonestack.services.safe import keeping, planning, putting, returning
from stonestack.services.workspace import Workspace
from stonestack.store import reach, safe_list
from stonestack.store.door import door
from stonestack.store.place import DataFolder
from tests.forked import Forked
from tests.games import colour_dds, entry, replacement, state
from tests.services import races
from tests.services.races import put_content, restored, wait_for
from tests.services.test_putting import GameCase
from tests.sizes import swept, times

ROUNDS = times(500, 12)


class Races(GameCase):
    """Several put into one file at once; afterwards the game gets back what it had."""

    path = "tex/wall_c.dds"

    def assert_given_back(self, number: int) -> None:
        self.assertTrue(restored(self.ws, self.id), number)
        self.assertEqual(state(self.game), self.before, number)

    def race(self, writers: int) -> None:
        with ThreadPoolExecutor(writers) as pool:
            for number in range(ROUNDS):
                contents = [f"ours {w} {number}".encode() for w in range(writers)]
                done = [pool.submit(put_content, self.ws, self.id, self.path, c) for c in contents]
                results = [d.result() for d in done]
                self.assertTrue(any(results))
                self.assertIn((self.game / self.path).read_bytes(), contents)
                self.assert_given_back(number)

    @swept
    def test_two_threads(self) -> None:
        self.race(2)

    def test_four_threads(self) -> None:
        self.race(4)

    def test_two_processes_of_two_threads_each_know_only_the_file_system(self) -> None:
        gate = self.root / "gate"
        gate.mkdir()
        shades = ("a", "b")
        words = self.ws.data.root, self.id, self.path
        others = [Forked(races.main, *words, shade, ROUNDS, gate) for shade in shades]
        with ThreadPoolExecutor(2) as pool:
            for number in range(ROUNDS):
                (gate / f"go-{number}").write_text("")
                contents = [f"ours {w} {number}".encode() for w in range(2)]
                done = [pool.submit(put_content, self.ws, self.id, self.path, c) for c in contents]
                for each in done:
                    each.result()
                wait_for(*(gate / f"done-{number}-{shade}" for shade in shades))
                self.assertTrue((self.game / self.path).read_bytes().startswith(b"ours "))
                self.assert_given_back(number)
        for other in others:
            self.assertEqual(other.end(30)[0], 0)


class Held(GameCase):
    """Who waits is told by whom the door is held; nothing stays held."""

    def told_to_another(self, ws: Workspace) -> list[Conflict]:
        """Try the door from another thread; return what that is told."""
        told: list[Conflict] = []

        def wait() -> None:
            try:
                with door(self.game, ws.data.doors, "y", patience=0.1):
                    pass
            except Conflict as error:
                told.append(error)

        thread = Thread(target=wait)
        thread.start()
        thread.join()
        return told

    def test_who_waits_too_long_is_told_who_holds_it_and_since_when(self) -> None:
        inside, leave = Event(), Event()

        def hold() -> None:
            with door(self.game, self.ws.data.doors, "putting 3 files back"):
                inside.set()
                leave.wait(10)

        other = Thread(target=hold)
        other.start()
        inside.wait(10)
        link = self.root / "another name"
        link.symlink_to(self.game)
        for name in (self.game, link):
            with (
                self.assertRaises(Conflict) as caught,
                door(name, self.ws.data.doors, "x", patience=0.1),
            ):
                self.fail("the door was open")
            self.assertIn(f"process {os.getpid()}", caught.exception.message)
            self.assertIn("putting 3 files back since", caught.exception.message)
        leave.set()
        other.join()
        with door(self.game, self.ws.data.doors, "x", patience=0):
            self.assertEqual(len(list(self.ws.data.doors.iterdir())), 1)
        self.assertEqual(list(self.ws.data.doors.iterdir()), [])

    def test_a_disk_without_locks_has_one_door_a_data_folder(self) -> None:
        import fcntl

        with (
            mock.patch.object(fcntl, "flock", side_effect=OSError(errno.ENOLCK, "no locks")),
            door(self.game, self.ws.data.doors, "x"),
        ):
            told = self.told_to_another(self.ws)
        self.assertEqual([error.code for error in told], ["busy"])

    def test_another_data_folder_sees_the_same_door(self) -> None:
        other = Workspace(DataFolder(self.root / "other"))
        self.addCleanup(other.close)
        with door(self.game, self.ws.data.doors, "x"):
            told = self.told_to_another(other)
        self.assertIn("a data folder of its own", told[0].message)

    def test_who_holds_it_goes_through_again_and_it_opens_when_the_first_leaves(self) -> None:
        with door(self.game, self.ws.data.doors, "x"):
            with door(self.game, self.ws.data.doors, "y", patience=0):
                pass
            done: list[bool] = []
            thread = Thread(
                target=lambda: done.append(put_content(self.ws, self.id, "tex/wall_c.dds", b"ours"))
            )
            thread.start()
            thread.join(0.3)
            self.assertEqual(done, [])
        thread.join()
        self.assertEqual(done, [True])


class Originals(GameCase):
    """What may be kept as the game's own."""

    path = "tex/wall_c.dds"

    def plan(self) -> planning.PlanLine:
        plan, _ = planning.plan(self.ws, self.id, [replacement(self.ws, self.id, self.path)])
        return next(line for line in plan.lines if line.path == self.path)

    def test_a_file_that_changed_since_it_was_read_is_asked_about(self) -> None:
        (self.game / self.path).write_bytes(colour_dds(7))
        self.assertIn("has changed since the folder was read", self.plan().problem)
        with self.assertRaises(BadRequest):
            self.put(self.path, ticked={self.path})
        self.assertEqual((self.game / self.path).read_bytes(), colour_dds(7))
        self.assertEqual(keeping.verify(self.ws, self.id).kept, [])
        cataloguing.catalogue(self.ws, self.id, silent())
        self.put(self.path, ticked={self.path})
        returning.restore(self.ws, self.id, None, silent())
        self.assertEqual((self.game / self.path).read_bytes(), colour_dds(7))

    def test_ours_without_a_record_is_never_kept_as_the_original(self) -> None:
        self.put(self.path, ticked={self.path})
        ours = (self.game / self.path).read_bytes()
        returning.restore(self.ws, self.id, None, silent())
        # Somebody copies our file back by hand, and the folder is read again.
        (self.game / self.path).write_bytes(ours)
        cataloguing.catalogue(self.ws, self.id, silent())
        self.assertIn("not the game's own", self.plan().problem)
        found = keeping.verify(self.ws, self.id)
        self.assertEqual([stray.path for stray in found.strays], [self.path])
        self.assertFalse(found.as_told)
        lines = safe_list.kept(self.ws.data)
        safe_list.restore(self.ws.data, [line for line in lines if line.path == self.path])
        self.assertEqual(state(self.game), self.before)
        self.assertTrue(keeping.verify(self.ws, self.id).as_told)

    def test_a_safe_that_holds_ours_as_the_original_is_found(self) -> None:
        self.put(self.path, ticked={self.path})
        with self.ws.session() as session:
            keeping.keep(self.ws, session, self.id, self.game, self.path)
        self.assertIn("as the game's original", keeping.verify(self.ws, self.id).strays[0].words)


class OwnFolders(GameCase):
    """The application's own folders are out of reach, by any name."""

    def refused(self, root: Path) -> None:
        with self.assertRaises(BadRequest) as caught:
            games.register(self.ws, root)
        self.assertEqual(caught.exception.code, "own-folder", root)

    def test_no_folder_that_holds_or_lies_in_the_data_folder_is_registered(self) -> None:
        data = self.ws.data
        link = self.root / "link"
        link.symlink_to(data.safe)
        above = self.root / "above"
        above.symlink_to(self.root)
        for root in (data.root, data.safe, data.root / "..", Path("/"), link, above, self.root):
            self.refused(root)
        (data.safe / "deeper").mkdir()
        self.refused(data.safe / "deeper")
        with self.assertRaises(BadRequest):
            games.move(self.ws, self.id, data.files)
        with self.assertRaises(BadRequest):
            games.register(self.ws, Path("~nobody-has-this-name/game"))

    def test_a_registration_of_before_is_refused_with_what_to_do(self) -> None:
        with self.ws.session() as session:
            session.connection().exec_driver_sql(
                "UPDATE game SET root = ? WHERE id = ?", (str(self.root), self.id)
            )
        for act in (
            lambda: cataloguing.catalogue(self.ws, self.id, silent()),
            lambda: keeping.verify(self.ws, self.id),
            lambda: returning.restore(self.ws, self.id, None, silent()),
        ):
            with self.assertRaises(BadRequest) as caught:
                act()
            self.assertIn("Choose the folder", caught.exception.fix)


class Links(GameCase):
    """A folder that became a link after it was read leads nowhere else."""

    path = "tex/wall_c.dds"

    def elsewhere(self) -> Path:
        """Turn the folder of the path into a link to a copy of it outside of the game."""
        outside = self.root / "outside"
        (self.game / "tex").rename(outside)
        (self.game / "tex").symlink_to(outside)
        return outside / "wall_c.dds"

    def test_nothing_is_read_or_written_through_it(self) -> None:
        wanted = [replacement(self.ws, self.id, self.path)]
        row = entry(self.ws, self.id, self.path)
        there = self.elsewhere()
        was = there.read_bytes()
        plan, _ = planning.plan(self.ws, self.id, wanted)
        self.assertIn("through a link", plan.lines[0].problem)
        with self.assertRaises(BadRequest):
            putting.place(self.ws, self.id, {row.id or 0: b"ours"}, silent())
        self.assertEqual(there.read_bytes(), was)
        self.assertEqual(sorted(p.name for p in there.parent.iterdir())[-1], "wall_c.dds")

    def test_what_is_ours_is_not_given_back_through_it(self) -> None:
        self.put(self.path, ticked={self.path})
        there = self.elsewhere()
        was = there.read_bytes()
        done = safe_list.restore(self.ws.data, safe_list.kept(self.ws.data))
        self.assertEqual(done.paths, [])
        self.assertIn("through a link", done.left[0])
        self.assertEqual(there.read_bytes(), was)

    def test_a_way_is_walked_step_by_step(self) -> None:
        self.assertEqual(reach.read(self.game, self.path), colour_dds(1))
        self.assertEqual(reach.digest(self.game, "tex/none.dds"), "")
        for bad in ("../game/room.json", "/etc/hostname", "tex", "a\0b", ""):
            with self.assertRaises(BadRequest, msg=bad):
                reach.read(self.game, bad)
        os.mkfifo(self.game / "pipe")
        with self.assertRaises(BadRequest):
            reach.read(self.game, "pipe")


if __name__ == "__main__":
    unittest.main()
