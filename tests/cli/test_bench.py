"""The benchmarks that a person types, at a small size: they run, and print figures that fit."""

import json
import re
import unittest

from stonestack.core.steps import STEPS
from stonestack.trials import made_of
from tests.cli.test_commands import CommandCase
from tests.sizes import swept


class Bench(CommandCase):
    def figures(self, text: str) -> dict[str, float]:
        """Return the first number of each line, by the words before it."""
        found = {}
        for line in text.splitlines():
            match = re.match(r"\s*(\D*?)\s+(\d+(?:\.\d+)?)\s", line + " ")
            if match:
                found[match[1].strip()] = float(match[2])
        return found

    @swept
    def test_blocks_are_measured_beside_pillow_and_written_down(self) -> None:
        output = self.root / "figures.json"
        words = ("--side", 64, "--quality", "fast", "--every", 4, "--output", output)
        code, out, err = self.run_command("bench", "blocks", *words)
        self.assertEqual((code, err), (0, ""))
        for format_ in ("bc1", "bc4", "masks in bc4", "normals in bc5", "bc7"):
            self.assertIn(f"= {format_}, fast:", out)
        rows = json.loads(output.read_text())
        self.assertEqual(len(rows), 5 * 3)
        self.assertGreater(min(row["psnr"] for row in rows), 25)
        self.assertTrue(all(row["below"] is None for row in rows))

    @swept
    def test_a_project_is_made_and_every_list_is_timed(self) -> None:
        code, out, err = self.run_command("bench", "project", "--surfaces", 3, "--builds", 2)
        self.assertEqual((code, err), (0, ""))
        self.assertIn("3 surfaces and 2 builds made in", out)
        found = self.figures(out)
        lists = ("surfaces", "materials", "deliveries", "sources", "source-sets", "actions")
        for what in (
            *(f"list of {one}" for one in lists),
            "an edit",
            "first start, to its address",
        ):
            self.assertGreater(found[what], 0, what)
        self.assertGreater(found["database"], 0.02)

    def test_a_catalogue_is_timed_beside_plain_reading(self) -> None:
        code, out, err = self.run_command("bench", "catalogue", "--files", 60)
        self.assertEqual((code, err), (0, ""))
        found = self.figures(out)
        self.assertGreater(found["plain reading and hashing"], -1)
        self.assertIn("times plain", out)
        self.assertLess(found["second look, nothing new"], 5)

    @swept
    def test_each_way_to_tile_is_timed_and_scored(self) -> None:
        code, out, err = self.run_command("bench", "tile", "--side", 160)
        self.assertEqual((code, err), (0, ""))
        rows = [line.split() for line in out.splitlines()[2:7]]
        self.assertIn("gaussian", out.splitlines()[7])
        for row in rows:
            # The last two are the scores of its edges: all ways tile.
            self.assertAlmostEqual(float(row[-2]), 1, delta=0.3)
            self.assertAlmostEqual(float(row[-1]), 1, delta=0.3)

    @swept
    def test_a_whole_set_is_timed_with_all_its_maps(self) -> None:
        code, out, err = self.run_command("bench", "set", "--side", 128)
        self.assertEqual((code, err), (0, ""))
        lines = out.splitlines()
        self.assertEqual(len(lines), 6)
        for line in lines:
            self.assertEqual(line.split("(")[1].split(")")[0].count(","), 6)

    @swept
    def test_what_it_is_made_of_is_right_as_often_as_it_says(self) -> None:
        code, out, err = self.run_command("bench", "made-of", "--seed", 11)
        self.assertEqual((code, err), (0, ""))
        said, of, right = map(int, re.findall(r"\d+", out.splitlines()[-1]))
        self.assertEqual(of, 2 * len(made_of.LIT) + len(made_of.DRAWN))
        self.assertGreater(said, of / 4)
        self.assertGreater(right, 0.75 * said)

    @swept
    def test_each_step_is_timed_beside_a_blur(self) -> None:
        code, out, err = self.run_command("bench", "steps", "--side", 64)
        self.assertEqual((code, err), (0, ""))
        *rows, blur = out.splitlines()[2:]
        plain = [k for k in STEPS.values() if k.mixes]
        self.assertEqual([row[:24].strip() for row in rows], [k.title for k in plain])
        self.assertTrue(all(len(row[24:].split()) == 4 for row in rows))
        self.assertTrue(blur.startswith("gaussian") and blur.endswith(" 1.0"))

    @swept
    def test_scores_are_tried_on_graded_defects(self) -> None:
        code, out, err = self.run_command(
            "bench", "trust", "--seed", 5, "--matter", "gravel", "--every", 4
        )
        self.assertEqual((code, err), (0, ""))
        self.assertIn("Seed 5: faults of ", out)
        rank = re.search(r"Rank correlation of fault and grade: (\d\.\d+)", out)
        assert rank is not None
        self.assertGreater(float(rank[1]), 0.6)
        self.assertIn("ghost of three", out)
        code, out, err = self.run_command("bench", "trust", "--seed", 5, "--others", "--every", 20)
        self.assertEqual((code, err), (0, ""))
        self.assertIn("Seed 5: faults of 24 tiles", out)

    def test_what_cannot_be_measured_is_refused(self) -> None:
        with self.assertRaises(SystemExit) as caught:
            self.run_command("bench", "everything")
        self.assertEqual(caught.exception.code, 2)


if __name__ == "__main__":
    unittest.main()
