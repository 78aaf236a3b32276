import io
import json
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import tifffile
from PIL import Image

from stonestack.cli.main import main
from stonestack.core.tools.tiling import METHODS
from stonestack.trials.defects import stock
from stonestack.trials.slants import seen_at_a_slant
from tests.core.tile import defects
from tests.support import png


@dataclass(frozen=True)
class Done:
    returncode: int
    stdout: str
    stderr: str


def run(*words: object) -> Done:
    out, error = io.StringIO(), io.StringIO()
    with redirect_stdout(out), redirect_stderr(error):
        code = main([str(word) for word in words])
    return Done(code, out.getvalue(), error.getvalue())


class TilingOnTheCommandLine(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.raw = self.folder / "raw.png"
        stored = defects.BASES["stochastic"](300, 5, False)
        self.raw.write_bytes(png(np.rint(stored * 255).astype(np.uint8)))

    def seam(self, path: Path) -> dict[str, float]:
        done = run("seam", path, "--json")
        self.assertEqual(done.returncode, 0, done.stderr)
        found: dict[str, float] = json.loads(done.stdout)
        return found

    def test_every_method_makes_a_tile_that_scores_one(self) -> None:
        before = self.seam(self.raw)
        self.assertGreater(before["x"], 1.5)
        for method in METHODS:
            out = self.folder / f"{method}.png"
            done = run("tile", self.raw, out, "--method", method, "--seed", 4)
            self.assertEqual(done.returncode, 0, done.stderr)
            after = self.seam(out)
            with self.subTest(method=method):
                self.assertAlmostEqual(after["x"], 1, delta=0.15)
                self.assertAlmostEqual(after["y"], 1, delta=0.15)
                self.assertIn("repetition", after)

    def test_without_a_method_the_best_is_chosen_and_said(self) -> None:
        out = self.folder / "chosen.png"
        done = run("tile", self.raw, out)
        self.assertEqual(done.returncode, 0, done.stderr)
        method, _, reason = done.stdout.partition(": ")
        self.assertIn(method, METHODS)
        self.assertIn("% of the picture", reason)
        self.assertLess(self.seam(out)["fault"], 1)
        same = self.folder / "same.png"
        run("tile", self.raw, same, "--method", method)
        self.assertEqual(out.read_bytes(), same.read_bytes())

    def test_a_wall_at_a_slant_is_straightened_where_that_is_asked_for(self) -> None:
        stored, _ = seen_at_a_slant(np.clip(stock("glazed", 460, 345, 3).raw, 0, 1), 3)
        slanted = self.folder / "slanted.png"
        slanted.write_bytes(png(np.rint(stored * 255).astype(np.uint8)))
        out = self.folder / "out.png"
        self.assertIn("seen at a slant", run("tile", slanted, out).stdout)
        done = run("tile", slanted, out, "--straighten")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("Straightened by its lines.", done.stdout)
        self.assertNotIn("seen at a slant", done.stdout)
        self.assertIn("Kept: ", done.stdout)
        for words in ((), ("--method", "quilt", "--size", "256x256")):
            left = run("tile", self.raw, out, "--straighten", *words)
            self.assertEqual(left.returncode, 0, left.stderr)
            self.assertIn("No lines run together", left.stdout)

    def test_faults_have_kind_box_and_strength(self) -> None:
        rolled = self.folder / "rolled.png"
        with Image.open(self.raw) as image:
            rolled.write_bytes(png(np.roll(np.asarray(image), (90, 120), axis=(0, 1))))
        found = json.loads(run("seam", rolled, "--json").stdout)
        self.assertGreater(found["fault"], 1.5)
        boxes = [fault["box"] for fault in found["faults"] if fault["kind"] in ("seam", "tone")]
        self.assertTrue(any(abs(box[0] + box[2] / 2 - 120) < 4 for box in boxes), boxes)
        self.assertTrue(any(abs(box[1] + box[3] / 2 - 90) < 4 for box in boxes), boxes)
        self.assertIn("seam, ", run("seam", rolled).stdout)

    def test_size_and_axes_are_as_asked(self) -> None:
        out = self.folder / "out.tga"
        done = run("tile", self.raw, out, "--method", "quilt", "--size", "512x256", "--axes", "x")
        self.assertEqual(done.returncode, 0, done.stderr)
        with Image.open(out) as image:
            self.assertEqual(image.size, (512, 256))
        scores = self.seam(out)
        self.assertAlmostEqual(scores["x"], 1, delta=0.15)
        self.assertGreater(scores["y"], 1.3)

    def test_sixteen_bits_go_through(self) -> None:
        deep = self.folder / "deep.tif"
        stored = defects.BASES["stochastic"](200, 5, False)
        tifffile.imwrite(deep, np.rint(stored * 65535).astype(np.uint16), photometric="rgb")
        out = self.folder / "deep.png"
        self.assertEqual(run("tile", deep, out).returncode, 0)
        self.assertEqual(out.read_bytes()[24], 16)

    def test_the_original_is_never_the_output(self) -> None:
        before = self.raw.read_bytes()
        self.assertEqual(run("tile", self.raw, self.raw).returncode, 2)
        self.assertEqual(self.raw.read_bytes(), before)

    def test_what_cannot_be_done_is_said(self) -> None:
        tiny = self.folder / "tiny.png"
        tiny.write_bytes(png(np.zeros((8, 8, 3), np.uint8)))
        for words in (("tile", tiny, self.folder / "o.png"), ("seam", tiny)):
            done = run(*words)
            self.assertEqual(done.returncode, 1)
            self.assertNotIn("Traceback", done.stderr)
        done = run("tile", self.raw, self.folder / "o.xyz")
        self.assertEqual(done.returncode, 1)
        self.assertIn("extension", done.stderr)

    def test_inspect_says_the_role_and_why(self) -> None:
        done = run("inspect", self.raw, "--json")
        facts = json.loads(done.stdout)
        self.assertEqual(facts["role"], "colour")
        self.assertGreater(facts["role_confidence"], 0.5)
        self.assertTrue(facts["role_reason"])
        buffer = io.BytesIO()
        Image.open(self.raw).convert("CMYK").save(buffer, "JPEG")
        inks = self.folder / "inks.png"
        inks.write_bytes(buffer.getvalue())
        unusual = " ".join(json.loads(run("inspect", inks, "--json").stdout)["unusual"])
        self.assertIn("CMYK", unusual)
        self.assertIn("but it is JPEG", unusual)
