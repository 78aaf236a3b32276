import unittest
from unittest import mock

from stonestack.core.document import new_surface, rebuilt
from stonestack.core.graph.wiring import Wiring
from stonestack.core.tables import targets
from stonestack.core.tables.targets import LOOSE, TARGETS, recognised


class Recognised(unittest.TestCase):
    def test_a_folder_is_known_by_the_marks_of_its_game(self) -> None:
        self.assertEqual(recognised({"room.json", "base/x.dds"}).name, "saltglass")

    def test_an_unknown_folder_is_loose_files_whatever_other_targets_there_are(self) -> None:
        other = rebuilt(TARGETS["saltglass"], name="aaa", known_by=[])
        with mock.patch.dict(targets.TARGETS, {"aaa": other, **TARGETS}, clear=True):
            self.assertEqual(next(iter(targets.TARGETS)), "aaa")
            self.assertEqual(recognised({"x.dds"}).name, LOOSE)
            self.assertEqual(Wiring(new_surface("Wall", "wall")).target.name, LOOSE)


if __name__ == "__main__":
    unittest.main()
