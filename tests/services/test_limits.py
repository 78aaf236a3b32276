"""Figures that must hold: what an edit costs after many, what memory a tile of tiles takes."""

import time
import tracemalloc
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from stonestack.core.document import edits
from stonestack.core.document.deliveries import Delivery
from stonestack.core.picture.image import Picture, Space
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Fit, Size, fitted
from stonestack.core.tile.patches import Spot
from stonestack.services.delivery import building, deliveries
from stonestack.services.documents import projects, summaries, surfaces
from stonestack.services.jobs import silent
from tests.services.test_surfaces import SurfaceCase


def weight(data: Path) -> int:
    """Return the bytes of a data folder's database, with what is not yet written back."""
    return sum(p.stat().st_size for p in data.glob("stonestack.sqlite3*"))


class ManyRepairs(SurfaceCase):
    alone = True

    def test_the_twenty_fourth_repair_costs_no_more_than_the_first(self) -> None:
        surface, took = self.surface, []
        with self.ws.engine.connect() as connection:
            connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")
        before = weight(self.root / "data")
        for n in range(24):
            spot = Spot(x=(n % 6) / 6 + 0.05, y=(n // 6) / 6 + 0.05, radius=0.04)
            started = time.perf_counter()
            surface = self.edit(surface, edits.RepairSpots(map=Role.COLOUR, spots=(spot,)))
            took.append(time.perf_counter() - started)
        with self.ws.engine.connect() as connection:
            connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")
        grown = weight(self.root / "data") - before
        self.assertEqual(len(surface.document.map(Role.COLOUR).steps), 26)
        # The median, since the machine may be busy with something else.
        self.assertLess(sorted(took)[12], 0.1)
        self.assertLess(sorted(took[-6:])[2], 0.1)
        self.assertLess(grown, 1 << 20)


class TilesOfTiles(unittest.TestCase):
    def test_many_repeats_take_no_more_memory_than_the_picture_and_the_result(self) -> None:
        pixels = np.random.default_rng(1).random((1000, 1000, 3), np.float32)
        picture = Picture(pixels, Space.LINEAR, wraps=True)
        size = Size(width=1024, height=1024, fit=Fit.REPEAT, across=8, down=8)
        tracemalloc.start()
        result = fitted(picture, size)
        _, peak = tracemalloc.get_traced_memory()
        tracemalloc.stop()
        self.assertEqual((result.width, result.height), (1024, 1024))
        # Laid out before it is made smaller it would be 64 times the picture.
        self.assertLess(peak, 6 * pixels.nbytes)


class RaisedVersion(SurfaceCase):
    def test_nothing_waits_for_itself_after_a_version_was_raised(self) -> None:
        document = Delivery(title="First", name="first", target="saltglass")
        made = deliveries.create(self.ws, self.project.id, document)
        other = surfaces.create(self.ws, self.project.id, "Other", "other")
        self.edit(other, edits.SetOrigin(map=Role.COLOUR, origin=self.source.origin))
        with mock.patch.object(summaries, "_code", return_value="another version"):
            started = time.perf_counter()
            full = document.model_copy(update={"surfaces": (self.surface.id,)})
            view = deliveries.change(self.ws, made.id, made.revision, full)
            self.assertEqual(len(view.parts), 4)
            deliveries.holding(self.ws, other.id)
            building.build(self.ws, made.id, silent())
            projects.adjust(self.ws, self.project.id, texels_per_metre=300)
            surfaces.listed(self.ws, self.project.id)
            # SQLite gives up a lock after thirty seconds.
            self.assertLess(time.perf_counter() - started, 15)


if __name__ == "__main__":
    unittest.main()
