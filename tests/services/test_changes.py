import unittest

from stonestack.services.documents import projects, surfaces
from stonestack.services.game import games
from tests.games import small_game
from tests.support import WorkspaceCase


class Told(WorkspaceCase):
    def test_whoever_writes_all_who_listen_are_told_what_moved(self) -> None:
        project = projects.create(self.ws, "Garden", None)
        made = surfaces.create(self.ws, project.id, "Wall", "wall")
        other = self.opened()
        place = self.ws.changes.listen()
        self.assertEqual(self.ws.changes.since(place, 0.5), (place, []))
        surfaces.create(other, project.id, "Floor", "floor")
        found = self.ws.changes.since(place, 5)
        assert found is not None
        place, [change] = found
        self.assertEqual(sorted(d.kind for d in change.documents), ["material", "surface"])
        self.assertNotIn(made.id, [d.id for d in change.documents])
        undone = projects.adjust(self.ws, project.id, texels_per_metre=99)
        found = self.ws.changes.since(place, 5)
        assert found is not None
        place, [change] = found
        self.assertEqual([d.id for d in change.documents], [undone.id])
        games.register(other, small_game(self.root / "game"))
        found = self.ws.changes.since(place, 5)
        assert found is not None
        self.assertEqual([c.documents for c in found[1]], [[]])

    def test_at_the_end_all_are_let_go(self) -> None:
        ws = self.opened()
        place = ws.changes.listen()
        ws.close()
        self.assertIsNone(ws.changes.since(place, 60))


if __name__ == "__main__":
    unittest.main()
