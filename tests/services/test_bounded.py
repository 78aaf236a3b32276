"""What is kept is bounded: by what it holds, and by what still refers to it."""

import errno
import os
import random
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from stonestack.core.document import Mask, edits, rebuilt
from stonestack.core.kinds.references import StrokesRef
from stonestack.core.picture.image import Picture, Space
from stonestack.core.steps.masks import strokes as marks
from stonestack.core.steps.masks.strokes import Drawing, Stroke, StrokePoint, Strokes
from stonestack.core.tables.roles import Role
from stonestack.services.documents import collecting, projects, strokes, surfaces
from stonestack.services.game import sources
from stonestack.services.making.spill import Spill
from stonestack.store.files import Cache
from tests.support import WorkspaceCase, raw_picture


def a_stroke(chance: random.Random, points: int = 55) -> Stroke:
    """Return a stroke of about 2.3 kilobytes."""
    x, y = chance.random(), chance.random()
    way = []
    for _ in range(points):
        x, y = x + chance.uniform(-0.01, 0.01), y + chance.uniform(-0.01, 0.01)
        way.append(StrokePoint(x=round(x, 4), y=round(y, 4), pressure=0.5))
    return Stroke(size=0.02, soft=0.5, points=tuple(way))


def size_of(folder: Path) -> int:
    return sum(path.stat().st_size for path in folder.rglob("*") if path.is_file())


class ManyStrokes(WorkspaceCase):
    def test_they_take_about_the_room_of_their_last_state_and_each_state_can_be_read(self) -> None:
        chance = random.Random(3)
        drawn: list[Stroke] = []
        kept: list[StrokesRef] = [strokes.added(self.ws, None, None)]
        for _ in range(300):
            drawn.append(a_stroke(chance))
            kept.append(strokes.added(self.ws, kept[-1].sha256, drawn[-1]))
        last = len(self.ws.files.read(kept[-1].sha256))
        self.assertLess(size_of(self.ws.data.files), 5 * last)
        for count in (0, 1, 2, 63, 64, 65, 150, 300):
            data = self.ws.files.read(kept[count].sha256)
            self.assertEqual(data, marks.kept(Drawing(strokes=tuple(drawn[:count]))))
            self.assertEqual(kept[count].count, count)
            self.assertTrue(self.ws.files.holds(kept[count].sha256))
            self.assertTrue(self.ws.files.whole(kept[count].sha256))

    def test_a_stroke_more_is_drawn_on_those_before_and_gives_the_same(self) -> None:
        chance = random.Random(4)
        drawn = [a_stroke(chance, 6) for _ in range(12)]
        drawn[7] = rebuilt(drawn[7], takes=True)
        params = Strokes(strokes=StrokesRef(sha256="0" * 64, count=1))
        for count in (4, 11, 12, 5):
            data = marks.kept(Drawing(strokes=tuple(drawn[:count])))
            grown = marks.draw(params, 64, 48, True, data)
            with mock.patch.object(marks, "_LATEST", marks._Latest()):
                anew = marks.draw(params, 64, 48, True, data)
            self.assertTrue(np.array_equal(grown, anew))


class Unreferenced(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.project = projects.create(self.ws, "Garden", None)
        source = sources.bring(self.ws, self.project.id, "wall.png", raw_picture())
        made = surfaces.create(self.ws, self.project.id, "Wall", "wall")
        change = edits.SetOrigin(map=Role.COLOUR, origin=source.origin)
        self.surface = surfaces.edit(self.ws, made.id, made.revision, change)
        self.source = source

    def test_what_nothing_refers_to_goes_and_all_else_stays(self) -> None:
        chance = random.Random(5)
        kept = [strokes.added(self.ws, None, a_stroke(chance))]
        for _ in range(4):
            kept.append(strokes.added(self.ws, kept[-1].sha256, a_stroke(chance)))
        mask = Mask(title="Drawn", shape=Strokes(strokes=kept[-1]))
        now = self.surface
        now = surfaces.edit(self.ws, now.id, now.revision, edits.AddMask(mask=mask))
        # The state that names it is taken back; it may come again.
        surfaces.undo(self.ws, now.id, now.revision)
        loose = self.ws.files.keep(b"of no use")
        gone = collecting.collect(self.ws, age=-1)
        self.assertGreaterEqual(gone.files, 1)
        self.assertFalse(self.ws.files.holds(loose))
        self.assertTrue(self.ws.files.whole(self.source.sha256))
        self.assertEqual(len(marks.read(self.ws.files.read(kept[-1].sha256)).strokes), 5)
        self.assertEqual(collecting.collect(self.ws, age=-1).files, 0)

    def test_what_was_kept_a_moment_ago_stays(self) -> None:
        loose = self.ws.files.keep(b"on its way")
        os.utime(self.ws.files.path(loose), (1, 1))
        self.assertEqual(self.ws.files.keep(b"on its way"), loose)
        self.assertEqual(collecting.collect(self.ws).files, 0)
        self.assertTrue(self.ws.files.holds(loose))

    def test_it_is_done_about_once_a_week(self) -> None:
        self.assertTrue(collecting.due(self.ws))
        collecting.collect(self.ws)
        self.assertFalse(collecting.due(self.ws))


class ACache(WorkspaceCase):
    def test_it_is_trimmed_while_it_is_written(self) -> None:
        cache = Cache(self.root / "cache", most_bytes=2 << 20)
        for n in range(80):
            cache.write(f"{n:064x}", "bin", bytes(100_000))
        self.assertLess(size_of(cache.root), (3 << 20) + 200_000)

    def test_where_nothing_more_goes_on_the_disk_a_result_is_there_all_the_same(self) -> None:
        project = projects.create(self.ws, "Garden", None)
        source = sources.bring(self.ws, project.id, "wall.png", raw_picture())
        made = surfaces.create(self.ws, project.id, "Wall", "wall")
        change = edits.SetOrigin(map=Role.COLOUR, origin=source.origin)
        view = surfaces.edit(self.ws, made.id, made.revision, change)
        key = view.keys[Role.COLOUR]["raw"]
        assert key is not None
        full = OSError(errno.ENOSPC, "No space left on device")
        with (
            mock.patch.object(Cache, "write", side_effect=full),
            self.assertLogs("stonestack.services.making.scheduler", "WARNING"),
        ):
            self.assertTrue(self.ws.renderer.png(key, 64).startswith(b"\x89PNG"))

    def test_a_picture_that_waits_thrice_is_written_and_counted_once(self) -> None:
        picture = Picture(np.ones((8, 8, 3), np.float32), Space.LINEAR)
        with tempfile.TemporaryDirectory() as folder:
            spill = Spill(Path(folder), 1 << 20)
            for _ in range(3):
                spill._write("ab" * 32, picture)
            spill.close()
            self.assertEqual(spill._bytes, picture.pixels.nbytes)


if __name__ == "__main__":
    unittest.main()
