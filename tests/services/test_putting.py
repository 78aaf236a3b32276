"""Put back, switch, restore, and what an update does: on real folders and containers."""

from __future__ import annotations

import shutil
import unittest
from pathlib import Path

from stonestack.core.files import codecs
from stonestack.core.picture.image import Space
from stonestack.core.runtime.errors import BadRequest, Conflict, StoneError
from stonestack.services.game import cataloguing, games
from stonestack.services.jobs import silent
from stonestack.services.safe import keeping, planning, putting, returning
from stonestack.services.workspace import Workspace
from stonestack.store import disk, journal
from stonestack.store.lock import exclusive
from tests.core.files.test_archives import content
from tests.games import catalogued, colour_dds, entry, hashes, replacement, small_game, state
from tests.support import WorkspaceCase


def read_game(ws: Workspace, root: Path) -> str:
    """Make a small game folder, register and read it."""
    return catalogued(ws, small_game(root / "game"))


class GameCase(WorkspaceCase):
    """A workspace with a small game folder that is registered and read."""

    prepare = staticmethod(read_game)

    def setUp(self) -> None:
        super().setUp()
        self.game = self.root / "game"
        self.before = state(self.game)
        self.id: str = self.prepared

    def put(self, *paths: str, ticked: set[str] | None = None) -> putting.Put:
        wanted = [replacement(self.ws, self.id, p) for p in paths]
        ids = None if ticked is None else {entry(self.ws, self.id, p).id or 0 for p in ticked}
        return putting.put(self.ws, self.id, wanted, ids, silent())


class Putting(GameCase):
    """Replacing."""

    def test_reading_a_folder_changes_neither_bytes_nor_times(self) -> None:
        self.assertEqual(state(self.game), self.before)

    def test_twins_are_ticked_and_backup_copies_are_not(self) -> None:
        plan, _ = planning.plan(
            self.ws, self.id, [replacement(self.ws, self.id, "tex/floor_c.dds")]
        )
        ticks = {line.path: line.ticked for line in plan.lines}
        self.assertEqual(
            ticks,
            {
                "tex/floor_c.dds": True,
                "menu/page_floor.dds": True,
                "pack/hall.hold/a/floor_c.dds": True,
                "tex/backup/floor_c.dds": False,
            },
        )
        self.assertEqual(
            [k.file for k in plan.keeps],
            ["menu/page_floor.dds", "pack/hall.hold", "tex/floor_c.dds"],
        )
        self.assertEqual(state(self.game), self.before)

    def test_ours_goes_to_every_ticked_place_and_nowhere_else(self) -> None:
        self.put("tex/floor_c.dds")
        now = hashes(self.game)
        changed = {name for name in now if now[name] != self.before[name][0]}
        self.assertEqual(changed, {"tex/floor_c.dds", "menu/page_floor.dds", "pack/hall.hold"})
        self.assertEqual(now["tex/floor_c.dds"], now["menu/page_floor.dds"])
        held = content((self.game / "pack/hall.hold").read_bytes())
        self.assertEqual(held[0][1], (self.game / "tex/floor_c.dds").read_bytes())
        self.assertEqual(held[1][1], colour_dds(3))
        self.assertEqual(held[2][1], colour_dds(1))

    def test_an_entry_two_containers_deep_is_replaced_and_restored_byte_for_byte(self) -> None:
        path = "pack/yard.tar/in.zip/deep/wall_c.dds"
        self.put(path, ticked={path})
        inner = content(content((self.game / "pack/yard.tar").read_bytes())[0][1])
        self.assertNotEqual(inner[0][1], colour_dds(1))
        self.assertEqual(inner[1][1], b"words")
        returning.restore(self.ws, self.id, None, silent())
        self.assertEqual(state(self.game), self.before)

    def test_one_of_two_entries_of_one_name_is_replaced(self) -> None:
        path = "pack/hall.hold/a/x.dds#2"
        self.put(path, ticked={path})
        held = content((self.game / "pack/hall.hold").read_bytes())
        self.assertEqual(held[1][1], colour_dds(3))
        self.assertNotEqual(held[2][1], colour_dds(1))

    def test_putting_twice_keeps_the_first_original(self) -> None:
        self.put("tex/wall_c.dds", ticked={"tex/wall_c.dds"})
        wanted = [replacement(self.ws, self.id, "tex/wall_c.dds", 90)]
        row = entry(self.ws, self.id, "tex/wall_c.dds")
        putting.put(self.ws, self.id, wanted, {row.id or 0}, silent())
        returning.restore(self.ws, self.id, None, silent())
        self.assertEqual(state(self.game), self.before)

    def test_a_second_entry_of_a_changed_container_restores_to_the_games_own_file(self) -> None:
        self.put("pack/hall.hold/a/floor_c.dds", ticked={"pack/hall.hold/a/floor_c.dds"})
        self.put("pack/hall.hold/a/x.dds#1", ticked={"pack/hall.hold/a/x.dds#1"})
        self.assertEqual(len(keeping.verify(self.ws, self.id).kept), 1)
        returning.restore(self.ws, self.id, ["pack/hall.hold/a/floor_c.dds"], silent())
        held = content((self.game / "pack/hall.hold").read_bytes())
        self.assertEqual(held[0][1], colour_dds(2))
        self.assertNotEqual(held[1][1], colour_dds(3))
        returning.restore(self.ws, self.id, None, silent())
        self.assertEqual(state(self.game), self.before)

    def test_original_and_ours_are_switched_and_switched_back(self) -> None:
        self.put("tex/floor_c.dds")
        ours = hashes(self.game)
        returning.switch(self.ws, self.id, False, silent())
        self.assertEqual(state(self.game), self.before)
        self.assertTrue(keeping.verify(self.ws, self.id).all_in_place)
        returning.switch(self.ws, self.id, True, silent())
        self.assertEqual(hashes(self.game), ours)

    def test_what_cannot_be_decoded_is_said_in_the_plan_and_stays(self) -> None:
        row = entry(self.ws, self.id, "odd/broken.dds")
        self.assertIn("ends before", row.problem)
        wanted = [planning.from_file(row.id or 0, colour_dds(9))]
        plan, _ = planning.plan(self.ws, self.id, wanted)
        self.assertFalse(plan.ready)
        with self.assertRaises(BadRequest):
            putting.put(self.ws, self.id, wanted, None, silent())
        self.assertEqual(state(self.game), self.before)

    def test_the_picture_that_was_asked_for_is_what_the_file_shows(self) -> None:
        self.put("tex/wall_c.dds", ticked={"tex/wall_c.dds"})
        data = (self.game / "tex/wall_c.dds").read_bytes()
        square = codecs.read_picture(data, Space.LINEAR).pixels[10:22, 10:22]
        self.assertGreater(float(square[..., 0].mean()), 0.9)
        self.assertLess(float(square[..., 1].mean()), 0.05)


class Updates(GameCase):
    """The game changes its files under us."""

    def test_wiped_changed_and_untouched_are_told_apart_and_wiped_ones_put_back(self) -> None:
        self.put(
            "tex/floor_c.dds",
            "tex/wall_c.dds",
            ticked={
                "tex/floor_c.dds",
                "menu/page_floor.dds",
                "tex/wall_c.dds",
                "pack/hall.hold/a/floor_c.dds",
            },
        )
        ours = hashes(self.game)
        (self.game / "tex/floor_c.dds").write_bytes(colour_dds(2))
        (self.game / "tex/wall_c.dds").write_bytes(colour_dds(77))
        states = {p.path: p.state for p in keeping.verify(self.ws, self.id).placed}
        self.assertEqual(
            states,
            {
                "menu/page_floor.dds": "in place",
                "pack/hall.hold/a/floor_c.dds": "in place",
                "tex/floor_c.dds": "wiped",
                "tex/wall_c.dds": "changed",
            },
        )
        done = returning.put_back(self.ws, self.id, None, silent())
        self.assertEqual(done.paths, ["tex/floor_c.dds"])
        self.assertEqual(hashes(self.game)["tex/floor_c.dds"], ours["tex/floor_c.dds"])
        self.assertEqual((self.game / "tex/wall_c.dds").read_bytes(), colour_dds(77))

    def test_a_changed_original_is_not_overwritten_by_restore(self) -> None:
        self.put("tex/wall_c.dds", ticked={"tex/wall_c.dds"})
        (self.game / "tex/wall_c.dds").write_bytes(colour_dds(77))
        done = returning.restore(self.ws, self.id, None, silent())
        self.assertEqual(done.paths, [])
        self.assertIn("another file", done.left[0])
        self.assertEqual((self.game / "tex/wall_c.dds").read_bytes(), colour_dds(77))

    def test_a_file_that_is_gone_comes_back_from_the_safe(self) -> None:
        self.put("tex/wall_c.dds", ticked={"tex/wall_c.dds"})
        (self.game / "tex/wall_c.dds").unlink()
        returning.restore(self.ws, self.id, None, silent())
        self.assertEqual(state(self.game), self.before)

    def test_a_wiped_container_gets_ours_back_and_then_restores_to_the_new_version(self) -> None:
        path = "pack/hall.hold/a/floor_c.dds"
        self.put(path, ticked={path})
        from tests.core.files.test_archives import zipped

        fresh = zipped(
            [("a/floor_c.dds", colour_dds(2)), ("a/x.dds", colour_dds(50)), ("a/x.dds", b"new")]
        )
        (self.game / "pack/hall.hold").write_bytes(fresh)
        (self.game / "room.json").write_bytes(b'{"version": "1.1"}')
        returning.put_back(self.ws, self.id, None, silent())
        held = content((self.game / "pack/hall.hold").read_bytes())
        self.assertNotEqual(held[0][1], colour_dds(2))
        self.assertEqual(held[1][1], colour_dds(50))
        versions = {k.version for k in keeping.verify(self.ws, self.id).kept}
        self.assertEqual(versions, {"1.0", "1.1"})
        returning.restore(self.ws, self.id, None, silent())
        self.assertEqual((self.game / "pack/hall.hold").read_bytes(), fresh)

    def test_a_folder_that_moved_is_pointed_to_once(self) -> None:
        self.put("tex/wall_c.dds", ticked={"tex/wall_c.dds"})
        shutil.move(self.game, self.root / "elsewhere")
        with self.assertRaises(StoneError):
            keeping.verify(self.ws, self.id)
        with self.assertRaises(BadRequest):
            games.move(self.ws, self.id, self.root / "data")
        games.move(self.ws, self.id, self.root / "elsewhere")
        self.assertTrue(keeping.verify(self.ws, self.id).all_in_place)
        returning.restore(self.ws, self.id, None, silent())
        self.assertEqual(state(self.root / "elsewhere"), self.before)


class BadMoments(GameCase):
    """Nothing half done, whatever the disk says."""

    def leftovers(self) -> list[Path]:
        return [p for p in self.game.rglob("*") if p.name.startswith(disk.PREFIX)]

    def assert_untouched(self) -> None:
        self.assertEqual(state(self.game), self.before)
        self.assertEqual(self.leftovers(), [])
        self.assertEqual(journal.unfinished(self.ws.data.journal), [])

    def test_a_full_disk_leaves_everything_as_it_was(self) -> None:
        class Full(disk.Disk):
            def write(self, path: Path, pieces: object) -> None:
                if "hall" in str(path.parent) or path.parent.name == "pack":
                    raise OSError(28, "No space left on device", str(path))
                super().write(path, pieces)  # type: ignore[arg-type]

        wanted = [replacement(self.ws, self.id, "tex/floor_c.dds")]
        with disk.using(Full()), self.assertRaises(BadRequest) as caught:
            putting.put(self.ws, self.id, wanted, None, silent())
        self.assertEqual(caught.exception.code, "disk-full")
        self.assert_untouched()

    def test_a_file_in_use_gives_back_those_that_were_replaced_already(self) -> None:
        class InUse(disk.Disk):
            renames = 0

            def rename(self, source: Path, target: Path) -> None:
                if target.suffix in (".dds", ".hold"):
                    self.renames += 1
                    if self.renames == 3:
                        raise PermissionError(13, "in use", str(target))
                super().rename(source, target)

        wanted = [replacement(self.ws, self.id, "tex/floor_c.dds")]
        with disk.using(InUse()), self.assertRaises(BadRequest):
            putting.put(self.ws, self.id, wanted, None, silent())
        self.assert_untouched()

    def test_a_file_replaced_under_our_hands_is_left_alone(self) -> None:
        class Meddled(disk.Disk):
            def link(inner, source: Path, second: Path) -> None:
                if source.name == "floor_c.dds":
                    source.write_bytes(b"somebody else was here")
                super().link(source, second)

        wanted = [replacement(self.ws, self.id, "tex/floor_c.dds")]
        with disk.using(Meddled()), self.assertRaises(Conflict):
            putting.put(self.ws, self.id, wanted, None, silent())
        self.assertEqual((self.game / "tex/floor_c.dds").read_bytes(), b"somebody else was here")
        now = state(self.game)
        for name, was in self.before.items():
            if name != "tex/floor_c.dds":
                self.assertEqual(now[name], was)
        self.assertEqual(self.leftovers(), [])

    def test_a_folder_that_refuses_new_files_is_said(self) -> None:
        class ReadOnly(disk.Disk):
            def write(self, path: Path, pieces: object) -> None:
                if path.parent.name == "tex":
                    raise PermissionError(13, "Permission denied", str(path))
                super().write(path, pieces)  # type: ignore[arg-type]

        wanted = [replacement(self.ws, self.id, "tex/floor_c.dds")]
        with disk.using(ReadOnly()), self.assertRaises(BadRequest) as caught:
            putting.put(self.ws, self.id, wanted, None, silent())
        self.assertEqual(caught.exception.code, "not-permitted")
        self.assert_untouched()

    def test_what_another_program_is_doing_is_left_alone(self) -> None:
        self.ws.data.journal.mkdir(exist_ok=True)
        (self.ws.data.journal / "theirs.json").write_text('{"state": "staging", "swaps": []}')
        with exclusive(self.ws.data.journal):
            self.assertEqual(putting.settle(self.ws), 0)
            self.assertEqual(len(journal.unfinished(self.ws.data.journal)), 1)
        putting.settle(self.ws)
        self.assertEqual(journal.unfinished(self.ws.data.journal), [])

    def test_a_damaged_safe_is_noticed(self) -> None:
        self.put("tex/wall_c.dds", ticked={"tex/wall_c.dds"})
        (kept,) = [p for p in self.ws.data.safe.glob("*/*") if p.is_file()]
        kept.write_bytes(b"rot")
        self.assertFalse(keeping.verify(self.ws, self.id).safe_whole)
        now = state(self.game)
        done = returning.restore(self.ws, self.id, None, silent())
        self.assertEqual(done.paths, [])
        self.assertIn("damaged", done.left[0])
        self.assertEqual(state(self.game), now)

    def test_one_lost_original_does_not_keep_the_others_from_going_back(self) -> None:
        self.put("tex/floor_c.dds")
        self.put("tex/wall_c.dds", ticked={"tex/wall_c.dds"})
        kept = keeping.verify(self.ws, self.id).kept
        lost = next(k for k in kept if k.path == "tex/wall_c.dds")
        self.ws.safe.path(lost.sha256).unlink()
        done = returning.restore(self.ws, self.id, None, silent())
        self.assertEqual(len(done.left), 1)
        now = state(self.game)
        self.assertEqual({n for n in now if now[n] != self.before[n]}, {"tex/wall_c.dds"})

    def test_a_plan_of_yesterday_is_refused_when_the_catalogue_has_changed(self) -> None:
        wanted = [replacement(self.ws, self.id, "tex/wall_c.dds")]
        (self.game / "tex/wall_c.dds").write_bytes(colour_dds(5))
        cataloguing.catalogue(self.ws, self.id, silent())
        with self.assertRaises(Conflict):
            putting.put(self.ws, self.id, wanted, None, silent())


if __name__ == "__main__":
    unittest.main()
