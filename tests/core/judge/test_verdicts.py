import unittest

from stonestack.core.judge.verdicts import of_tile
from stonestack.core.tile.scores import CulpritView, PeriodView, TileScores, Way

CUT = frozenset({"decode", "balance_light", "cut_tile"})
LATTICE = PeriodView(steps=[Way(x=40, y=0), Way(x=0, y=20)], strength=0.6)


def scores(**changes: object) -> TileScores:
    plain = TileScores(
        x=1, y=1, detail=1, structure=1, repetition=1, spots=1, broad=1, culprits=[],
        drift_x=0, drift_y=0, mirrored=False,
    )  # fmt: skip
    return plain.model_copy(update=changes)


class Advice(unittest.TestCase):
    """What is advised is never what was done already."""

    def advised(self, measured: TileScores, done: frozenset[str]) -> tuple[str, str]:
        finding = of_tile(measured, done)
        self.assertEqual(finding.level, "look")
        return finding.words, finding.fix

    def test_a_faultless_tile_is_good(self) -> None:
        self.assertEqual(of_tile(scores(), CUT).words, "tiles both ways")

    def test_an_untiled_picture_is_to_be_tiled_and_a_tiled_one_in_another_way(self) -> None:
        step = scores(x=3.0)
        self.assertEqual(
            self.advised(step, frozenset({"decode"})), ("a step at the edge", "Add Tiling.")
        )
        self.assertEqual(self.advised(step, CUT)[1], "Choose another way to tile.")

    def test_a_structure_is_to_be_framed_unless_it_is(self) -> None:
        blurred = scores(y=0.6, period=LATTICE)
        words, fix = self.advised(blurred, CUT)
        self.assertEqual(words, "a blur at the edge")
        self.assertIn("frame whole repeats", fix)
        self.assertNotIn("frame", self.advised(blurred, CUT | {"frame"})[1])

    def test_a_broken_structure_is_said_though_its_edges_are_good(self) -> None:
        broken = scores(structure=0.1, period=LATTICE)
        words, fix = self.advised(broken, CUT)
        self.assertEqual(words, "its structure breaks at the edge")
        self.assertIn("frame whole repeats", fix)

    def test_broad_light_is_to_be_balanced_then_mixed_then_framed_away(self) -> None:
        broad = scores(repetition=2.3, broad=2.3)
        self.assertIn("Balance", self.advised(broad, frozenset({"decode", "cut_tile"}))[1])
        self.assertIn("Quilt", self.advised(broad, CUT)[1])
        patched = frozenset({"decode", "balance_light", "quilt_tile"})
        self.assertIn("evener light", self.advised(broad, patched)[1])

    def test_a_spot_is_named_by_what_it_is(self) -> None:
        spot = CulpritView(x=0.5, y=0.5, radius=0.1, strength=3, words="lighter")
        words, fix = self.advised(scores(spots=3.0, culprits=[spot]), CUT)
        self.assertEqual(words, "a lighter spot repeats")
        self.assertIn("Repair", fix)


if __name__ == "__main__":
    unittest.main()
