import io
import unittest

import numpy as np
from PIL import Image

from stonestack.core.document import rebuilt
from stonestack.core.files import codecs
from stonestack.core.picture.image import Space
from stonestack.core.tile.light import light_field
from stonestack.core.tile.seam import seam_score
from stonestack.demo.originals import ORIGINALS
from stonestack.demo.paint import Canvas
from stonestack.demo.project import _MADE_OF, _MATERIALS, _TITLES, MADE, ensure, game_of
from stonestack.demo.sources import SOURCES, lattice_pattern
from stonestack.services.documents import projects
from stonestack.services.game import games
from stonestack.store.tables import GameRow
from tests.games import small_game, state
from tests.sizes import times
from tests.support import WorkspaceCase


class Earlier(WorkspaceCase):
    def test_a_demo_whose_game_lay_in_its_data_is_brought_out_of_it(self) -> None:
        # Games inside the data folder are refused now; an earlier demo had its own there.
        data = self.ws.data
        old = small_game(data.root / "Saltglass")
        was = state(old)
        with self.ws.writing() as session:
            session.add(GameRow(root=str(old), title="Saltglass"))
        project = projects.create(self.ws, "Saltglass", None)
        with self.ws.session() as session:
            settings = projects.settings_of(session, project.id)
            body = rebuilt(settings, game_folder=str(old)).model_dump_json()
            session.connection().exec_driver_sql("UPDATE revision SET body = ?", (body,))
        (data.root / MADE).write_text("")
        self.ws.close()
        for _ in range(2):
            ws = ensure(data)
            self.addCleanup(ws.close)
            [shown] = projects.listed(ws)
            self.assertEqual(shown.game_folder, str(game_of(data)))
            self.assertEqual([g.root for g in games.listed(ws)], [str(game_of(data))])
            self.assertEqual(state(game_of(data)), was)


class RawSources(unittest.TestCase):
    def test_each_surface_has_a_source_and_settings_and_one_name_is_free(self) -> None:
        for table in (_TITLES, _MATERIALS, _MADE_OF):
            self.assertEqual(set(table), set(SOURCES))
        # One thing in the room is left for a first surface of one's own.
        self.assertEqual(set(ORIGINALS) - set(SOURCES), {"door_planks"})

    def test_they_come_in_four_kinds(self) -> None:
        kinds = {source.file_name.rsplit(".", 1)[1] for source in SOURCES.values()}
        self.assertEqual(kinds, {"png", "jpg", "tga", "tif"})

    def test_a_source_is_raw_odd_sized_uneven_and_does_not_tile(self) -> None:
        for name in times(("rib_copper", "bed_peat"), ("bed_peat",)):
            source = SOURCES[name]
            data = source.encoded()
            facts = codecs.inspect(source.file_name, data)
            self.assertFalse(facts.extension_lies)
            self.assertNotEqual(facts.width & (facts.width - 1), 0)
            picture = codecs.read_picture(data, Space.LINEAR)
            field = light_field(picture)
            self.assertGreater(field.max() / field.min(), 1.3)
            self.assertGreater(seam_score(picture).x, 1.5)

    def test_the_same_seed_draws_the_same_picture(self) -> None:
        once, twice = (lattice_pattern(Canvas(90, 80, 3), 40, 0.4) for _ in range(2))
        np.testing.assert_array_equal(once[0], twice[0])
        self.assertTrue(0.2 < once[1].mean() < 0.8)

    def test_the_lattice_brings_alpha(self) -> None:
        image = Image.open(io.BytesIO(SOURCES["lattice_iron"].encoded()))
        self.assertEqual(image.mode, "RGBA")
