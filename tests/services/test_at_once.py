"""One transaction, one action: what is done at once loses nothing, and is done whole or not."""

import unittest
from concurrent.futures import ThreadPoolExecutor
from threading import Barrier
from unittest import mock

from stonestack.core.document import edits, rebuilt
from stonestack.core.runtime.errors import StoneError
from stonestack.core.tables.roles import Role
from stonestack.core.tile.boundary import CutTile
from stonestack.core.tile.mirrored import MirrorTile
from stonestack.services.documents import history, projects, shaping, surfaces
from stonestack.services.documents.history import SURFACE
from stonestack.services.game import sources, taking
from stonestack.store.tables import SourceRow
from tests.games import catalogued, colour_dds, entry, small_game
from tests.support import WorkspaceCase, raw_picture


class SettingsAtOnce(WorkspaceCase):
    def test_of_settings_that_are_set_at_once_none_is_lost(self) -> None:
        project = projects.create(self.ws, "Garden", None)
        for turn in range(12):
            wanted = ({"texels_per_metre": 256 + turn}, {"put_into": f"mods/{turn}"})
            together = Barrier(len(wanted))

            def adjust(changes: dict[str, object], together: Barrier = together) -> None:
                together.wait()
                projects.adjust(self.ws, project.id, **changes)

            with ThreadPoolExecutor(2) as pool:
                list(pool.map(adjust, wanted))
            settings = projects.get(self.ws, project.id).settings
            for changes in wanted:
                self.assertEqual(rebuilt(settings, **changes), settings)


class TakenAtOnce(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.game = small_game(self.root / "game")
        (self.game / "tex" / "bad_c.dds").write_bytes(colour_dds(3))
        self.game_id = catalogued(self.ws, self.game)
        self.project = projects.create(self.ws, "Garden", self.game)
        self.wall, self.bad = (
            entry(self.ws, self.game_id, f"tex/{name}_c.dds").id or 0 for name in ("wall", "bad")
        )

    def take(self, *entries: int) -> list[surfaces.SurfaceView]:
        return taking.into_project(self.ws, self.project.id, self.game_id, list(entries))

    def test_a_file_that_fails_in_the_middle_leaves_nothing(self) -> None:
        (self.game / "tex" / "bad_c.dds").write_bytes(b"DDS and then nothing")
        with self.assertRaises((StoneError, OSError)):
            self.take(self.wall, self.bad)
        self.assertEqual(surfaces.listed(self.ws, self.project.id), [])
        self.assertEqual(sources.listed(self.ws, self.project.id), [])

    def test_a_fault_while_they_are_begun_leaves_no_surface(self) -> None:
        real, calls = history.begin, 0

        def failing(*values: object, **named: object) -> object:
            nonlocal calls
            calls += 1
            if calls == 4:
                raise KeyboardInterrupt
            return real(*values, **named)  # type: ignore[arg-type]

        with mock.patch.object(history, "begin", failing), self.assertRaises(KeyboardInterrupt):
            self.take(self.wall, self.bad)
        self.assertEqual(surfaces.listed(self.ws, self.project.id), [])

    def test_one_undo_takes_the_taking_back(self) -> None:
        wall, _ = self.take(self.wall, self.bad)
        self.assertEqual(wall.undo, "Taken from the game: wall_c.dds and 1 more")
        back = surfaces.undo(self.ws, wall.id, wall.revision)
        self.assertIsNone(back.undo)
        self.assertTrue(all(m.origin is None or m.origin.kind == "map" for m in back.document.maps))
        again = surfaces.redo(self.ws, wall.id, back.revision)
        self.assertEqual(again.document, wall.document)

    def test_a_surface_of_several_files_is_one_action_too(self) -> None:
        found = [
            sources.bring(self.ws, self.project.id, f"moss_{n}.png", raw_picture(seed=n))
            for n in (1, 2)
        ]
        roles = {Role.COLOUR: found[0].id, Role.EMISSIVE: found[1].id}
        begun = shaping.begin(self.ws, self.project.id, "moss", roles)
        back = surfaces.undo(self.ws, begun.id, begun.revision)
        self.assertIsNone(back.undo)
        self.assertIsNone(back.document.of_role(Role.EMISSIVE))
        with self.ws.session() as session:
            self.assertEqual(len(history.rows_of(session, SURFACE, self.project.id)), 1)
            self.assertEqual(len(session.exec(SourceRow.__table__.select()).all()), 2)


class AProposal(WorkspaceCase):
    def test_that_comes_late_leaves_what_was_chosen(self) -> None:
        project = projects.create(self.ws, "Garden", None)
        source = sources.bring(self.ws, project.id, "wall.png", raw_picture())
        begun = shaping.begin(self.ws, project.id, "wall", {Role.COLOUR: source.id})
        proposed = next(s for s in begun.document.map("colour").steps if s.proposed)
        self.assertEqual(proposed.params.kind, "cut_tile")
        chosen = rebuilt(proposed, params=MirrorTile())
        change = edits.SetStep(map="colour", step=chosen)
        now = surfaces.edit(self.ws, begun.id, begun.revision, change)
        late = edits.TakeWay(map="colour", step=rebuilt(proposed, params=CutTile()))
        after = surfaces.edit(self.ws, now.id, now.revision, late)
        self.assertEqual(after.document, now.document)
        self.assertEqual(after.revision, now.revision)


if __name__ == "__main__":
    unittest.main()
